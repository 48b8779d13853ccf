package month

import (
	"context"
	"errors"

	"lastblock/core/capability/rollup"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
)

// Measured is what sources give to the results of a plan.
type Measured struct {
	Set     *source.Set
	Sources []Figures // by index
	Prints  *source.Fingerprints
	Results []*MeasuredResult

	forms *Forms // where the sources are forms; nil for records
}

// MeasuredResult is what sources give to a result.
type MeasuredResult struct {
	Command, Title string
	By             []string // the columns of its groups, and behind them the one spread across; nil without groups
	Sums           []string
	Total          []amount.Amount
	Given          []tally.Source // by source, with the totals of Sums
	// Within calls visit for what each source gave to each group, as rollup.Result.EachOfSource; nil without
	// groups. It does so for sources that isWanted, nil for all.
	Within func(isWanted func(source int) bool, visit func(source int, row rollup.Row) error) error

	result *rollup.Result // that was made for it, nil for one that others hold
}

// MeasureOf is what sources gave to a summary.
func MeasureOf(command, title string, r *rollup.Result) *MeasuredResult {
	return &MeasuredResult{Command: command, Title: title, By: r.Keys(), Sums: r.Sums,
		Total: r.Total.Sums, Given: r.Sources, Within: r.EachOfSource}
}

// Result is what is given to a result, nil where the plan makes none.
func (m *Measured) Result(command, title string) *MeasuredResult {
	for _, r := range m.Results {
		if r.Command == command && r.Title == title {
			return r
		}
	}
	return nil
}

// Close gives back what is held beside memory.
func (m *Measured) Close() (err error) {
	if m.forms != nil {
		return m.forms.Close()
	}
	for _, r := range m.Results {
		if r.result != nil {
			err = errors.Join(err, r.result.Close())
		}
	}
	return err
}

// measuring are the results that are being measured.
type measuring struct {
	results []measuredAs
	jobs    []*rollup.Job
}

// measuredAs is a result that is being measured.
type measuredAs struct {
	command, title string
	grouped        bool
}

// counting is a tally that takes part in a reading.
type counting struct{ *tally.Tally }

func (c counting) Visitor() source.Visitor { return c.Tally.Visitor() }

// Measure reads the sources of in once for what they give to the summaries, collations and attachments of the
// plan, and for the totals of columns, which a source may lack. The error is a *tally.UnknownColumnError where
// no source has what a result needs, or what reading returned.
func (p *Plan) Measure(ctx context.Context, in *Input, columns []string) (m *Measured, err error) {
	if err := in.Set.Look(ctx, in.Reading); err != nil {
		return nil, err
	}
	run, doing := &Run{Input: in}, new(measuring)
	defer func() {
		if err != nil {
			for _, j := range doing.jobs {
				err = errors.Join(err, j.Close())
			}
		}
	}()
	if err := p.prepareMeasures(ctx, run, doing); err != nil {
		return nil, err
	}
	left, err := in.Left()
	if err != nil {
		return nil, err
	}
	counts := tally.New(in.Set, tally.Options{Amounts: columns, Optional: columns, Drop: left})
	prints := new(source.Fingerprints)
	run.Join(in.Whole()).Join(counting{counts})
	run.Join(in.Whole()).Join(prints)
	if err := run.Read(ctx); err != nil {
		return nil, err
	}
	if err := counts.Finish(); err != nil {
		return nil, err
	}
	m = &Measured{Set: in.Set, Prints: prints}
	for i := range counts.Sources {
		m.Sources = append(m.Sources, figuresCounted(&counts.Sources[i]))
	}
	for i, j := range doing.jobs {
		result, err := j.Finish()
		if err != nil {
			return nil, err
		}
		as := doing.results[i]
		r := MeasureOf(as.command, as.title, result)
		if r.result = result; !as.grouped {
			r.By, r.Within = nil, nil
		}
		m.Results = append(m.Results, r)
	}
	return m, nil
}

func figuresCounted(s *tally.Source) Figures {
	f := Figures{Rows: s.Read}
	for i := range s.Totals {
		f.Totals = append(f.Totals, s.Totals[i].Amount())
	}
	return f
}

// prepareMeasures prepares a summary for each result of the plan.
func (p *Plan) prepareMeasures(ctx context.Context, run *Run, doing *measuring) error {
	if typed := NewRollup(); p.Has(typed.Name()) {
		results, _, err := Results(p, typed, AllOptions(typed), NewRollup)
		if err != nil {
			return err
		}
		for _, r := range results {
			options, _, err := r.Task.Request.Read()
			if err == nil {
				err = measure(ctx, run, doing, r, options, true)
			}
			if err != nil {
				return r.Err(err)
			}
		}
	}
	if typed := NewCollate(); p.Has(typed.Name()) {
		results, _, err := Results(p, typed, AllOptions(typed), NewCollate)
		if err != nil {
			return err
		}
		for _, r := range results {
			if err := measure(ctx, run, doing, r, bySourceAlone(r.Task.Totals), false); err != nil {
				return r.Err(err)
			}
		}
	}
	if typed := NewAttach(); p.Has(typed.Name()) {
		results, _, err := Results(p, typed, AllOptions(typed), NewAttach)
		if err != nil {
			return err
		}
		for _, r := range results {
			if err := measure(ctx, run, doing, r, bySourceAlone(r.Task.Totals), false); err != nil {
				return r.Err(err)
			}
		}
	}
	return nil
}

// bySourceAlone sums up what a result without groups takes from each source.
func bySourceAlone(totals []string) rollup.Options {
	return rollup.Options{By: []string{record.SourceColumn}, Sum: totals}
}

// measure has a result take part in the run as a summary by source.
func measure[T Task](ctx context.Context, run *Run, doing *measuring, r *Result[T], options rollup.Options,
	grouped bool) error {
	part, err := r.Part(ctx, run)
	if err != nil {
		return err
	}
	if options.Drop, err = part.Left(); err != nil {
		return err
	}
	options.BySource = true
	job, err := rollup.Prepare(ctx, part.Set, part.Reading, options)
	if err != nil {
		return err
	}
	part.Join(job)
	doing.jobs = append(doing.jobs, job)
	doing.results = append(doing.results, measuredAs{r.Task.Name(), r.Name(), grouped})
	return nil
}
