package cli

import (
	"context"
	"fmt"

	"lastblock/core/finding"
	"lastblock/core/month"
	"lastblock/core/month/pack"
	"lastblock/core/value/amount"
	"lastblock/show"
)

// closeOverlay is a grid as a part of a close. Its forms are read apart from the records.
type closeOverlay struct {
	*gridding
	notMeasured
	meanwhile
	app *app
}

// Part takes no part in the reading of the records.
func (c *closeOverlay) Part(_ context.Context, run *month.Run) (*month.Part, error) {
	return run.Whole(), nil
}

func (c *closeOverlay) create(ctx context.Context, in *month.Input) error {
	if err := c.app.openForms(ctx, c.gridding, nil); err != nil {
		return err
	}
	return c.app.createOverlay(c.gridding, in)
}

func (c *closeOverlay) prepare(context.Context, *month.Part) error { return nil }

func (c *closeOverlay) finish(ctx context.Context) ([]finding.Finding, error) {
	if err := c.app.addUp(ctx, c.gridding); err != nil {
		return nil, err
	}
	closed, err := month.ClosedChanged(ctx, c.in, c.app.chain)
	return append(append(settled(c.in, closed), c.in.Arrived...), c.forms.Done.Findings...), err
}

func (c *closeOverlay) write(ctx context.Context, remark string) error {
	c.shown.Remark = remark
	return c.gridding.write(ctx)
}

func (c *closeOverlay) line() (check, text string) {
	return c.Task.ResultName(), fmt.Sprintf("%s of %s", show.Count(c.filled(), "figure"),
		show.Count(len(c.forms.Done.Sources), "form"))
}

func (c *closeOverlay) made() *madeResult {
	return &madeResult{c.Task.Name(), c.Name(), c.output, c.forms.By(), c.filled(),
		month.TotalsOf([]string{month.GridValue}, []amount.Amount{c.forms.Done.Total.Amount})}
}

func (c *closeOverlay) figures(add month.AddFigure, _ func(index int) string) error {
	return c.forms.Figures(add)
}

func (c *closeOverlay) tell(p *pack.Pack) error {
	p.AddGrid(c.Task.ResultName(), c.forms.By(), c.forms.In.Set, c.forms.Done)
	return nil
}

func (c *closeOverlay) outputs() []closeOutput {
	return []closeOutput{{"", c.output}, {"contributions", c.contributed}}
}

func (c *closeOverlay) release() error { return c.gridding.release() }
