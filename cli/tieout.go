package cli

import (
	"context"
	"fmt"

	"lastblock/core/capability/tieout"
	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/show"

	"github.com/spf13/cobra"
)

type tieoutFlags struct {
	reading  reading
	writing  writing
	declared declared
	checks   checks
	totals   []string
	hashes   []string
	distinct []string
	findings string
	top      int
	bottom   int
}

func (a *app) tieout() *cobra.Command { return a.tieoutWith(new(tieoutFlags)) }

// tieoutWith makes the command with its flags in f.
func (a *app) tieoutWith(f *tieoutFlags) *cobra.Command {
	cmd := &cobra.Command{
		Use:   "tieout [PATH…]",
		Short: "Do counts and totals agree with what was declared, and is everybody there?",
		Long: `Counts the rows of each source and adds up columns, with running and grand
totals, and compares them with what the branches declared: on a control sheet,
in a file beside each source, on a covering sheet, or on the last line. Says who
has not filed and who has twice, and which records do not hold what must hold.
A column is called by its name, or by its position as '#2'.

A control sheet has the column source (the file's name, with or without its
ending), or entity and period as --name tells them; a column rows; and a column
for each total under its name, for hash totals as hash_account, for numbers of
different values as distinct_document. What is not there, or blank, is not
compared; what is declared need not be named again.`,
		Example: `  lastblock tieout --plan lastblock-demo/lastblock.toml
  lastblock tieout lastblock-demo/journals --only 'dunmarrow*' --name '{entity}_{period}' --total debit,credit
  lastblock tieout --plan lastblock-demo/lastblock.toml --top 3 --bottom 3
  lastblock tieout lastblock-demo/journals --only 'dunmarrow*' --balance debit=credit --balance-by document --sequence document
  lastblock tieout --plan lastblock-demo/lastblock.toml --rule 'debit <= 5000 || counterparty != ""' --rule-name 'large and with nobody'`,
		Args: needPaths,
		RunE: func(cmd *cobra.Command, paths []string) error { return a.runTieout(cmd, f, paths) },
	}
	flags := cmd.Flags()
	flags.StringSliceVar(&f.totals, "total", nil, "columns to add up")
	flags.StringSliceVar(&f.hashes, "hash-total", nil, "columns of codes whose numbers are added up, blanks and letters left out")
	flags.StringSliceVar(&f.distinct, "distinct", nil, "columns whose different values are counted")
	f.declared.addTo(cmd)
	f.checks.addTo(cmd)
	flags.StringVar(&f.findings, "findings", "", "write every finding to a file, in the format of its ending as with --out of collate")
	isFile(cmd, "findings")
	flags.IntVar(&f.top, "top", 0, "show only the N sources with the largest total")
	flags.IntVar(&f.bottom, "bottom", 0, "show only the N sources with the smallest total")
	f.writing.addSuspense(cmd)
	f.reading.addTo(a, cmd)
	f.reading.completeColumns(cmd, false, "total", "hash-total", "distinct", "balance-by", "sequence", "inside-period", "required")
	return cmd
}

func (a *app) runTieout(cmd *cobra.Command, f *tieoutFlags, paths []string) error {
	for _, flag := range []string{"top", "bottom"} {
		if n, _ := cmd.Flags().GetInt(flag); cmd.Flags().Changed(flag) && n < 1 {
			return fmt.Errorf("--%s %d: at least 1 is needed", flag, n)
		}
	}
	t, err := a.tieOut(cmd.Context(), f, paths)
	if err != nil {
		return err
	}
	defer t.result.Close()
	if err := a.keepFindings(t); err != nil {
		return err
	}
	if f.reading.json {
		err = a.printTieoutDocument(t)
	} else {
		a.printTieout(t)
	}
	if err == nil && finding.Stops(t.result.Findings) {
		return errStop
	}
	return err
}

// tieoutRun is a tie-out that was made, and what it was made of.
type tieoutRun struct {
	flags  *tieoutFlags
	in     *input
	result *tieout.Result
	kept   *show.Output // of --suspense, nil without it

	partial bool // not all that the plan names was read
}

// eachFinding gives every finding, with what was decided about it.
func (t *tieoutRun) eachFinding(visit func(*finding.Finding) error) error {
	return t.result.EachFinding(func(f *finding.Finding) error {
		t.in.decided.Settle(f)
		return visit(f)
	})
}

// tieOut reads what the flags say and ties it out.
func (a *app) tieOut(ctx context.Context, f *tieoutFlags, paths []string) (*tieoutRun, error) {
	for flag, columns := range map[string][]string{"total": f.totals, "hash-total": f.hashes, "distinct": f.distinct} {
		if err := noneTwice(flag, columns); err != nil {
			return nil, err
		}
	}
	in, err := f.reading.openSources(ctx, paths)
	if err != nil {
		return nil, err
	}
	options := tieout.Options{Partial: f.reading.isPartial(paths), Totals: f.totals, HashTotals: f.hashes, Distinct: f.distinct, Whole: f.reading.json || f.findings != ""}
	if err := f.declared.ask(ctx, &f.reading, in, &options); err != nil {
		return nil, err
	}
	if err := f.checks.ask(ctx, &f.reading, in, &options); err != nil {
		return nil, err
	}
	if err := in.needSources(); err != nil {
		return nil, err
	}
	if err := checkEarly(ctx, in, f.totals); err != nil {
		return nil, err
	}
	if options.Drop, err = in.left(); err != nil {
		return nil, err
	}
	var kept *show.Output
	if options.Suspense, kept, err = a.openSuspense(in, &f.writing); err != nil {
		return nil, err
	}
	stop := a.progress(&f.reading, in)
	result, err := tieout.Run(ctx, in.set, in.reading, options)
	stop()
	if err != nil {
		return nil, err
	}
	in.settle(result.Findings)
	return &tieoutRun{f, in, result, kept, options.Partial}, nil
}

// keepFindings writes every finding to the file of --findings, and puts it in its place
// together with the suspense.
func (a *app) keepFindings(t *tieoutRun) error {
	if t.flags.findings == "" {
		return a.outputs.Commit(t.kept)
	}
	format, packed, err := show.FormatOf("findings", t.flags.findings)
	if err != nil {
		return err
	}
	output, err := a.create(t.in, &t.flags.writing, t.flags.findings)
	if err != nil {
		return err
	}
	if err := show.WriteFindings(output, format, packed, t.flags.writing.shield, t.eachFinding); err != nil {
		return err
	}
	return a.outputs.Commit(t.kept, output)
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

func (a *app) printTieoutDocument(t *tieoutRun) error {
	r, set := t.result, t.in.set
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
			o.Add("totals", show.Amounts(r.Columns, row.Totals))
			o.Add("running", show.Amounts(r.Columns, row.Running))
			if len(r.HashTotals) > 0 {
				o.Add("hash_totals", show.Amounts(r.HashTotals, row.HashTotals))
			}
			if len(r.Distinct) > 0 {
				counts := show.Object{}
				for k, column := range r.Distinct {
					counts.Add(column, row.Distinct[k])
				}
				o.Add("distinct", counts)
			}
			objects = append(objects, o)
		}
		return objects
	}
	doc := show.NewDocument("tieout")
	doc.Add("sources", rows(r.Sources))
	if t.flags.top > 0 {
		doc.Add("top", rows(r.Largest(t.flags.top)))
	}
	if t.flags.bottom > 0 {
		doc.Add("bottom", rows(r.Smallest(t.flags.bottom)))
	}
	doc.Add("rows", r.Rows)
	doc.Add("totals", show.Amounts(r.Columns, r.Totals))
	if r.Matrix != nil {
		doc.Add("matrix", matrixObjects(r.Matrix))
	}
	if t.partial {
		doc.Add("partial", true)
	}
	doc.Add("passed_over", passedOver(set))
	d := show.StartDocument(a.stdout, doc)
	if err := d.Findings(t.eachFinding); err != nil {
		return err
	}
	d.Add("proof", show.ProofObject(&r.Proof))
	return d.Close()
}

func (a *app) printTieout(t *tieoutRun) {
	f, r := t.flags, t.result
	switch {
	case f.top == 0 && f.bottom == 0:
		a.printSources(t, r.Sources, true)
	default:
		if f.top > 0 {
			rows := r.Largest(f.top)
			fmt.Fprintf(a.stdout, "%s\n", a.stdout.Bold(fmt.Sprintf("the %d largest of %s", len(rows), show.Count(len(r.Sources), "source"))))
			a.printSources(t, rows, false)
		}
		if f.bottom > 0 {
			if f.top > 0 {
				fmt.Fprintln(a.stdout)
			}
			rows := r.Smallest(f.bottom)
			fmt.Fprintf(a.stdout, "%s\n", a.stdout.Bold(fmt.Sprintf("the %d smallest of %s", len(rows), show.Count(len(r.Sources), "source"))))
			a.printSources(t, rows, false)
		}
	}
	if r.Matrix != nil {
		a.printMatrix(r.Matrix)
	}
	if t.partial {
		fmt.Fprintf(a.stdout, "\ntie-out: partial, %s; whether all have filed is not judged\n", show.Count(len(r.Sources), "source"))
	}
	a.printPassedOver(t.in.set)
	show.Findings(a.stdout, r.Findings)
	show.Proof(a.stdout, &r.Proof)
}

// printSources prints rows and totals per source, with the running total of
// the first column where the sources stand in their order.
func (a *app) printSources(t *tieoutRun, rows []tieout.Row, running bool) {
	r := t.result
	running = running && len(r.Columns) > 0
	suspense := r.Proof.Suspense > 0
	table := show.Table{Columns: []show.Column{{Name: "source", Key: true}, {Name: "rows", Right: true}}}
	figure := func(name string) { table.Columns = append(table.Columns, show.Column{Name: name, Right: true}) }
	if suspense {
		figure("suspense")
	}
	for _, column := range r.Columns {
		figure(column)
	}
	if running {
		figure("running " + r.Columns[0])
	}
	for _, column := range r.HashTotals {
		figure("hash total " + column)
	}
	for _, column := range r.Distinct {
		figure("distinct " + column)
	}
	cells := func(name string, row tieout.Row) []string {
		cells := []string{name, show.Number(row.Rows)}
		if suspense {
			aside := ""
			if row.Suspense > 0 {
				aside = show.Number(row.Suspense)
			}
			cells = append(cells, aside)
		}
		for _, total := range row.Totals {
			cells = append(cells, total.Money())
		}
		if running {
			last := ""
			if row.Running != nil {
				last = row.Running[0].Money()
			}
			cells = append(cells, last)
		}
		for k := range r.HashTotals {
			hash := ""
			if row.HashTotals != nil {
				hash = row.HashTotals[k].String()
			}
			cells = append(cells, hash)
		}
		for k := range r.Distinct {
			count := ""
			if row.Distinct != nil {
				count = show.Number(row.Distinct[k])
			}
			cells = append(cells, count)
		}
		return cells
	}
	for _, row := range rows {
		table.Add(cells(t.in.set.Sources[row.Index].Name, row)...)
	}
	all := tieout.Row{Rows: r.Rows, Suspense: r.Proof.Suspense, Totals: r.Totals}
	table.AddStrong(cells("total of "+show.Count(len(r.Sources), "source"), all)...)
	table.Print(a.stdout)
}
