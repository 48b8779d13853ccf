package cli

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"lastblock/core/finding/decision"
	"lastblock/core/month"
	"lastblock/core/month/block"
	"lastblock/core/month/plan"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

// chained is what commands on the blocks of a plan are asked for.
type chained struct {
	plan    string
	blocks  string
	json    bool
	outside bool
}

func (f *chained) options() option.List {
	return option.List{
		{Word: "plan", Value: &f.plan, File: option.Read, Meaning: "the plan of the month end (" + plan.Name +
			" in the folder you are in)"},
		{Word: "blocks", Value: &f.blocks, File: option.Read,
			Meaning: "the folder of the blocks (that of the plan's [close], or blocks beside the plan)"},
		{Word: "outside", Value: &f.outside, Meaning: "let the plan write outside of its own folder"},
		{Word: "json", Value: &f.json, Meaning: "print one JSON document instead"},
	}
}

// read reads the chain of the plan; a set of outputs that was caught half placed is finished first.
func (f *chained) read(a *app) (p *month.Plan, chain *block.Chain, err error) {
	if f.plan == "" {
		f.plan = plan.Name
	}
	if p, err = readPlan(f.plan, f.outside, month.NewClosing().Name()); err != nil {
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
	f, number, wish := new(chained), 0, block.Wish{}
	cmd := &cobra.Command{
		Use:   "history [COLUMN=VALUE…]",
		Short: "What was sealed, and how did a figure go from close to close?",
		Long: `Lists the blocks of the plan: number, period, time, who, verdict, sources, rows, totals, and the first
digits of the seal. A block that restates stands beneath the one that it restates. With a group of a summary,
COLUMN=VALUE, it shows that figure from block to block, what changed, and which sources made the change.
--block shows one block in full.`,
		Example: `  lastblock history --plan lastblock-demo/close/lastblock.toml
  lastblock history account=04100 --plan lastblock-demo/close/lastblock.toml
  lastblock history --plan lastblock-demo/close/lastblock.toml --block 1`,
		RunE: func(_ *cobra.Command, texts []string) (err error) {
			if wish.Words, err = block.ParseWords(texts); err != nil {
				return err
			}
			_, chain, err := f.read(a)
			if err != nil {
				return err
			}
			if len(wish.Words) > 0 {
				return a.showCourse(f, chain, wish)
			}
			if wish.Result != "" || wish.Sum != "" {
				return errors.New("which figure? Name its group, COLUMN=VALUE")
			}
			return a.showHistory(f, chain, number)
		},
	}
	addOptions(cmd, append(f.options(),
		&option.Option{Word: "block", Value: &number, Meaning: "show this block in full"},
		&option.Option{Word: "named", Value: &wish.Result, Meaning: "the result whose figure is shown"},
		&option.Option{Word: "sum", Value: &wish.Sum, Meaning: "the column of the figure (the first of the result)"}))
	return cmd
}

// standing is what stands beside the decisions of a plan.
func standing(file string) (*month.Standing, error) {
	log, err := decision.Read(decisionsOf(file))
	if err != nil {
		return nil, err
	}
	return month.ReadStanding(filepath.Dir(file), log)
}

// showHistory lists the blocks, or one of them in full.
func (a *app) showHistory(f *chained, chain *block.Chain, number int) (err error) {
	entries := chain.Entries
	var sources []block.Source
	if number != 0 {
		if number < 1 || number > len(entries) {
			return option.Errorf("block", "there is no block %d; there are %d", number, len(entries))
		}
		entries = entries[number-1 : number]
		if sources, err = chain.Sources(&entries[0]); err != nil {
			return err
		}
		if entries[0].Bridges, err = chain.Bridges(&entries[0]); err != nil {
			return err
		}
	}
	if f.json {
		return show.Document(a.stdout, view.HistoryDocument(entries, sources))
	}
	view.History(a.stdout, f.blocks, entries)
	if number != 0 {
		view.BlockInFull(a.stdout, &entries[0], sources)
	}
	return nil
}

// noteLost says what blocks cannot show, for files that are gone.
func (a *app) noteLost(chain *block.Chain) {
	for _, lost := range chain.Lost {
		a.note([]string{lost.Error()})
	}
}

// showCourse shows a figure from block to block.
func (a *app) showCourse(f *chained, chain *block.Chain, wish block.Wish) error {
	points, err := chain.Course(wish)
	if err != nil {
		return err
	}
	a.noteLost(chain)
	if f.json {
		return show.Document(a.stdout, view.CourseDocument(points))
	}
	view.Course(a.stdout, points)
	return nil
}

func (a *app) verify() *cobra.Command {
	f, wanted, seal := new(chained), block.Wanted{Jobs: runtime.GOMAXPROCS(0)}, ""
	cmd := &cobra.Command{
		Use:   "verify",
		Short: "Has anything been touched since it was sealed?",
		Long: `Holds each block against what the next one says of it, and the results, the figures and the decisions against
what the newest block that names them says; with --sources every source and reference, too. Any byte that was
changed is found; a source that has changed or gone since is superseded where a newer block has settled that.
Where a file of an earlier block is gone it says what newer blocks cannot show without it. A chain that was
written anew as a whole, or from whose end a block was deleted, agrees with itself: --seal holds the newest seal
against one that was noted elsewhere.`,
		Example: `  lastblock verify --plan lastblock-demo/close/lastblock.toml
  lastblock verify --plan lastblock-demo/close/lastblock.toml --sources`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			p, chain, err := f.read(a)
			shown := &view.Verification{Chain: chain, Noted: seal != ""}
			if !errors.As(err, &shown.Broken) && err != nil {
				return err
			}
			if shown.Broken == nil {
				wanted.Root = filepath.Dir(f.plan)
				stands, unread := standing(f.plan)
				if unread == nil { // else it is told to be touched
					wanted.Moved, wanted.StandFor = stands.Moves, stands.StandFor()
				}
				if err := a.verifyFiles(cmd.Context(), f, p, shown, wanted); err != nil {
					return err
				}
				if shown.Others, err = f.others(p, chain, seal); err != nil {
					return err
				}
				frozen, err := f.frozen(cmd.Context(), stands, unread)
				if err != nil {
					return err
				}
				shown.Others = append(shown.Others, frozen...)
			}
			if f.json {
				err = show.Document(a.stdout, shown.Document())
			} else {
				shown.Print(a.stdout)
				err = nil
			}
			if err == nil && !shown.Untouched() {
				return errStop
			}
			return err
		},
	}
	addOptions(cmd, append(f.options(),
		&option.Option{Word: "sources", Value: &wanted.Sources, Meaning: "hold sources and references against it, too"},
		&option.Option{Word: "block", Value: &wanted.Block, Meaning: "what this block has sealed, and nothing else"},
		&option.Option{Word: "seal", Value: &seal, Meaning: "the seal of the newest block, as it was noted elsewhere"}))
	return cmd
}

// verifyFiles holds files against the blocks. Where a file of several entries or sheets has changed, or a
// database is a source, the sources of the plan are read again.
func (a *app) verifyFiles(ctx context.Context, f *chained, p *month.Plan, shown *view.Verification,
	wanted block.Wanted) (err error) {
	if n := len(shown.Chain.Entries); wanted.Block < 0 || wanted.Block > n {
		return option.Errorf("block", "there is no block %d; there are %d", wanted.Block, n)
	}
	if shown.Files, err = shown.Chain.Verify(ctx, wanted); err != nil {
		return err
	}
	if shown.Losses, err = shown.Chain.Losses(shown.Files); err != nil {
		return err
	}
	if !slices.ContainsFunc(shown.Files, func(s block.Sealed) bool {
		return s.State == block.Unknown || s.Role == block.OfSource && s.State == block.Changed
	}) {
		return nil
	}
	t := month.NewCollate()
	if err := month.TakePlan(t, f.plan); err != nil {
		return err
	}
	in, err := a.open(ctx, t, nil)
	if none := new(source.NoSourcesError); errors.As(err, &none) {
		return nil // which tells enough of each file
	}
	if err != nil {
		return err
	}
	return month.Recheck(ctx, p, in, shown.Chain, shown.Files)
}

// frozen are the copies of frozen files that are not as they were frozen. unread is why what stands could not be read.
func (f *chained) frozen(ctx context.Context, stands *month.Standing, unread error) (all []view.Touch, err error) {
	if unreadable := new(month.FrozenError); errors.As(unread, &unreadable) {
		return []view.Touch{{What: "frozen", Text: show.Flags(unreadable.Error())}}, nil
	}
	if unread != nil {
		return nil, nil // the decisions are told beside it
	}
	touched, err := stands.Touched(ctx, filepath.Dir(f.plan))
	for _, c := range touched {
		became := "has changed"
		if c.State == block.Gone {
			became = "is gone"
		}
		text := fmt.Sprintf("%s, the copy of %s, %s since %s was frozen; put it back, or have its own files read "+
			"again with 'freeze %s --undo --reason TEXT'", c.Name, c.Source, became, c.Entity, c.Entity)
		all = append(all, view.Touch{What: "frozen", Text: text})
	}
	return all, err
}

// others are what is not as the newest block says beside files: the decisions and the seal that was noted. That
// the plan was edited is told, and is no touch.
func (f *chained) others(p *month.Plan, chain *block.Chain, seal string) (all []view.Touch, err error) {
	last := chain.Last()
	if last == nil {
		return nil, nil
	}
	log, err := decision.Read(decisionsOf(f.plan))
	switch {
	case err != nil:
		all = append(all, view.Touch{What: "decisions", Text: err.Error()})
	case last.Decisions.Lines > 0 && log.SealAt(last.Decisions.Lines) != last.Decisions.Seal:
		all = append(all, view.Touch{What: "decisions",
			Text: fmt.Sprintf("block %d has sealed %s, the last of which is "+
				"not there as it was", last.Number, show.Count(last.Decisions.Lines, "decision"))})
	}
	noted := strings.ToLower(strings.ReplaceAll(seal, " ", ""))
	if noted != "" && !strings.HasPrefix(last.Seal, noted) {
		all = append(all, view.Touch{What: "seal",
			Text: fmt.Sprintf("the newest block is %d with the seal %s, and not %s",
				last.Number, block.Short(last.Seal), seal)})
	}
	for i := 1; i < len(chain.Entries); i++ {
		if e, before := &chain.Entries[i], &chain.Entries[i-1]; e.Time.Before(before.Time) {
			all = append(all, view.Touch{What: "clock", Note: true,
				Text: fmt.Sprintf("block %d was closed at an earlier time "+
					"than block %d before it; the order is that of the numbers", e.Number, before.Number)})
		}
	}
	stands, err := standing(f.plan)
	if err != nil {
		return all, nil // the decisions are told to be touched
	}
	same, err := p.IsPlanOf(last.Plan.SHA256, stands.Moves)
	if err != nil {
		return nil, err
	}
	if !same {
		all = append(all, view.Touch{What: "plan", Note: true,
			Text: fmt.Sprintf("the plan was edited since block %d", last.Number)})
	}
	return all, nil
}
