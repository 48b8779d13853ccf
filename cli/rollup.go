package cli

import (
	"fmt"
	"io"

	"lastblock/core/capability/rollup"
	"lastblock/core/finding"
	"lastblock/show"

	"github.com/spf13/cobra"
)

type rollupFlags struct {
	reading   reading
	writing   writing
	by        []string
	sum       []string
	across    string
	subtotals bool
	share     bool
	top       int
	sort      string
}

func (a *app) rollup() *cobra.Command {
	f := new(rollupFlags)
	cmd := &cobra.Command{
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
		Args: needPaths,
		RunE: func(cmd *cobra.Command, paths []string) error { return a.runRollup(cmd, f, paths) },
	}
	flags := cmd.Flags()
	flags.StringSliceVar(&f.by, "by", nil, "columns to group by")
	flags.StringSliceVar(&f.sum, "sum", nil, "amount columns to sum")
	flags.StringVar(&f.across, "across", "", "a column whose values are spread across")
	flags.BoolVar(&f.subtotals, "subtotals", false, "subtotals, where there are several group columns")
	flags.BoolVar(&f.share, "share", false, "each sum's share of the grand total, in percent")
	flags.IntVar(&f.top, "top", 0, "the N groups with the largest first sum, and the rest in one row")
	flags.StringVar(&f.sort, "sort", "", "a column to sort by, sums largest first; :up and :down behind it say otherwise")
	f.writing.addOut(cmd)
	f.writing.addSuspense(cmd)
	f.reading.addTo(a, cmd)
	f.reading.completeColumns(cmd, false, "sum")
	f.reading.completeColumns(cmd, true, "by", "across", "sort")
	return cmd
}

// check refuses flags that do not go together.
func (f *rollupFlags) check(cmd *cobra.Command) error {
	if err := noneTwice("by", f.by); err != nil {
		return err
	}
	if err := noneTwice("sum", f.sum); err != nil {
		return err
	}
	switch {
	case len(f.by) == 0:
		return fmt.Errorf("--by is needed: the columns to group by\nfor example:\n%s", cmd.Example)
	case len(f.sum) == 0:
		return fmt.Errorf("--sum is needed: the columns to sum\nfor example:\n%s", cmd.Example)
	case cmd.Flags().Changed("top") && f.top < 1:
		return fmt.Errorf("--top %d: at least 1 is needed", f.top)
	case f.top > 0 && f.subtotals:
		return fmt.Errorf("--top and --subtotals do not go together: the largest groups do not stand by their first column")
	case f.sort != "" && f.subtotals:
		return fmt.Errorf("--sort and --subtotals do not go together: subtotals need the groups by their first column")
	case f.subtotals && len(f.by) < 2:
		return fmt.Errorf("--subtotals needs several columns in --by")
	}
	return nil
}

func (a *app) runRollup(cmd *cobra.Command, f *rollupFlags, paths []string) error {
	ctx := cmd.Context()
	if err := f.check(cmd); err != nil {
		return err
	}
	in, err := f.reading.openSources(ctx, paths)
	if err != nil {
		return err
	}
	var output *show.Output
	format, packed := show.CSV, ""
	if f.writing.out != "" {
		if format, packed, err = show.FormatOf("out", f.writing.out); err != nil {
			return err
		}
		if output, err = a.create(in, &f.writing, f.writing.out); err != nil {
			return err
		}
	}
	options := rollup.Options{By: f.by, Sum: f.sum, Across: f.across, Twins: true}
	if options.Drop, err = in.left(); err != nil {
		return err
	}
	var kept *show.Output
	if options.Suspense, kept, err = a.openSuspense(in, &f.writing); err != nil {
		return err
	}
	stop := a.progress(&f.reading, in)
	result, err := rollup.Run(ctx, in.set, in.reading, options)
	stop()
	if err != nil {
		return err
	}
	defer result.Close()
	in.settle(result.Findings)
	s, err := newSummary(f, in.set, result)
	if err != nil {
		return err
	}
	if finding.Stops(result.Findings) && !f.writing.anyway {
		if err := result.Each(func(rollup.Row) error { return nil }); err != nil { // for the proof
			return err
		}
		if err := a.outputs.Commit(kept); err != nil {
			return err
		}
		if err := a.printNoSummary(s); err != nil {
			return err
		}
		return errStop
	}
	if output != nil {
		err = a.writeSummary(s, kept, output, format, packed)
	} else if err = a.outputs.Commit(kept); err == nil {
		err = a.printSummary(s)
	}
	if err == nil && finding.Stops(result.Findings) {
		return errStop
	}
	return err
}

// printNoSummary says why there is no result.
func (a *app) printNoSummary(s *summary) error {
	if s.flags.reading.json {
		return s.writeJSON(a.stdout, false)
	}
	fmt.Fprintln(a.stderr, "there is no result, because of \"stop\" findings; --anyway gives it all the same")
	report := a.stderr
	if a.stdout.Terminal {
		report = a.stdout
	}
	a.reportSummary(report, s)
	return nil
}

// writeSummary writes the summary to the file of --out and says so.
func (a *app) writeSummary(s *summary, kept, output *show.Output, format show.Format, packed string) error {
	if err := s.write(output, format, packed); err != nil {
		return err
	}
	if err := a.outputs.Commit(kept, output); err != nil {
		return err
	}
	if s.flags.reading.json {
		return s.writeJSON(a.stdout, true)
	}
	fmt.Fprintf(a.stdout, "%s: %s of %s\n", s.flags.writing.out, show.Count(s.result.Count, "group"), show.Count(s.result.Total.Records, "record"))
	a.reportSummary(a.stdout, s)
	return nil
}

// printSummary prints the summary: a table on a terminal, and CSV in a pipe,
// where all else goes to standard error. What is not a table waits in a spool
// for its proof.
func (a *app) printSummary(s *summary) error {
	if a.stdout.Terminal && !s.flags.reading.json {
		if err := s.printTable(a.stdout); err != nil {
			return err
		}
		a.reportSummary(a.stdout, s)
		return nil
	}
	format := show.CSV
	if s.flags.reading.json {
		format = show.JSON
	}
	spool, err := a.outputs.Spool()
	if err != nil {
		return err
	}
	if err := s.write(spool, format, ""); err != nil {
		return err
	}
	reader, err := spool.Reader()
	if err != nil {
		return err
	}
	if _, err := io.Copy(a.stdout, reader); err != nil {
		return err
	}
	if format != show.JSON {
		a.reportSummary(a.stderr, s)
	}
	return nil
}

func (a *app) reportSummary(report *show.Screen, s *summary) {
	show.Findings(report, s.result.Findings)
	show.Proof(report, &s.result.Proof)
}
