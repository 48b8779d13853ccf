package view

import (
	"fmt"
	"slices"
	"strings"

	"lastblock/core/capability/prove"
	"lastblock/core/finding"
	"lastblock/core/finding/proof"
	"lastblock/core/source"
	"lastblock/core/value/statistic"
	"lastblock/show"
)

// Proved is what was compared, and with which outcome.
type Proved struct {
	*prove.Result
	Of [2]*source.Set // left and right
}

// findings are those of both sides, the left one's first.
func (p *Proved) findings() []finding.Finding {
	return append(slices.Clone(p.Left.Findings), p.Right.Findings...)
}

// proof is that of both sides together.
func (p *Proved) proof() *proof.Proof {
	l, r := p.Left.Proof.Count, p.Right.Proof.Count
	return &proof.Proof{Count: proof.Count{Read: l.Read + r.Read, Used: l.Used + r.Used,
		Suspense: l.Suspense + r.Suspense, Dropped: l.Dropped + r.Dropped}}
}

// Document is its JSON.
func (p *Proved) Document() show.Object {
	doc := show.NewDocument("prove")
	doc.Add("equal", p.Equal)
	doc.Add("compared", append([]string{}, p.Compared...))
	doc.Add("left", sideObject(&p.Left))
	doc.Add("right", sideObject(&p.Right))
	doc.Add("only_left", p.Left.Only)
	doc.Add("only_right", p.Right.Only)
	doc.Add("first_left", p.recordObjects(p.Of[0], p.Left.First))
	doc.Add("first_right", p.recordObjects(p.Of[1], p.Right.First))
	doc.Add("passed_over", append(passedOver(p.Of[0]), passedOver(p.Of[1])...))
	doc.Add("findings", p.findings())
	doc.Add("proof", show.ProofObject(p.proof()))
	return doc
}

func sideObject(s *prove.Side) show.Object {
	totals := show.Object{}
	columns := []show.Object{}
	for i := range s.Columns {
		c := &s.Columns[i]
		if c.Has {
			totals.Add(c.Column, c.Sum.String())
		}
		columns = append(columns, summaryObject(c, func(*show.Object) {}, func(*show.Object) {}))
	}
	return show.Object{
		{Name: "rows", Value: s.Rows}, {Name: "totals", Value: totals}, {Name: "columns", Value: columns},
		{Name: "only_columns", Value: append([]string{}, s.OnlyColumns...)},
	}
}

func (p *Proved) recordObjects(set *source.Set, records []prove.Record) []show.Object {
	objects := []show.Object{}
	for _, r := range records {
		o := sourceObject(set, r.Index)
		o.Add("line", r.Line)
		if r.Texts != nil {
			o.Add("record", append([]string{}, r.Texts...))
		}
		objects = append(objects, o)
	}
	return objects
}

// Print prints it.
func (p *Proved) Print(s *show.Screen) {
	switch {
	case p.Equal:
		fmt.Fprintf(s, "%s  both sides hold the same %s\n\n", s.Bold("equal"), show.Count(p.Left.Rows, "record"))
	default:
		fmt.Fprintf(s, "%s  %s only on the left, %s only on the right\n\n", s.Bold("not equal"),
			show.Count(p.Left.Only, "record"), show.Count(p.Right.Only, "record"))
	}
	sides := show.Table{Columns: []show.Column{
		{Name: "column", Key: true}, {Name: "side", Key: true, Whole: true}, {Name: "count", Right: true},
		{Name: "blank", Right: true}, {Name: "sum", Right: true},
		{Name: "mean", Right: true}, {Name: "deviation", Right: true}, {Name: "min", Right: true},
		{Name: "max", Right: true},
	}}
	row := func(column, side string, cells []string) { sides.Add(append([]string{column, side}, cells...)...) }
	if p.Left.Rows == p.Right.Rows {
		row("(records)", "both", figuresOf(p.Left.Rows))
	} else {
		row("(records)", "left", figuresOf(p.Left.Rows))
		row("", "right", figuresOf(p.Right.Rows))
	}
	for i := range p.Compared {
		left, right := summaryCells(&p.Left.Columns[i]), summaryCells(&p.Right.Columns[i])
		if slices.Equal(left, right) {
			row(p.Compared[i], "both", left)
			continue
		}
		row(p.Compared[i], "left", left)
		row("", "right", right)
	}
	sides.Print(s)
	for _, side := range []struct {
		name    string
		set     *source.Set
		columns []string
		records []prove.Record
		only    int
	}{{"left", p.Of[0], p.Left.OnlyColumns, p.Left.First, p.Left.Only},
		{"right", p.Of[1], p.Right.OnlyColumns, p.Right.First, p.Right.Only}} {
		if len(side.columns) > 0 {
			fmt.Fprintf(s, "\nonly the %s side has the columns %s; leave them out with --drop to compare the rest\n",
				side.name, strings.Join(side.columns, ", "))
		}
		p.printOnly(s, side.name, side.set, side.records, side.only)
	}
	printPassedOver(s, p.Of[0])
	printPassedOver(s, p.Of[1])
	show.Findings(s, p.findings())
	show.Proof(s, p.proof())
}

// figuresOf is a row of the table for a number of records.
func figuresOf(rows int) []string { return []string{show.Number(rows), "", "", "", "", "", ""} }

func summaryCells(c *statistic.Summary) []string {
	cells := []string{show.Number(c.Count), show.Number(c.Blank)}
	switch {
	case c.Has:
		deviation := ""
		if c.HasDeviation {
			deviation = c.Deviation.Money()
		}
		return append(cells, c.Sum.Money(), c.Mean.Money(), deviation, c.Min.Money(), c.Max.Money())
	case c.First != "":
		return append(cells, "", "", "", c.First, c.Last)
	}
	return append(cells, "", "", "", "", "")
}

// printOnly prints the first records that only one side has.
func (p *Proved) printOnly(s *show.Screen, name string, set *source.Set, records []prove.Record, only int) {
	if only == 0 {
		return
	}
	fmt.Fprintln(s)
	t := show.Table{Columns: []show.Column{{Name: "only " + name, Key: true}, {Name: "line", Right: true, Key: true}}}
	for _, column := range p.Compared {
		t.Columns = append(t.Columns, show.Column{Name: column})
	}
	for _, r := range records {
		cells := append([]string{set.Sources[r.Index].Name, fmt.Sprint(r.Line)}, r.Texts...)
		for len(cells) < len(t.Columns) {
			cells = append(cells, "")
		}
		t.Add(cells...)
	}
	t.Print(s)
	if more := only - len(records); more > 0 {
		fmt.Fprintf(s, "%s\n", s.Faint(fmt.Sprintf("… %s more; --first shows more of them", show.Number(more))))
	}
}
