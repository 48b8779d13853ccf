package cli

import (
	"context"

	"lastblock/core/capability/tieout"
	"lastblock/core/month"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

func (a *app) tieout() *cobra.Command {
	t := month.NewTieOut()
	return a.forTask(t, &cobra.Command{
		Use:   "tieout [PATH…]",
		Short: "Does it agree with what was declared, and is everybody there?",
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
	}, func(cmd *cobra.Command, paths []string) error { return a.runTieout(cmd.Context(), t, paths) })
}

func (a *app) runTieout(ctx context.Context, t *month.TieOut, paths []string) error {
	in, err := a.open(ctx, t, paths)
	if err != nil {
		return err
	}
	if a.plan != nil {
		if err := a.plan.Compare(ctx, in, machine()); err != nil {
			return err
		}
	}
	options, err := t.Ask(ctx, in)
	if err != nil {
		return err
	}
	if err := in.Check(ctx, t.Totals); err != nil {
		return err
	}
	if a.plan != nil {
		if options.Noticed, err = a.plan.Noticed(ctx, in); err != nil {
			return err
		}
	}
	var kept, findings *show.Output
	if options.Suspense, kept, err = a.openSuspense(&t.Writing); err != nil {
		return err
	}
	format, packed, err := formatOf("findings", t.Findings)
	if err != nil {
		return err
	}
	if t.Findings != "" {
		if findings, err = a.create(&t.Writing, t.Findings); err != nil {
			return err
		}
	}
	review, err := a.createReview(&t.Writing)
	if err != nil {
		return err
	}
	stop := a.progress(in)
	result, err := tieout.Run(ctx, in.Set, in.Reading, options)
	stop()
	if err != nil {
		return err
	}
	defer result.Close()
	a.settle(in, t.Name(), result.Findings)
	shown := view.TieOut{Result: result, Set: in.Set, Top: t.Top, Bottom: t.Bottom, Every: t.Each,
		Each: each(in, result.EachFinding)}
	if a.plan != nil {
		shown.Verdict = in.VerdictOf(result)
	}
	if findings != nil {
		if err := show.WriteFindings(findings, format, packed, t.Shield, shown.Each); err != nil {
			return err
		}
	}
	if review != nil {
		if err := show.WriteReview(review, nil, nil, result.Findings); err != nil {
			return err
		}
	}
	if err := a.outputs.Commit(kept, findings, review); err != nil {
		return err
	}
	if t.JSON {
		err = shown.Document(a.stdout)
	} else {
		shown.Print(a.stdout)
	}
	return stopped(err, result.Findings)
}
