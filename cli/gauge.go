package cli

import (
	"context"

	"lastblock/core/capability/gauge"
	"lastblock/core/month"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

func (a *app) gauge() *cobra.Command {
	t := month.NewGauge()
	return a.forTask(t, &cobra.Command{
		Use:   "gauge [PATH…]",
		Short: "What is in each column?",
		Long: `Tells for each column how many values it has and how many are blank or
different, what they add up to, their mean, deviation, quartiles and extremes,
the shortest and the longest text, and the most frequent values. All of it is
exact; the mean and the deviation are rounded to four digits more than the
amounts have. The deviation is that of a sample (n−1). A quartile between two
amounts is interpolated.`,
		Example: `  lastblock gauge --plan lastblock-demo/lastblock.toml
  lastblock gauge lastblock-demo/journals/corvane_2031-01.csv --frequent 5
  lastblock gauge --plan lastblock-demo/lastblock.toml --each --json`,
	}, func(cmd *cobra.Command, paths []string) error { return a.runGauge(cmd.Context(), t, paths) })
}

func (a *app) runGauge(ctx context.Context, t *month.Gauge, paths []string) error {
	options := t.Ask()
	in, err := a.open(ctx, t, paths)
	if err != nil {
		return err
	}
	var kept *show.Output
	if options.Suspense, kept, err = a.openSuspense(&t.Writing); err != nil {
		return err
	}
	stop := a.progress(in)
	result, err := gauge.Run(ctx, in.Set, in.Reading, options)
	stop()
	if err != nil {
		return err
	}
	a.settle(in, t.Name(), result.Findings)
	if err := a.outputs.Commit(kept); err != nil {
		return err
	}
	if t.JSON {
		err = show.Document(a.stdout, view.GaugeDocument(in.Set, result))
	} else {
		view.Gauge(a.stdout, in.Set, result)
	}
	return stopped(err, result.Findings)
}
