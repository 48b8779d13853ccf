package cli

import (
	"context"
	"fmt"
	"io"

	"lastblock/core/capability/collate"
	"lastblock/core/capability/doubles"
	"lastblock/core/finding/suspense"
	"lastblock/core/month"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

func (a *app) doubles() *cobra.Command {
	t := month.NewDoubles()
	return a.forTask(t, &cobra.Command{
		Use:   "doubles [PATH…]",
		Short: "What would be counted twice?",
		Long: `Finds what would be counted twice: files that are the same, in the same bytes or
not, files that are contained in others or overlap with them, files that were
sent again with changes; then records that stand more than once, and with --key
those that have one key and different values; with --near records that are
almost the same. What is told with the files is not told again with the records.
Values are compared by what they mean, as prove does.

Nothing is left out before somebody says so: decide ID --drop B leaves one of
them out from then on, decide ID --keep says that all are to be counted, and
--review writes a workbook to decide in. --keep proposes what to keep, and with
--out writes it; --suspense then has the rest.

--near takes conditions, all of which have to hold: amount:0.01 (a tolerance),
posted:3d (days), document:1 (so many edits, of which a swap of neighbours is
one), party:same, amount:opposite (a reversal). It may be given several times.`,
		Example: `  lastblock doubles --plan lastblock-demo/april/lastblock.toml
  lastblock doubles lastblock-demo/journals --only 'dunmarrow*' --total debit,credit
  lastblock doubles --plan lastblock-demo/april/lastblock.toml --review lastblock-demo/april/results/review.xlsx --replace
  lastblock doubles --plan lastblock-demo/april/lastblock.toml --keep last --out lastblock-demo/april/results/kept.csv --suspense lastblock-demo/april/results/dropped.csv --replace`,
	}, func(cmd *cobra.Command, paths []string) error { return a.runDoubles(cmd.Context(), t, paths) })
}

func (a *app) runDoubles(ctx context.Context, t *month.Doubles, paths []string) error {
	options, err := t.Ask()
	if err != nil {
		return err
	}
	files := &doublesFiles{app: a, task: t}
	if err := files.checkNames(); err != nil {
		return err
	}
	in, err := a.open(ctx, t, paths)
	if err != nil {
		return err
	}
	if err := in.Check(ctx, t.Totals); err != nil {
		return err
	}
	if err := files.create(); err != nil {
		return err
	}
	if options.Drop, err = in.Left(); err != nil {
		return err
	}
	stop := a.progress(in)
	result, err := doubles.Find(ctx, in.Set, in.Reading, options)
	stop()
	if err != nil {
		return err
	}
	defer result.Close()
	a.settle(in, t.Name(), result.Findings)
	shown := &view.Doubles{Result: result, Task: t, Set: in.Set, Each: each(in, result.EachFinding)}
	if err := files.write(ctx, shown, paths); err != nil {
		return err
	}
	if t.JSON {
		err = shown.Document(a.stdout)
	} else {
		shown.Print(a.stdout)
	}
	return stopped(err, result.Findings)
}

// doublesFiles are the files that are written.
type doublesFiles struct {
	app  *app
	task *month.Doubles

	format, findingsFormat show.Format
	packed, findingsPacked string

	out, suspense, findings, review *show.Output // nil for those that are not asked for
}

// checkNames makes sure of the names of the files to be written.
func (o *doublesFiles) checkNames() (err error) {
	t := o.task
	if o.format, o.packed, err = formatOf("out", t.Out); err != nil {
		return err
	}
	if o.findingsFormat, o.findingsPacked, err = formatOf("findings", t.Findings); err != nil {
		return err
	}
	return nil
}

// create starts the files.
func (o *doublesFiles) create() (err error) {
	t := o.task
	for _, file := range []struct {
		path   string
		output **show.Output
	}{{t.Out, &o.out}, {t.Suspense, &o.suspense}, {t.Findings, &o.findings}} {
		if file.path == "" {
			continue
		}
		if *file.output, err = o.app.create(&t.Writing, file.path); err != nil {
			return err
		}
	}
	o.review, err = o.app.createReview(&t.Writing)
	return err
}

// write writes the files that are asked for.
func (o *doublesFiles) write(ctx context.Context, r *view.Doubles, paths []string) error {
	if o.out != nil || o.suspense != nil {
		if err := o.writeKept(ctx, r, paths); err != nil {
			return err
		}
	}
	if o.findings != nil {
		if err := show.WriteFindings(o.findings, o.findingsFormat, o.findingsPacked, o.task.Shield,
			r.Each); err != nil {
			return err
		}
	}
	if o.review != nil {
		if err := show.WriteReview(o.review, r.Columns, r.Totals, r.Findings); err != nil {
			return err
		}
	}
	return o.app.outputs.Commit(o.out, o.suspense, o.findings, o.review)
}

// writeKept puts together what is kept, and sets aside what is not.
func (o *doublesFiles) writeKept(ctx context.Context, r *view.Doubles, paths []string) error {
	in, err := o.app.open(ctx, o.task, paths)
	if err != nil {
		return err
	}
	c := &collation{part: in.Whole(), format: show.RecordFormat{Format: o.format, Packed: o.packed,
		Shield: o.task.Shield}}
	c.wanted = collate.Options{Bare: o.task.Bare, Totals: o.task.Totals, Shield: o.task.Shield, Both: true,
		Drop: r.Proposed.Drop}
	if c.wanted.Drop != nil {
		c.wanted.Drop.Reset()
	}
	if o.suspense != nil {
		if c.wanted.Suspense, err = suspense.New(o.suspense, o.task.Shield); err != nil {
			return err
		}
	}
	out := o.out
	if out == nil { // what is kept is counted all the same
		if out, err = o.app.outputs.Spool(); err != nil {
			return err
		}
	}
	stop := o.app.progress(in)
	c.result = out
	if err = c.prepare(ctx); err == nil {
		err = c.write(func(w io.Writer) (err error) {
			r.Kept, err = c.plan.Write(ctx, w)
			return err
		})
	}
	stop()
	if err != nil {
		return err
	}
	if before, after := &r.Result.Proof, &r.Kept.Proof; before.Read != after.Read {
		return fmt.Errorf("the sources have changed since this run began: %s were read first, and %s then; run again",
			show.Count(before.Read, "record"), show.Count(after.Read, "record"))
	}
	return nil
}
