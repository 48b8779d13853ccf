package cli

import (
	"context"
	"slices"

	"lastblock/core/capability/prove"
	"lastblock/core/month"
	"lastblock/core/source"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

func (a *app) prove() *cobra.Command {
	t := month.NewProve()
	return a.forTask(t, &cobra.Command{
		Use:   "prove [A…] --equals B…",
		Short: "Are these the same records?",
		Long: `Decides whether two sets hold the same records, each as often as in the other.
Columns are matched by name; the order of records and columns, the borders of
files and their format do not matter. Values are compared by what they mean:
1,234.50 and 1234.5 are equal, and so are 2031-01-31 and 31 Jan 2031, but 0100
and 100 are not, as digits with a leading zero are a code. With --exact the
texts are compared.

Exit code 0: they are the same. 1: they are not.`,
		Example: `  lastblock collate --plan lastblock-demo/lastblock.toml --bare --out lastblock-demo/results/bare.csv --replace --anyway
  lastblock prove --plan lastblock-demo/lastblock.toml --equals lastblock-demo/results/bare.csv
  lastblock prove lastblock-demo/journals/dunmarrow_2031-01.txt --equals lastblock-demo/journals/dunmarrow_2031-02.txt`,
	}, func(cmd *cobra.Command, paths []string) error { return a.runProve(cmd.Context(), t, paths) })
}

func (a *app) runProve(ctx context.Context, t *month.Prove, paths []string) error {
	options, err := t.Ask()
	if err != nil {
		return err
	}
	left, err := a.open(ctx, t, paths)
	if err != nil {
		return err
	}
	right, err := a.open(ctx, t, t.Equals)
	if err != nil {
		return err
	}
	right.Reading.Progress = left.Reading.Progress
	right.Set.ForgetNames() // what names tell is no part of the records
	stop := a.progress(left, right)
	r, err := prove.Run(ctx, left.Set, right.Set, left.Reading, options)
	stop()
	if err != nil {
		return err
	}
	a.settle(left, t.Name(), r.Left.Findings)
	a.settle(right, t.Name(), r.Right.Findings)
	shown := view.Proved{Result: r, Of: [2]*source.Set{left.Set, right.Set}}
	if t.JSON {
		err = show.Document(a.stdout, shown.Document())
	} else {
		shown.Print(a.stdout)
	}
	if err == nil && !r.Equal {
		return errStop
	}
	return stopped(err, r.Left.Findings, r.Right.Findings)
}

// spread are flags whose values are paths, as many as stand behind them.
var spread = []string{show.Flag("equals"), show.Flag("against")}

// spreadPaths makes all words behind such a flag, up to the next flag, values of it, as
// a shell leaves them there for a pattern.
func spreadPaths(args []string) []string {
	var all []string
	within := ""
	for i, arg := range args {
		isFlag := len(arg) > 1 && arg[0] == '-'
		if within != "" && !isFlag && i > 0 && args[i-1] != within {
			all = append(all, within)
		}
		all = append(all, arg)
		if isFlag {
			within = ""
			if slices.Contains(spread, arg) {
				within = arg
			}
		}
	}
	return all
}
