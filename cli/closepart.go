package cli

import (
	"context"
	"io"

	"lastblock/core/capability/collate"
	"lastblock/core/capability/doubles"
	"lastblock/core/capability/reconcile"
	"lastblock/core/finding"
	"lastblock/core/month"
	"lastblock/core/month/block"
	"lastblock/core/option"
	"lastblock/core/value/amount"
	"lastblock/show"
	"lastblock/show/view"
)

// closePart is a part of a close, which takes part in its one reading.
type closePart interface {
	month.Asked
	// create starts what it writes.
	create(ctx context.Context, in *month.Input) error
	// prepare makes it ready to be shown the records.
	prepare(ctx context.Context, part *month.Part) error
	// around has read read the sources, within what has to be open meanwhile.
	around(ctx context.Context, read func() error, remark func() string) error
	// finish makes the result, when all was read, and returns its findings.
	finish(ctx context.Context) ([]finding.Finding, error)
	// write writes the result, which says of itself what remark says.
	write(ctx context.Context, remark string) error
	// made is what is sealed; nil for nothing.
	made() *madeResult
	// outputs are all files that are to be placed.
	outputs() []*show.Output
	// release gives back what it holds.
	release() error
}

// madeResult is a result of a close.
type madeResult struct {
	command, name string
	output        *show.Output
	rows          int
	totals        []block.Total
}

func blockTotals(columns []string, amounts []amount.Amount) []block.Total {
	totals := []block.Total{}
	for i, column := range columns {
		totals = append(totals, block.Total{Column: column, Amount: amounts[i].String()})
	}
	return totals
}

// closeSummary is a summary as a part of a close.
type closeSummary struct {
	*summary
	app   *app
	shown *view.Rollup
}

func (c *closeSummary) create(_ context.Context, in *month.Input) (err error) {
	if c.options, c.form, err = c.Task.Request.Read(); err != nil {
		return err
	}
	return c.app.createSummary(c.summary, in)
}

func (c *closeSummary) prepare(ctx context.Context, part *month.Part) (err error) {
	c.part = part
	return c.summary.prepare(ctx)
}

func (c *closeSummary) around(_ context.Context, read func() error, _ func() string) error {
	return read()
}

func (c *closeSummary) finish(context.Context) (findings []finding.Finding, err error) {
	if c.done, err = c.job.Finish(); err != nil {
		return nil, err
	}
	formed, err := c.done.In(c.form, c.Task.Sum)
	c.shown = &view.Rollup{Formed: formed, Name: c.Name(), Shield: c.Task.Shield}
	return settled(&c.part.Input, c.done.Findings), err
}

func (c *closeSummary) write(_ context.Context, remark string) error {
	c.shown.Remark = remark
	if c.format == show.JSON {
		alone := view.Summaries{All: []*view.Rollup{c.shown}, Set: c.part.Set, Findings: c.done.Findings}
		return show.WritePacked(c.output, c.packed, alone.Document)
	}
	return c.shown.Write(c.output, c.format, c.packed)
}

func (c *closeSummary) made() *madeResult {
	return &madeResult{"rollup", c.Name(), c.output, c.done.Count, blockTotals(c.done.Sums, c.done.Total.Sums)}
}

func (c *closeSummary) outputs() []*show.Output { return []*show.Output{c.output, c.kept} }

func (c *closeSummary) release() error {
	switch {
	case c.done != nil:
		return c.done.Close()
	case c.job != nil:
		return c.job.Close()
	}
	return nil
}

// closeCollation is a collation, or an attachment, as a part of a close.
type closeCollation struct {
	*collation
	app     *app
	command string
	job     *collate.Job
}

func (c *closeCollation) create(_ context.Context, in *month.Input) error {
	if err := option.Distinct("total", c.task.Totals); err != nil {
		return err
	}
	if err := c.app.beginCollation(in, c.collation, false); err != nil {
		return err
	}
	c.result.Seal()
	return nil
}

func (c *closeCollation) prepare(ctx context.Context, part *month.Part) error {
	c.part = part
	return c.collation.prepare(ctx)
}

func (c *closeCollation) around(ctx context.Context, read func() error, remark func() string) error {
	return c.collation.write(func(w io.Writer) (err error) {
		if c.job, err = c.plan.Begin(ctx, w); err != nil {
			return err
		}
		c.part.Join(c.job)
		if err := read(); err != nil {
			return err
		}
		if c.done, err = c.job.Finish(); err != nil {
			return err
		}
		return c.format.WriteRemark(w, c.plan.Columns, remark())
	})
}

func (c *closeCollation) finish(context.Context) ([]finding.Finding, error) {
	return settled(&c.part.Input, c.done.Findings), nil
}

func (c *closeCollation) write(context.Context, string) error { return nil } // which was done while reading

func (c *closeCollation) made() *madeResult {
	var columns []string
	var used []amount.Amount
	for _, total := range c.done.Proof.Totals {
		columns, used = append(columns, total.Column), append(used, total.Used)
	}
	return &madeResult{c.command, c.Name(), c.result, c.done.Records, blockTotals(columns, used)}
}

func (c *closeCollation) outputs() []*show.Output { return []*show.Output{c.result, c.kept} }

func (c *closeCollation) release() error { return nil }

// closeReconciliation is a reconciliation as a part of a close.
type closeReconciliation struct {
	*reconciliation
	app  *app
	here *month.Input
}

func (c *closeReconciliation) create(ctx context.Context, in *month.Input) (err error) {
	c.here, c.files = in, &reconciledFiles{app: c.app, task: c.Task}
	if c.options, c.files.only, err = c.Task.Ask(); err != nil {
		return err
	}
	if c.there, err = c.Task.There(ctx, in, &c.options); err != nil {
		return err
	}
	c.app.reads(c.there)
	if err := c.Fill(in); err != nil {
		return err
	}
	if err := c.files.create(); err != nil {
		return err
	}
	c.reconciliation.options.Kinds = c.files.outFormat.Format.IsTyped() || c.files.correctedFormat.Format.IsTyped()
	return nil
}

func (c *closeReconciliation) prepare(ctx context.Context, part *month.Part) (err error) {
	c.part = part
	if c.job, err = reconcile.Prepare(ctx, part.Set, c.there.Set, part.Reading, c.options); err != nil {
		return err
	}
	part.Join(c.job.Here())
	return nil
}

func (c *closeReconciliation) around(_ context.Context, read func() error, _ func() string) error {
	return read()
}

func (c *closeReconciliation) finish(ctx context.Context) ([]finding.Finding, error) {
	if err := c.reconciliation.match(ctx, c.here); err != nil {
		return nil, err
	}
	return settled(&c.part.Input, c.shown.Findings), nil
}

func (c *closeReconciliation) write(ctx context.Context, _ string) error {
	c.Task.Anyway = true // the close has its own verdict
	return c.files.write(ctx, c.shown)
}

func (c *closeReconciliation) made() *madeResult {
	if c.files.out == nil {
		return nil
	}
	var totals []amount.Amount
	for _, line := range c.shown.Statement.Lines {
		totals = line.Amounts // of the last one, the total per reference
	}
	columns := c.shown.Totals
	if len(totals) < len(columns) {
		columns = nil
	}
	return &madeResult{"reconcile", c.Name(), c.files.out, c.shown.Proof.Used, blockTotals(columns, totals)}
}

func (c *closeReconciliation) outputs() []*show.Output { return c.files.ready(c.shown) }

func (c *closeReconciliation) release() error {
	switch {
	case c.shown != nil:
		return c.shown.Close()
	case c.job != nil:
		return c.job.Close()
	}
	return nil
}

// closeDoubles is the search for doubles as a part of a close. It has no result of its own.
type closeDoubles struct {
	task    *month.Doubles
	options doubles.Options
	part    *month.Part
	job     *doubles.Job
	done    *doubles.Result
}

func (c *closeDoubles) Name() string            { return "" }
func (c *closeDoubles) Err(err error) error     { return err }
func (c *closeDoubles) Fill(*month.Input) error { return nil }
func (c *closeDoubles) Part(_ context.Context, run *month.Run) (*month.Part, error) {
	return run.Join(run.Input.Whole()), nil
}

func (c *closeDoubles) create(context.Context, *month.Input) (err error) {
	c.task.Request.Keep, c.task.Writing = "", month.Writing{}
	c.options, err = c.task.Ask()
	return err
}

func (c *closeDoubles) prepare(ctx context.Context, part *month.Part) (err error) {
	c.part = part
	if c.options.Drop, err = part.Left(); err != nil {
		return err
	}
	if c.job, err = doubles.Prepare(ctx, part.Set, part.Reading, c.options); err != nil {
		return err
	}
	part.Join(c.job)
	return nil
}

func (c *closeDoubles) around(_ context.Context, read func() error, _ func() string) error {
	return read()
}

func (c *closeDoubles) finish(ctx context.Context) (findings []finding.Finding, err error) {
	if c.done, err = c.job.Finish(ctx); err != nil {
		return nil, err
	}
	return settled(&c.part.Input, c.done.Findings), nil
}

func (c *closeDoubles) write(context.Context, string) error { return nil }
func (c *closeDoubles) made() *madeResult                   { return nil }
func (c *closeDoubles) outputs() []*show.Output             { return nil }
func (c *closeDoubles) release() error {
	if c.done != nil {
		return c.done.Close()
	}
	if c.job != nil {
		c.job.Close()
	}
	return nil
}
