package cli

import (
	"context"

	"lastblock/core/capability/attach"
	"lastblock/core/capability/collate"
	"lastblock/core/month"
	"lastblock/show"

	"github.com/spf13/cobra"
)

func (a *app) attach() *cobra.Command {
	t := month.NewAttach()
	return a.forTask(t, &cobra.Command{
		Use:   "attach [RECORDS…] --from REFERENCE",
		Short: "Look up columns for each record in a reference",
		Long: `Brings columns from a reference to the records: one row in, one row out, in the same
order. Keys are compared by what they mean; numbers with leading zeros are treated as
codes. A key that the reference lacks, or has with different values, is a "stop"
finding, with its records and their money; --else fills what is not found, and makes
that a review.

--from may be given several times; the first --key, --bring and --valid then belong to
the first one, and so on. What one has brought can be the key of the next. With
--valid 'posted in from..until' the row counts that holds on that day.`,
		Example: `  lastblock attach --plan lastblock-demo/lastblock.toml --from lastblock-demo/accounts.csv --key account=code --bring name=account_name --out lastblock-demo/results/named.csv --replace --anyway
  lastblock attach lastblock-demo/journals/corvane_2031-01.csv --from lastblock-demo/accounts.csv --key Konto=code --bring name --bare`,
	}, func(cmd *cobra.Command, paths []string) error {
		ctx := cmd.Context()
		results, err := resultsOf(a, t, month.NewAttach)
		if err != nil {
			return err
		}
		var all []*collation
		for _, r := range results {
			all = append(all, &collation{Asked: r, task: &r.Task.Collate,
				attach: func(in *month.Input, c *collation) error {
					return a.attachTo(ctx, r.Task, in, c)
				}})
		}
		return a.runCollate(ctx, results[0].Task, paths, all)
	})
}

// attachTo has a collation bring the columns of references.
func (a *app) attachTo(ctx context.Context, t *month.Attach, in *month.Input, c *collation) error {
	references, err := t.Ask(ctx, in)
	if err != nil {
		return err
	}
	for _, reference := range references {
		a.sets = append(a.sets, reference.Set)
		reference.Set.TakeFingerprints()
	}
	attached, err := attach.Read(ctx, references, in.Reading,
		attach.Options{Totals: t.Totals, Typed: c.format.Format.IsTyped(), Delimiter: c.format.Delimiter()})
	if err != nil {
		return err
	}
	c.added = new([]show.Cells)
	c.wanted.Adder = &adder{attached, c.added}
	return nil
}

// adder is an attachment as a collation takes it.
type adder struct {
	*attach.Attachment
	columns *[]show.Cells
}

func (a *adder) Worker() collate.AdderWorker { return a.Attachment.Worker() }

func (a *adder) Names() []string {
	*a.columns = nil
	for _, c := range a.Columns() {
		*a.columns = append(*a.columns, show.Cells{Name: c.Name, Kind: c.Kind, Scale: c.Scale})
	}
	return a.Attachment.Names()
}
