package month

import (
	"context"

	"lastblock/core/capability/doubles"
	"lastblock/core/capability/tieout"
	"lastblock/core/finding"
)

// TakePlan gives a task what the plan of a file says, and nothing else.
func TakePlan(t Task, file string) error {
	plan, err := ReadPlan(file)
	if err != nil {
		return err
	}
	t.Sources().Plan = file
	options := AllOptions(t)
	_, err = plan.Apply(t, options)
	return err
}

// TieOutAgain ties out a plan once more, for its findings.
func TieOutAgain(ctx context.Context, plan string, machine int64) ([]finding.Finding, error) {
	t := NewTieOut()
	if err := TakePlan(t, plan); err != nil {
		return nil, err
	}
	in, err := t.Open(ctx, nil, machine)
	if err != nil {
		return nil, err
	}
	options, err := t.Ask(ctx, in)
	if err != nil {
		return nil, err
	}
	if err := in.Check(ctx, t.Totals); err != nil {
		return nil, err
	}
	options.Whole = false
	result, err := tieout.Run(ctx, in.Set, in.Reading, options)
	if err != nil {
		return nil, err
	}
	in.Settle(result.Findings)
	return result.Findings, result.Close()
}

// DoublesAgain looks for the doubles of a plan once more.
func DoublesAgain(ctx context.Context, plan string, machine int64) ([]finding.Finding, error) {
	t := NewDoubles()
	if err := TakePlan(t, plan); err != nil {
		return nil, err
	}
	t.Request.Keep, t.Writing = "", Writing{}
	options, err := t.Ask()
	if err != nil {
		return nil, err
	}
	in, err := t.Open(ctx, nil, machine)
	if err != nil {
		return nil, err
	}
	if options.Drop, err = in.Left(); err != nil {
		return nil, err
	}
	result, err := doubles.Find(ctx, in.Set, in.Reading, options)
	if err != nil {
		return nil, err
	}
	in.Settle(result.Findings)
	return result.Findings, result.Close()
}
