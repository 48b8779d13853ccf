package cli

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"strings"

	"lastblock/core/month"
	"lastblock/core/month/block"
	"lastblock/core/month/pack"
	"lastblock/core/month/plan"
	"lastblock/core/option"
	"lastblock/show"
	"lastblock/show/book"
	"lastblock/show/page"
	"lastblock/show/report"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

func (a *app) report() *cobra.Command {
	t := month.NewReport()
	cmd := a.forTask(t, &cobra.Command{
		Use:   "report --out FILE",
		Short: "The page and the workbook for the manager",
		Long: `Lays out a month end for those who are reported to: its verdict, key figures, who has filed, the
summaries with what each source gave, what has changed in closed periods, control totals, doubles, statements,
grids, findings with what was decided, and the proof. One file: a page that any browser shows without a network,
or a workbook.

With --block it is made of a block, without its sources. Without, the next close is rehearsed, and the report says
that it is not sealed. close makes both where the plan has [report], and seals them. --for gives a branch its own.`,
		Example: `  lastblock report --plan lastblock-demo/lastblock.toml --out lastblock-demo/results/rehearsal.html --replace
  lastblock report --plan lastblock-demo/close/lastblock.toml --block 1 --out lastblock-demo/results/pack.xlsx --replace
  lastblock report --plan lastblock-demo/close/lastblock.toml --block 1 --for dunmarrow --out lastblock-demo/results/dunmarrow.html --replace
  lastblock report --plan lastblock-demo/close/lastblock.toml --block 1 --section figures,findings --json`,
	}, func(cmd *cobra.Command, _ []string) error { return a.runReport(cmd.Context(), t) })
	cmd.Args = cobra.NoArgs
	return cmd
}

// reportable is what reports are made of.
type reportable struct {
	all     *pack.Report
	block   *block.Block
	figures pack.Figures
	own     map[string]*pack.Report // by entity
	chain   *block.Chain            // of a block that is sealed; nil else
}

// of is what an entity may see; all with "". What sources gave to all figures is gathered when it is asked for first.
func (f *reportable) of(entity string) (_ *pack.Report, err error) {
	if entity == "" {
		if f.all.Given == nil {
			f.all.Given, err = pack.Gather(f.block, f.figures, nil)
			if lost := new(block.LostError); f.chain != nil && errors.As(err, &lost) {
				f.chain.Lost, f.all.Given, err = append(f.chain.Lost, lost), new(pack.Given), nil
			}
		}
		return f.all, err
	}
	if f.own[entity] != nil {
		return f.own[entity], nil
	}
	isOwn, err := f.all.Own(entity)
	if err != nil {
		return nil, option.Errorf("for", "%w", err)
	}
	given, err := pack.Gather(f.block, f.figures, isOwn)
	if err != nil {
		return nil, err
	}
	own, err := f.all.For(entity, given)
	if err != nil {
		return nil, err
	}
	if f.own == nil {
		f.own = make(map[string]*pack.Report)
	}
	f.own[entity] = own
	return own, nil
}

// reporting is one of the reports of a run, on its way.
type reporting struct {
	*month.Result[*month.Report]
	outputs []*show.Output
	made    []view.Made
}

// createReport starts the files of a report; in is what their names may speak of.
func (a *app) createReport(r *reporting, in *month.Input) error {
	if err := r.Fill(in); err != nil {
		return err
	}
	for _, path := range r.Task.Out {
		output, err := a.create(&r.Task.Writing, path)
		if err != nil {
			return err
		}
		r.outputs = append(r.outputs, output)
	}
	return nil
}

// write writes the files of a report.
func (r *reporting) write(from *reportable) error {
	of, err := from.of(r.Task.For)
	if err != nil {
		return r.Err(err)
	}
	for _, output := range r.outputs {
		write, limits := page.Write, report.PageLimits
		if strings.EqualFold(filepath.Ext(output.Path()), month.WorkbookEnding) {
			write, limits = book.Write, report.BookLimits
		}
		output.Seal()
		output.From(&show.Origin{Plan: filepath.Base(of.Plan.Name), Result: r.Command(), Block: of.Number,
			Period: of.Period})
		laid := report.Lay(of, r.Task.Shows(), limits)
		if err := write(output, laid); err != nil {
			return err
		}
		r.made = append(r.made, view.Made{Path: output.Path(), Sections: len(laid.Sections)})
	}
	return nil
}

func (a *app) runReport(ctx context.Context, t *month.Report) error {
	if a.plan == nil {
		return option.Errorf("plan", "there is no %s in this folder; name the plan", plan.Name)
	}
	for _, o := range a.options {
		if o.Given.Typed && !t.MayBeTyped(o) {
			return option.Errorf(
				o.Word,
				"it does not go together with a report, which reads what the plan names, as the "+
					"plan says",
			)
		}
	}
	results, err := resultsOf(a, t, month.NewReport)
	if err != nil {
		return err
	}
	var all []*reporting
	for _, r := range results {
		r.Task.Plan = t.Plan
		if err := r.Task.Check(); err != nil {
			return r.Err(err)
		}
		if len(r.Task.Out) == 0 && !t.JSON {
			return option.Errorf("out", "name a file: pack.html for the page, pack.xlsx for the workbook")
		}
		all = append(all, &reporting{Result: r})
	}
	if t.JSON && len(all) > 1 {
		return fmt.Errorf("there are %d reports; choose one with ⟨named⟩", len(all))
	}
	shown := &view.Report{}
	give := func(from *reportable) error { return a.giveReport(all, from, shown, t.JSON) }
	if t.Block > 0 {
		err = a.reportBlock(all, give)
	} else {
		err = a.reportRehearsal(ctx, all, give)
	}
	if err != nil {
		return err
	}
	if t.JSON {
		err = a.spooled(shown.Document)
	} else {
		shown.Print(a.stdout)
	}
	if err == nil && shown.Stops() {
		return errStop
	}
	return err
}

// giveReport writes the reports, and notes what is to be shown of them.
func (a *app) giveReport(all []*reporting, from *reportable, shown *view.Report, json bool) (err error) {
	if shown.Report, err = from.of(all[0].Task.For); err != nil {
		return all[0].Err(err)
	}
	shown.Sections = all[0].Task.Shows()
	var ready []*show.Output
	for _, r := range all {
		if err := r.write(from); err != nil {
			return err
		}
		shown.Made, ready = append(shown.Made, r.made...), append(ready, r.outputs...)
	}
	return a.outputs.Commit(ready...)
}

// reportBlock reports a block, of which nothing but its own files is read.
func (a *app) reportBlock(all []*reporting, give func(*reportable) error) error {
	task := all[0].Task
	folder := a.plan.BlocksFolder()
	a.outputs.Tidy(folder)
	chain, err := block.Read(folder, filepath.Base(task.Plan))
	if err != nil {
		return err
	}
	if task.Block > len(chain.Entries) {
		return option.Errorf("block", "there is no block %d; there are %d", task.Block, len(chain.Entries))
	}
	e := &chain.Entries[task.Block-1]
	for _, r := range all {
		if err := a.createReport(r, &month.Input{Closing: e.Period}); err != nil {
			return r.Err(err)
		}
	}
	from, err := sealedReport(chain, e)
	if err == nil {
		err = give(from)
	}
	if err == nil {
		a.noteLost(chain)
	}
	return err
}

// against is a block that a pack is held against; nil for none.
func against(chain *block.Chain, e *block.Entry) (*pack.Against, error) {
	if e == nil {
		return nil, nil
	}
	sources, err := chain.Sources(e)
	return &pack.Against{Entry: e, Sources: sources}, err
}

// sealedReport is what a block tells.
func sealedReport(chain *block.Chain, e *block.Entry) (*reportable, error) {
	sources, err := chain.Sources(e)
	if err != nil {
		return nil, err
	}
	figures := func(visit func(*block.Figure) error) error { return chain.Figures(e, nil, visit) }
	p, err := pack.OfBlock(chain, e, sources, figures)
	if err != nil {
		return nil, err
	}
	var before *pack.Against
	if p.Since > 0 && p.Since <= len(chain.Entries) {
		if before, err = against(chain, &chain.Entries[p.Since-1]); err != nil {
			return nil, err
		}
	}
	with := *e
	if with.Bridges, err = chain.Bridges(e); err != nil {
		return nil, err
	}
	return &reportable{all: pack.NewReport(p, pack.Sealed, &with, sources, before), block: &e.Block, figures: figures,
		chain: chain}, nil
}

// reportRehearsal reports what a close would come to.
func (a *app) reportRehearsal(ctx context.Context, all []*reporting, give func(*reportable) error) error {
	task := all[0].Task.Rehearsal(a.plan)
	c := &closing{app: a, task: task, root: filepath.Dir(task.Plan), reported: true}
	_, err := c.run(ctx, func(from *reportable) error {
		for _, r := range all {
			if err := a.createReport(r, c.in); err != nil {
				return r.Err(err)
			}
			for _, output := range r.outputs {
				if err := a.keepSealed(output.Path()); err != nil {
					return r.Err(err)
				}
			}
		}
		return give(from)
	})
	return err
}
