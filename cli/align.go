package cli

import (
	"context"
	"fmt"
	"io"

	"lastblock/core/capability/align"
	"lastblock/core/finding"
	"lastblock/core/month"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

func (a *app) align() *cobra.Command {
	t := month.NewAlign()
	return a.forTask(t, &cobra.Command{
		Use:   "align [PATH…]",
		Short: "What do several files say of one key, side by side?",
		Long: `Puts sources side by side: one row for each key, with all columns of all sources,
and present_in, which says how many of them have the key. A column that several
sources have is called by its name and that of the source. Where a source does not
have the key its columns are empty, as distinct from blank: "" in
delimited text, null in JSON, an empty cell in a workbook.

A key that stands twice in one source is ambiguous: a "stop" finding.`,
		Example: `  lastblock align --plan lastblock-demo/balances/lastblock.toml --key pass_no --drop counterparty,currency --sorted
  lastblock align --plan lastblock-demo/balances/lastblock.toml --key pass_no --only-missing --out lastblock-demo/results/missing.xlsx --replace`,
	}, func(cmd *cobra.Command, paths []string) error { return a.runAlign(cmd.Context(), t, paths) })
}

func (a *app) runAlign(ctx context.Context, t *month.Align, paths []string) error {
	options, err := t.Request.Read()
	if err != nil {
		return err
	}
	in, err := a.open(ctx, t, paths)
	if err != nil {
		return err
	}
	format := &show.RecordFormat{Shield: t.Shield, Absent: true}
	if format.Format, format.Packed, err = formatOf("out", t.Out); err != nil {
		return err
	}
	if t.Out == "" && t.JSON {
		format.Format = show.JSON
	}
	if options.Drop, err = in.Left(); err != nil {
		return err
	}
	options.Kinds = format.Format.IsTyped()
	output, spool, err := a.openResult(&t.Writing)
	if err != nil {
		return err
	}
	stop := a.progress(in)
	result, err := alignAs(ctx, in, options, format)
	stop()
	if err != nil {
		return err
	}
	defer result.Close()
	a.settle(in, t.Name(), result.Findings)
	withheld := finding.Stops(result.Findings) && !t.Anyway
	if !withheld {
		if err := format.Write(output, func(w io.Writer) error { return result.Write(ctx, w) }); err != nil {
			return err
		}
		if spool == nil {
			if err := a.outputs.Commit(output); err != nil {
				return err
			}
		}
	}
	return stopped(a.showAligned(t, in, result, spool, withheld), result.Findings)
}

// alignAs reads the sources and puts them side by side, as they are written in a format.
func alignAs(ctx context.Context, in *month.Input, options align.Options,
	format *show.RecordFormat) (*align.Result, error) {
	sources, err := align.Read(ctx, in.Set, in.Reading, options)
	if err != nil {
		return nil, err
	}
	for _, c := range sources.Columns() {
		format.Columns = append(format.Columns, show.Cells{Name: c.Name, Kind: c.Kind, Scale: c.Scale, Blank: true})
	}
	return sources.Align(ctx, format.Encoder())
}

// showAligned prints the result, or where it was written says so.
func (a *app) showAligned(t *month.Align, in *month.Input, result *align.Result, spool *show.Output,
	withheld bool) error {
	shown := &view.Alignment{Result: result, Set: in.Set, Out: t.Out}
	if withheld {
		shown.Out = ""
	}
	if t.JSON {
		if withheld {
			spool = nil
		}
		return a.printWithRecords(shown.Document(), spool)
	}
	report := a.stdout
	if spool != nil && !withheld {
		if err := a.printRecords(spool, false); err != nil {
			return err
		}
		report = a.beside()
	}
	switch {
	case withheld:
		fmt.Fprintln(report, notWritten)
	case spool == nil:
		fmt.Fprintf(report, "%s: %s of %s, %s\n", t.Out, show.Count(result.Keys, "key"),
			show.Count(len(in.Set.Sources), "source"), show.Count(len(result.Columns), "column"))
	}
	shown.PrintPresent(report)
	show.Findings(report, result.Findings)
	show.Proof(report, &result.Proof)
	return nil
}
