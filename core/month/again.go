package month

import (
	"context"
	"errors"

	"lastblock/core/capability/doubles"
	"lastblock/core/capability/reconcile"
	"lastblock/core/capability/tieout"
	"lastblock/core/finding"
	"lastblock/core/month/block"
	"lastblock/core/value/period"
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
	p, err := ReadPlan(plan)
	if err != nil {
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
	if options.Noticed, err = p.Noticed(ctx, in); err != nil {
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

// ReconcileAgain reconciles all that a plan reconciles once more; nothing where it does not.
func ReconcileAgain(ctx context.Context, file string, machine int64) (findings []finding.Finding, err error) {
	plan, err := ReadPlan(file)
	if err != nil || plan.parsed.Command(NewReconcile().Name()) == nil {
		return nil, err
	}
	typed := NewReconcile()
	typed.Plan = file
	options := AllOptions(typed)
	options.Find("plan").Given.Typed = true
	results, _, err := Results(plan, typed, options, NewReconcile)
	for _, r := range results {
		found, err := reconcileAgain(ctx, r, machine)
		if err != nil {
			return nil, r.Err(err)
		}
		findings = append(findings, found...)
	}
	return findings, err
}

// reconcileAgain makes a reconciliation of a plan, for its findings.
func reconcileAgain(ctx context.Context, r *Result[*Reconcile], machine int64) ([]finding.Finding, error) {
	t := r.Task
	t.Only, t.Writing, t.Corrected = nil, Writing{}, ""
	options, _, err := t.Ask()
	if err != nil {
		return nil, err
	}
	t.SettleQuery(nil)
	here, err := t.Sources().Open(ctx, nil, machine)
	if err != nil {
		return nil, err
	}
	there, err := t.There(ctx, here, &options)
	if err != nil {
		return nil, err
	}
	run := &Run{Input: here}
	part, err := r.Part(ctx, run)
	if err != nil {
		return nil, err
	}
	job, err := reconcile.Prepare(ctx, part.Set, there.Set, here.Reading, options)
	if err != nil {
		return nil, err
	}
	part.Join(job.Here())
	if err = run.Read(ctx); err == nil && job.There() != nil {
		err = there.Set.Scan(ctx, here.Reading, job.There().Visitor)
	}
	if err != nil {
		return nil, errors.Join(err, job.Close())
	}
	sides, err := job.Finish()
	if err != nil {
		return nil, err
	}
	result, err := sides.Match(ctx, reconcile.Writing{})
	if err != nil {
		return nil, err
	}
	part.Settle(result.Findings)
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

// FormsAgain adds up the forms of a plan once more, for the findings of its grids as a close has them.
func FormsAgain(ctx context.Context, file string, machine int64) (findings []finding.Finding, err error) {
	plan, err := ReadPlan(file)
	if err != nil {
		return nil, err
	}
	results, err := plan.Overlays()
	if err != nil || len(results) == 0 {
		return nil, err
	}
	chain, err := plan.Chain()
	if err != nil {
		return nil, err
	}
	t := NewTieOut()
	if err := TakePlan(t, file); err != nil {
		return nil, err
	}
	in, err := t.Open(ctx, nil, machine)
	if err != nil {
		return nil, err
	}
	tie, err := t.Ask(ctx, in)
	if err != nil {
		return nil, err
	}
	closed, given := period.Parse(plan.Closed().Period)
	if !given {
		if closed, err = FiledBy(in.Set, in.Ended()).Newest(tie.Roster); err != nil {
			return nil, nil // nothing can be closed, as a close tells
		}
	}
	for _, r := range results {
		r.Task.Spellings = in.Set.Spellings()
		found, err := formsAgain(ctx, r, chain, closed, tie.Roster, machine)
		if err != nil {
			return nil, r.Err(err)
		}
		findings = append(findings, found...)
	}
	return findings, nil
}

// formsAgain are the findings of one grid.
func formsAgain(ctx context.Context, r *Result[*Overlay], chain *block.Chain, closed period.Period,
	roster *tieout.Roster, machine int64) ([]finding.Finding, error) {
	in, err := r.Task.OpenForms(ctx, nil, machine)
	if err != nil {
		return nil, err
	}
	all := r.Task.Limit(in, closed)
	findings, err := ClosedChanged(ctx, all, chain)
	if err != nil {
		return nil, err
	}
	if r.Task.HasPaths() {
		findings = append(findings, in.NotFiled(r.Task.ResultName(), closed, roster)...)
	}
	findings = append(findings, in.Arrived...)
	if len(in.Set.Sources) > 0 {
		forms, err := AddUp(ctx, r, in)
		if err != nil {
			return nil, err
		}
		findings = append(findings, forms.Done.Findings...)
		if err := forms.Close(); err != nil {
			return nil, err
		}
	}
	in.Settle(findings)
	return findings, nil
}
