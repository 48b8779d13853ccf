package cli

import (
	"context"
	"errors"
	"fmt"
	"io"

	"lastblock/core/capability/align"
	"lastblock/core/finding"
	"lastblock/core/value/equality"
	"lastblock/show"

	"github.com/spf13/cobra"
)

type alignFlags struct {
	collateFlags
	key     []string
	loose   []string
	sorted  bool
	common  bool
	missing bool
}

func (a *app) align() *cobra.Command {
	f := new(alignFlags)
	cmd := &cobra.Command{
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
		Args: needPaths,
		RunE: func(cmd *cobra.Command, paths []string) error { return a.runAlign(cmd.Context(), f, paths) },
	}
	flags := cmd.Flags()
	flags.StringSliceVar(&f.key, "key", nil, "the columns by which records are put side by side")
	flags.StringSliceVar(&f.loose, "loose", nil, "what makes no difference in a key: blanks, case, zeros (in front), punctuation")
	flags.BoolVar(&f.sorted, "sorted", false, "keys in their natural order (as they come)")
	flags.BoolVar(&f.common, "only-common", false, "only keys that all sources have")
	flags.BoolVar(&f.missing, "only-missing", false, "only keys that some source lacks")
	flags.StringSliceVar(&f.totals, "total", nil, "amount columns to prove as well; a record without a proper amount there goes into suspense")
	f.writing.addOut(cmd)
	flags.BoolVar(&f.writing.replace, "replace", false, "overwrite existing files")
	f.reading.addTo(a, cmd)
	f.reading.completeColumns(cmd, false, "key", "total")
	return cmd
}

// options are what the flags say.
func (f *alignFlags) options() (o align.Options, err error) {
	for flag, columns := range map[string][]string{"key": f.key, "total": f.totals} {
		if err := noneTwice(flag, columns); err != nil {
			return o, err
		}
	}
	o = align.Options{Key: f.key, Totals: f.totals, Sorted: f.sorted}
	switch {
	case len(f.key) == 0:
		return o, align.ErrNoKey
	case f.common && f.missing:
		return o, errors.New("--only-common and --only-missing do not go together: nothing would be left")
	case f.common:
		o.Only = align.Common
	case f.missing:
		o.Only = align.Missing
	}
	if o.Loose, err = equality.ParseLoose(f.loose); err != nil {
		return o, fmt.Errorf("--loose %w", err)
	}
	return o, nil
}

// aligned is an alignment that was made.
type aligned struct {
	*align.Result
	in      *input
	format  *recordFormat
	stopped bool
}

func (a *app) runAlign(ctx context.Context, f *alignFlags, paths []string) error {
	options, err := f.options()
	if err != nil {
		return err
	}
	r := &aligned{format: &recordFormat{format: show.CSV, shield: f.writing.shield, absent: true}}
	if r.in, err = f.reading.openSources(ctx, paths); err != nil {
		return err
	}
	if f.writing.out != "" {
		if r.format.format, r.format.packed, err = show.FormatOf("out", f.writing.out); err != nil {
			return err
		}
	} else if f.reading.json {
		r.format.format = show.JSON
	}
	if options.Drop, err = r.in.left(); err != nil {
		return err
	}
	options.Kinds = r.format.format.IsTyped()
	output, spool, err := a.openResult(r.in, &f.collateFlags)
	if err != nil {
		return err
	}
	stop := a.progress(&f.reading, r.in)
	err = r.align(ctx, options)
	stop()
	if err != nil {
		return err
	}
	defer r.Close()
	r.in.settle(r.Findings)
	r.stopped = finding.Stops(r.Findings) && !f.writing.anyway
	if !r.stopped {
		if err := r.format.write(output, func(w io.Writer) error { return r.Write(ctx, w) }); err != nil {
			return err
		}
		if spool == nil {
			if err := a.outputs.Commit(output); err != nil {
				return err
			}
		}
	}
	if err := a.finishAlign(r, f, spool); err != nil {
		return err
	}
	if finding.Stops(r.Findings) {
		return errStop
	}
	return nil
}

// align reads the sources and puts them side by side.
func (r *aligned) align(ctx context.Context, options align.Options) error {
	sources, err := align.Read(ctx, r.in.set, r.in.reading, options)
	if err != nil {
		return err
	}
	for _, c := range sources.Columns() {
		r.format.columns = append(r.format.columns, show.Cells{Name: c.Name, Kind: c.Kind, Scale: c.Scale, Blank: true})
	}
	r.Result, err = sources.Align(ctx, r.format.encoder())
	return err
}

// finishAlign prints the result, or where it was written says so.
func (a *app) finishAlign(r *aligned, f *alignFlags, spool *show.Output) error {
	if f.reading.json {
		return a.printAlignDocument(r, f, spool)
	}
	report := a.stdout
	if spool != nil && !r.stopped {
		f.bare = true // the last columns are like the others
		if err := a.printRecords(&f.collateFlags, spool); err != nil {
			return err
		}
		report = a.stderrUnlessTerminal()
	}
	switch {
	case r.stopped:
		fmt.Fprintln(report, "the result was not written, because of \"stop\" findings; --anyway writes it all the same")
	case spool == nil:
		fmt.Fprintf(report, "%s: %s of %s, %s\n", f.writing.out, show.Count(r.Keys, "key"), show.Count(len(r.in.set.Sources), "source"), show.Count(len(r.Columns), "column"))
	}
	a.printPresent(report, r)
	show.Findings(report, r.Findings)
	show.Proof(report, &r.Proof)
	return nil
}

// stderrUnlessTerminal is where remarks beside records go.
func (a *app) stderrUnlessTerminal() *show.Screen {
	if a.stdout.Terminal {
		return a.stdout
	}
	return a.stderr
}

// printPresent says how many keys stand in how many sources.
func (a *app) printPresent(s *show.Screen, r *aligned) {
	const most = 10
	all := len(r.in.set.Sources)
	t := show.Table{Columns: []show.Column{{Name: "in sources", Right: true, Key: true}, {Name: "keys", Right: true}}}
	if len(r.Present) > 0 && r.Present[0].Sources == all {
		t.Columns = append(t.Columns, show.Column{Name: ""})
	}
	others := 0
	for i, p := range r.Present {
		if i >= most {
			others += p.Keys
			continue
		}
		remark := ""
		if p.Sources == all {
			remark = "all have them"
		}
		t.Add([]string{show.Number(p.Sources), show.Number(p.Keys), remark}[:len(t.Columns)]...)
	}
	if others > 0 {
		t.Add([]string{"fewer", show.Number(others), ""}[:len(t.Columns)]...)
	}
	fmt.Fprintln(s)
	t.Print(s)
}

func (a *app) printAlignDocument(r *aligned, f *alignFlags, spool *show.Output) error {
	doc := show.NewDocument("align")
	sources := []show.Object{}
	for i := range r.in.set.Sources {
		sources = append(sources, sourceObject(r.in.set, i))
	}
	doc.Add("sources", sources)
	var columns []string
	for _, c := range r.Columns {
		columns = append(columns, c.Name)
	}
	doc.Add("columns", columns)
	doc.Add("keys", r.Keys)
	present := []show.Object{}
	for _, p := range r.Present {
		present = append(present, show.Object{{Name: "sources", Value: p.Sources}, {Name: "keys", Value: p.Keys}})
	}
	doc.Add("present", present)
	if f.writing.out != "" && !r.stopped {
		doc.Add("out", f.writing.out)
	}
	doc.Add("passed_over", passedOver(r.in.set))
	doc.Add("findings", r.Findings)
	doc.Add("proof", show.ProofObject(&r.Proof))
	return a.printWithRecords(doc, spool, r.stopped)
}
