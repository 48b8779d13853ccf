package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"lastblock/core/finding/decision"
	"lastblock/core/month"
	"lastblock/core/month/block"
	"lastblock/core/month/plan"
	"lastblock/core/option"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

// chained is what commands on the blocks of a plan are asked for.
type chained struct {
	plan   string
	blocks string
	json   bool
}

func (f *chained) options() option.List {
	return option.List{
		{Word: "plan", Value: &f.plan, File: option.Read, Meaning: "the plan of the month end (" + plan.Name +
			" in the folder you are in)"},
		{Word: "blocks", Value: &f.blocks, File: option.Read,
			Meaning: "the folder of the blocks (that of the plan's [close], or blocks beside the plan)"},
		{Word: "json", Value: &f.json, Meaning: "print one JSON document instead"},
	}
}

// read reads the chain of the plan; a set of outputs that was caught half placed is finished first.
func (f *chained) read(a *app) (p *month.Plan, chain *block.Chain, err error) {
	if f.plan == "" {
		f.plan = plan.Name
	}
	if p, err = month.ReadPlan(f.plan); err != nil {
		return nil, nil, err
	}
	if f.blocks == "" {
		f.blocks = p.Closed().Blocks
	}
	if f.blocks == "" {
		f.blocks = filepath.Join(filepath.Dir(f.plan), "blocks")
	}
	a.outputs.Tidy(f.blocks)
	chain, err = block.Read(f.blocks, filepath.Base(f.plan))
	return p, chain, err
}

func (a *app) history() *cobra.Command {
	f, number := new(chained), 0
	cmd := &cobra.Command{
		Use:   "history",
		Short: "What was sealed, and when?",
		Long: `Lists the blocks of the plan: number, period, time, who, verdict, sources, rows, totals, and the first
digits of the seal. A block that restates says which one. --block shows one of them in full.`,
		Example: `  lastblock history --plan lastblock-demo/lastblock.toml
  lastblock history --plan lastblock-demo/lastblock.toml --json`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			_, chain, err := f.read(a)
			if err != nil {
				return err
			}
			entries := chain.Entries
			if number != 0 {
				if number < 1 || number > len(entries) {
					return option.Errorf("block", "there is no block %d; there are %d", number, len(entries))
				}
				entries = entries[number-1 : number]
			}
			if f.json {
				return show.Document(a.stdout, view.HistoryDocument(entries))
			}
			view.History(a.stdout, f.blocks, entries, number != 0)
			return nil
		},
	}
	addOptions(cmd, append(f.options(), &option.Option{Word: "block", Value: &number,
		Meaning: "show this block in full"}))
	return cmd
}

func (a *app) verify() *cobra.Command {
	f, sources, seal := new(chained), false, ""
	cmd := &cobra.Command{
		Use:   "verify",
		Short: "Has anything been touched since it was sealed?",
		Long: `Holds each block against what the next one says of it, and the results, the figures and the decisions
against what the newest block that names them says; with --sources every source and reference, too. Any byte
that was changed is found. A chain that was written anew as a whole agrees with itself: --seal holds the newest
seal against one that was noted elsewhere.`,
		Example: `  lastblock verify --plan lastblock-demo/lastblock.toml
  lastblock verify --plan lastblock-demo/lastblock.toml --sources`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			p, chain, err := f.read(a)
			if err != nil {
				return err
			}
			files, err := chain.Verify(filepath.Dir(f.plan), sources)
			if err != nil {
				return err
			}
			shown := &view.Verification{Chain: chain, Files: files}
			if shown.Others, err = f.others(p, chain, seal); err != nil {
				return err
			}
			if f.json {
				err = show.Document(a.stdout, shown.Document())
			} else {
				shown.Print(a.stdout)
			}
			if err == nil && !shown.Untouched() {
				return errStop
			}
			return err
		},
	}
	addOptions(cmd, append(f.options(),
		&option.Option{Word: "sources", Value: &sources, Meaning: "hold sources and references against it, too"},
		&option.Option{Word: "seal", Value: &seal, Meaning: "the seal of the newest block, as it was noted elsewhere"}))
	return cmd
}

// others are what is not as the newest block says beside files: the decisions and the seal that was noted. That
// the plan was edited is told, and is no touch.
func (f *chained) others(p *month.Plan, chain *block.Chain, seal string) (all []view.Touch, err error) {
	last := chain.Last()
	if last == nil {
		return nil, nil
	}
	reading := month.NewClosing()
	reading.Plan = f.plan
	log, err := decision.Read(reading.DecisionsFile())
	switch {
	case err != nil:
		all = append(all, view.Touch{What: "decisions", Text: err.Error()})
	case last.Decisions.Lines > 0 && log.SealAt(last.Decisions.Lines) != last.Decisions.Seal:
		all = append(all, view.Touch{What: "decisions", Text: fmt.Sprintf("block %d has sealed %s, the last of which is "+
			"not there as it was", last.Number, show.Count(last.Decisions.Lines, "decision"))})
	}
	noted := strings.ToLower(strings.ReplaceAll(seal, " ", ""))
	if noted != "" && !strings.HasPrefix(last.Seal, noted) {
		all = append(all, view.Touch{What: "seal", Text: fmt.Sprintf("the newest block is %d with the seal %s, and not %s",
			last.Number, block.Short(last.Seal), seal)})
	}
	data, err := os.ReadFile(p.Files()[0])
	if err != nil {
		return nil, err
	}
	if block.SealOf(data) != last.Plan.SHA256 {
		all = append(all, view.Touch{What: "plan", Note: true,
			Text: fmt.Sprintf("the plan was edited since block %d", last.Number)})
	}
	return all, nil
}
