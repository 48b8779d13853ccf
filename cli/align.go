package cli

import (
	"context"
	"errors"
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

// alignment is one of the alignments of a run, on its way.
type alignment struct {
	*month.Result[*month.Align]
	options  align.Options
	format   *show.RecordFormat
	part     *month.Part
	job      *align.Job
	done     *align.Result
	withheld bool

	output, spool *show.Output
}

func (a *app) runAlign(ctx context.Context, typed *month.Align, paths []string) error {
	results, err := resultsOf(a, typed, month.NewAlign)
	if err != nil {
		return err
	}
	all := make([]*alignment, len(results))
	for i, r := range results {
		all[i] = &alignment{Result: r}
		if all[i].options, err = r.Task.Request.Read(); err != nil {
			return r.Err(err)
		}
	}
	in, err := a.open(ctx, results[0].Task, paths)
	if err != nil {
		return err
	}
	for _, one := range all {
		if err := a.beginAlignment(in, one, typed.JSON); err != nil {
			return one.Err(err)
		}
	}
	if err := a.needPlaces(len(all), typed.JSON, func(i int) bool { return all[i].spool == nil }); err != nil {
		return err
	}
	defer func() {
		for _, one := range all {
			if one.done != nil {
				one.done.Close()
			}
		}
	}()
	stop := a.progress(in)
	err = alignAll(ctx, in, all)
	stop()
	if err != nil {
		return err
	}
	var ready []*show.Output
	var lists [][]finding.Finding
	for _, one := range all {
		lists = append(lists, settled(&one.part.Input, one.done.Findings))
		if one.withheld = finding.Stops(one.done.Findings) && !one.Task.Anyway; one.withheld {
			continue
		}
		if err := one.format.Write(one.output, func(w io.Writer) error { return one.done.Write(ctx, w) }); err != nil {
			return err
		}
		if one.spool == nil {
			ready = append(ready, one.output)
		}
	}
	if err := a.outputs.Commit(ready...); err != nil {
		return err
	}
	a.together(in, nil, lists...)
	return stopped(a.showAligned(typed.JSON, in, all), lists...)
}

// beginAlignment starts the file of an alignment.
func (a *app) beginAlignment(in *month.Input, one *alignment, json bool) (err error) {
	if err := one.Fill(in); err != nil {
		return err
	}
	t := one.Task
	one.format = &show.RecordFormat{Shield: t.Shield, Absent: true}
	if one.format.Format, one.format.Packed, err = formatOf("out", t.Out); err != nil {
		return err
	}
	if t.Out == "" && json {
		one.format.Format = show.JSON
	}
	one.options.Kinds = one.format.Format.IsTyped()
	one.output, one.spool, err = a.openResult(&t.Writing)
	return err
}

// alignAll reads the sources, once, and puts them side by side in each way that is asked for.
func alignAll(ctx context.Context, in *month.Input, all []*alignment) error {
	run := &month.Run{Input: in}
	asked := make([]month.Asked, len(all))
	for i, one := range all {
		asked[i] = one
	}
	parts, err := month.Together(ctx, run, asked)
	if err != nil {
		return err
	}
	for i, one := range all {
		one.part = parts[i]
		if err := one.prepare(ctx); err != nil {
			return one.Err(err)
		}
	}
	if err := run.Read(ctx); err != nil {
		for _, one := range all {
			err = errors.Join(err, one.job.Close())
		}
		return err
	}
	for _, one := range all {
		if err := one.align(ctx); err != nil {
			return err
		}
	}
	return nil
}

// prepare makes an alignment ready to be shown the records.
func (one *alignment) prepare(ctx context.Context) (err error) {
	if one.options.Drop, err = one.part.Left(); err != nil {
		return err
	}
	if one.job, err = align.Prepare(ctx, one.part.Set, one.part.Reading, one.options); err != nil {
		return err
	}
	one.part.Join(one.job)
	return nil
}

// align puts the sources side by side, when all was read.
func (one *alignment) align(ctx context.Context) error {
	sources, err := one.job.Finish()
	if err != nil {
		return err
	}
	for _, c := range sources.Columns() {
		one.format.Columns = append(one.format.Columns, show.Cells{Name: c.Name, Kind: c.Kind, Scale: c.Scale,
			Blank: true})
	}
	one.done, err = sources.Align(ctx, one.format.Encoder())
	return err
}

// showAligned prints the results, or where they were written says so.
func (a *app) showAligned(json bool, in *month.Input, all []*alignment) error {
	var named []view.Named
	for i, one := range all {
		shown := &view.Alignment{Result: one.done, Set: in.Set, Out: one.Task.Out}
		if one.withheld {
			shown.Out, one.spool = "", nil
		}
		if json {
			named = append(named, view.Named{Name: one.Name(), Members: shown.Members(),
				Records: func(d *show.DocumentWriter) error { return addRecords(d, one.spool) }})
			continue
		}
		if err := a.printAligned(i, len(all), one, shown); err != nil {
			return err
		}
	}
	if json {
		return view.SeveralDocument(a.stdout, "align", named)
	}
	return nil
}

func (a *app) printAligned(i, of int, one *alignment, shown *view.Alignment) error {
	view.PrintName(a.stdout, i, of, one.Name())
	report := a.stdout
	switch {
	case one.withheld:
		fmt.Fprintln(report, notWritten)
	case one.spool != nil:
		if err := a.printRecords(one.spool, false); err != nil {
			return err
		}
		report = a.beside()
	default:
		fmt.Fprintf(report, "%s: %s of %s, %s\n", one.Task.Out, show.Count(shown.Keys, "key"),
			show.Count(len(shown.Set.Sources), "source"), show.Count(len(shown.Columns), "column"))
	}
	shown.PrintPresent(report)
	show.Findings(report, shown.Findings)
	show.Proof(report, &shown.Proof)
	return nil
}
