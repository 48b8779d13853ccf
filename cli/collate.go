package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"

	"lastblock/core/capability/collate"
	"lastblock/core/finding"
	"lastblock/core/month"
	"lastblock/core/option"
	"lastblock/core/record"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

func (a *app) collate() *cobra.Command {
	t := month.NewCollate()
	return a.forTask(t, &cobra.Command{
		Use:   "collate [PATH…]",
		Short: "What are all records together, each with its source?",
		Long: `Puts all records one under another, matched by the names of their columns in
whatever order these stand. Every column of any source is kept, and blank where
a source has none. Texts stay exactly as they were sent. Behind the data come
the words of --name, then source and source_line.`,
		Example: `  lastblock collate --plan lastblock-demo/lastblock.toml --out lastblock-demo/results/all.xlsx --suspense lastblock-demo/results/suspense.csv --replace --anyway
  lastblock collate --plan lastblock-demo/lastblock.toml --where 'account == "04100" && credit > 1000' --make 'net=debit-credit' --bare --anyway
  lastblock collate lastblock-demo/journals/corvane_2031-01.csv --bare`,
	}, func(cmd *cobra.Command, paths []string) error {
		results, err := resultsOf(a, t, month.NewCollate)
		if err != nil {
			return err
		}
		var all []*collation
		for _, r := range results {
			all = append(all, &collation{Asked: r, task: r.Task})
		}
		return a.runCollate(cmd.Context(), results[0].Task, paths, all)
	})
}

// collation is one of the collations of a run, on its way.
type collation struct {
	month.Asked
	task   *month.Collate
	attach func(in *month.Input, c *collation) error // brings columns; nil for none

	part   *month.Part
	format show.RecordFormat
	kinds  map[string]month.Column
	added  *[]show.Cells // columns from elsewhere, known once the collation is prepared; nil for none
	wanted collate.Options
	plan   *collate.Plan
	done   *collate.Result

	result, spool, kept *show.Output

	// the columns that records need amounts in, where all of them are written with their states
	states func() []string
	skip   func(index int) bool // sources of which then none is written; nil for none
}

// runCollate puts records together for a task.
func (a *app) runCollate(ctx context.Context, task month.Task, paths []string, all []*collation) error {
	for _, c := range all {
		if err := option.Distinct("total", c.task.Totals); err != nil {
			return c.Err(err)
		}
	}
	in, err := a.open(ctx, task, paths)
	if err != nil {
		return err
	}
	json := task.Sources().JSON
	for _, c := range all {
		if err := a.beginCollation(in, c, json); err != nil {
			return c.Err(err)
		}
	}
	if err := in.NeedSources(); err != nil {
		return err
	}
	if err := a.needPlaces(len(all), json, func(i int) bool { return all[i].spool == nil }); err != nil {
		return err
	}
	shown := &view.Collations{Command: task.Name(), Set: in.Set}
	if err := a.collateAll(ctx, in, all, shown); err != nil {
		return err
	}
	shown.Withheld = finding.Stops(shown.Findings) &&
		slices.ContainsFunc(all, func(c *collation) bool { return !c.task.Anyway })
	var ready []*show.Output
	for _, c := range all {
		ready = append(ready, c.kept)
		if c.spool == nil && !shown.Withheld {
			ready = append(ready, c.result)
		}
	}
	if err := a.outputs.Commit(ready...); err != nil {
		return err
	}
	return stopped(a.showCollated(json, all, shown), shown.Findings)
}

// beginCollation starts the files of a collation.
func (a *app) beginCollation(in *month.Input, c *collation, json bool) (err error) {
	if err := c.Fill(in); err != nil {
		return err
	}
	t := c.task
	c.wanted = collate.Options{Bare: t.Bare, Totals: t.Totals, Shield: t.Shield, Twins: true}
	if c.states != nil {
		c.wanted.States, c.wanted.Amounts, c.wanted.Skip = true, c.states(), c.skip
	}
	c.format.Shield = t.Shield
	if c.format.Format, c.format.Packed, err = formatOf("out", t.Out); err != nil {
		return err
	}
	if t.Out == "" && json {
		c.format.Format = show.JSON
	}
	if c.attach != nil {
		if err := c.attach(in, c); err != nil {
			return err
		}
	}
	if c.wanted.Suspense, c.kept, err = a.openSuspense(&t.Writing); err != nil {
		return err
	}
	c.result, c.spool, err = a.openResult(&t.Writing)
	return err
}

// collateAll writes all collations in one reading, with the tie-out of the plan.
func (a *app) collateAll(ctx context.Context, in *month.Input, all []*collation, shown *view.Collations) error {
	stop := a.progress(in)
	defer stop()
	run, err := a.begin(ctx, in)
	if err != nil {
		return err
	}
	asked := make([]month.Asked, len(all))
	for i, c := range all {
		asked[i] = c
	}
	parts, err := month.Together(ctx, run, asked)
	if err != nil {
		return err
	}
	for i, c := range all {
		c.part = parts[i]
		if err := c.prepare(ctx); err != nil {
			return c.Err(err)
		}
	}
	if run.IsAlone() {
		err = all[0].write(func(w io.Writer) (err error) {
			all[0].done, err = all[0].plan.Write(ctx, w)
			return err
		})
	} else {
		err = writeTogether(ctx, run, all, func() (err error) {
			if err := run.Read(ctx); err != nil {
				return errors.Join(err, run.Close())
			}
			shown.Verdict, err = run.Verdict(ctx)
			return err
		}, func() string { return view.Remark(shown.Verdict) })
	}
	if err != nil {
		return err
	}
	var lists [][]finding.Finding
	for _, c := range all {
		lists = append(lists, settled(&c.part.Input, c.done.Findings))
		shown.All = append(shown.All, view.Collation{Result: c.done, Name: c.Name(), Out: c.task.Out})
	}
	shown.Findings = a.together(in, shown.Verdict, lists...)
	return nil
}

// writeTogether opens the format of one collation within that of another, and at last has read read
// the sources for all of them. Each then says of itself what remark says.
func writeTogether(ctx context.Context, run *month.Run, all []*collation, read func() error,
	remark func() string) error {
	if len(all) == 0 {
		return read()
	}
	c := all[0]
	return c.write(func(w io.Writer) error {
		job, err := c.plan.Begin(ctx, w)
		if err != nil {
			return err
		}
		c.part.Join(job)
		if err := writeTogether(ctx, run, all[1:], read, remark); err != nil {
			return err
		}
		if c.done, err = job.Finish(); err != nil {
			return err
		}
		return c.format.WriteRemark(w, c.plan.Columns, remark())
	})
}

// openResult starts the result: a file, or a spool that is passed on to standard output once the
// proof holds.
func (a *app) openResult(w *month.Writing) (result, spool *show.Output, err error) {
	if w.Out != "" {
		result, err = a.create(w, w.Out)
		return result, nil, err
	}
	spool, err = a.outputs.Spool()
	return spool, spool, err
}

// showCollated shows the records, or says where they are.
func (a *app) showCollated(json bool, all []*collation, shown *view.Collations) error {
	if json {
		var spools []*show.Output
		for _, c := range all {
			spools = append(spools, c.spool)
		}
		return shown.Document(a.stdout, func(i int, d *show.DocumentWriter) error { return addRecords(d, spools[i]) })
	}
	report := a.stdout
	for i, c := range all {
		if len(all) > 1 && c.spool != nil && !shown.Withheld {
			fmt.Fprintf(report, "%s\n", report.Bold(c.Name()))
		}
		switch {
		case shown.Withheld:
		case c.spool != nil:
			if err := a.printRecords(c.spool, !c.task.Bare); err != nil {
				return err
			}
			report = a.beside()
		default:
			r := shown.All[i]
			fmt.Fprintf(report, "%s: %s of %s, %s\n", c.task.Out, show.Count(r.Records, "record"),
				show.Count(len(shown.Set.Sources), "source"), show.Count(len(r.Columns), "column"))
		}
		if shown.Withheld && c.spool != nil {
			report = a.beside()
		}
	}
	if shown.Withheld {
		fmt.Fprintln(report, notWritten)
	}
	shown.Report(report)
	return nil
}

// addRecords adds the records that were spooled to a document; nil for none.
func addRecords(d *show.DocumentWriter, spool *show.Output) error {
	if spool == nil {
		return nil
	}
	records, err := spool.Reader()
	if err != nil {
		return err
	}
	return d.Raw("records", records)
}

// printRecords passes records on: all of them into a pipe, the first ones as a table to a
// terminal. placed says that their last columns are source and line.
func (a *app) printRecords(spool *show.Output, placed bool) error {
	reader, err := spool.Reader()
	if err != nil {
		return err
	}
	if !a.stdout.Terminal {
		_, err := io.Copy(a.stdout, reader)
		return err
	}
	keys := 0
	if placed {
		keys = 2
	}
	return show.FirstRecords(a.stdout, reader, keys)
}

// prepare works out the columns of the collation.
func (c *collation) prepare(ctx context.Context) (err error) {
	if c.wanted.Drop == nil {
		if c.wanted.Drop, err = c.part.Left(); err != nil {
			return err
		}
	}
	c.wanted.Delimiter = c.format.Delimiter()
	if c.format.Format.IsTyped() {
		if c.kinds, err = c.part.Kinds(ctx); err != nil {
			return err
		}
		c.wanted.Kinds = make(map[string]record.Kind)
		for name, column := range c.kinds {
			c.wanted.Kinds[name] = column.Kind
		}
	}
	if c.plan, err = collate.Prepare(ctx, c.part.Set, c.part.Reading, c.wanted); err != nil {
		return err
	}
	c.format.Columns = c.columns()
	return nil
}

// write writes the records in their format, which fill makes. Delimited text is copied as it stands.
func (c *collation) write(fill func(w io.Writer) error) error {
	if c.format.IsVerbatim() {
		return c.format.WriteVerbatim(c.result, c.plan.Header(), fill)
	}
	c.plan.Encode(c.format.Encoder())
	return c.format.Write(c.result, fill)
}

// columns are those of the collation as a typed format has them.
func (c *collation) columns() []show.Cells {
	columns := make([]show.Cells, len(c.plan.Columns))
	for i, name := range c.plan.Columns {
		columns[i] = show.Cells{Name: name, Kind: record.Text}
		if found, ok := c.kinds[name]; ok {
			columns[i].Kind, columns[i].Scale = found.Kind, found.Scale
		}
		if c.added != nil {
			if at := slices.IndexFunc(*c.added, func(a show.Cells) bool { return a.Name == name }); at >= 0 {
				columns[i] = (*c.added)[at]
			}
		}
	}
	if n := len(columns); n > 0 && c.plan.HasLine() {
		columns[n-1].Kind = record.Amount // the line
	}
	return columns
}
