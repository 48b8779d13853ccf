// Package trace finds the records that a figure is made of: those whose columns say certain words, with the
// place of each, and what of them lies in suspense or was left out.
package trace

import (
	"context"

	"lastblock/core/finding"
	"lastblock/core/finding/drop"
	"lastblock/core/finding/proof"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
)

// Options say which figure is traced.
type Options struct {
	Words []Word // what all its records say; none for those of the whole
	Sum   string // the amount column
	// With are other columns that have to be amounts as well, as the result has them whose figure it is.
	With []string
	Drop *drop.Set
	// Chosen says that a condition has chosen the records of the figure, so that those that it leaves out do not
	// belong to it.
	Chosen bool
	Most   int // how many records are kept, those of the largest amounts; 0 for all
}

// Word is what records say in a column: of the data, a word of file names, or source.
type Word struct{ Column, Value string }

// State is what became of a record.
type State string

// The states.
const (
	Used     State = "used"
	Suspense State = "suspense"
	Dropped  State = "dropped" // by a condition
	Left     State = "left"    // by a decision
)

// Job is a trace on its way: prepared, shown the records by its visitors, and finished.
type Job struct {
	set      *source.Set
	tally    *tally.Tally
	columns  []tally.Column // of the words
	values   [][]byte
	names    []string // of the data
	resolver *tally.Resolver
	sum      string // as sources have it
	chosen   bool
	most     int
	limit    int64
	visitors []*visitor
}

// Result is what a figure is made of.
type Result struct {
	Columns []string // of its records: those of the data, and the words of file names behind them
	Sum     string
	Sources []Given // by index
	Records int
	Amount  amount.Amount
	// Suspense, Dropped and Left are records that are none of its, and would be.
	Suspense, Dropped, Left Aside
	Findings                []finding.Finding
	Proof                   proof.Proof

	kept, aside *kept
}

// Given is what a source gave to the figure.
type Given struct {
	Records int
	Amount  amount.Amount
}

// Aside are records that are not used: how many, and their amounts as far as they are some.
type Aside struct {
	Records int
	Amount  amount.Sum
	Unread  int // of them, those with an amount that is none
}

func (a *Aside) merge(o *Aside) {
	a.Records += o.Records
	a.Amount.Merge(&o.Amount)
	a.Unread += o.Unread
}

// Run traces a figure through a set. The caller gives the result back with Close. The error is a
// *tally.UnknownColumnError, or what reading returned.
func Run(ctx context.Context, set *source.Set, reading source.Reading, options Options) (*Result, error) {
	j, err := Prepare(ctx, set, reading, options)
	if err != nil {
		return nil, err
	}
	if err := set.Scan(ctx, reading, j.Visitor); err != nil {
		return nil, j.fail(err)
	}
	return j.Finish()
}

// Prepare looks at all sources and finds the columns. The caller then scans the set with the job's visitors and
// calls Finish, or Close where the scan has failed. The error is a *tally.UnknownColumnError, or what reading
// returned.
func Prepare(ctx context.Context, set *source.Set, reading source.Reading, options Options) (*Job, error) {
	if err := set.Look(ctx, reading); err != nil {
		return nil, err
	}
	j := &Job{set: set, resolver: tally.NewResolver(set), chosen: options.Chosen, most: options.Most,
		limit: reading.Memory / int64(4*max(1, reading.Jobs))}
	for _, word := range options.Words {
		column, err := j.resolver.Resolve(word.Column)
		if err != nil {
			return nil, err
		}
		j.columns, j.values = append(j.columns, column), append(j.values, []byte(word.Value))
	}
	column, err := j.resolver.ResolveData(options.Sum)
	if err != nil {
		return nil, err
	}
	amounts := []string{options.Sum}
	for _, name := range options.With {
		if _, err := j.resolver.ResolveData(name); err != nil {
			return nil, err
		}
		amounts = append(amounts, name)
	}
	j.sum, j.names = column.Name, j.resolver.Data()
	j.tally = tally.New(set, tally.Options{Amounts: amounts, Drop: options.Drop})
	return j, nil
}

// Visitor makes the visitor of one goroutine.
func (j *Job) Visitor() source.Visitor {
	v := &visitor{job: j, tally: j.tally.Visitor(), bound: tally.NewBinding(j.set, j.columns),
		given: make(map[int]*Given), others: make([]amount.Sum, len(j.tally.Amounts())),
		kept: newKept(j.most, j.limit), aside: newKept(j.most, j.limit)}
	j.visitors = append(j.visitors, v)
	return v
}

// Read is how many records the visitors have counted.
func (j *Job) Read() int { return j.tally.Read() }

// Finish puts together what the visitors have found. The error is a *proof.FailedError, or what temporary files
// returned.
func (j *Job) Finish() (*Result, error) {
	if err := j.tally.Finish(); err != nil {
		return nil, j.fail(err)
	}
	r := &Result{Sum: j.sum, Columns: j.names, Sources: make([]Given, len(j.set.Sources)), Proof: j.tally.Proof,
		kept: newKept(j.most, j.limit), aside: newKept(j.most, j.limit)}
	for _, ours := range j.resolver.Ours {
		if ours.Word != record.SourceColumn && ours.Word != record.LineColumn {
			r.Columns = append(r.Columns[:len(r.Columns):len(r.Columns)], ours.Name)
		}
	}
	used := make([]amount.Sum, len(r.Proof.Totals))
	for _, v := range j.visitors {
		for index, given := range v.given {
			r.Sources[index].Records += given.Records
			r.Sources[index].Amount = r.Sources[index].Amount.Add(given.Amount)
			r.Records += given.Records
			r.Amount = r.Amount.Add(given.Amount)
			used[0].Add(given.Amount)
		}
		for k := range used {
			used[k].Merge(&v.others[k])
		}
		r.Proof.Used += v.used
		r.Suspense.merge(&v.suspense)
		r.Dropped.merge(&v.dropped)
		r.Left.merge(&v.left)
	}
	for _, column := range j.columns {
		j.resolver.TellMissing(column, &j.tally.Findings)
	}
	for k := range used {
		r.Proof.Totals[k].Used = used[k].Amount()
	}
	r.Findings = j.tally.Findings.All()
	err := r.Proof.Check()
	for _, v := range j.visitors {
		if err == nil {
			err = r.kept.take(v.kept)
		}
		if err == nil {
			err = r.aside.take(v.aside)
		}
	}
	if err != nil {
		return nil, j.fail(err)
	}
	return r, nil
}

func (j *Job) fail(err error) error { return firstOf(err, j.Close()) }

// Close gives back what the job holds, where its result is not wanted.
func (j *Job) Close() (err error) {
	for _, v := range j.visitors {
		err = firstOf(err, v.kept.Close(), v.aside.Close())
	}
	return err
}

func firstOf(errs ...error) error {
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

// Each calls visit for the records of the figure, the one of the largest amount first, as many as are kept; those
// of one amount stand by source and line. A record is good until visit returns.
func (r *Result) Each(visit func(*Record) error) error { return r.kept.each(visit) }

// EachAside is Each for records that would be part of the figure and are not.
func (r *Result) EachAside(visit func(*Record) error) error { return r.aside.each(visit) }

// Close gives back what is held beside memory.
func (r *Result) Close() error { return firstOf(r.kept.Close(), r.aside.Close()) }
