package cli

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"os"
	"os/user"
	"path/filepath"
	"time"

	"lastblock/core/finding/decision"
	"lastblock/core/month"
	"lastblock/core/option"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

// relocating is what relocate is asked for.
type relocating struct {
	*chained
	rehearse, anyway bool
	user, reason     string
}

func (a *app) relocate() *cobra.Command {
	f := &relocating{chained: new(chained)}
	cmd := &cobra.Command{
		Use:   "relocate OLD NEW",
		Short: "Sources were moved: where are they now, and is all there?",
		Long: `Finds the sources that blocks have sealed below OLD, a folder or a drive, below NEW, by their content, and
says which are there, changed or missing. Where all are there the paths of the plan are written anew, in place, and
the plan as it was is kept beside it. Decisions, findings and blocks go on to hold: sources are called as they were
before. --rehearse shows what would be done.`,
		Example: `  lastblock relocate lastblock-demo/close/archive lastblock-demo/close/journals --plan lastblock-demo/close/lastblock.toml --rehearse`,
		Args:    cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.runRelocate(cmd.Context(), f, args[0], args[1])
		},
	}
	addOptions(cmd, append(f.options(),
		&option.Option{Word: "rehearse", Value: &f.rehearse, Meaning: "change nothing, and show what would be changed"},
		&option.Option{Word: "anyway", Value: &f.anyway, Meaning: "write the plan although not all files are there"},
		&option.Option{Word: "reason", Value: &f.reason, Meaning: "why they were moved, for the file of decisions"},
		&option.Option{Word: "user", Value: &f.user, Meaning: "who has moved them (the user of this machine)"}))
	return cmd
}

func (a *app) runRelocate(ctx context.Context, f *relocating, old, new string) error {
	p, chain, err := f.read(a)
	if err != nil {
		return err
	}
	stands, err := standing(f.plan)
	if err != nil {
		return err
	}
	done, err := p.Relocate(ctx, chain, stands, old, new)
	if err != nil {
		return err
	}
	shown := &view.Relocation{Relocation: done, Plan: f.plan, Rehearsed: f.rehearse}
	if shown.Written = !f.rehearse && (done.All() || f.anyway); shown.Written {
		who, err := userOf(f.user)
		if err != nil {
			return err
		}
		if shown.Backup, err = a.writeRelocated(f, done, decisionsOf(f.plan), who); err != nil {
			return err
		}
	}
	if f.json {
		err = show.Document(a.stdout, shown.Document())
	} else {
		shown.Print(a.stdout)
	}
	if err == nil && !done.All() {
		return errStop
	}
	return err
}

// writeRelocated notes what was moved and writes the plan anew, both or neither; the plan as it was is kept beside it,
// under a name that is returned. A move that is noted already is not noted again.
func (a *app) writeRelocated(f *relocating, done *month.Relocation, decisions, who string) (backup string, err error) {
	line := decision.Decision{Time: time.Now(), User: who, Verdict: decision.Relocate,
		Reason: cmp.Or(f.reason, "now in "+done.New), ID: "relocate " + done.Old, Source: done.Old, State: done.New}
	var outputs []*show.Output
	if done.Lines != nil {
		if now, err := os.ReadFile(f.plan); err != nil || !bytes.Equal(now, done.Was) {
			return "", cmp.Or(err, fmt.Errorf("%s was changed while its files were looked for; run it again", f.plan))
		}
		for n := 1; backup == ""; n++ {
			if name := fmt.Sprintf("%s.%d.before", f.plan, n); !isThere(name) {
				backup = name
			}
		}
		a.outputs.Rewrite(f.plan)
		for _, file := range []struct {
			path string
			data []byte
		}{{backup, done.Was}, {f.plan, done.Text}} {
			output, err := a.outputs.Create(file.path, true)
			if err != nil {
				return "", err
			}
			output.NotNoted()
			if _, err := output.Write(file.data); err != nil {
				return "", err
			}
			outputs = append(outputs, output)
		}
		backup = filepath.Base(backup)
	}
	if done.Noted {
		return backup, a.outputs.Commit(outputs...)
	}
	return backup, a.addDecisions(decisions, []decision.Decision{line}, outputs...)
}

// userOf is who does something: the one that is named, or the user of this machine.
func userOf(named string) (string, error) {
	if named != "" {
		return named, nil
	}
	current, err := user.Current()
	if err != nil {
		return "", option.Errorf("user", "who is it? The machine does not say: %w", err)
	}
	return current.Username, nil
}
