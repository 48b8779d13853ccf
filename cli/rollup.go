package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"

	"lastblock/core/capability/rollup"
	"lastblock/core/finding"
	"lastblock/core/month"
	"lastblock/show"
	"lastblock/show/view"

	"github.com/spf13/cobra"
)

func (a *app) rollup() *cobra.Command {
	t := month.NewRollup()
	return a.forTask(t, &cobra.Command{
		Use:   "rollup PATH… --by COLUMNS --sum COLUMNS",
		Short: "What do the records come to, by group?",
		Long: `One row per group of records that agree in the columns of --by: their number
and the exact sums of the columns of --sum. Group columns are those of the
data, the words of --name, and source. --across spreads the sums over the
values of one more column.`,
		Example: `  lastblock rollup --plan lastblock-demo/lastblock.toml --anyway
  lastblock rollup --plan lastblock-demo/lastblock.toml --by entity,account --sum debit,credit --across '' --subtotals --anyway
  lastblock rollup --plan lastblock-demo/lastblock.toml --by account --across '' --share --top 3 --anyway
  lastblock rollup lastblock-demo/journals/dunmarrow_2031-01.txt --by account --sum debit`,
	}, func(cmd *cobra.Command, paths []string) error { return a.runRollup(cmd.Context(), t, paths) })
}

// summary is one of the summaries of a run, on its way.
type summary struct {
	*month.Result[*month.Rollup]
	part    *month.Part
	options rollup.Options
	form    rollup.Form
	job     *rollup.Job
	done    *rollup.Result

	format       show.Format
	packed       string
	output, kept *show.Output // nil for those that are not asked for
}

func (a *app) runRollup(ctx context.Context, typed *month.Rollup, paths []string) error {
	results, err := resultsOf(a, typed, month.NewRollup)
	if err != nil {
		return err
	}
	summaries := make([]*summary, len(results))
	for i, r := range results {
		summaries[i] = &summary{Result: r}
		if summaries[i].options, summaries[i].form, err = r.Task.Request.Read(); err != nil {
			return r.Err(err)
		}
	}
	in, err := a.open(ctx, results[0].Task, paths)
	if err != nil {
		return err
	}
	for _, s := range summaries {
		if err := a.createSummary(s, in); err != nil {
			return s.Err(err)
		}
	}
	if err := a.needPlaces(len(results), typed.JSON,
		func(i int) bool { return summaries[i].output != nil }); err != nil {
		return err
	}
	shown, err := a.sumUp(ctx, in, summaries)
	for _, s := range summaries {
		if s.done != nil {
			defer s.done.Close()
		}
	}
	if err != nil {
		return err
	}
	if err := a.giveSummaries(typed, summaries, shown); err != nil {
		return err
	}
	return stopped(nil, shown.Findings)
}

// createSummary starts the files of a summary.
func (a *app) createSummary(s *summary, in *month.Input) error {
	err := s.Fill(in)
	if err != nil {
		return err
	}
	t := s.Task
	if s.format, s.packed, err = formatOf("out", t.Out); err != nil {
		return err
	}
	if t.Out != "" {
		if s.output, err = a.create(&t.Writing, t.Out); err != nil {
			return err
		}
	}
	s.options.Suspense, s.kept, err = a.openSuspense(&t.Writing)
	return err
}

// sumUp makes the summaries, in one reading with the tie-out of the plan.
func (a *app) sumUp(ctx context.Context, in *month.Input, summaries []*summary) (*view.Summaries, error) {
	stop := a.progress(in)
	defer stop()
	run, err := a.begin(ctx, in)
	if err != nil {
		return nil, err
	}
	asked := make([]month.Asked, len(summaries))
	for i, s := range summaries {
		asked[i] = s
	}
	parts, err := month.Together(ctx, run, asked)
	if err != nil {
		return nil, err
	}
	for i, s := range summaries {
		s.part = parts[i]
		if err := s.prepare(ctx); err != nil {
			return nil, s.Err(err)
		}
	}
	if err := run.Read(ctx); err != nil {
		for _, s := range summaries {
			err = errors.Join(err, s.job.Close())
		}
		return nil, errors.Join(err, run.Close())
	}
	shown := &view.Summaries{Set: in.Set}
	if shown.Verdict, err = run.Verdict(ctx); err != nil {
		return nil, err
	}
	var lists [][]finding.Finding
	for _, s := range summaries {
		if s.done, err = s.job.Finish(); err != nil {
			return nil, err
		}
		lists = append(lists, settled(&s.part.Input, s.done.Findings))
		formed, err := s.done.In(s.form, s.Task.Sum)
		if err != nil {
			return nil, s.Err(err)
		}
		shown.All = append(shown.All, &view.Rollup{Formed: formed, Name: s.Name(), Out: s.Task.Out,
			Shield: s.Task.Shield, Remark: view.Remark(shown.Verdict)})
	}
	shown.Findings = a.together(in, shown.Verdict, lists...)
	return shown, nil
}

// prepare makes the summary ready to be shown the records.
func (s *summary) prepare(ctx context.Context) (err error) {
	if s.options.Drop, err = s.part.Left(); err != nil {
		return err
	}
	s.options.Twins = true
	if s.job, err = rollup.Prepare(ctx, s.part.Set, s.part.Reading, s.options); err != nil {
		return err
	}
	s.part.Join(s.job)
	return nil
}

// giveSummaries writes the summaries to their files, or prints them, unless there is something
// that stops them.
func (a *app) giveSummaries(typed *month.Rollup, summaries []*summary, shown *view.Summaries) error {
	shown.Withheld = finding.Stops(shown.Findings) &&
		slices.ContainsFunc(summaries, func(s *summary) bool { return !s.Task.Anyway })
	var ready []*show.Output
	report := a.beside()
	for i, s := range summaries {
		one := shown.All[i]
		ready = append(ready, s.kept)
		switch {
		case shown.Withheld: // for the proof
			if err := one.Each(func(rollup.Row) error { return nil }); err != nil {
				return err
			}
		case s.output != nil && s.format == show.JSON:
			alone, itself := *shown, *one
			itself.Out = ""
			alone.All, alone.Findings = []*view.Rollup{&itself}, s.done.Findings
			if err := show.WritePacked(s.output, s.packed, alone.Document); err != nil {
				return err
			}
		case s.output != nil:
			if err := one.Write(s.output, s.format, s.packed); err != nil {
				return err
			}
		}
		if !shown.Withheld {
			ready = append(ready, s.output)
		}
	}
	if err := a.outputs.Commit(ready...); err != nil {
		return err
	}
	if typed.JSON {
		return a.spooled(shown.Document)
	}
	if shown.Withheld {
		fmt.Fprintln(a.stderr, "there is no result, because of \"stop\" findings; --anyway gives it all the same")
	}
	for i, s := range summaries {
		one := shown.All[i]
		switch {
		case shown.Withheld:
		case s.output != nil:
			report = a.stdout
			fmt.Fprintf(a.stdout, "%s: %s of %s\n", s.Task.Out, show.Count(one.Count, "group"),
				show.Count(one.Formed.Result.Total.Records, "record"))
		case a.stdout.Terminal:
			if len(summaries) > 1 {
				fmt.Fprintf(a.stdout, "%s\n", a.stdout.Bold(s.Name()))
			}
			if err := one.Print(a.stdout); err != nil {
				return err
			}
		default:
			if err := a.spooled(func(w io.Writer) error { return one.Write(w, show.CSV, "") }); err != nil {
				return err
			}
		}
	}
	shown.Report(report)
	return nil
}

// spooled prints what write writes, once all of it is there and its proof holds.
func (a *app) spooled(write func(w io.Writer) error) error {
	spool, err := a.outputs.Spool()
	if err != nil {
		return err
	}
	if err := write(spool); err != nil {
		return err
	}
	reader, err := spool.Reader()
	if err != nil {
		return err
	}
	_, err = io.Copy(a.stdout, reader)
	return err
}
