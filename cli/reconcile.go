package cli

import (
	"context"
	"io"

	"lastblock/core/capability/reconcile"
	"lastblock/core/month"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

func (a *app) reconcile() *cobra.Command {
	t := month.NewReconcile()
	cmd := a.forTask(t, &cobra.Command{
		Use:   "reconcile [RECORDS…] --against REFERENCE",
		Short: "What agrees, what does not, and which are the reconciling items?",
		Long: `Brings records together with those of a reference by key, and says of each whether
it agrees, differs, or is on one side only; a key that is found more than
once and does not pair off is ambiguous. Values are compared by what they mean, as
prove does. With --total a statement leads from the total per records to the total per reference.
--out writes all records with both sides next to each other; what differs does not
keep it from being written, since that is what it is about.

What the first --key leaves is tried with each --then-key, in which columns may
differ by their --tolerance and --days, and then by --combine: several records on
one side that together make one on the other.

--mirror reconciles records with one another: what each company has booked about
each other one, with the opposite sign, added up by --key.`,
		Example: `  lastblock reconcile --plan lastblock-demo/passes/lastblock.toml
  lastblock reconcile lastblock-demo/passes/sales --against lastblock-demo/passes/statement.csv --against-rename Pass=pass_no,Amount=amount --key pass_no --loose zeros --total amount --compare amount
  lastblock reconcile --plan lastblock-demo/passes/lastblock.toml --out lastblock-demo/results/passes.xlsx --corrected lastblock-demo/results/corrected.csv --prefer there --replace
  lastblock reconcile --plan lastblock-demo/balances/lastblock.toml`,
	}, func(cmd *cobra.Command, paths []string) error { return a.runReconcile(cmd.Context(), t, paths) })
	cmd.Flags().Lookup("only").Usage += "; statuses, as differs,only-there, say instead which records --out has"
	return cmd
}

func (a *app) runReconcile(ctx context.Context, t *month.Reconcile, paths []string) error {
	options, only, err := t.Ask()
	if err != nil {
		return err
	}
	here, there, err := t.Open(ctx, paths, machine(), &options)
	for _, in := range []*month.Input{here, there} {
		if in != nil {
			a.reads(in)
		}
	}
	if err != nil {
		return err
	}
	files := &reconciledFiles{app: a, task: t, only: only}
	if err := files.create(); err != nil {
		return err
	}
	options.Kinds = files.outFormat.Format.IsTyped() || files.correctedFormat.Format.IsTyped()
	stop := a.progress(here, there)
	sides, err := reconcile.Read(ctx, here.Set, there.Set, here.Reading, options)
	var result *reconcile.Result
	if err == nil {
		result, err = sides.Match(ctx, files.writing(sides))
	}
	stop()
	if err != nil {
		return err
	}
	defer result.Close()
	a.settle(here, t.Name(), result.Findings)
	shown := &view.Reconciliation{Result: result, Task: t, Only: only, Here: here.Set, There: there.Set}
	if err := files.write(ctx, shown); err != nil {
		return err
	}
	if t.JSON {
		err = show.Document(a.stdout, shown.Document())
	} else {
		shown.Print(a.stdout)
	}
	return stopped(err, result.Findings)
}

// reconciledFiles are the files that are written.
type reconciledFiles struct {
	app  *app
	task *month.Reconcile
	only []reconcile.Status

	out, corrected, findings                   *show.Output // nil for those that are not asked for
	outFormat, correctedFormat, findingsFormat show.RecordFormat
}

// create starts the files.
func (o *reconciledFiles) create() (err error) {
	t := o.task
	for _, file := range []struct {
		word, path string
		output     **show.Output
		format     *show.RecordFormat
	}{
		{"out", t.Out, &o.out, &o.outFormat},
		{"corrected", t.Corrected, &o.corrected, &o.correctedFormat},
		{"findings", t.Writing.Findings, &o.findings, &o.findingsFormat},
	} {
		if file.path == "" {
			continue
		}
		if file.format.Format, file.format.Packed, err = formatOf(file.word, file.path); err != nil {
			return err
		}
		if *file.output, err = o.app.create(&t.Writing, file.path); err != nil {
			return err
		}
		file.format.Shield = t.Shield
	}
	return nil
}

// writing says what of the matches is kept to be written.
func (o *reconciledFiles) writing(sides *reconcile.Sides) reconcile.Writing {
	bare := o.task.Writing.Bare
	w := reconcile.Writing{Only: o.only, PreferThere: o.task.Prefer == "there", Bare: bare}
	if o.out != nil {
		o.outFormat.Columns = cellsOf(sides.Columns())
		w.Encode = o.outFormat.Encoder()
	}
	if o.corrected != nil {
		o.correctedFormat.Columns = cellsOf(sides.CorrectedColumns(bare))
		w.Corrected = o.correctedFormat.Encoder()
	}
	return w
}

func cellsOf(columns []reconcile.Column) []show.Cells {
	var cells []show.Cells
	for _, c := range columns {
		cells = append(cells, show.Cells{Name: c.Name, Kind: c.Kind, Scale: c.Scale})
	}
	return cells
}

// write writes the files; a finding that is not about how the two sides stand to one another
// keeps results from being written.
func (o *reconciledFiles) write(ctx context.Context, r *view.Reconciliation) error {
	if o.findings != nil {
		if err := show.WriteFindings(o.findings, o.findingsFormat.Format, o.findingsFormat.Packed, o.task.Shield,
			show.Each(r.Findings)); err != nil {
			return err
		}
	}
	if r.Stopped = (o.out != nil || o.corrected != nil) && r.Withholds() && !o.task.Anyway; r.Stopped {
		return o.app.outputs.Commit(o.findings)
	}
	if o.out != nil {
		if o.outFormat.Format == show.Workbook {
			r.UseSheets(&o.outFormat)
		}
		if err := o.outFormat.Write(o.out, func(w io.Writer) error { return r.Write(ctx, w) }); err != nil {
			return err
		}
	}
	if o.corrected != nil {
		if err := o.correctedFormat.Write(o.corrected,
			func(w io.Writer) error { return r.WriteCorrected(ctx, w) }); err != nil {
			return err
		}
	}
	return o.app.outputs.Commit(o.findings, o.out, o.corrected)
}
