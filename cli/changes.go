package cli

import (
	"context"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/month"
	"lastblock/core/month/block"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

// bridgedGroups is how many groups of each total have a bridge that nobody has asked for.
const bridgedGroups = 3

// shownRecords is how many records of each source are shown that are not as they were retained.
const shownRecords = 5

func (a *app) changes() *cobra.Command {
	f, since, bridged := new(chained), 0, month.BridgeOptions{Top: bridgedGroups}
	cmd := &cobra.Command{
		Use:   "changes",
		Short: "What is new since the last block, and what does it do?",
		Long: `Holds today's sources against the newest block: which are new, changed, moved or gone, with their records
and totals before and now. Then a bridge leads from each figure of a result, as it was sealed, to what it is
now: by new, changed and gone sources, by decisions, by references and the plan. The groups that moved most have
bridges of their own; currencies are never added to one another. Nothing is written.

Sources of periods that are closed stand first.`,
		Example: `  lastblock changes --plan lastblock-demo/close/lastblock.toml
  lastblock changes --plan lastblock-demo/close/lastblock.toml --since 1 --by account --top 5`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error { return a.runChanges(cmd.Context(), f, since, bridged) },
	}
	addOptions(cmd, append(f.options(),
		&option.Option{Word: "since", Value: &since, Meaning: "the block to compare with (that of the latest period)"},
		&option.Option{Word: "by", Value: &bridged.By,
			Meaning: "columns of the groups that have bridges (all of each result)"},
		&option.Option{Word: "top", Value: &bridged.Top,
			Meaning: "how many groups have bridges, those that moved most"}))
	return cmd
}

func (a *app) runChanges(ctx context.Context, f *chained, since int, bridged month.BridgeOptions) error {
	p, chain, err := f.read(a)
	if err != nil {
		return err
	}
	entry, err := entryOf(chain, since)
	if err != nil {
		return err
	}
	t := month.NewClosing()
	if err := month.TakePlan(t, f.plan); err != nil {
		return err
	}
	in, err := a.open(ctx, t, nil)
	if err != nil {
		return err
	}
	seen := source.ReadSeen(in.Seen)
	stops, err := month.ClosedChanged(ctx, in, chain)
	stops = append(in.Arrived, stops...)
	if err != nil {
		return err
	}
	done, err := p.Changes(ctx, in, chain, entry, Version, seen)
	if done != nil {
		defer done.Close()
	}
	if err != nil {
		return err
	}
	if in.Seen != "" {
		_ = seen.Write(in.Seen) // a hint, without which they are hashed again
	}
	stops = append(stops, done.Found...)
	if err := done.Records(ctx, in, chain, shownRecords); err != nil {
		return err
	}
	shown := &view.Changes{Since: entry, Compared: done, Findings: stops}
	if shown.Bridges, err = done.Bridges(bridged); err != nil {
		return err
	}
	if shown.Forms, err = p.FormChanges(ctx, chain, entry, Version, seen, machine()); err != nil {
		return err
	}
	for _, of := range shown.Forms {
		defer of.Close()
		if err := takeForms(ctx, shown, of, chain, bridged); err != nil {
			return err
		}
	}
	settleAll(in, shown.Findings)
	remember([]string{"changes", f.plan}, shown.Findings)
	if f.json {
		err = shown.Document(a.stdout)
	} else {
		shown.Print(a.stdout)
	}
	return stopped(err, shown.Findings)
}

// takeForms adds what has changed of the forms of a grid.
func takeForms(ctx context.Context, shown *view.Changes, of *month.BeforeAndNow, chain *block.Chain,
	bridged month.BridgeOptions) error {
	in := of.Forms().In
	stops, err := month.ClosedChanged(ctx, in, chain)
	if err != nil {
		return err
	}
	shown.Findings = slices.Concat(shown.Findings, in.Arrived, stops, of.Found)
	bridges, err := of.Bridges(bridged)
	shown.Bridges = append(shown.Bridges, bridges...)
	return err
}

// settleAll is settle for several findings.
func settleAll(in *month.Input, findings []finding.Finding) {
	for i := range findings {
		settle(in, &findings[i])
	}
}

// entryOf is a block by its number; 0 stands for the newest one of the latest period.
func entryOf(chain *block.Chain, number int) (*block.Entry, error) {
	n := len(chain.Entries)
	switch {
	case n == 0:
		return nil, option.Errorf("blocks", "nothing was closed yet in %s", chain.Folder)
	case number < 0 || number > n:
		return nil, option.Errorf("since", "there is no block %d; there are %d", number, n)
	case number > 0:
		return &chain.Entries[number-1], nil
	}
	return chain.Latest(), nil
}
