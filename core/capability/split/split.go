// Package split cuts a source into parts: of so many records, or one for each
// value of a column. Nothing is left out, and each part's rows and totals are
// told, so that it can be proven again wherever the parts go.
package split

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"sync"

	"lastblock/core/finding"
	"lastblock/core/finding/proof"
	"lastblock/core/large/inorder"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/kind"
	"lastblock/core/value/natural"
)

// Options say how a source is cut. One of Rows, Parts and By is set.
type Options struct {
	Rows   int      // records of a part
	Parts  int      // how many parts, as equal as can be
	By     string   // a column; each of its values becomes a part
	Totals []string // columns to add up; nil for those that hold amounts
}

// Part is one part.
type Part struct {
	Number int    // by which it was started
	Value  string // of Options.By, by which the parts are then in natural order
	Rows   int
	Totals []amount.Amount // of the records that can be used
}

// Result says what was cut.
type Result struct {
	Columns  []string // that were added up
	Parts    []Part
	Findings []finding.Finding
	Proof    proof.Proof // of the parts; what is in suspense is in them as well, and in no total
}

// Parts are where the parts are written.
type Parts interface {
	// Part starts the next part, counted from 0, for a value of Options.By.
	Part(number int, value string) (io.WriteCloser, error)
}

// Run cuts the only source of a set. The error is a *tally.UnknownColumnError,
// what reading or writing returned, or a *proof.FailedError.
func Run(ctx context.Context, set *source.Set, reading source.Reading, options Options, parts Parts) (*Result, error) {
	j, err := Prepare(ctx, set, reading, options, parts)
	if err != nil {
		return nil, err
	}
	if err := set.Scan(ctx, reading, j.Visitor); err != nil {
		return nil, errors.Join(err, j.Close())
	}
	return j.Finish()
}

// Job is a cut on its way: prepared, shown the records by its visitors, and finished.
type Job struct {
	set     *source.Set
	options Options
	columns []string // that are added up
	tally   *tally.Tally
	spare   *sync.Pool
	writer  *writer
	order   *inorder.Queue[[]*chunk]
}

// Prepare finds out which columns are added up, and how many records a part has. The caller then
// scans the set with the job's visitors and calls Finish.
func Prepare(ctx context.Context, set *source.Set, reading source.Reading, options Options, parts Parts) (*Job, error) {
	if len(set.Sources) != 1 {
		return nil, fmt.Errorf("one source is needed, and there are %d", len(set.Sources))
	}
	columns := options.Totals
	if columns == nil {
		var err error
		if columns, err = amountColumns(ctx, set, reading); err != nil {
			return nil, err
		}
	}
	sizes := evenly(options.Rows)
	if options.Parts > 0 {
		total, err := count(ctx, set, reading)
		if err != nil {
			return nil, err
		}
		sizes = equally(total, options.Parts)
	}
	needed := []string(nil)
	if options.By != "" {
		needed = []string{options.By}
	}
	j := &Job{set: set, options: options, columns: columns, spare: &sync.Pool{New: func() any { return new(chunk) }}}
	j.tally = tally.New(set, tally.Options{Amounts: columns, Columns: needed})
	j.writer = &writer{
		parts: parts, spare: j.spare, sizes: sizes, width: len(columns), by: options.By, limit: reading.Memory / 4,
		known: make(map[string]*part),
	}
	j.order = inorder.NewQueue(4*max(1, reading.Jobs), j.writer.take)
	return j, nil
}

// Visitor makes the visitor of one goroutine.
func (j *Job) Visitor() source.Visitor {
	return &visitor{set: j.set, spare: j.spare, tally: j.tally.Visitor(), order: j.order, by: j.options.By,
		width: len(j.columns)}
}

// Read is how many records the visitors have counted.
func (j *Job) Read() int { return j.tally.Read() }

// Close gives back what the job holds, where its result is not wanted.
func (j *Job) Close() error { return j.writer.close() }

// Finish closes the parts, when all records have been visited.
func (j *Job) Finish() (*Result, error) {
	t, w, columns := j.tally, j.writer, j.columns
	if err := errors.Join(t.Finish(), w.close()); err != nil {
		return nil, err
	}
	result := &Result{Columns: columns, Findings: t.Findings.All(), Proof: t.Proof}
	used := make([]amount.Sum, len(columns))
	for number, p := range w.all {
		part := Part{Number: number, Value: p.value, Rows: p.rows}
		for k := range p.totals {
			part.Totals = append(part.Totals, p.totals[k].Amount())
			used[k].Merge(&p.totals[k])
		}
		result.Parts = append(result.Parts, part)
		result.Proof.Used += p.rows
	}
	slices.SortStableFunc(result.Parts, func(a, b Part) int { return natural.Compare(a.Value, b.Value) })
	result.Proof.Used -= t.Proof.Suspense // which is in the parts as well
	for k := range used {
		result.Proof.Totals[k].Used = used[k].Amount()
	}
	return result, result.Proof.Check()
}

// evenly gives each part so many records.
func evenly(rows int) func(part int) int { return func(int) int { return rows } }

// equally gives so many parts as equal a share of all records as can be: the first ones
// one more, where they do not divide evenly. No part is empty, but of no records.
func equally(total, parts int) func(part int) int {
	return func(part int) int {
		if part < total%parts {
			return total/parts + 1
		}
		return max(1, total/parts)
	}
}

// errEnough ends a scan that has seen enough.
var errEnough = errors.New("enough was seen")

// amountColumns are the columns that hold amounts, as far as the beginning of the
// source tells. What comes from a pipe can be looked at only once.
func amountColumns(ctx context.Context, set *source.Set, reading source.Reading) ([]string, error) {
	if set.Sources[0].Size < 0 {
		return []string{}, nil
	}
	columns := []string{}
	reading.Jobs, reading.Progress = 1, nil
	err := set.Scan(ctx, reading, func() source.Visitor { return &looker{columns: &columns} })
	if err != nil && !errors.Is(err, errEnough) {
		return nil, err
	}
	return columns, nil
}

// looker looks at the first batch.
type looker struct{ columns *[]string }

func (l *looker) Batch(b *source.Batch) error {
	var scratch []byte
	for at, name := range b.Head.Layout.Columns {
		var e kind.Evidence
		for row := range b.Batch.Rows {
			e.Add(b.Text(row, at, &scratch), b.DecimalOf(at), 1)
		}
		is, _ := e.Kind(name)
		if b.Head.Kind(at) != "" {
			is = b.Head.Kind(at)
		}
		if is == record.Amount {
			*l.columns = append(*l.columns, name)
		}
	}
	return errEnough
}

func (l *looker) Flush(context.Context, int) error { return nil }

// count counts the records of the source that will be in parts.
func count(ctx context.Context, set *source.Set, reading source.Reading) (int, error) {
	if set.Sources[0].Size < 0 {
		return 0, errors.New("what comes from a pipe can be read only once, so that its records cannot be counted " +
			"before; say how many a part has, with ⟨rows⟩")
	}
	var counters []*counter
	reading.Progress = nil
	err := set.Scan(ctx, reading, func() source.Visitor {
		c := new(counter)
		counters = append(counters, c)
		return c
	})
	total := 0
	for _, c := range counters {
		total += int(*c)
	}
	return total, err
}

type counter int

func (c *counter) Batch(b *source.Batch) error {
	*c += counter(b.Batch.Rows + len(b.Refused))
	return nil
}

func (c *counter) Flush(context.Context, int) error { return nil }
