package cli

import (
	"context"
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
		Example: `  lastblock collate --plan lastblock-demo/lastblock.toml --out lastblock-demo/results/all.xlsx --suspense lastblock-demo/results/suspense.csv --replace
  lastblock collate --plan lastblock-demo/lastblock.toml --where 'account == "04100" && credit > 1000' --make 'net=debit-credit' --bare
  lastblock collate lastblock-demo/journals/corvane_2031-01.csv --bare`,
	}, func(cmd *cobra.Command, paths []string) error {
		return a.runCollate(cmd.Context(), t, t, paths, func(*month.Input, *collated) error { return nil })
	})
}

// runCollate puts records together for a task, as collate says. prepare may add to what is written.
func (a *app) runCollate(ctx context.Context, task month.Task, t *month.Collate, paths []string,
	prepare func(*month.Input, *collated) error) error {
	if err := option.Distinct("total", t.Totals); err != nil {
		return err
	}
	in, err := a.open(ctx, task, paths)
	if err != nil {
		return err
	}
	c := collated{in: in, options: collate.Options{Bare: t.Bare, Totals: t.Totals, Shield: t.Shield, Twins: true}}
	if c.format, c.packed, err = formatOf("out", t.Out); err != nil {
		return err
	}
	if t.Out == "" && t.JSON {
		c.format = show.JSON
	}
	if err := prepare(in, &c); err != nil {
		return err
	}
	if err := in.NeedSources(); err != nil {
		return err
	}
	if c.options.Drop, err = in.Left(); err != nil {
		return err
	}
	var kept *show.Output
	if c.options.Suspense, kept, err = a.openSuspense(&t.Writing); err != nil {
		return err
	}
	result, spool, err := a.openResult(&t.Writing)
	if err != nil {
		return err
	}
	stop := a.progress(in)
	done, err := c.write(ctx, result)
	stop()
	if err != nil {
		return err
	}
	a.settle(in, task.Name(), done.Findings)
	withheld := finding.Stops(done.Findings) && !t.Anyway
	if spool != nil || withheld {
		result = nil
	}
	if err := a.outputs.Commit(kept, result); err != nil {
		return err
	}
	return stopped(a.showCollated(task.Name(), t, in, done, spool, withheld), done.Findings)
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

// showCollated shows the records, or says where they are; withheld where a finding stops that.
func (a *app) showCollated(command string, t *month.Collate, in *month.Input, r *collate.Result, spool *show.Output,
	withheld bool) error {
	if t.JSON {
		out := t.Out
		if withheld {
			out, spool = "", nil
		}
		return a.printWithRecords(view.CollateDocument(command, out, in.Set, r), spool)
	}
	report := a.stdout
	if spool != nil {
		if !withheld {
			if err := a.printRecords(spool, !t.Bare); err != nil {
				return err
			}
		}
		report = a.beside()
	}
	if t.Out != "" && !withheld {
		fmt.Fprintf(report, "%s: %s of %s, %s\n", t.Out, show.Count(r.Records, "record"),
			show.Count(len(in.Set.Sources), "source"), show.Count(len(r.Columns), "column"))
	}
	if withheld {
		fmt.Fprintln(report, notWritten)
	}
	show.Findings(report, r.Findings)
	show.Proof(report, &r.Proof)
	return nil
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

// printWithRecords prints a document, with the records that were spooled; nil for none.
func (a *app) printWithRecords(doc show.Object, spool *show.Output) error {
	if spool == nil {
		return show.Document(a.stdout, doc)
	}
	records, err := spool.Reader()
	if err != nil {
		return err
	}
	d := show.StartDocument(a.stdout, doc)
	if err := d.Raw("records", records); err != nil {
		return err
	}
	return d.Close()
}

// collated is a collation and the format that it is written in.
type collated struct {
	in      *month.Input
	options collate.Options
	format  show.Format
	packed  string
	added   *[]show.Cells // columns from elsewhere, known once the collation is prepared; nil for none
}

// write writes the records in their format. Delimited text is copied as it stands.
func (c collated) write(ctx context.Context, w io.Writer) (*collate.Result, error) {
	as := show.RecordFormat{Format: c.format, Packed: c.packed, Shield: c.options.Shield}
	c.options.Delimiter = as.Delimiter()
	var kinds map[string]month.Column
	if c.format.IsTyped() {
		var err error
		if kinds, err = c.in.Kinds(ctx); err != nil {
			return nil, err
		}
		c.options.Kinds = make(map[string]record.Kind)
		for name, column := range kinds {
			c.options.Kinds[name] = column.Kind
		}
	}
	plan, err := collate.Prepare(ctx, c.in.Set, c.in.Reading, c.options)
	if err != nil {
		return nil, err
	}
	var result *collate.Result
	fill := func(w io.Writer) (err error) {
		result, err = plan.Write(ctx, w)
		return err
	}
	if as.IsVerbatim() {
		err = as.WriteVerbatim(w, plan.Header(), fill)
	} else {
		as.Columns = c.columns(plan, kinds)
		plan.Encode(as.Encoder())
		err = as.Write(w, fill)
	}
	return result, err
}

// columns are those of the collation as a typed format has them.
func (c collated) columns(plan *collate.Plan, kinds map[string]month.Column) []show.Cells {
	columns := make([]show.Cells, len(plan.Columns))
	for i, name := range plan.Columns {
		columns[i] = show.Cells{Name: name, Kind: record.Text}
		if found, ok := kinds[name]; ok {
			columns[i].Kind, columns[i].Scale = found.Kind, found.Scale
		}
		if c.added != nil {
			if at := slices.IndexFunc(*c.added, func(a show.Cells) bool { return a.Name == name }); at >= 0 {
				columns[i] = (*c.added)[at]
			}
		}
	}
	if n := len(columns); n > 0 && plan.HasLine() {
		columns[n-1].Kind = record.Amount // the line
	}
	return columns
}
