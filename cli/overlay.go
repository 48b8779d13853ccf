package cli

import (
	"context"
	"fmt"
	"io"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/month"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

func (a *app) overlay() *cobra.Command {
	t := month.NewOverlay()
	return a.forTask(t, &cobra.Command{
		Use:   "overlay [PATH…]",
		Short: "What do the forms of all branches come to, figure by figure?",
		Long: `Adds up forms such as budgets, figure by figure, and tells what each branch gave.
Forms of one layout meet by position: the label of every row and column is held
against those of the other forms, and where it differs its figures are not added.
Forms that differ in shape meet by their labels, with --labels.

Rows and columns that are sums of others are found, and checked in every form.`,
		Example: `  lastblock overlay lastblock-demo/budgets/2031 --labels A,4 --anyway
  lastblock overlay lastblock-demo/budgets/2031 --skip 'fallowmere*' --name '{entity}_{period}' --out lastblock-demo/budgets/results/budget.xlsx --formulas --anyway --replace
  lastblock overlay lastblock-demo/budgets/2031 --skip 'fallowmere*' --cells B5:F12 --anyway --json`,
	}, func(cmd *cobra.Command, paths []string) error { return a.runOverlay(cmd.Context(), t, paths) })
}

// gridding is one of the grids of a run, on its way.
type gridding struct {
	*month.Result[*month.Overlay]
	in    *month.Input
	forms *month.Forms // that were added up
	shown *view.Overlay

	format      show.Format
	packed      string
	output      *show.Output // nil where none is asked for
	listFormat  show.Format
	listPacked  string
	contributed *show.Output
}

func (a *app) runOverlay(ctx context.Context, typed *month.Overlay, paths []string) error {
	results, err := resultsOf(a, typed, month.NewOverlay)
	if err != nil {
		return err
	}
	all := make([]*gridding, len(results))
	defer func() {
		for _, g := range all {
			g.release()
		}
	}()
	for i, r := range results {
		all[i] = &gridding{Result: r}
	}
	for _, g := range all {
		err := a.openForms(ctx, g, paths)
		if err == nil {
			err = g.Task.Choose(g.in, a.plan)
		}
		if err == nil {
			err = a.createOverlay(g, g.in)
		}
		if err != nil {
			return g.Err(err)
		}
	}
	if err := a.needPlaces(len(all), typed.JSON, func(i int) bool { return all[i].output != nil }); err != nil {
		return err
	}
	shown := new(view.Overlays)
	var lists [][]finding.Finding
	for _, g := range all {
		if err := a.addUp(ctx, g); err != nil {
			return g.Err(err)
		}
		shown.All = append(shown.All, g.shown)
		lists = append(lists, g.in.Arrived, g.forms.Done.Findings)
	}
	shown.Findings = a.together(all[0].in, nil, lists...)
	if err := a.giveOverlays(ctx, typed, all, shown); err != nil {
		return err
	}
	return stopped(nil, shown.Findings)
}

// openForms finds the forms of a grid.
func (a *app) openForms(ctx context.Context, g *gridding, paths []string) (err error) {
	if _, err := g.Task.Request.Read(); err != nil {
		return err
	}
	g.in, err = g.Task.OpenForms(ctx, paths, machine())
	if g.in != nil {
		g.in.Seen = seenFile(g.Task.Plan)
		a.reads(g.in)
	}
	return err
}

// createOverlay starts the files of a grid; in is what their names may speak of.
func (a *app) createOverlay(g *gridding, in *month.Input) (err error) {
	if err := g.Fill(in); err != nil {
		return err
	}
	t := g.Task
	if g.format, g.packed, err = formatOf("out", t.Out); err != nil {
		return err
	}
	if g.listFormat, g.listPacked, err = formatOf("contributions", t.Contributions); err != nil {
		return err
	}
	if t.Out != "" {
		if g.output, err = a.create(&t.Writing, t.Out); err != nil {
			return err
		}
	}
	if t.Contributions != "" {
		g.contributed, err = a.create(&t.Writing, t.Contributions)
	}
	return err
}

// addUp reads the forms of a grid and adds them up.
func (a *app) addUp(ctx context.Context, g *gridding) (err error) {
	stop := a.progress(g.in)
	defer stop()
	if g.forms, err = month.AddUp(ctx, g.Result, g.in); err != nil {
		return err
	}
	settled(g.in, g.in.Arrived)
	settled(g.in, g.forms.Done.Findings)
	g.shown = &view.Overlay{Result: g.forms.Done, Set: g.in.Set, Name: g.Name(), Out: g.Task.Out, Shield: g.Task.Shield,
		Formulas: g.Task.Formulas}
	return nil
}

// write writes the files of a grid.
func (g *gridding) write(ctx context.Context) error {
	if g.output != nil {
		alone := *g.shown
		alone.Out = ""
		if err := alone.Write(ctx, g.output, g.format, g.packed); err != nil {
			return err
		}
	}
	if g.contributed != nil {
		return g.shown.WriteContributions(g.contributed, g.listFormat, g.listPacked)
	}
	return nil
}

func (g *gridding) release() error {
	if g != nil && g.forms != nil {
		return g.forms.Close()
	}
	return nil
}

// giveOverlays writes the grids to their files, or prints them, unless there is something that stops them.
func (a *app) giveOverlays(ctx context.Context, typed *month.Overlay, all []*gridding, shown *view.Overlays) error {
	shown.Withheld = finding.Stops(shown.Findings) &&
		slices.ContainsFunc(all, func(g *gridding) bool { return !g.Task.Anyway })
	var ready []*show.Output
	if !shown.Withheld {
		for _, g := range all {
			if err := g.write(ctx); err != nil {
				return err
			}
			ready = append(ready, g.output, g.contributed)
		}
	}
	if err := a.outputs.Commit(ready...); err != nil {
		return err
	}
	if typed.JSON {
		return a.spooled(shown.Document)
	}
	report := a.beside()
	if shown.Withheld {
		fmt.Fprintln(a.stderr, "there is no result, because of \"stop\" findings; --anyway gives it all the same")
	}
	for i, g := range all {
		switch {
		case shown.Withheld:
		case g.output != nil:
			report = a.stdout
			fmt.Fprintf(a.stdout, "%s: %s, added up of %s\n", g.Task.Out, show.Count(g.filled(), "figure"),
				show.Count(len(g.forms.Done.Sources), "form"))
		case a.stdout.Terminal:
			view.PrintName(a.stdout, i, len(all), g.Name())
			g.shown.Print(a.stdout)
		default:
			if err := a.spooled(func(w io.Writer) error { return g.shown.WriteDelimited(w) }); err != nil {
				return err
			}
		}
	}
	shown.Report(report, all[0].in.Set)
	return nil
}

// filled is how many figures of the grid are not blank.
func (g *gridding) filled() (n int) {
	blocks := g.forms.Done.Blocks
	for b := range blocks {
		for i := range blocks[b].Figures {
			if blocks[b].Figures[i].From > 0 {
				n++
			}
		}
	}
	return n
}
