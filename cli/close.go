package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/user"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"lastblock/core/capability/tieout"
	"lastblock/core/finding"
	"lastblock/core/finding/decision"
	"lastblock/core/month"
	"lastblock/core/month/block"
	"lastblock/core/month/plan"
	"lastblock/core/option"
	"lastblock/core/value/period"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

func (a *app) close() *cobra.Command {
	t := month.NewClosing()
	cmd := a.forTask(t, &cobra.Command{
		Use:   "close",
		Short: "The whole plan in one run: one reading, one verdict, results, sealed as a block",
		Long: `Ties out the plan, looks for doubles, and makes every summary, collation, attachment and
reconciliation of the plan, in one reading of all sources up to the end of the period. Where no
"stop" finding is open the close has passed: its results are put in place, all together, and a block
that says what was read and what it came to is sealed and added to the chain. Else nothing is
placed.

A period that is sealed is closed again with --restate. --rehearse does all of it and places
nothing. Without --plan the plan is lastblock.toml in the folder you are in.`,
		Example: `  lastblock close --plan lastblock-demo/lastblock.toml --rehearse
  lastblock close --plan lastblock-demo/lastblock.toml --period 2031-01 --severity control-total=note,not-filed=note --rehearse`,
	}, func(cmd *cobra.Command, _ []string) error { return a.runClose(cmd.Context(), t) })
	cmd.Args = cobra.NoArgs
	return cmd
}

// closing is a close on its way.
type closing struct {
	app   *app
	task  *month.Closing
	root  string // the folder of the plan
	chain *block.Chain
	in    *month.Input
	parts []closePart

	tied     *tieout.Result
	findings []finding.Finding
	stops    []finding.Finding // that are open
}

func (a *app) runClose(ctx context.Context, t *month.Closing) (err error) {
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
	if err := c.begin(); err != nil {
		return err
	}
	if c.in, err = a.open(ctx, t, nil); err != nil {
		return err
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
		return err
	}
	shown := &view.Close{Period: c.in.Closing, Verdict: c.verdict(), Tied: c.tied, Set: c.in.Set, Findings: c.findings,
		Stops: len(c.stops), Rehearsed: t.Rehearse}
	if shown.Sealed = shown.Verdict == block.Passed || t.Anyway; shown.Sealed {
		if err := c.seal(ctx, shown); err != nil {
			return err
		}
	}
	if t.JSON {
		err = shown.Document(a.stdout)
	} else {
		shown.Print(a.stdout)
	}
	return stopped(err, c.stops)
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
	return err
}

// read makes everything in one reading.
func (c *closing) read(ctx context.Context) error {
	a := c.app
	run, err := month.BeginClose(ctx, c.in, a.plan, c.task, a.options)
	if err != nil {
		return err
	}
	if err := c.isFree(); err != nil {
		return errors.Join(err, run.Close())
	}
	if err := c.gather(); err != nil {
		return errors.Join(err, run.Close())
	}
	for _, p := range c.parts {
		if err := p.create(ctx, c.in); err != nil {
			return errors.Join(p.Err(err), run.Close())
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
		if _, writesMeanwhile := p.(*closeCollation); !writesMeanwhile {
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
		t := month.NewDoubles()
		if _, err := a.plan.Apply(t, month.AllOptions(t)); err != nil {
			return err
		}
		c.parts = append(c.parts, &closeDoubles{task: t})
	}
	err := gatherResults(c, month.NewReconcile, func(r *month.Result[*month.Reconcile]) closePart {
		c.place(&r.Task.Writing, "", ".xlsx")
		return &closeReconciliation{reconciliation: &reconciliation{Result: r}, app: a}
	})
	if err == nil {
		err = gatherResults(c, month.NewRollup, func(r *month.Result[*month.Rollup]) closePart {
			c.place(&r.Task.Writing, "rollup", ".xlsx")
			return &closeSummary{summary: &summary{Result: r}, app: a}
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
	return err
}

// gatherResults takes the results of one command.
func gatherResults[T month.Maker](c *closing, make func() T, part func(r *month.Result[T]) closePart) error {
	typed := make()
	if !c.app.plan.Has(typed.Name()) {
		return nil
	}
	results, notes, err := month.Results(c.app.plan, typed, month.AllOptions(typed), make)
	if err != nil {
		return err
	}
	c.app.note(notes)
	for _, r := range results {
		c.parts = append(c.parts, part(r))
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
	lists := [][]finding.Finding{c.task.Missing(c.app.plan), c.tied.Findings}
	for _, p := range c.parts {
		if _, writesMeanwhile := p.(*closeCollation); writesMeanwhile {
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

// take adds findings, and works out which of them stop the close.
func (c *closing) take(lists ...[]finding.Finding) {
	c.findings = finding.Union(append([][]finding.Finding{c.findings}, lists...)...)
	c.stops = nil
	for i := range c.findings {
		if f := &c.findings[i]; f.Stops() && !slices.Contains(c.task.Allow, string(f.Kind)) {
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

// seal writes the results, and places them with the block that seals them; of a rehearsal nothing is
// placed.
func (c *closing) seal(ctx context.Context, shown *view.Close) error {
	held := io.Closer(io.NopCloser(nil))
	if !c.task.Rehearse {
		var err error
		if held, err = c.chain.Hold(filepath.Base(c.task.Plan)); err != nil {
			return err
		}
	}
	return errors.Join(c.sealHeld(ctx, shown), held.Close())
}

// sealHeld is seal while nobody else can add a block.
func (c *closing) sealHeld(ctx context.Context, shown *view.Close) error {
	var ready []*show.Output
	b, err := c.account(ctx)
	if err != nil {
		return err
	}
	for _, p := range c.parts {
		if err := p.write(ctx, c.remark()); err != nil {
			return err
		}
		ready = append(ready, p.outputs()...)
		if made := p.made(); made != nil {
			sealed, err := c.sealResult(made)
			if err != nil {
				return err
			}
			b.Results = append(b.Results, sealed)
		}
	}
	return c.append(b, ready, shown)
}

// append places a block behind the others, together with what it seals.
func (c *closing) append(b *block.Block, ready []*show.Output, shown *view.Close) error {
	figures, err := c.writeFigures(b)
	if err != nil {
		return err
	}
	entry, data, err := c.chain.Next(*b)
	if err != nil {
		return err
	}
	shown.Block = entry
	if c.task.Rehearse {
		return nil
	}
	output, err := c.create(entry.File)
	if err != nil {
		return err
	}
	if _, err := output.Write(data); err != nil {
		return err
	}
	c.app.outputs.Journal = c.task.Blocks
	return c.app.outputs.Commit(append([]*show.Output{output, figures}, ready...)...)
}

// create starts a file in the folder of the blocks, which must not lie among the sources.
func (c *closing) create(name string) (*show.Output, error) {
	return c.app.create(new(month.Writing), filepath.Join(c.task.Blocks, name))
}

// sealResult is a result as the block has it. What it would replace must be of an earlier close.
func (c *closing) sealResult(made *madeResult) (r block.Result, err error) {
	name, err := c.name(made.output.Path())
	if err != nil {
		return r, err
	}
	if _, err := os.Stat(made.output.Path()); err == nil && !c.chain.Names(name) {
		return r, fmt.Errorf("%s is there, and no close has made it; move it away, or give the result another out",
			name)
	}
	r = block.Result{File: block.File{Name: name}, Command: made.command, Title: made.name, Rows: made.rows,
		Totals: made.totals}
	r.SHA256, err = made.output.SHA256()
	return r, err
}

// name is the name of a file as blocks have it: from the plan, with slashes.
func (c *closing) name(path string) (string, error) {
	root, err := filepath.Abs(c.root)
	if err != nil {
		return "", err
	}
	full, err := filepath.Abs(path)
	if err != nil {
		return "", err
	}
	below, err := filepath.Rel(root, full)
	return filepath.ToSlash(below), err
}

// account says what was read and what it came to.
func (c *closing) account(ctx context.Context) (*block.Block, error) {
	t := c.task
	b := &block.Block{Period: c.in.Closing, Time: time.Now(), User: t.User, Program: Version, Verdict: c.verdict(),
		Reason: t.Reason, Rows: c.tied.Rows, Totals: blockTotals(c.tied.Columns, c.tied.Totals),
		Findings: []block.Finding{}, Sources: []block.Source{}, References: []block.File{}, Results: []block.Result{}}
	if b.User == "" {
		current, err := user.Current()
		if err != nil {
			return nil, option.Errorf("user", "who closes? The machine does not say: %w", err)
		}
		b.User = current.Username
	}
	if before := c.chain.Of(b.Period); before != nil {
		b.Restates = before.Number
	}
	p := &c.tied.Proof
	b.Proof = block.Proof{Read: p.Read, Used: p.Used, Suspense: p.Suspense, Dropped: p.Dropped}
	for i := range c.findings {
		if f := &c.findings[i]; f.Severity != finding.Note {
			b.Findings = append(b.Findings, block.Finding{ID: f.ID, Kind: string(f.Kind), Severity: string(f.Severity),
				Source: f.Source, State: f.State, Decision: f.Accepted})
		}
	}
	if file := t.DecisionsFile(); file != "" {
		log, err := decision.Read(file)
		if err != nil {
			return nil, err
		}
		b.Decisions.Lines, b.Decisions.Seal = log.Seal()
	}
	return b, errors.Join(c.sealFiles(b), c.sealReferences(ctx, b), c.sealSources(ctx, b))
}

// sealFiles seals the plan and the references that it names.
func (c *closing) sealFiles(b *block.Block) error {
	for i, path := range c.app.plan.Files() {
		if info, err := os.Stat(path); err != nil || info.IsDir() {
			continue // a folder, whose files follow
		}
		data, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		name, err := c.name(path)
		if err != nil {
			return err
		}
		file := block.File{Name: name, SHA256: block.SealOf(data)}
		if i == 0 {
			b.Plan = file
			continue
		}
		c.refer(b, file)
	}
	return nil
}

// refer adds a reference, once.
func (c *closing) refer(b *block.Block, file block.File) {
	if !slices.Contains(b.References, file) {
		b.References = append(b.References, file)
	}
}

// sealReferences seals the files of other sets that were read: what records were reconciled against, and what was
// looked up.
func (c *closing) sealReferences(ctx context.Context, b *block.Block) error {
	for _, set := range c.app.sets {
		if set == c.in.Set {
			continue
		}
		hashes, err := set.Hashes(ctx, c.in.Reading.Jobs)
		if err != nil {
			return err
		}
		for _, h := range hashes {
			name, err := c.name(h.Path)
			if err != nil {
				return err
			}
			c.refer(b, block.File{Name: name, SHA256: h.SHA256})
		}
	}
	return nil
}

// sealSources seals the files that were read.
func (c *closing) sealSources(ctx context.Context, b *block.Block) error {
	hashes, err := c.in.Set.Hashes(ctx, c.in.Reading.Jobs)
	if err != nil {
		return err
	}
	of := make(map[string]string)
	for _, h := range hashes {
		of[h.Path] = h.SHA256
	}
	for _, row := range c.tied.Sources {
		source := &c.in.Set.Sources[row.Index]
		name := source.Name // of what is no file
		if of[source.Path] != "" {
			if name, err = c.name(source.Path); err != nil {
				return err
			}
		}
		s := block.Source{File: block.File{Name: name, SHA256: of[source.Path]}, Source: source.Name, Size: source.Size,
			Entity: c.in.Set.Word(row.Index, "entity"), Rows: row.Rows, Totals: blockTotals(c.tied.Columns, row.Totals)}
		if p, ok := period.Parse(c.in.Set.Word(row.Index, "period")); ok {
			s.Period = p.String()
		}
		b.Sources = append(b.Sources, s)
	}
	return nil
}

// writeFigures writes the figures by source, and has the block seal them.
func (c *closing) writeFigures(b *block.Block) (*show.Output, error) {
	name := strings.TrimSuffix(block.Name(len(c.chain.Entries)+1, b.Period), ".json") + ".csv.zst"
	output, err := c.create(name)
	if err != nil {
		return nil, err
	}
	if err := show.WritePacked(output, "zst", func(w io.Writer) error { return b.WriteFigures(w) }); err != nil {
		return nil, err
	}
	hash, err := output.SHA256()
	b.Figures = block.File{Name: name, SHA256: hash}
	return output, err
}
