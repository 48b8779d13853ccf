package cli

import (
	"context"
	"errors"
	"fmt"
	"io"

	"lastblock/core/capability/collate"
	"lastblock/core/capability/doubles"
	"lastblock/core/capability/reconcile"
	"lastblock/core/finding"
	"lastblock/core/month"
	"lastblock/core/month/block"
	"lastblock/core/month/pack"
	"lastblock/core/option"
	"lastblock/core/value/amount"
	"lastblock/core/value/period"
	"lastblock/show"
	"lastblock/show/view"
)

// notMeasured is a part of which it is not known what sources gave to it.
type notMeasured struct{}

func (notMeasured) measured() *month.MeasuredResult { return nil }

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
	// line says in a line what a check has come to; "" for a part that is none.
	line() (check, text string)
	// made is what is sealed; nil for nothing.
	made() *madeResult
	// figures are what the sources, which source names, gave to what was made; nil for nothing.
	figures(source func(index int) string) *month.Gave
	// measured is what the sources gave to it; nil for what has no totals by source.
	measured() *month.MeasuredResult
	// tell adds what was made to what the checks came to.
	tell(p *pack.Pack) error
	// outputs are all files that are to be placed.
	outputs() []closeOutput
	// release gives back what it holds.
	release() error
}

// closeOutput is a file that a part of a close writes.
type closeOutput struct {
	as     string // what it is beside the result, "" for the result itself
	output *show.Output
}

// madeResult is a result of a close.
type madeResult struct {
	command, name string
	output        *show.Output
	by            []string
	rows          int
	totals        []block.Total
}

// whole is a part of a close that sees all that is read, under no name of the plan.
type whole struct{}

func (whole) Name() string            { return "" }
func (whole) Command() string         { return "" }
func (whole) Err(err error) error     { return err }
func (whole) Fill(*month.Input) error { return nil }
func (whole) Part(_ context.Context, run *month.Run) (*month.Part, error) {
	return run.Join(run.Input.Whole()), nil
}

// untold is a part of which nothing but its file is told.
type untold struct{}

func (untold) tell(*pack.Pack) error { return nil }

// noCheck is a part that has nothing to say but its findings.
type noCheck struct{}

func (noCheck) line() (check, text string) { return "", "" }

// meanwhile is a part that has nothing open while the sources are read.
type meanwhile struct{}

func (meanwhile) around(_ context.Context, read func() error, _ func() string) error { return read() }

// closeSummary is a summary as a part of a close.
type closeSummary struct {
	*summary
	meanwhile
	noCheck
	app   *app
	of    *closing
	shown *view.Rollup
}

func (c *closeSummary) create(_ context.Context, in *month.Input) (err error) {
	if c.options, c.form, err = c.Task.Request.Read(); err != nil {
		return err
	}
	c.options.BySource = true
	if since := c.of.chain.Since(in.Closing); since != nil {
		c.options.Known = month.KnownBy(c.of.base, c.Name(), since.Number, func(index int) string {
			return in.Set.Sources[index].Name
		})
	}
	return c.app.createSummary(c.summary, in)
}

func (c *closeSummary) prepare(ctx context.Context, part *month.Part) (err error) {
	c.part = part
	return c.summary.prepare(ctx)
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
	return &madeResult{"rollup", c.Name(), c.output, c.done.Keys(), c.done.Count,
		month.TotalsOf(c.done.Sums, c.done.Total.Sums)}
}

func (c *closeSummary) measured() *month.MeasuredResult {
	return month.MeasureOf("rollup", c.Name(), c.done)
}

func (c *closeSummary) figures(source func(index int) string) *month.Gave {
	return month.SummaryGave(c.done, source)
}

func (c *closeSummary) tell(p *pack.Pack) error { return p.AddSummary(c.Name(), c.shown.Formed) }

func (c *closeSummary) outputs() []closeOutput {
	return []closeOutput{{"", c.output}, {"suspense", c.kept}}
}

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
	noCheck
	untold
	app     *app
	command string
	job     *collate.Job
	more    func(ctx context.Context, w io.Writer) error // writes more records, when all were read; nil for none
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
		if c.more != nil {
			if err := c.more(ctx, w); err != nil {
				return err
			}
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
	return &madeResult{c.command, c.Name(), c.result, nil, c.done.Records, month.TotalsOf(columns, used)}
}

func (c *closeCollation) measured() *month.MeasuredResult {
	m := &month.MeasuredResult{Command: c.command, Title: c.Name(), Given: c.done.Sources}
	for _, total := range c.done.Proof.Totals {
		m.Sums, m.Total = append(m.Sums, total.Column), append(m.Total, total.Used)
	}
	return m
}

func (c *closeCollation) figures(source func(index int) string) *month.Gave {
	return month.GaveOf(c.done.Sources, source)
}

func (c *closeCollation) outputs() []closeOutput {
	return []closeOutput{{"", c.result}, {"suspense", c.kept}}
}

func (c *closeCollation) release() error { return nil }

// closeReconciliation is a reconciliation as a part of a close.
type closeReconciliation struct {
	*reconciliation
	notMeasured
	meanwhile
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
	if closed, ok := period.Parse(in.Closing); ok {
		c.there.UpTo(closed)
	}
	c.app.reads(c.there)
	c.there.Set.TakeFingerprints()
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

func (c *closeReconciliation) finish(ctx context.Context) ([]finding.Finding, error) {
	if err := c.reconciliation.match(ctx, c.here); err != nil {
		return nil, err
	}
	return settled(&c.part.Input, c.shown.Findings), nil
}

func (c *closeReconciliation) write(ctx context.Context, remark string) error {
	c.Task.Anyway, c.files.remark = true, remark // the close has its own verdict
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
	return &madeResult{"reconcile", c.Name(), c.files.out, nil, c.shown.Proof.Used, month.TotalsOf(columns, totals)}
}

func (c *closeReconciliation) line() (check, text string) {
	check = "reconcile"
	if c.Name() != "" {
		check = c.Name()
	}
	lines := c.shown.Statement.Lines
	here, there := &lines[0], &lines[len(lines)-1]
	text = fmt.Sprintf("%s and %s of the reference", show.Count(here.Count, "record"), show.Number(there.Count))
	for i, column := range c.shown.Totals {
		text += fmt.Sprintf("; %s %s and %s, difference %s", column, here.Amounts[i].Money(), there.Amounts[i].Money(),
			here.Amounts[i].Sub(there.Amounts[i]).Money())
	}
	return check, text
}

func (c *closeReconciliation) tell(p *pack.Pack) error {
	p.AddReconciliation(c.Name(), c.Task.By, c.reconciliation.options.Mirror != nil, c.shown.Result)
	return nil
}

func (c *closeReconciliation) figures(func(int) string) *month.Gave { return nil }

func (c *closeReconciliation) outputs() []closeOutput {
	f := c.files
	return []closeOutput{{"", f.out}, {"corrected", f.corrected}, {"findings", f.findings}, {"review", f.review}}
}

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
	*month.Result[*month.Doubles]
	notMeasured
	meanwhile
	options doubles.Options
	part    *month.Part
	job     *doubles.Job
	done    *doubles.Result
}

func (c *closeDoubles) create(context.Context, *month.Input) (err error) {
	c.Task.Request.Keep, c.Task.Writing = "", month.Writing{}
	c.options, err = c.Task.Ask()
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

func (c *closeDoubles) finish(ctx context.Context) (findings []finding.Finding, err error) {
	if c.done, err = c.job.Finish(ctx); err != nil {
		return nil, err
	}
	return settled(&c.part.Input, c.done.Findings), nil
}

func (c *closeDoubles) line() (check, text string) {
	if len(c.done.Kinds) == 0 {
		return "doubles", "nothing would be counted twice"
	}
	n := 0
	for _, k := range c.done.Kinds {
		n += k.Findings
	}
	return "doubles", show.Count(n, "finding")
}

func (c *closeDoubles) tell(p *pack.Pack) error {
	p.SetDoubles(c.done)
	return nil
}

func (c *closeDoubles) write(context.Context, string) error  { return nil }
func (c *closeDoubles) made() *madeResult                    { return nil }
func (c *closeDoubles) figures(func(int) string) *month.Gave { return nil }
func (c *closeDoubles) outputs() []closeOutput               { return nil }
func (c *closeDoubles) release() error {
	if c.done != nil {
		return c.done.Close()
	}
	if c.job != nil {
		c.job.Close()
	}
	return nil
}

// closeAlignment puts sources side by side as a part of a close.
type closeAlignment struct {
	*alignment
	untold
	notMeasured
	meanwhile
	noCheck
	app *app
}

func (c *closeAlignment) create(_ context.Context, in *month.Input) (err error) {
	if c.options, err = c.Task.Request.Read(); err != nil {
		return err
	}
	return c.app.beginAlignment(in, c.alignment, false)
}

func (c *closeAlignment) prepare(ctx context.Context, part *month.Part) (err error) {
	c.part = part
	return c.alignment.prepare(ctx)
}

func (c *closeAlignment) finish(ctx context.Context) ([]finding.Finding, error) {
	if err := c.align(ctx); err != nil {
		return nil, err
	}
	return settled(&c.part.Input, c.done.Findings), nil
}

func (c *closeAlignment) write(ctx context.Context, remark string) error {
	return c.format.Write(c.output, func(w io.Writer) error {
		return errors.Join(c.done.Write(ctx, w), c.format.WriteRemark(w, namesOf(c.format.Columns), remark))
	})
}

func namesOf(columns []show.Cells) (names []string) {
	for _, c := range columns {
		names = append(names, c.Name)
	}
	return names
}

func (c *closeAlignment) made() *madeResult {
	return &madeResult{"align", c.Name(), c.output, nil, c.done.Keys, nil}
}

func (c *closeAlignment) figures(func(int) string) *month.Gave { return nil }

func (c *closeAlignment) outputs() []closeOutput { return []closeOutput{{"", c.output}} }

func (c *closeAlignment) release() error {
	if c.done != nil {
		return c.done.Close()
	}
	if c.job != nil {
		return c.job.Close()
	}
	return nil
}
