package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"lastblock/core/finding/decision"
	"lastblock/core/month"
	"lastblock/core/month/block"
	"lastblock/core/option"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

// freezing is what freeze is asked for.
type freezing struct {
	*chained
	reason, user string
	undo         bool
}

func (a *app) freeze() *cobra.Command {
	f := &freezing{chained: new(chained)}
	cmd := &cobra.Command{
		Use:   "freeze [ENTITY]",
		Short: "A branch was sold: keep its figures without its files",
		Long: `Keeps what an entity has sent, as blocks have sealed it, in the folder frozen beside the plan. From then on
these copies are read in place of its files, under the names that these had: its figures stay in every summary, and
it is no longer missed. A file of it that arrives later is a finding, and is not read. What was frozen is written into
the file of decisions, and sealed with the next block; --undo has its files read again.

Without an entity it lists what is frozen.`,
		Example: `  lastblock freeze --plan lastblock-demo/close/lastblock.toml
  lastblock freeze fallowmere --reason 'sold to another group' --plan lastblock-demo/close/lastblock.toml
  lastblock freeze fallowmere --undo --reason 'bought back' --plan lastblock-demo/close/lastblock.toml`,
		Args: cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 0 {
				return a.listFrozen(f)
			}
			return a.runFreeze(cmd.Context(), f, args[0])
		},
	}
	addOptions(cmd, append(f.options(),
		&option.Option{Word: "reason", Value: &f.reason,
			Meaning: "why, in words that somebody else understands in a year"},
		&option.Option{Word: "undo", Value: &f.undo, Meaning: "read the files of the entity again"},
		&option.Option{Word: "user", Value: &f.user, Meaning: "who freezes (the user of this machine)"}))
	return cmd
}

func (a *app) listFrozen(f *freezing) error {
	if _, _, err := f.read(a); err != nil {
		return err
	}
	stands, err := standing(f.plan)
	if err != nil {
		return err
	}
	return a.showFrozen(f, &view.Frozen{All: stands.Frozen})
}

func (a *app) showFrozen(f *freezing, shown *view.Frozen) error {
	if f.json {
		return show.Document(a.stdout, shown.Document())
	}
	shown.Print(a.stdout)
	return nil
}

func (a *app) runFreeze(ctx context.Context, f *freezing, entity string) error {
	if strings.TrimSpace(f.reason) == "" {
		return option.Errorf("reason", "why? Somebody will ask in a year")
	}
	_, chain, err := f.read(a)
	if err != nil {
		return err
	}
	log, err := decision.Read(decisionsOf(f.plan))
	if err != nil {
		return err
	}
	who, err := userOf(f.user)
	if err != nil {
		return err
	}
	line := decision.Decision{Time: time.Now().UTC().Truncate(time.Second), User: who, Verdict: decision.Freeze,
		Reason: f.reason}
	var shown *view.Frozen
	var copies []*show.Output
	switch is := month.FrozenIn(log, entity); {
	case f.undo && !is:
		return fmt.Errorf("%s is not frozen", entity)
	case f.undo:
		line.Verdict, shown = decision.Unfreeze, &view.Frozen{Undone: entity}
	case is:
		return fmt.Errorf("%s is frozen already; --undo has its files read again", entity)
	default:
		var frozen *month.Frozen
		if frozen, copies, err = a.keepFrozen(ctx, f, chain, entity, &line); err != nil {
			return err
		}
		entity, shown = frozen.Entity, &view.Frozen{All: []*month.Frozen{frozen}, New: true}
	}
	line.ID, line.Source = "freeze "+strings.ToLower(entity), entity
	if err := a.addDecisions(decisionsOf(f.plan), []decision.Decision{line}, copies...); err != nil {
		return err
	}
	return a.showFrozen(f, shown)
}

// decisionsOf is the file of decisions beside a plan.
func decisionsOf(file string) string {
	closing := month.NewClosing()
	closing.Plan = file
	return closing.DecisionsFile()
}

// keepFrozen copies the files of an entity, and lists them. The copies are on the disk and were read from there, and
// get their places together with the line, which says what the list is.
func (a *app) keepFrozen(ctx context.Context, f *freezing, chain *block.Chain, entity string,
	line *decision.Decision) (frozen *month.Frozen, copies []*show.Output, err error) {
	if chain.Last() == nil {
		return nil, nil,
			errors.New("nothing was closed yet, and what is frozen is what a block has sealed; close first")
	}
	t := month.NewClosing()
	if err := month.TakePlan(t, f.plan); err != nil {
		return nil, nil, err
	}
	in, err := a.open(ctx, t, nil)
	if err != nil {
		return nil, nil, err
	}
	p, err := month.ReadPlan(f.plan)
	if err != nil {
		return nil, nil, err
	}
	forms, err := p.FormInputs(ctx, machine())
	if err != nil {
		return nil, nil, err
	}
	frozen, err = month.Freeze(ctx, in, forms, chain, entity)
	if err != nil {
		return nil, nil, err
	}
	frozen.Reason, frozen.User, frozen.Time = line.Reason, line.User, line.Time
	folder := filepath.Join(filepath.Dir(f.plan), month.FrozenFolder)
	copied := make(map[string]bool)
	for i := range frozen.Sources {
		s := &frozen.Sources[i]
		if copied[s.File] {
			continue
		}
		copied[s.File] = true
		to := filepath.Join(folder, filepath.FromSlash(s.File))
		var output *show.Output
		var err error
		if s.Columns != nil {
			output, err = a.writeRecords(chain, s, to)
		} else {
			output, err = a.copyFile(s.PathOf(in), to, s.SHA256)
		}
		if err != nil {
			return nil, nil, err
		}
		copies = append(copies, output)
	}
	list, err := frozen.Encode()
	if err != nil {
		return nil, nil, err
	}
	output, err := a.writeAsSource(filepath.Join(folder, month.ListName(frozen.Entity)), bytes.NewReader(list))
	if err != nil {
		return nil, nil, err
	}
	line.State = block.SealOf(list)
	copies = append(copies, output)
	for _, c := range copies {
		if err := c.ReadBack(); err != nil {
			return nil, nil, err
		}
	}
	return frozen, copies, nil
}

// copyFile copies a file that has to be as it was sealed.
func (a *app) copyFile(from, to, sealed string) (*show.Output, error) {
	file, err := os.Open(from)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	output, err := a.writeAsSource(to, file)
	if err != nil {
		return nil, err
	}
	if hash, err := output.SHA256(); err != nil || hash != sealed {
		return nil, errors.Join(err, fmt.Errorf("%s was changed while it was copied", from))
	}
	return output, nil
}

// writeRecords writes the records that stand for a file, and notes their SHA-256.
func (a *app) writeRecords(chain *block.Chain, s *month.FrozenSource, to string) (output *show.Output, err error) {
	if output, err = a.writeAsSource(to, strings.NewReader("")); err != nil {
		return nil, err
	}
	if err = s.WriteRecords(chain, output); err == nil {
		s.Copy, err = output.SHA256()
	}
	return output, err
}

func (a *app) writeAsSource(path string, from io.Reader) (*show.Output, error) {
	output, err := a.outputs.Create(path, true)
	if err != nil {
		return nil, err
	}
	output.Seal()
	output.NotNoted()
	_, err = io.Copy(output, from)
	return output, err
}
