package cli

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"

	"lastblock/core/capability/split"
	"lastblock/core/finding"
	"lastblock/core/month"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

// controlName is what the control sheet of parts is called.
const controlName = "control.csv"

func (a *app) split() *cobra.Command {
	t := month.NewSplit()
	cmd := a.forTask(t, &cobra.Command{
		Use:   "split FILE",
		Short: "Parts of a file, with a control sheet",
		Long: `Cuts a file into parts, each with the header: of so many rows, into so many
parts, or one for each value of a column. Beside them it writes control.csv with
the rows and totals of each part, which tieout --declared reads. Records of
delimited text stay as they were sent, all else is written as CSV. A record that
cannot be used is in its part, and in no total.`,
		Example: `  lastblock split lastblock-demo/journals/corvane_2031-01.csv --rows 5 --out-dir lastblock-demo/results/parts --replace
  lastblock tieout lastblock-demo/results/parts --declared lastblock-demo/results/parts/control.csv
  lastblock prove lastblock-demo/results/parts --skip control.csv --equals lastblock-demo/journals/corvane_2031-01.csv
  lastblock split lastblock-demo/journals/dunmarrow_2031-01.txt --by account --out-dir lastblock-demo/results/by-account --replace`,
	}, func(cmd *cobra.Command, paths []string) error { return a.runSplit(cmd.Context(), t, paths) })
	cmd.Args = cobra.ExactArgs(1)
	return cmd
}

// cut is one of the cuts of a run, on its way.
type cut struct {
	*month.Result[*month.Split]
	options split.Options
	part    *month.Part
	job     *split.Job
	made    *partFiles
	sheet   *show.Output
	shown   *view.Parts
}

func (a *app) runSplit(ctx context.Context, typed *month.Split, paths []string) error {
	results, err := resultsOf(a, typed, month.NewSplit)
	if err != nil {
		return err
	}
	cuts := make([]*cut, len(results))
	for i, r := range results {
		cuts[i] = &cut{Result: r}
		if cuts[i].options, err = r.Task.Ask(); err != nil {
			return r.Err(err)
		}
	}
	in, err := a.open(ctx, results[0].Task, paths)
	if err != nil {
		return err
	}
	if n := len(in.Set.Sources); n > 1 {
		return fmt.Errorf("%s: one file is cut at a time, and this is %s", paths[0], show.Count(n, "source"))
	}
	for _, c := range cuts {
		if err := c.Fill(in); err != nil {
			return err
		}
		t := c.Task
		c.shown = &view.Parts{Set: in.Set, Folder: t.OutDir, Control: filepath.Join(t.OutDir, controlName)}
		if c.sheet, err = a.create(&t.Writing, c.shown.Control); err != nil {
			return c.Err(err)
		}
		c.made = &partFiles{app: a, task: t, set: in.Set, taken: make(map[string]bool)}
	}
	stop := a.progress(in)
	err = cutAll(ctx, in, cuts)
	stop()
	if err != nil {
		return err
	}
	var lists [][]finding.Finding
	var sheets []*show.Output
	for _, c := range cuts {
		lists, sheets = append(lists, settled(&c.part.Input, c.shown.Findings)), append(sheets, c.sheet)
		if c.shown.Names, err = c.made.place(c.shown.Result); err != nil {
			return err
		}
		if err := c.shown.WriteControl(c.sheet); err != nil {
			return err
		}
	}
	a.together(in, nil, lists...)
	if err := a.outputs.Commit(sheets...); err != nil {
		return err
	}
	return stopped(a.showCuts(typed.JSON, cuts), lists...)
}

// cutAll cuts the source in each way that is asked for, in one reading.
func cutAll(ctx context.Context, in *month.Input, cuts []*cut) error {
	run := &month.Run{Input: in}
	asked := make([]month.Asked, len(cuts))
	for i, c := range cuts {
		asked[i] = c
	}
	parts, err := month.Together(ctx, run, asked)
	if err != nil {
		return err
	}
	for i, c := range cuts {
		c.part = parts[i]
		if c.job, err = split.Prepare(ctx, c.part.Set, c.part.Reading, c.options, c.made); err != nil {
			return c.Err(err)
		}
		c.part.Join(c.job)
	}
	if err := run.Read(ctx); err != nil {
		for _, c := range cuts {
			err = errors.Join(err, c.job.Close())
		}
		return err
	}
	for _, c := range cuts {
		if c.shown.Result, err = c.job.Finish(); err != nil {
			return err
		}
	}
	return nil
}

// showCuts prints what was cut.
func (a *app) showCuts(json bool, cuts []*cut) (err error) {
	var named []view.Named
	for i, c := range cuts {
		c.shown.Others = c.made.others(c.shown.Names)
		if json {
			named = append(named, view.Named{Name: c.Name(), Members: c.shown.Members()})
			continue
		}
		view.PrintName(a.stdout, i, len(cuts), c.Name())
		c.shown.Print(a.stdout)
	}
	if json {
		return view.SeveralDocument(a.stdout, "split", named)
	}
	return nil
}
