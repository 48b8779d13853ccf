// Package tieout counts records and adds up totals per source, and compares
// them with what the branches declared.
package tieout

import (
	"cmp"
	"context"
	"slices"

	"lastblock/core/amount"
	"lastblock/core/finding"
	"lastblock/core/proof"
	"lastblock/core/source"
	"lastblock/core/suspense"
	"lastblock/core/tally"
)

// Options say what is tied out.
type Options struct {
	Totals   []string       // amount columns, by name or as "#2"
	Declared *source.Table  // the control sheet; nil without one
	Suspense *suspense.File // nil without one
}

// Row is the count of one source.
type Row struct {
	Index    int // of the source in the set
	Rows     int // records that arrived, the ones in suspense included
	Suspense int
	Dropped  int             // left out by a condition
	Totals   []amount.Amount // of the records that are used
	Running  []amount.Amount // totals of this source and all before it
}

// Result is a tie-out.
type Result struct {
	Sources  []Row // in the order of the set
	Rows     int
	Totals   []amount.Amount // grand totals
	Findings []finding.Finding
	Proof    proof.Proof
}

// Run ties out a set. The error is a *tally.UnknownColumnError, a
// *DeclarationError, what reading returned, or a *proof.FailedError.
func Run(ctx context.Context, set *source.Set, reading source.Reading, options Options) (*Result, error) {
	t := tally.New(set, tally.Options{Amounts: options.Totals, Suspense: options.Suspense})
	reading.Amounts = options.Totals
	if err := set.Scan(ctx, reading, func() source.Visitor { return t.Visitor() }); err != nil {
		return nil, err
	}
	if err := t.Finish(); err != nil {
		return nil, err
	}
	result := &Result{Proof: t.Proof}
	running := make([]amount.Sum, len(options.Totals))
	for i := range t.Sources {
		if set.IsOwn(i) {
			continue
		}
		counted := &t.Sources[i]
		row := Row{Index: i, Rows: counted.Read, Suspense: counted.Suspense, Dropped: counted.Dropped}
		for k := range counted.Totals {
			running[k].Merge(&counted.Totals[k])
			row.Totals = append(row.Totals, counted.Totals[k].Amount())
			row.Running = append(row.Running, running[k].Amount())
		}
		result.Sources = append(result.Sources, row)
		result.Rows += row.Rows
		result.Proof.Used += counted.Used
	}
	for k := range running {
		result.Totals = append(result.Totals, running[k].Amount())
		result.Proof.Totals[k].Used = running[k].Amount()
	}
	if options.Declared != nil {
		if err := compare(set, result.Sources, t, options); err != nil {
			return nil, err
		}
	}
	result.Findings = t.Findings.All()
	return result, result.Proof.Check()
}

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
