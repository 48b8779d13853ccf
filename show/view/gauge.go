package view

import (
	"fmt"
	"slices"
	"strings"

	"lastblock/core/capability/gauge"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/value/statistic"
	"lastblock/show"
)

// GaugeDocument is the JSON of a description of columns.
func GaugeDocument(set *source.Set, r *gauge.Result) show.Object {
	doc := show.NewDocument("gauge")
	doc.Add("rows", r.Rows)
	doc.Add("columns", gaugedObjects(r.Columns))
	if r.Sources != nil {
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
	o := show.Object{{Name: "column", Value: s.Column}, {Name: "kind", Value: string(s.Kind)},
		{Name: "count", Value: s.Count}, {Name: "blank", Value: s.Blank}}
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

// Gauge prints what is in the columns, of each source where that was asked for.
func Gauge(s *show.Screen, set *source.Set, r *gauge.Result) {
	for _, of := range r.Sources {
		fmt.Fprintf(s, "%s  %s\n", s.Bold(show.Visible(set.Sources[of.Index].Name)), show.Count(of.Rows, "record"))
		printGauged(s, of.Columns)
		fmt.Fprintln(s)
	}
	if r.Sources != nil {
		fmt.Fprintf(s, "%s  %s\n", s.Bold("all sources"), show.Count(r.Rows, "record"))
	}
	printGauged(s, r.Columns)
	printPassedOver(s, set)
	show.Findings(s, r.Findings)
	show.Proof(s, &r.Proof)
}

// printGauged prints what is in the columns, and below it the figures of those
// that are amounts.
func printGauged(s *show.Screen, columns []gauge.Column) {
	values := show.Table{Columns: []show.Column{
		{Name: "column", Key: true}, {Name: "kind", Whole: true}, {Name: "count", Right: true},
		{Name: "blank", Right: true}, {Name: "distinct", Right: true}, {Name: "others", Right: true},
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
		values.Add(c.Column, string(c.Kind), show.Number(c.Count), show.Number(c.Blank), show.Number(c.Distinct),
			others, shortest, longest, strings.Join(frequent, ", "))
		if !c.Has {
			continue
		}
		deviation := ""
		if c.HasDeviation {
			deviation = c.Deviation.Money()
		}
		figures.Add(c.Column, c.Sum.Money(), c.Mean.Money(), deviation, c.Min.Money(), c.Q1.Money(), c.Median.Money(),
			c.Q3.Money(), c.Max.Money())
	}
	if !slices.ContainsFunc(columns, func(c gauge.Column) bool { return c.Others > 0 }) {
		values.Drop("others")
	}
	values.Print(s)
	if len(figures.Rows) > 0 {
		fmt.Fprintln(s)
		figures.Print(s)
	}
}
