package cli

import (
	"fmt"
	"io"

	"lastblock/core/capability/collate"
	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/show"

	"github.com/spf13/cobra"
)

type collateFlags struct {
	reading reading
	writing writing
	bare    bool
	totals  []string
	added   []show.Cells // columns from elsewhere
}

func (a *app) collate() *cobra.Command {
	f := new(collateFlags)
	cmd := &cobra.Command{
		Use:   "collate [PATH…]",
		Short: "What are all records together, each with its source?",
		Long: `Puts all records one under another, matched by the names of their columns in
whatever order these stand. Every column of any source is kept, and blank where
a source has none. Texts stay exactly as they were sent. Behind the data come
the words of --name, then source and source_line.`,
		Example: `  lastblock collate --plan lastblock-demo/lastblock.toml --out lastblock-demo/results/all.xlsx --suspense lastblock-demo/results/suspense.csv --replace
  lastblock collate --plan lastblock-demo/lastblock.toml --where 'account == "04100" && credit > 1000' --make 'net=debit-credit' --bare
  lastblock collate lastblock-demo/journals/corvane_2031-01.csv --bare`,
		Args: needPaths,
		RunE: func(cmd *cobra.Command, paths []string) error { return a.runCollate(cmd, f, paths) },
	}
	f.addTo(cmd, a)
	return cmd
}

// addTo adds the flags of a command that puts records together.
func (f *collateFlags) addTo(cmd *cobra.Command, a *app) {
	flags := cmd.Flags()
	flags.BoolVar(&f.bare, "bare", false, "leave out the words of --name, source and source_line")
	flags.StringSliceVar(&f.totals, "total", nil, "amount columns to prove as well; a record without a proper amount there goes into suspense")
	f.writing.addOut(cmd)
	f.writing.addSuspense(cmd)
	f.reading.addTo(a, cmd)
	f.reading.completeColumns(cmd, false, "total")
}

func (a *app) runCollate(cmd *cobra.Command, f *collateFlags, paths []string) error {
	return a.collateWith(cmd, f, paths, func(*input, *collate.Options, show.Format) error { return nil })
}

// collateWith puts records together. prepare may add to the options.
func (a *app) collateWith(cmd *cobra.Command, f *collateFlags, paths []string, prepare func(*input, *collate.Options, show.Format) error) (err error) {
	ctx := cmd.Context()
	if err := noneTwice("total", f.totals); err != nil {
		return err
	}
	in, err := f.reading.openSources(ctx, paths)
	if err != nil {
		return err
	}
	format, packed := show.CSV, ""
	if f.writing.out != "" {
		if format, packed, err = show.FormatOf("out", f.writing.out); err != nil {
			return err
		}
	} else if f.reading.json {
		format = show.JSON
	}
	options := collate.Options{Bare: f.bare, Totals: f.totals, Delimiter: ',', Shield: f.writing.shield, Twins: true}
	if format == show.TSV {
		options.Delimiter = '\t'
	}
	if err := prepare(in, &options, format); err != nil {
		return err
	}
	if err := in.needSources(); err != nil {
		return err
	}
	if options.Drop, err = in.left(); err != nil {
		return err
	}
	var kept *show.Output
	if options.Suspense, kept, err = a.openSuspense(in, &f.writing); err != nil {
		return err
	}
	result, spool, err := a.openResult(in, f)
	if err != nil {
		return err
	}
	stop := a.progress(&f.reading, in)
	done, err := writeCollation(ctx, in, options, format, packed, f, result)
	stop()
	if err != nil {
		return err
	}
	in.settle(done.Findings)
	return a.finishCollate(in.set, f, done, kept, result, spool)
}

// openResult starts the result: the file of --out, or a spool that is passed
// on to standard output once the proof holds.
func (a *app) openResult(in *input, f *collateFlags) (result, spool *show.Output, err error) {
	if f.writing.out != "" {
		result, err = a.create(in, &f.writing, f.writing.out)
		return result, nil, err
	}
	spool, err = a.outputs.Spool()
	return spool, spool, err
}

// finishCollate puts the result in its place, unless a finding stops it, and
// says what was done: beside records on standard output that goes to standard
// error.
func (a *app) finishCollate(set *source.Set, f *collateFlags, r *collate.Result, kept, result, spool *show.Output) error {
	stopped := finding.Stops(r.Findings) && !f.writing.anyway
	if spool != nil || stopped {
		result = nil
	}
	if err := a.outputs.Commit(kept, result); err != nil {
		return err
	}
	switch {
	case f.reading.json:
		if err := a.printCollateDocument(set, f, r, spool, stopped); err != nil {
			return err
		}
	default:
		report := a.stdout
		if spool != nil {
			if !stopped {
				if err := a.printRecords(f, spool); err != nil {
					return err
				}
			}
			if !a.stdout.Terminal {
				report = a.stderr
			}
		}
		a.reportCollate(report, f, set, r, stopped)
	}
	if finding.Stops(r.Findings) {
		return errStop
	}
	return nil
}

func (a *app) reportCollate(s *show.Screen, f *collateFlags, set *source.Set, r *collate.Result, stopped bool) {
	if f.writing.out != "" && !stopped {
		fmt.Fprintf(s, "%s: %s of %s, %s\n", f.writing.out, show.Count(r.Records, "record"), show.Count(len(set.Sources), "source"), show.Count(len(r.Columns), "column"))
	}
	if stopped {
		fmt.Fprintln(s, "the result was not written, because of \"stop\" findings; --anyway writes it all the same")
	}
	show.Findings(s, r.Findings)
	show.Proof(s, &r.Proof)
}

// printRecords passes records on: all of them into a pipe, the first ones as a
// table to a terminal.
func (a *app) printRecords(f *collateFlags, spool *show.Output) error {
	reader, err := spool.Reader()
	if err != nil {
		return err
	}
	if !a.stdout.Terminal {
		_, err := io.Copy(a.stdout, reader)
		return err
	}
	keys := 2 // source and line
	if f.bare {
		keys = 0
	}
	return show.FirstRecords(a.stdout, reader, keys)
}

func (a *app) printCollateDocument(set *source.Set, f *collateFlags, r *collate.Result, spool *show.Output, stopped bool) error {
	doc := show.NewDocument(f.reading.command)
	sources := []show.Object{}
	for i := range set.Sources {
		sources = append(sources, sourceObject(set, i))
	}
	doc.Add("sources", sources)
	doc.Add("columns", r.Columns)
	doc.Add("rows", r.Records)
	if f.writing.out != "" && !stopped {
		doc.Add("out", f.writing.out)
	}
	doc.Add("passed_over", passedOver(set))
	doc.Add("findings", r.Findings)
	doc.Add("proof", show.ProofObject(&r.Proof))
	return a.printWithRecords(doc, spool, stopped)
}

// printWithRecords prints a document, with the records that were spooled unless there are
// none or a finding stops them.
func (a *app) printWithRecords(doc show.Object, spool *show.Output, stopped bool) error {
	if spool == nil || stopped {
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
