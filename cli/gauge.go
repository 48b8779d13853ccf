package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/capability/gauge"
	"lastblock/core/finding"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/value/statistic"
	"lastblock/show"

	"github.com/spf13/cobra"
)

type gaugeFlags struct {
	reading  reading
	writing  writing
	each     bool
	frequent int
}

func (a *app) gauge() *cobra.Command {
	f := new(gaugeFlags)
	cmd := &cobra.Command{
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
		Args: needPaths,
		RunE: func(cmd *cobra.Command, paths []string) error { return a.runGauge(cmd.Context(), f, paths) },
	}
	cmd.Flags().BoolVar(&f.each, "each", false, "of each source, too")
	cmd.Flags().IntVar(&f.frequent, "frequent", 3, "how many of the most frequent values to show")
	f.writing.addSuspense(cmd)
	f.reading.addTo(a, cmd)
	return cmd
}

func (a *app) runGauge(ctx context.Context, f *gaugeFlags, paths []string) error {
	if f.frequent < 0 {
		return fmt.Errorf("--frequent %d: a number of values is needed", f.frequent)
	}
	in, err := f.reading.openSources(ctx, paths)
	if err != nil {
		return err
	}
	options := gauge.Options{Each: f.each, Frequent: f.frequent}
	var kept *show.Output
	if options.Suspense, kept, err = a.openSuspense(in, &f.writing); err != nil {
		return err
	}
	stop := a.progress(&f.reading, in)
	result, err := gauge.Run(ctx, in.set, in.reading, options)
	stop()
	if err != nil {
		return err
	}
	in.settle(result.Findings)
	if err := a.outputs.Commit(kept); err != nil {
		return err
	}
	if f.reading.json {
		err = show.Document(a.stdout, gaugeDocument(in.set, f, result))
	} else {
		a.printGauge(in.set, result)
	}
	if err == nil && finding.Stops(result.Findings) {
		return errStop
	}
	return err
}

func gaugeDocument(set *source.Set, f *gaugeFlags, r *gauge.Result) show.Object {
	doc := show.NewDocument("gauge")
	doc.Add("rows", r.Rows)
	doc.Add("columns", gaugedObjects(r.Columns))
	if f.each {
		sources := []show.Object{}
		for _, s := range r.Sources {
			o := sourceObject(set, s.Index)
			o.Add("rows", s.Rows)
			o.Add("columns", gaugedObjects(s.Columns))
			sources = append(sources, o)
		}
		doc.Add("sources", sources)
	}
	doc.Add("passed_over", passedOver(set))
	doc.Add("findings", r.Findings)
	doc.Add("proof", show.ProofObject(&r.Proof))
	return doc
}

func gaugedObjects(columns []gauge.Column) []show.Object {
	objects := []show.Object{}
	for i := range columns {
		c := &columns[i]
		o := summaryObject(&c.Summary, func(o *show.Object) { o.Add("distinct", c.Distinct) }, func(o *show.Object) {
			o.Add("q1", c.Q1.String())
			o.Add("median", c.Median.String())
			o.Add("q3", c.Q3.String())
		})
		frequent := []show.Object{}
		for _, v := range c.Frequent {
			frequent = append(frequent, show.Object{{Name: "value", Value: v.Text}, {Name: "count", Value: v.Count}})
		}
		o.Add("frequent", frequent)
		objects = append(objects, o)
	}
	return objects
}

// summaryObject makes the JSON of a column. counts adds what stands behind the
// counts, and quartiles what stands between the smallest and the largest.
func summaryObject(s *statistic.Summary, counts, quartiles func(o *show.Object)) show.Object {
	o := show.Object{{Name: "column", Value: s.Column}, {Name: "kind", Value: string(s.Kind)}, {Name: "count", Value: s.Count}, {Name: "blank", Value: s.Blank}}
	counts(&o)
	if s.Others > 0 {
		o.Add("others", s.Others)
	}
	switch {
	case s.Has:
		o.Add("sum", s.Sum.String())
		o.Add("mean", s.Mean.String())
		if s.HasDeviation {
			o.Add("deviation", s.Deviation.String())
		}
		o.Add("scale", s.Scale)
		o.Add("min", s.Min.String())
		quartiles(&o)
		o.Add("max", s.Max.String())
	case s.First != "":
		o.Add("min", s.First)
		o.Add("max", s.Last)
	}
	if s.Count > 0 {
		o.Add("shortest", s.Shortest)
		o.Add("longest", s.Longest)
	}
	return o
}

func (a *app) printGauge(set *source.Set, r *gauge.Result) {
	for _, s := range r.Sources {
		fmt.Fprintf(a.stdout, "%s  %s\n", a.stdout.Bold(show.Visible(set.Sources[s.Index].Name)), show.Count(s.Rows, "record"))
		a.printGauged(s.Columns)
		fmt.Fprintln(a.stdout)
	}
	if r.Sources != nil {
		fmt.Fprintf(a.stdout, "%s  %s\n", a.stdout.Bold("all sources"), show.Count(r.Rows, "record"))
	}
	a.printGauged(r.Columns)
	a.printPassedOver(set)
	show.Findings(a.stdout, r.Findings)
	show.Proof(a.stdout, &r.Proof)
}

// printGauged prints what is in the columns, and below it the figures of those
// that are amounts.
func (a *app) printGauged(columns []gauge.Column) {
	values := show.Table{Columns: []show.Column{
		{Name: "column", Key: true}, {Name: "kind", Whole: true}, {Name: "count", Right: true}, {Name: "blank", Right: true}, {Name: "distinct", Right: true}, {Name: "others", Right: true},
		{Name: "shortest"}, {Name: "longest"}, {Name: "most frequent"},
	}}
	figures := show.Table{Columns: []show.Column{{Name: "column", Key: true}}}
	for _, name := range []string{"sum", "mean", "deviation", "min", "q1", "median", "q3", "max"} {
		figures.Columns = append(figures.Columns, show.Column{Name: name, Right: true})
	}
	for i := range columns {
		c := &columns[i]
		var frequent []string
		for _, v := range c.Frequent {
			frequent = append(frequent, fmt.Sprintf("%s (%s)", v.Text, show.Number(v.Count)))
		}
		others := ""
		if c.Others > 0 {
			others = show.Number(c.Others)
		}
		shortest, longest := c.Shortest, c.Longest
		if c.Kind == record.Date && c.First != "" {
			shortest, longest = c.First, c.Last
		}
		values.Add(c.Column, string(c.Kind), show.Number(c.Count), show.Number(c.Blank), show.Number(c.Distinct), others, shortest, longest, strings.Join(frequent, ", "))
		if !c.Has {
			continue
		}
		deviation := ""
		if c.HasDeviation {
			deviation = c.Deviation.Money()
		}
		figures.Add(c.Column, c.Sum.Money(), c.Mean.Money(), deviation, c.Min.Money(), c.Q1.Money(), c.Median.Money(), c.Q3.Money(), c.Max.Money())
	}
	if !slices.ContainsFunc(columns, func(c gauge.Column) bool { return c.Others > 0 }) {
		values.Drop("others")
	}
	values.Print(a.stdout)
	if len(figures.Rows) > 0 {
		fmt.Fprintln(a.stdout)
		figures.Print(a.stdout)
	}
}
