package cli

import (
	"cmp"
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"

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

func (a *app) trace() *cobra.Command {
	t := month.NewTracing()
	wanted := &wantedTrace{Tracing: t}
	cmd := a.forTask(t, &cobra.Command{
		Use:   "trace [PATH…] [COLUMN=VALUE…] [ROW COLUMN]",
		Short: "Where does this figure come from, down to file and line?",
		Long: `Finds the records that a figure of a result is made of: what each source gave, and the records with their
places, the largest first, and what lies in suspense or was left out and would have belonged there. Their sum is
the figure, to the last digit, or it says what differs: against the newest block, a bridge leads from the figure
as it was sealed to what it is now. Of sources that are sealed only those are opened that gave something.
With --block the records are those that this block has sealed, or it says that they were not retained.

Of a figure of a grid, the labels of its row and its column name it, as 'Wages' 'Q2': it says what each form gave.

The path of a result that was handed out, as results/2031-01/by-company.xlsx, says by itself which plan, result
and block have made it. Without a plan, the records of the paths are traced, with --where and --sum.`,
		Example: `  lastblock trace account=04100 period=2031-02 --plan lastblock-demo/close/lastblock.toml
  lastblock trace account=04100 --plan lastblock-demo/close/lastblock.toml --block 1 --all
  lastblock trace Wages Q2 --plan lastblock-demo/budgets/lastblock.toml
  lastblock trace lastblock-demo/journals/dunmarrow_2031-01.txt --where 'credit > 1000' --sum credit`,
	}, func(cmd *cobra.Command, _ []string) error { return a.runTrace(cmd.Context(), wanted) })
	cmd.Args = cobra.ArbitraryArgs
	fill := cmd.PreRunE
	cmd.PreRunE = func(cmd *cobra.Command, args []string) (err error) {
		if wanted.paths, wanted.say, err = month.ParseTraced(args, isThere); err != nil {
			return err
		}
		if err := wanted.findPlan(); err != nil {
			return err
		}
		return fill(cmd, args)
	}
	return cmd
}

// wantedTrace is a figure that is to be traced.
type wantedTrace struct {
	*month.Tracing
	paths  []string
	say    []block.Word
	handed string // the file that was handed out and has the figure, "" for none
}

// findPlan finds the plan that is meant: that of the folder one is in, or of a file that was handed out.
func (w *wantedTrace) findPlan() error {
	if len(w.paths) == 0 {
		if w.Plan == "" && isThere(plan.Name) {
			w.Plan = plan.Name
		}
		return nil
	}
	if info, err := os.Stat(w.paths[0]); err != nil || len(w.paths) > 1 || !info.Mode().IsRegular() {
		return nil
	}
	origin := show.ReadOrigin(w.paths[0])
	name := plan.Name
	if origin != nil {
		name = origin.Plan
	}
	file := w.Plan
	switch {
	case file != "":
	case isThere(name):
		file = name
	default:
		file = month.PlanAbove(w.paths[0], name)
	}
	if file == "" {
		if origin != nil {
			return option.Errorf("plan", "%s is result %s of %s, which is not there; say where it is", w.paths[0],
				origin.Result, origin.Plan)
		}
		return nil
	}
	if origin == nil {
		var err error
		if origin, err = originByBlocks(file, w.paths[0]); origin == nil || err != nil {
			return err
		}
	}
	w.handed, w.paths, w.Plan = w.paths[0], nil, file
	w.Named = []string{origin.Result}
	if w.Block == 0 {
		w.Block = origin.Block
	}
	return nil
}

// originByBlocks is what the blocks of a plan say of a file, nil for nothing.
func originByBlocks(file, path string) (*show.Origin, error) {
	p, err := month.ReadPlan(file)
	if err != nil {
		return nil, err
	}
	chain, err := p.Chain()
	if err != nil {
		return nil, err
	}
	stands, err := standing(file)
	if err != nil {
		return nil, err
	}
	entry, made, err := month.Made(chain, filepath.Dir(file), path, stands.Moves)
	if entry == nil || err != nil {
		return nil, err
	}
	return &show.Origin{Plan: filepath.Base(file), Result: cmp.Or(made.Title, made.Command), Block: entry.Number,
		Period: entry.Period}, nil
}

func isThere(path string) bool {
	_, err := os.Stat(path)
	return err == nil
}

func (a *app) runTrace(ctx context.Context, t *wantedTrace) error {
	if len(t.paths) == 0 && t.Plan == "" {
		return errors.New("trace needs a plan, with --plan, or a PATH: a file, a folder or a pattern")
	}
	t.AsSealed = t.Block > 0 && t.handed == ""
	where := a.options.Find("where")
	t.Chosen = where != nil && where.Given.Typed
	format, packed, err := formatOf("out", t.Out)
	if err != nil {
		return err
	}
	if a.plan != nil && a.plan.IsGridFigure(t.Tracing, t.say) {
		return a.runTraceForm(ctx, t, format, packed)
	}
	sealed := make(chan sealedFigure, 1)
	if a.plan != nil {
		a.outputs.Tidy(a.plan.BlocksFolder())
		go func() {
			figure, err := a.plan.Sealed(t.Tracing, t.say)
			sealed <- sealedFigure{figure, err}
		}()
	}
	in, err := a.open(ctx, t, t.paths)
	if err != nil {
		return err
	}
	traced, err := a.traceFigure(ctx, in, t, sealed)
	if err != nil {
		return err
	}
	defer traced.Close()
	shown := &view.Trace{Traced: traced, Most: t.Top}
	if t.All {
		shown.Most = 0
	}
	for _, f := range traced.Findings {
		if f.Severity != finding.Note { // which are about the sources, and told by what reads them all
			shown.Findings = append(shown.Findings, f)
		}
	}
	settleAll(in, shown.Findings)
	if t.handed != "" {
		shown.Made = &view.Handed{File: t.handed}
		figure, has, err := a.plan.FigureIn(ctx, t.handed, traced.Of, traced.Sum, t.say, machine())
		if err != nil {
			return err
		}
		if has {
			shown.Made.Amount = &figure
		}
	}
	write := func(w io.Writer) error { return shown.Write(w, format, packed, t.Shield) }
	if err := a.writeTraced(t, write); err != nil {
		return err
	}
	if t.JSON {
		err = shown.Document(a.stdout)
	} else {
		err = shown.Print(a.stdout, t.Out)
	}
	return stopped(err, shown.Findings)
}

// writeTraced writes what was found to a file, where one is asked for.
func (a *app) writeTraced(t *wantedTrace, write func(w io.Writer) error) error {
	if t.Out == "" {
		return nil
	}
	output, err := a.create(&t.Writing, t.Out)
	if err != nil {
		return err
	}
	if err := write(output); err != nil {
		return err
	}
	return a.outputs.Commit(output)
}

// sealedFigure is a figure as it was sealed, which is read while the sources are found.
type sealedFigure struct {
	*month.SealedFigure
	err error
}

// traceFigure finds the records of a figure of the plan, or of the sources. What a block has sealed is compared with
// where all that the plan names is read.
func (a *app) traceFigure(ctx context.Context, in *month.Input, t *wantedTrace, sealed <-chan sealedFigure) (
	*month.Traced, error) {
	stop := a.progress(in)
	defer stop()
	if a.plan == nil {
		return month.TraceSources(ctx, in, t.Tracing, t.say)
	}
	seen := source.ReadSeen(in.Seen)
	var figure sealedFigure
	if !in.Partial && !t.Chosen {
		figure = <-sealed
		if lost := new(block.LostError); errors.As(figure.err, &lost) && t.Block == 0 {
			a.note([]string{lost.Error()})
			figure = sealedFigure{}
		}
		if figure.err != nil {
			return nil, figure.err
		}
	}
	traced, err := a.plan.Trace(ctx, in, t.Tracing, t.say, figure.SealedFigure, seen)
	if in.Seen != "" && figure.SealedFigure != nil {
		_ = seen.Write(in.Seen) // a hint, without which they are hashed again
	}
	return traced, err
}
