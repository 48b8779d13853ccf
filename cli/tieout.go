package cli

import (
	"context"
	"fmt"

	"lastblock/core/amount"
	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/tieout"
	"lastblock/show"

	"github.com/spf13/cobra"
)

type tieoutFlags struct {
	reading  reading
	writing  writing
	totals   []string
	declared string
	top      int
	bottom   int
}

func (a *app) tieout() *cobra.Command {
	f := new(tieoutFlags)
	cmd := &cobra.Command{
		Use:   "tieout [PATH…]",
		Short: "Do counts and totals agree with what was declared?",
		Long: `Counts the rows of each source and adds up columns, with running and grand
totals, and compares them with a control sheet. A column is called by its name,
or by its position as '#2'.

A control sheet has the column source (the file's name, with or without its
ending), or entity and period as --name tells them; a column rows; and a column
per total under the total's name. What is not there, or blank, is not compared.`,
		Example: `  lastblock tieout --plan lastblock-demo/lastblock.toml
  lastblock tieout lastblock-demo/journals --only 'dunmarrow*' --name '{entity}_{period}' --total debit,credit
  lastblock tieout --plan lastblock-demo/lastblock.toml --top 3 --bottom 3`,
		Args: needPaths,
		RunE: func(cmd *cobra.Command, paths []string) error { return a.runTieout(cmd, f, paths) },
	}
	flags := cmd.Flags()
	flags.StringSliceVar(&f.totals, "total", nil, "columns to add up")
	flags.StringVar(&f.declared, "declared", "", "the control sheet: what the branches declared")
	isFile(cmd, "declared")
	flags.IntVar(&f.top, "top", 0, "show only the N sources with the largest total")
	flags.IntVar(&f.bottom, "bottom", 0, "show only the N sources with the smallest total")
	f.writing.addSuspense(cmd)
	f.reading.addTo(cmd)
	f.reading.completeColumns(cmd, false, "total")
	return cmd
}

func (a *app) runTieout(cmd *cobra.Command, f *tieoutFlags, paths []string) error {
	ctx := cmd.Context()
	for _, flag := range []string{"top", "bottom"} {
		if n, _ := cmd.Flags().GetInt(flag); cmd.Flags().Changed(flag) && n < 1 {
			return fmt.Errorf("--%s %d: at least 1 is needed", flag, n)
		}
	}
	if err := noneTwice("total", f.totals); err != nil {
		return err
	}
	in, err := f.reading.openSources(ctx, paths)
	if err != nil {
		return err
	}
	options := tieout.Options{Totals: f.totals}
	if f.declared != "" {
		if options.Declared, err = source.ReadTable(ctx, f.declared, source.Reading{Memory: in.reading.Memory}, in.decimal); err != nil {
			return err
		}
		in.leaveOut(f.declared)
	}
	if err := checkEarly(ctx, in, f.totals); err != nil {
		return err
	}
	var kept *show.Output
	if options.Suspense, kept, err = a.openSuspense(in, &f.writing); err != nil {
		return err
	}
	stop := a.progress(&f.reading, in)
	result, err := tieout.Run(ctx, in.set, in.reading, options)
	stop()
	if err != nil {
		return err
	}
	if kept != nil {
		if err := a.outputs.Commit(kept); err != nil {
			return err
		}
	}
	if f.reading.json {
		err = show.Document(a.stdout, tieoutDocument(in.set, f, result))
	} else {
		a.printTieout(in.set, f, result)
	}
	if err == nil && finding.Stops(result.Findings) {
		return errStop
	}
	return err
}

// checkEarly finds a column that no source has before everything is read, as
// soon as the first source lacks it.
func checkEarly(ctx context.Context, in *input, columns []string) error {
	if len(columns) == 0 || in.set.Sources[0].Size < 0 || !in.set.IsText(0) {
		return nil // what comes from a pipe can be looked at only once, and a document costs more
	}
	first := source.Set{Sources: in.set.Sources[:1:1]}
	reading := in.reading
	reading.Partial = true
	if err := first.Look(ctx, reading); err != nil {
		return err
	}
	lacks := ""
	for _, column := range columns {
		if _, ok := first.Head(0).Layout.Find(column); !ok {
			lacks = column
		}
	}
	if lacks == "" {
		return nil
	}
	if err := in.set.Look(ctx, in.reading); err != nil {
		return err
	}
	for _, column := range columns {
		if _, err := tally.NewResolver(in.set).ResolveData(column); err != nil {
			return err
		}
	}
	return nil
}

func tieoutDocument(set *source.Set, f *tieoutFlags, r *tieout.Result) show.Object {
	rows := func(rows []tieout.Row) []show.Object {
		objects := []show.Object{}
		for _, row := range rows {
			o := sourceObject(set, row.Index)
			o.Add("rows", row.Rows)
			if row.Suspense > 0 {
				o.Add("suspense", row.Suspense)
			}
			if row.Dropped > 0 {
				o.Add("dropped", row.Dropped)
			}
			o.Add("totals", show.Amounts(f.totals, row.Totals))
			o.Add("running", show.Amounts(f.totals, row.Running))
			objects = append(objects, o)
		}
		return objects
	}
	doc := show.NewDocument("tieout")
	doc.Add("sources", rows(r.Sources))
	if f.top > 0 {
		doc.Add("top", rows(r.Largest(f.top)))
	}
	if f.bottom > 0 {
		doc.Add("bottom", rows(r.Smallest(f.bottom)))
	}
	doc.Add("rows", r.Rows)
	doc.Add("totals", show.Amounts(f.totals, r.Totals))
	doc.Add("passed_over", passedOver(set))
	doc.Add("findings", r.Findings)
	doc.Add("proof", show.ProofObject(&r.Proof))
	return doc
}

func (a *app) printTieout(set *source.Set, f *tieoutFlags, r *tieout.Result) {
	switch {
	case f.top == 0 && f.bottom == 0:
		a.printSources(set, f, r, r.Sources, true)
	default:
		if f.top > 0 {
			rows := r.Largest(f.top)
			fmt.Fprintf(a.stdout, "%s\n", a.stdout.Bold(fmt.Sprintf("the %d largest of %s", len(rows), show.Count(len(r.Sources), "source"))))
			a.printSources(set, f, r, rows, false)
		}
		if f.bottom > 0 {
			if f.top > 0 {
				fmt.Fprintln(a.stdout)
			}
			rows := r.Smallest(f.bottom)
			fmt.Fprintf(a.stdout, "%s\n", a.stdout.Bold(fmt.Sprintf("the %d smallest of %s", len(rows), show.Count(len(r.Sources), "source"))))
			a.printSources(set, f, r, rows, false)
		}
	}
	a.printPassedOver(set)
	show.Findings(a.stdout, r.Findings)
	show.Proof(a.stdout, &r.Proof)
}

// printSources prints rows and totals per source, with the running total of
// the first column where the sources stand in their order.
func (a *app) printSources(set *source.Set, f *tieoutFlags, r *tieout.Result, rows []tieout.Row, running bool) {
	running = running && len(f.totals) > 0
	t := show.Table{Columns: []show.Column{{Name: "source", Key: true}, {Name: "rows", Right: true}}}
	suspense := r.Proof.Suspense > 0
	if suspense {
		t.Columns = append(t.Columns, show.Column{Name: "suspense", Right: true})
	}
	for _, column := range f.totals {
		t.Columns = append(t.Columns, show.Column{Name: column, Right: true})
	}
	if running {
		t.Columns = append(t.Columns, show.Column{Name: "running " + f.totals[0], Right: true})
	}
	add := func(name string, rows, aside int, totals, run []amount.Amount) []string {
		cells := []string{name, show.Number(rows)}
		switch {
		case suspense && aside > 0:
			cells = append(cells, show.Number(aside))
		case suspense:
			cells = append(cells, "")
		}
		for _, total := range totals {
			cells = append(cells, total.Money())
		}
		if running {
			last := ""
			if run != nil {
				last = run[0].Money()
			}
			cells = append(cells, last)
		}
		return cells
	}
	for _, row := range rows {
		t.Add(add(set.Sources[row.Index].Name, row.Rows, row.Suspense, row.Totals, row.Running)...)
	}
	t.AddStrong(add("total of "+show.Count(len(r.Sources), "source"), r.Rows, r.Proof.Suspense, r.Totals, nil)...)
	t.Print(a.stdout)
}
