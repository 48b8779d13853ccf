package cli

import (
	"context"
	"fmt"
	"io"

	"lastblock/core/capability/rollup"
	"lastblock/core/finding"
	"lastblock/core/month"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

func (a *app) rollup() *cobra.Command {
	t := month.NewRollup()
	return a.forTask(t, &cobra.Command{
		Use:   "rollup PATH… --by COLUMNS --sum COLUMNS",
		Short: "What do the records come to, by group?",
		Long: `One row per group of records that agree in the columns of --by: their number
and the exact sums of the columns of --sum. Group columns are those of the
data, the words of --name, and source. --across spreads the sums over the
values of one more column.`,
		Example: `  lastblock rollup --plan lastblock-demo/lastblock.toml
  lastblock rollup --plan lastblock-demo/lastblock.toml --by entity,account --sum debit,credit --across '' --subtotals
  lastblock rollup --plan lastblock-demo/lastblock.toml --by account --across '' --share --top 3
  lastblock rollup lastblock-demo/journals/dunmarrow_2031-01.txt --by account --sum debit`,
	}, func(cmd *cobra.Command, paths []string) error { return a.runRollup(cmd.Context(), t, paths) })
}

func (a *app) runRollup(ctx context.Context, t *month.Rollup, paths []string) error {
	options, form, err := t.Request.Read()
	if err != nil {
		return err
	}
	in, err := a.open(ctx, t, paths)
	if err != nil {
		return err
	}
	format, packed, err := formatOf("out", t.Out)
	if err != nil {
		return err
	}
	var output, kept *show.Output
	if t.Out != "" {
		if output, err = a.create(&t.Writing, t.Out); err != nil {
			return err
		}
	}
	if options.Drop, err = in.Left(); err != nil {
		return err
	}
	if options.Suspense, kept, err = a.openSuspense(&t.Writing); err != nil {
		return err
	}
	options.Twins = true
	stop := a.progress(in)
	result, err := rollup.Run(ctx, in.Set, in.Reading, options)
	stop()
	if err != nil {
		return err
	}
	defer result.Close()
	a.settle(in, t.Name(), result.Findings)
	formed, err := result.In(form, t.Sum)
	if err != nil {
		return err
	}
	s := &view.Rollup{Formed: formed, Set: in.Set, Shield: t.Shield}
	switch {
	case finding.Stops(result.Findings) && !t.Anyway:
		err = a.withholdSummary(t, s, kept)
	case output != nil:
		err = a.writeSummary(t, s, kept, output, format, packed)
	default:
		if err = a.outputs.Commit(kept); err == nil {
			err = a.printSummary(t, s)
		}
	}
	return stopped(err, result.Findings)
}

// withholdSummary says why there is no result, once the proof holds.
func (a *app) withholdSummary(t *month.Rollup, s *view.Rollup, kept *show.Output) error {
	if err := s.Each(func(rollup.Row) error { return nil }); err != nil { // for the proof
		return err
	}
	if err := a.outputs.Commit(kept); err != nil {
		return err
	}
	if t.JSON {
		return s.Document(a.stdout, false)
	}
	fmt.Fprintln(a.stderr, "there is no result, because of \"stop\" findings; --anyway gives it all the same")
	reportSummary(a.beside(), s)
	return nil
}

// writeSummary writes the summary to its file and says so.
func (a *app) writeSummary(t *month.Rollup, s *view.Rollup, kept, output *show.Output, format show.Format,
	packed string) error {
	if err := s.Write(output, format, packed); err != nil {
		return err
	}
	if err := a.outputs.Commit(kept, output); err != nil {
		return err
	}
	if t.JSON {
		return s.Document(a.stdout, true)
	}
	fmt.Fprintf(a.stdout, "%s: %s of %s\n", t.Out, show.Count(s.Count, "group"),
		show.Count(s.Formed.Result.Total.Records, "record"))
	reportSummary(a.stdout, s)
	return nil
}

// printSummary prints the summary: a table on a terminal, and CSV in a pipe, where all else goes
// to standard error. What is not a table waits in a spool for its proof.
func (a *app) printSummary(t *month.Rollup, s *view.Rollup) error {
	if a.stdout.Terminal && !t.JSON {
		if err := s.Print(a.stdout); err != nil {
			return err
		}
		reportSummary(a.stdout, s)
		return nil
	}
	format := show.CSV
	if t.JSON {
		format = show.JSON
	}
	spool, err := a.outputs.Spool()
	if err != nil {
		return err
	}
	if err := s.Write(spool, format, ""); err != nil {
		return err
	}
	reader, err := spool.Reader()
	if err != nil {
		return err
	}
	if _, err := io.Copy(a.stdout, reader); err != nil {
		return err
	}
	if !t.JSON {
		reportSummary(a.stderr, s)
	}
	return nil
}

func reportSummary(report *show.Screen, s *view.Rollup) {
	show.Findings(report, s.Findings)
	show.Proof(report, &s.Proof)
}
