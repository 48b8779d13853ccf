package cli

import (
	"cmp"
	"context"
	"errors"
	"path/filepath"
	"slices"
	"strings"

	"lastblock/core/capability/tieout"
	"lastblock/core/finding"
	"lastblock/core/month"
	"lastblock/core/month/block"
	"lastblock/core/month/plan"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

func (a *app) close() *cobra.Command {
	t := month.NewClosing()
	cmd := a.forTask(t, &cobra.Command{
		Use:   "close",
		Short: "The whole plan in one run: one verdict, sealed as a block",
		Long: `Ties out the plan, looks for doubles, and makes every summary, collation, attachment and
reconciliation of the plan, in one reading of all sources up to the end of the period. Where no
"stop" finding is open the close has passed: its results are put in place, all together, and a block
that says what was read and what it came to is sealed and added to the chain. Else nothing is
placed.

A period that is sealed is closed again with --restate, which says which later ones stand on it.
--rehearse does all of it and writes nothing. Without --plan the plan is lastblock.toml in the folder you are in.`,
		Example: `  lastblock close --plan lastblock-demo/lastblock.toml --rehearse
  lastblock close --plan lastblock-demo/lastblock.toml --period 2031-01 --severity control-total=note,not-filed=note --rehearse`,
	}, func(cmd *cobra.Command, _ []string) error { return a.runClose(cmd.Context(), t) })
	cmd.Args = cobra.NoArgs
	return cmd
}

// closing is a close on its way.
type closing struct {
	app     *app
	task    *month.Closing
	root    string // the folder of the plan
	chain   *block.Chain
	in      *month.Input
	reading *month.Run
	parts   []closePart

	reports  []*reporting // that the plan asks for
	reported bool         // it is a rehearsal for a report, so that it may be of a period that is sealed

	prints   *source.Fingerprints
	base     *block.Base // what earlier blocks have
	retained *retained   // nil for nothing

	tied     *tieout.Result
	findings []finding.Finding
	stops    []finding.Finding // that are open
}

func (a *app) runClose(ctx context.Context, t *month.Closing) error {
	if a.plan == nil {
		return option.Errorf("plan", "there is no %s in this folder; name the plan", plan.Name)
	}
	for _, o := range a.options {
		if o.Given.Typed && !t.MayBeTyped(o) {
			return option.Errorf(o.Word, "it does not go together with a close, which reads all that the plan "+
				"names, as the "+
				"plan says")
		}
	}
	c := &closing{app: a, task: t, root: filepath.Dir(t.Plan)}
	shown, err := c.run(ctx, c.giveReports)
	if err != nil {
		return err
	}
	if t.JSON {
		err = shown.Document(a.stdout)
	} else {
		shown.Print(a.stdout)
	}
	return stopped(err, c.stops)
}

// run closes, and gives what it came to when all of it is made and before it is sealed. Where the close has failed and
// is not to be sealed, give is not called.
func (c *closing) run(ctx context.Context, give func(*reportable) error) (shown *view.Close, err error) {
	a, t := c.app, c.task
	if t.Rehearse {
		a.outputs.Nowhere = true
		asked := give
		give = func(from *reportable) error { // what a rehearsal is for is placed
			a.outputs.Nowhere = false
			return asked(from)
		}
	}
	if err := c.begin(); err != nil {
		return nil, err
	}
	if c.in, err = a.open(ctx, t, nil); err != nil {
		return nil, err
	}
	stop := a.progress(c.in)
	err = c.read(ctx)
	stop()
	defer func() {
		for _, p := range c.parts {
			err = errors.Join(err, p.release())
		}
	}()
	if err != nil {
		return nil, err
	}
	shown = &view.Close{Period: c.in.Closing, Verdict: c.verdict(), Tied: c.tied, Set: c.in.Set, Findings: c.findings,
		Stops: len(c.stops), Rehearsed: t.Rehearse}
	for _, p := range c.parts {
		if check, text := p.line(); check != "" {
			shown.Checks = append(shown.Checks, view.Check{Name: check, Text: text})
		}
	}
	if shown.Sealed = shown.Verdict == block.Passed || t.Anyway; shown.Sealed {
		return shown, c.seal(ctx, shown, give)
	}
	return shown, nil
}

// begin reads the chain, and makes sure of what is asked for.
func (c *closing) begin() (err error) {
	t := c.task
	if t.Blocks == "" {
		t.Blocks = filepath.Join(c.root, "blocks")
	}
	if t.Results == "" {
		t.Results = filepath.Join(c.root, "results", "{period}")
	}
	switch {
	case (t.Anyway || t.Restate) && strings.TrimSpace(t.Reason) == "":
		return option.Errorf("reason", "why? Somebody will ask in a year")
	case !t.Anyway && !t.Restate && t.Reason != "":
		return option.Errorf("reason", "it goes together with ⟨restate⟩ or ⟨anyway⟩")
	}
	c.app.outputs.Tidy(t.Blocks)
	c.chain, err = block.Read(t.Blocks, filepath.Base(t.Plan))
	c.app.chain = c.chain
	if err == nil {
		c.base, err = c.chain.Base()
	}
	return err
}

// read makes everything in one reading.
func (c *closing) read(ctx context.Context) error {
	a := c.app
	run, err := month.BeginClose(ctx, c.in, a.plan, c.task, a.options)
	if err != nil {
		return err
	}
	c.reading = run
	if err := c.isFree(); err != nil {
		return errors.Join(err, run.Close())
	}
	if err := c.gather(); err != nil {
		return errors.Join(err, run.Close())
	}
	c.prints = new(source.Fingerprints)
	run.Join(c.in.Whole()).Join(c.prints)
	for _, p := range c.parts {
		if err := p.create(ctx, c.in); err != nil {
			return errors.Join(p.Err(err), run.Close())
		}
		for _, file := range p.outputs() {
			if file.output != nil {
				file.output.From(&show.Origin{Plan: filepath.Base(c.task.Plan), Result: cmp.Or(p.Name(), p.Command()),
					Block: len(c.chain.Entries) + 1, Period: c.in.Closing})
			}
		}
	}
	asked := make([]month.Asked, len(c.parts))
	for i, p := range c.parts {
		asked[i] = p
	}
	parts, err := month.Together(ctx, run, asked)
	for i, p := range c.parts {
		if err == nil {
			err = p.Err(p.prepare(ctx, parts[i]))
		}
	}
	if err == nil {
		err = c.within(ctx, c.parts, func() error { return c.readAll(ctx, run) })
	}
	if err != nil {
		return errors.Join(err, run.Close())
	}
	var lists [][]finding.Finding
	for _, p := range c.parts {
		if !writesMeanwhile(p) {
			continue
		}
		found, err := p.finish(ctx)
		if err != nil {
			return err
		}
		lists = append(lists, found)
	}
	c.take(lists...)
	remember([]string{c.task.Name(), c.task.Plan}, c.findings)
	return nil
}

// isFree makes sure that the period may be closed.
func (c *closing) isFree() error {
	before := c.chain.Of(c.in.Closing)
	switch {
	case c.reported:
	case before != nil && !c.task.Restate:
		return option.Errorf("period", "%s is sealed as block %d; ⟨restate⟩ ⟨reason⟩ TEXT closes it again",
			c.in.Closing,
			before.Number)
	case before == nil && c.task.Restate:
		return option.Errorf("restate", "%s was never closed, so there is nothing to restate", c.in.Closing)
	}
	return nil
}

// gather takes the results that the plan asks for.
func (c *closing) gather() error {
	a := c.app
	if a.plan.Has("doubles") {
		r, err := month.ResultOf(a.plan, month.NewDoubles())
		if err != nil {
			return err
		}
		c.parts = append(c.parts, &closeDoubles{Result: r})
	}
	if c.task.Retain {
		t := month.NewCollate()
		t.Replace = true
		t.Out = filepath.Join(c.task.Blocks,
			strings.TrimSuffix(block.Name(len(c.chain.Entries)+1, c.in.Closing), ".json")+
				".records.csv.zst")
		of := &collation{Asked: whole{}, task: t, states: c.reading.Amounts}
		c.retained = &retained{closeCollation: closeCollation{collation: of, app: a}, of: c}
		c.parts = append(c.parts, c.retained)
	}
	var err error
	if !c.reported {
		err = c.gatherReports()
	}
	if err == nil {
		err = gatherResults(c, month.NewReconcile, func(r *month.Result[*month.Reconcile]) closePart {
			c.place(&r.Task.Writing, "", ".xlsx")
			return &closeReconciliation{reconciliation: &reconciliation{Result: r}, app: a}
		})
	}
	if err == nil {
		err = gatherResults(c, month.NewRollup, func(r *month.Result[*month.Rollup]) closePart {
			c.place(&r.Task.Writing, "rollup", ".xlsx")
			return &closeSummary{summary: &summary{Result: r}, app: a, of: c}
		})
	}
	if err == nil {
		err = gatherResults(c, month.NewAttach, func(r *month.Result[*month.Attach]) closePart {
			c.place(&r.Task.Writing, "attach", ".csv")
			of := &collation{Asked: r, task: &r.Task.Collate}
			of.attach = func(in *month.Input, of *collation) error {
				return a.attachTo(context.Background(), r.Task, in, of)
			}
			return &closeCollation{collation: of, app: a, command: "attach"}
		})
	}
	if err == nil {
		err = gatherResults(c, month.NewCollate, func(r *month.Result[*month.Collate]) closePart {
			c.place(&r.Task.Writing, "collate", ".csv")
			return &closeCollation{collation: &collation{Asked: r, task: r.Task}, app: a, command: "collate"}
		})
	}
	if err == nil {
		err = gatherResults(c, month.NewOverlay, func(r *month.Result[*month.Overlay]) closePart {
			c.place(&r.Task.Writing, "overlay", ".xlsx")
			return &closeOverlay{gridding: &gridding{Result: r}, of: c}
		})
	}
	if err == nil {
		err = gatherResults(c, month.NewAlign, func(r *month.Result[*month.Align]) closePart {
			c.place(&r.Task.Writing, "align", ".csv")
			return &closeAlignment{alignment: &alignment{Result: r}, app: a}
		})
	}
	return err
}

// gatherResults takes the results of one command.
func gatherResults[T month.Maker](c *closing, make func() T, part func(r *month.Result[T]) closePart) error {
	return gatherEach(c, make, func(r *month.Result[T]) error {
		c.parts = append(c.parts, part(r))
		return nil
	})
}

// gatherEach takes each result of one command, as the plan has it.
func gatherEach[T month.Maker](c *closing, make func() T, take func(r *month.Result[T]) error) error {
	typed := make()
	if !c.app.plan.Has(typed.Name()) {
		return nil
	}
	typed.Sources().Plan = c.task.Plan
	options := month.AllOptions(typed)
	options.Find("plan").Given.Typed = true
	results, notes, err := month.Results(c.app.plan, typed, options, make)
	if err != nil {
		return err
	}
	c.app.note(notes)
	for _, r := range results {
		if err := take(r); err != nil {
			return err
		}
	}
	return nil
}

// place gives a result without a path of its own one in the folder of results, under its name or that
// of its command; without a command it has none.
func (c *closing) place(w *month.Writing, command, ending string) {
	w.Replace = true // which outputs may be replaced is for the chain to say
	if name := w.Result; w.Out == "" && command != "" {
		if name == "" {
			name = command
		}
		w.Out = filepath.Join(c.task.Results, name+ending)
	}
}

// within opens what each part has to have open meanwhile, and reads the sources.
func (c *closing) within(ctx context.Context, parts []closePart, read func() error) error {
	if len(parts) == 0 {
		return read()
	}
	return parts[0].around(ctx, func() error { return c.within(ctx, parts[1:], read) }, c.remark)
}

// readAll reads the sources for all parts, and finishes those that write nothing meanwhile.
func (c *closing) readAll(ctx context.Context, run *month.Run) (err error) {
	if err := run.Read(ctx); err != nil {
		return err
	}
	if c.tied, err = run.Tied(ctx); err != nil {
		return err
	}
	for i := range c.tied.Findings {
		c.tied.Findings[i].Message = show.Flags(c.tied.Findings[i].Message)
	}
	reread, err := c.app.plan.Reread(ctx, c.in, c.in.Closing, c.chain, Version, month.ReadOf(c.in, c.tied, c.prints))
	if err != nil {
		return err
	}
	lists := [][]finding.Finding{c.task.Missing(c.app.plan), c.tied.Findings, settled(c.in, reread)}
	for _, p := range c.parts {
		if writesMeanwhile(p) {
			continue
		}
		found, err := p.finish(ctx)
		if err != nil {
			return err
		}
		lists = append(lists, found)
	}
	c.take(lists...)
	return c.tied.Close()
}

// writesMeanwhile tells whether a part writes while the sources are read, and so is finished only when what it
// writes is closed.
func writesMeanwhile(p closePart) bool {
	switch p.(type) {
	case *closeCollation, *retained:
		return true
	}
	return false
}

// take adds findings, and works out which of them stop the close.
func (c *closing) take(lists ...[]finding.Finding) {
	c.findings = finding.Union(append([][]finding.Finding{c.findings}, lists...)...)
	finding.ByCause(c.findings)
	c.stops = nil
	for i := range c.findings {
		f := &c.findings[i]
		if f.Severity == finding.Stop && slices.Contains(c.task.Allow, string(f.Kind)) {
			f.Severity = finding.Review // it may stay open
		}
		if f.Stops() {
			c.stops = append(c.stops, *f)
		}
	}
}

func (c *closing) verdict() block.Verdict {
	if len(c.stops) > 0 {
		return block.Failed
	}
	return block.Passed
}

// remark is what results say of themselves that are sealed although the close failed.
func (c *closing) remark() string {
	return view.Remark(&month.Verdict{Sources: len(c.tied.Sources), Planned: len(c.tied.Sources), Stops: c.stops})
}

// create starts a file in the folder of the blocks, which must not lie among the sources.
func (c *closing) create(name string) (*show.Output, error) {
	return c.app.create(new(month.Writing), filepath.Join(c.task.Blocks, name))
}

// name is the name of a file as blocks have it: from the plan, with slashes.
func (c *closing) name(path string) (string, error) {
	return c.in.Moves().Name(c.root, path)
}
