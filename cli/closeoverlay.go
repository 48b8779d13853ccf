package cli

import (
	"context"
	"fmt"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/month"
	"lastblock/core/month/pack"
	"lastblock/core/value/amount"
	"lastblock/core/value/period"
	"lastblock/show"
)

// closeOverlay is a grid as a part of a close. Its forms are read apart from the records.
type closeOverlay struct {
	*gridding
	notMeasured
	meanwhile
	of  *closing
	all *month.Input // with the forms of earlier periods, of which the grid may have none
}

// Part takes no part in the reading of the records.
func (c *closeOverlay) Part(_ context.Context, run *month.Run) (*month.Part, error) {
	return run.Whole(), nil
}

func (c *closeOverlay) create(ctx context.Context, in *month.Input) error {
	c.Task.Spellings = in.Set.Spellings()
	if err := c.of.app.openForms(ctx, c.gridding, nil); err != nil {
		return err
	}
	c.in.Seals = true
	if closed, ok := period.Parse(in.Closing); ok {
		c.all = c.Task.Limit(c.in, closed)
	}
	if c.isEmpty() {
		return nil
	}
	return c.of.app.createOverlay(c.gridding, in)
}

// isEmpty tells whether there is no form up to the period that is closed, so that there is no grid.
func (c *closeOverlay) isEmpty() bool { return len(c.in.Set.Sources) == 0 }

func (c *closeOverlay) prepare(context.Context, *month.Part) error { return nil }

func (c *closeOverlay) finish(ctx context.Context) ([]finding.Finding, error) {
	var found, added []finding.Finding
	if !c.isEmpty() {
		if err := c.of.app.addUp(ctx, c.gridding); err != nil {
			return nil, err
		}
		if err := c.forms.SumUp(); err != nil {
			return nil, err
		}
		reread, err := c.of.app.plan.Reread(ctx, c.in, c.of.in.Closing, c.of.chain, Version,
			c.forms.Read())
		if err != nil {
			return nil, err
		}
		added = slices.Concat(c.forms.Done.Findings, settled(c.in, reread))
	}
	if !c.of.task.Restate {
		var err error
		if found, err = month.ClosedChanged(ctx, c.all, c.of.app.chain); err != nil {
			return nil, err
		}
	}
	if closed, ok := period.Parse(c.of.in.Closing); ok && c.Task.HasPaths() {
		found = append(found, c.in.NotFiled(c.Task.ResultName(), closed, c.of.reading.Roster)...)
	}
	return slices.Concat(settled(c.in, found), c.in.Arrived, added), nil
}

func (c *closeOverlay) write(ctx context.Context, remark string) error {
	if c.isEmpty() {
		return nil
	}
	c.shown.Remark = remark
	return c.gridding.write(ctx)
}

func (c *closeOverlay) line() (check, text string) {
	if c.isEmpty() {
		return c.Task.ResultName(), "no form up to " + c.of.in.Closing
	}
	return c.Task.ResultName(), fmt.Sprintf("%s of %s", show.Count(c.filled(), "figure"),
		show.Count(len(c.forms.Done.Sources), "form"))
}

func (c *closeOverlay) made() *madeResult {
	if c.isEmpty() {
		return nil
	}
	return &madeResult{c.Task.Name(), c.Name(), c.output, c.forms.By(), c.filled(),
		month.TotalsOf([]string{month.GridValue}, []amount.Amount{c.forms.Total()})}
}

func (c *closeOverlay) figures(func(index int) string) *month.Gave { return c.forms.Gave() }

func (c *closeOverlay) tell(p *pack.Pack) error {
	if c.isEmpty() {
		return nil
	}
	p.AddGrid(c.Task.ResultName(), c.forms.By(), c.forms.In.Set, c.forms.Done)
	return nil
}

func (c *closeOverlay) outputs() []closeOutput {
	return []closeOutput{{"", c.output}, {"contributions", c.contributed}}
}

func (c *closeOverlay) release() error { return c.gridding.release() }
