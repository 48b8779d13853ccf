package cli

import (
	"context"
	"fmt"
	"path/filepath"

	"lastblock/core/capability/split"
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

func (a *app) runSplit(ctx context.Context, t *month.Split, paths []string) error {
	options, err := t.Ask()
	if err != nil {
		return err
	}
	in, err := a.open(ctx, t, paths)
	if err != nil {
		return err
	}
	if n := len(in.Set.Sources); n > 1 {
		return fmt.Errorf("%s: one file is cut at a time, and this is %s", paths[0], show.Count(n, "source"))
	}
	shown := &view.Parts{Set: in.Set, Folder: t.OutDir, Control: filepath.Join(t.OutDir, controlName)}
	sheet, err := a.create(&t.Writing, shown.Control)
	if err != nil {
		return err
	}
	made := &partFiles{app: a, task: t, set: in.Set, taken: make(map[string]bool)}
	stop := a.progress(in)
	shown.Result, err = split.Run(ctx, in.Set, in.Reading, options, made)
	stop()
	if err != nil {
		return err
	}
	a.settle(in, t.Name(), shown.Findings)
	if shown.Names, err = made.place(shown.Result); err != nil {
		return err
	}
	if err := shown.WriteControl(sheet); err != nil {
		return err
	}
	if err := a.outputs.Commit(sheet); err != nil {
		return err
	}
	if shown.Others, err = made.others(shown.Names); err != nil {
		return err
	}
	if t.JSON {
		err = show.Document(a.stdout, shown.Document())
	} else {
		shown.Print(a.stdout)
	}
	return stopped(err, shown.Findings)
}
