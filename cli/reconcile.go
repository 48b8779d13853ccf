package cli

import (
	"context"
	"errors"
	"io"

	"lastblock/core/capability/reconcile"
	"lastblock/core/finding"
	"lastblock/core/month"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

func (a *app) reconcile() *cobra.Command {
	t := month.NewReconcile()
	return a.forTask(t, &cobra.Command{
		Use:   "reconcile [RECORDS…] --against REFERENCE",
		Short: "What agrees, what does not, and which are the reconciling items?",
		Long: `Brings records together with those of a reference by key, and says of each whether
it agrees, differs, or is on one side only; a key that is found more than
once and does not pair off is ambiguous. Values are compared by what they mean, as
prove does. With --total a statement leads from the total per records to the total per reference.
--out writes all records with both sides next to each other; what differs does not
keep it from being written, since that is what it is about. --only with statuses, as
differs,only-there, says which records it has.

What the first --key leaves is tried with each --then-key, in which columns may
differ by their --tolerance and --days, and then by --combine: several records on
one side that together make one on the other.

--mirror reconciles records with one another: what each company has booked about
each other one, with the opposite sign, added up by --key.`,
		Example: `  lastblock reconcile --plan lastblock-demo/passes/lastblock.toml
  lastblock reconcile lastblock-demo/passes/sales --against lastblock-demo/passes/statement.csv --against-rename Pass=pass_no,Amount=amount --key pass_no --loose zeros --total amount --compare amount
  lastblock reconcile --plan lastblock-demo/passes/lastblock.toml --out lastblock-demo/results/passes.xlsx --corrected lastblock-demo/results/corrected.csv --prefer reference --replace
  lastblock reconcile --plan lastblock-demo/balances/lastblock.toml`,
	}, func(cmd *cobra.Command, paths []string) error { return a.runReconcile(cmd.Context(), t, paths) })
}

// reconciliation is one of the reconciliations of a run, on its way.
type reconciliation struct {
	*month.Result[*month.Reconcile]
	options reconcile.Options
	there   *month.Input
	files   *reconciledFiles
	part    *month.Part
	job     *reconcile.Job
	shown   *view.Reconciliation
}

func (a *app) runReconcile(ctx context.Context, typed *month.Reconcile, paths []string) error {
	results, err := resultsOf(a, typed, month.NewReconcile)
	if err != nil {
		return err
	}
	all := make([]*reconciliation, len(results))
	for i, r := range results {
		one := &reconciliation{Result: r, files: &reconciledFiles{app: a, task: r.Task}}
		if one.options, one.files.only, err = r.Task.Ask(); err != nil {
			return r.Err(err)
		}
		r.Task.SettleQuery(paths)
		all[i] = one
	}
	here, err := a.open(ctx, results[0].Task, paths)
	if err != nil {
		return err
	}
	inputs := []*month.Input{here}
	for _, one := range all {
		if one.there, err = one.Task.There(ctx, here, &one.options); err != nil {
			return one.Err(err)
		}
		a.reads(one.there)
		if one.there != here {
			inputs = append(inputs, one.there)
		}
	}
	for _, one := range all {
		if err := one.Fill(here); err != nil {
			return err
		}
		if err := one.files.create(); err != nil {
			return one.Err(err)
		}
		one.options.Kinds = one.files.outFormat.Format.IsTyped() || one.files.correctedFormat.Format.IsTyped()
	}
	defer func() {
		for _, one := range all {
			if one.shown != nil {
				one.shown.Close()
			}
		}
	}()
	stop := a.progress(inputs...)
	err = reconcileAll(ctx, here, all)
	stop()
	if err != nil {
		return err
	}
	var lists [][]finding.Finding
	for _, one := range all {
		lists = append(lists, settled(&one.part.Input, one.shown.Findings))
		if err := one.files.write(ctx, one.shown); err != nil {
			return err
		}
	}
	var ready []*show.Output
	for _, one := range all {
		ready = append(ready, one.files.ready(one.shown)...)
	}
	if err := a.outputs.Commit(ready...); err != nil {
		return err
	}
	a.together(here, nil, lists...)
	return stopped(a.showReconciled(typed.JSON, all), lists...)
}

// reconcileAll reads the records, once, and each reference, and brings them together.
func reconcileAll(ctx context.Context, here *month.Input, all []*reconciliation) error {
	run := &month.Run{Input: here}
	asked := make([]month.Asked, len(all))
	for i, one := range all {
		asked[i] = one
	}
	parts, err := month.Together(ctx, run, asked)
	if err != nil {
		return err
	}
	defer func() {
		for _, one := range all {
			if one.job != nil && one.shown == nil {
				one.job.Close()
			}
		}
	}()
	for i, one := range all {
		one.part = parts[i]
		if one.job, err = reconcile.Prepare(ctx, one.part.Set, one.there.Set, one.part.Reading,
			one.options); err != nil {
			return one.Err(err)
		}
		one.part.Join(one.job.Here())
	}
	if err := run.Read(ctx); err != nil {
		return err
	}
	for _, one := range all {
		if err := one.match(ctx, here); err != nil {
			return err
		}
	}
	return nil
}

// match reads the reference, and brings the records together with it.
func (r *reconciliation) match(ctx context.Context, here *month.Input) error {
	if there := r.job.There(); there != nil {
		if err := r.there.Set.Scan(ctx, here.Reading, there.Visitor); err != nil {
			return err
		}
	}
	sides, err := r.job.Finish()
	if err != nil {
		return err
	}
	result, err := sides.Match(ctx, r.files.writing(sides))
	if err != nil {
		return err
	}
	r.shown = &view.Reconciliation{Result: result, Task: r.Task, Only: r.files.only, Here: here.Set, There: r.there.Set}
	return nil
}

// showReconciled prints the results.
func (a *app) showReconciled(json bool, all []*reconciliation) error {
	var named []view.Named
	for i, one := range all {
		if json {
			named = append(named, view.Named{Name: one.Name(), Members: one.shown.Members()})
			continue
		}
		view.PrintName(a.stdout, i, len(all), one.Name())
		one.shown.Print(a.stdout)
	}
	if json {
		return view.SeveralDocument(a.stdout, "reconcile", named)
	}
	return nil
}

// reconciledFiles are the files that are written.
type reconciledFiles struct {
	app  *app
	task *month.Reconcile
	only []reconcile.Status
	// what they say of themselves in their last line, "" for nothing
	remark string

	out, corrected, findings, review           *show.Output // nil for those that are not asked for
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
	o.review, err = o.app.createReview(&t.Writing)
	return err
}

// writing says what of the matches is kept to be written.
func (o *reconciledFiles) writing(sides *reconcile.Sides) reconcile.Writing {
	bare := o.task.Writing.Bare
	w := reconcile.Writing{Only: o.only, PreferThere: o.task.Prefer == reconcile.PreferReference, Bare: bare}
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
	if o.review != nil {
		if err := show.WriteReview(o.review, nil, nil, r.Findings); err != nil {
			return err
		}
	}
	if r.Stopped = (o.out != nil || o.corrected != nil) && r.Withholds() && !o.task.Anyway; r.Stopped {
		return nil
	}
	if o.out != nil {
		if o.outFormat.Format == show.Workbook {
			r.UseSheets(&o.outFormat)
		}
		if err := o.outFormat.Write(o.out, func(w io.Writer) error {
			return errors.Join(r.Write(ctx, w), o.outFormat.WriteRemark(w, namesOf(o.outFormat.Columns), o.remark))
		}); err != nil {
			return err
		}
	}
	if o.corrected != nil {
		if err := o.correctedFormat.Write(o.corrected, func(w io.Writer) error {
			return errors.Join(r.WriteCorrected(ctx, w),
				o.correctedFormat.WriteRemark(w, namesOf(o.correctedFormat.Columns), o.remark))
		}); err != nil {
			return err
		}
	}
	return nil
}

// ready are the files that can be put in place.
func (o *reconciledFiles) ready(r *view.Reconciliation) []*show.Output {
	if r.Stopped {
		return []*show.Output{o.findings, o.review}
	}
	return []*show.Output{o.findings, o.review, o.out, o.corrected}
}
