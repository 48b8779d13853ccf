package cli

import (
	"context"
	"errors"

	"lastblock/core/capability/intake"
	"lastblock/core/month"
	"lastblock/core/source"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

func (a *app) intake() *cobra.Command {
	t := month.NewIntake()
	return a.forTask(t, &cobra.Command{
		Use:   "intake [PATH…]",
		Short: "What arrived, and in what shape?",
		Long: `Lists each source with what its name tells, how it is written, its rows and
dates, and all columns with their kind: text, amount, date or flag. Tells which
columns differ between sources, and what was passed over and why.`,
		Example: `  lastblock intake --plan lastblock-demo/lastblock.toml
  lastblock intake lastblock-demo/journals --name '{entity}_{period}'
  lastblock intake lastblock-demo/journals --only 'corvane*' --head 3`,
	}, func(cmd *cobra.Command, paths []string) error { return a.runIntake(cmd.Context(), t, paths) })
}

func (a *app) runIntake(ctx context.Context, t *month.Intake, paths []string) error {
	options := t.Ask()
	in, err := a.open(ctx, t, paths)
	if none := new(source.NoSourcesError); err != nil && (!errors.As(err, &none) || len(none.PassedOver) == 0) {
		return err // what was passed over is shown, even where nothing else is
	}
	stop := a.progress(in)
	result, err := intake.Run(ctx, in.Set, in.Reading, options)
	stop()
	if err != nil {
		return err
	}
	a.settle(in, t.Name(), result.Findings)
	if t.JSON {
		err = show.Document(a.stdout, view.IntakeDocument(in.Set, t.Head > 0, result))
	} else {
		view.Intake(a.stdout, in.Set, t, result)
	}
	return stopped(err, result.Findings)
}
