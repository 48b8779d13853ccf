// Package tieout counts records and adds up totals per source, and compares
// them with what the branches declared.
package tieout

import (
	"cmp"
	"context"
	"errors"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/finding/drop"
	"lastblock/core/finding/proof"
	"lastblock/core/finding/suspense"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/period"
)

// Options say what is tied out, and against what.
type Options struct {
	Totals     []string // amount columns, by name or as "#2"
	HashTotals []string // code columns whose numbers are added up
	Distinct   []string // columns whose different values are counted

	// What the branches declared. Figures that are declared are worked out
	// without being named above: of the columns rows, hash_… and distinct_…, and
	// of each that has the name of a column.
	Declared  *source.Table // the control sheet; nil without one
	Covers    []Cover       // sheets that declare one source each
	CoveredBy string        // what they are called, "" where there are none
	Labels    []Label       // what Covers call their figures
	Strays    []string      // files like Covers that declare no source there is

	Tolerance     map[string]amount.Amount // by how much a total may differ, by column
	ToleranceRows int

	Roster  *Roster         // who has to file; nil for no matter
	Periods []period.Period // for which; nil for those that come

	Checks []Check

	// Ended are entities that file no more, and their last periods, by spelling.Fold of their names.
	Ended map[string]period.Period

	Until   *period.Period    // sources of later periods were passed over; nil for none
	Noticed []finding.Finding // what was found before, and is told with the rest
	Partial bool              // not all sources are read, so that what is not here says nothing

	Drop     *drop.Set      // what is left out; it counts as read, and for no check
	Suspense *suspense.File // nil without one
	Whole    bool           // keep every finding, for Result.EachFinding
}

// Row is the count of one source.
type Row struct {
	Index      int // of the source in the set
	Rows       int // records that arrived, the ones in suspense included
	Suspense   int
	Dropped    int             // left out by a condition or a decision
	Left       int             // of these, by a decision: they are compared with nothing
	Totals     []amount.Amount // of the records that are used
	Running    []amount.Amount // totals of this source and all before it
	HashTotals []amount.Amount
	Distinct   []int
}

// Declared is a figure that was declared of a source, and what was found.
type Declared struct {
	Index           int    // of the source in the set
	Figure          string // rows, the column of a total, or a column with hash_ or distinct_ before it
	Declared, Found amount.Amount
}

// Result is a tie-out.
type Result struct {
	Sources    []Row // in the order of the set
	Rows       int
	Columns    []string        // of the totals: those that were asked for, and those that were declared
	Totals     []amount.Amount // grand totals
	HashTotals []string        // columns, likewise
	Distinct   []string
	Declared   []Declared
	Matrix     *Matrix // nil without a roster or periods
	Findings   []finding.Finding
	Proof      proof.Proof

	findings *finding.List
}

// EachFinding gives every finding, however many there are; Options.Whole must
// have been set. Close gives back what is held for it.
func (r *Result) EachFinding(visit func(*finding.Finding) error) error { return r.findings.Each(visit) }

// Close gives back the temporary files of the findings.
func (r *Result) Close() error { return r.findings.Close() }

// Job is a tie-out on its way: prepared, shown the records by its visitors, and finished.
type Job struct {
	run     *run
	figures *figures
	checks  []Check
	closed  bool
}

// Run ties out a set. The error is a *tally.UnknownColumnError, a
// *DeclarationError, what reading returned, or a *proof.FailedError.
func Run(ctx context.Context, set *source.Set, reading source.Reading, options Options) (*Result, error) {
	j := Prepare(set, reading, options)
	if err := set.Scan(ctx, reading, j.Visitor); err != nil {
		return nil, errors.Join(err, j.Close())
	}
	return j.Finish(ctx)
}

// Prepare works out what is looked at in each record. The caller then scans the set with the
// job's visitors and calls Finish, or Close where the scan has failed.
func Prepare(set *source.Set, reading source.Reading, options Options) *Job {
	options.Covers = coversOf(set, options.Covers)
	r := &run{set: set, reading: reading, options: &options}
	f := newFigures(set, &options)
	checks := append(slices.Clone(options.Checks), f.hashes, f.distinct)
	r.amounts = slices.Clone(f.totals)
	needed := append(slices.Clone(options.HashTotals), options.Distinct...)
	for _, check := range options.Checks {
		for _, name := range check.Amounts() {
			if !slices.Contains(r.amounts, name) {
				r.amounts = append(r.amounts, name)
			}
		}
		needed = append(append(needed, check.Amounts()...), check.Columns()...)
	}
	r.tally = tally.New(set, tally.Options{
		Amounts: r.amounts, Optional: r.amounts[len(options.Totals):], Columns: unique(needed),
		Suspense: options.Suspense, Whole: options.Whole, Drop: options.Drop, Filed: true,
	})
	r.memory = reading.Memory / int64(4*max(1, reading.Jobs)*len(checks))
	if len(set.Sources) > 0 {
		r.scope(0)
	}
	return &Job{run: r, figures: f, checks: checks}
}

// Visitor makes the visitor of one goroutine.
func (j *Job) Visitor() source.Visitor {
	v := &visitor{tally: j.run.tally.Visitor()}
	for _, check := range j.checks {
		if !j.figures.isIdle(check) {
			v.watchers = append(v.watchers, check.watch(j.run))
		}
	}
	v.tally.OnlySums = len(v.watchers) == 0
	return v
}

// Amounts are the columns that are read as amounts.
func (j *Job) Amounts() []string { return slices.Clone(j.run.amounts) }

// Read is how many records the visitors have counted.
func (j *Job) Read() int { return j.run.tally.Read() }

// Finish compares what was counted, when all records have been visited, and gives back what
// the job holds.
func (j *Job) Finish(ctx context.Context) (result *Result, err error) {
	defer func() {
		if closing := j.Close(); err == nil {
			err = closing
		}
	}()
	if err := j.run.tally.Finish(); err != nil {
		return nil, err
	}
	for _, check := range j.checks {
		if err := check.finish(ctx, j.run); err != nil {
			return nil, err
		}
	}
	return j.run.result(j.figures)
}

// Close gives back what the job holds.
func (j *Job) Close() error {
	if j.closed {
		return nil
	}
	j.closed = true
	var errs []error
	for _, check := range j.checks {
		errs = append(errs, check.close())
	}
	return errors.Join(errs...)
}

// result puts the counts together and compares them.
func (r *run) result(f *figures) (*Result, error) {
	f.settle(r)
	result := &Result{
		Proof: r.tally.Proof, Columns: f.totals, HashTotals: f.hashes.names, Distinct: f.distinct.names,
		findings: &r.tally.Findings,
	}
	running := make([]amount.Sum, len(r.amounts))
	for i := range r.tally.Sources {
		if r.set.IsPassedOver(i) {
			continue
		}
		counted := &r.tally.Sources[i]
		row := Row{Index: i, Rows: counted.Read, Suspense: counted.Suspense, Dropped: counted.Dropped,
			Left: counted.Left}
		for k := range counted.Totals {
			running[k].Merge(&counted.Totals[k])
			if k < len(f.totals) {
				row.Totals = append(row.Totals, counted.Totals[k].Amount())
				row.Running = append(row.Running, running[k].Amount())
			}
		}
		row.HashTotals, row.Distinct = f.hashes.of(i), f.distinct.of(i)
		result.Sources = append(result.Sources, row)
		result.Rows += row.Rows
		result.Proof.Used += counted.Used
	}
	for k := range running {
		result.Proof.Totals[k].Used = running[k].Amount()
		if k < len(f.totals) {
			result.Totals = append(result.Totals, running[k].Amount())
		}
	}
	if err := result.Proof.Check(); err != nil {
		return nil, err
	}
	var err error
	if result.Declared, err = r.declare(result.Sources, f); err != nil {
		return nil, err
	}
	if r.options.Roster != nil || len(r.options.Periods) > 0 {
		if result.Matrix, err = r.matrix(result.Sources); err != nil {
			return nil, err
		}
	}
	f.drop(result)
	for i := range r.options.Noticed {
		r.tally.Findings.Add(r.options.Noticed[i])
	}
	result.Findings = r.tally.Findings.All()
	return result, nil
}

// visitor shows what one goroutine reads to the tally and to all checks.
type visitor struct {
	tally    *tally.Visitor
	watchers []watcher
}

func (v *visitor) Batch(b *source.Batch) error {
	if err := v.tally.Batch(b); err != nil {
		return err
	}
	for _, w := range v.watchers {
		if err := w.batch(b, v.tally); err != nil {
			return err
		}
	}
	return nil
}

func (v *visitor) Part(ctx context.Context, task int) error { return v.tally.Part(ctx, task) }

func (v *visitor) Flush(ctx context.Context, task int) error { return v.tally.Flush(ctx, task) }

// Largest returns the n sources with the largest first total, the largest
// first, or all where there are fewer; without a total, by rows.
func (r *Result) Largest(n int) []Row { return r.extreme(n, -1) }

// Smallest is Largest for the smallest totals, the smallest first.
func (r *Result) Smallest(n int) []Row { return r.extreme(n, 1) }

func (r *Result) extreme(n, direction int) []Row {
	rows := slices.Clone(r.Sources)
	slices.SortStableFunc(rows, func(a, b Row) int {
		if len(a.Totals) == 0 {
			return direction * cmp.Compare(a.Rows, b.Rows)
		}
		return direction * a.Totals[0].Cmp(b.Totals[0])
	})
	return rows[:min(n, len(rows))]
}
