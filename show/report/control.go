package report

import (
	"fmt"
	"slices"

	"lastblock/show"
)

// controlTotals are the figures that were declared, held against what was found.
func controlTotals(d *draft) []Part {
	if len(d.Declared) == 0 {
		return nil
	}
	t := &Table{
		Name:    "control_totals",
		Sorts:   true,
		Filters: true,
		Columns: []Column{{Name: "source"}, {Name: "entity"},
			{Name: "period"}, {Name: "figure"}, {Name: "declared", Kind: Money}, {Name: "found", Kind: Money},
			{Name: "difference", Kind: Money}, {Name: "agrees"}},
	}
	about := make(map[string]int)
	for i := range d.Sources {
		about[d.Sources[i].Source] = i
	}
	off := 0
	for _, c := range d.Declared {
		row := Row{
			Cells: []Cell{
				{Text: c.Source, Link: d.rowOf[c.Source]},
				{},
				{},
				text(c.Figure),
				figureCell(c.Figure, c.Declared),
				figureCell(c.Figure, c.Found),
				figureCell(c.Figure, c.Difference),
				{Text: "yes", Word: Good},
			},
		}
		if at, ok := about[c.Source]; ok {
			row.Entity, row.Period = d.Sources[at].Entity, d.Sources[at].Period
			row.Cells[1], row.Cells[2] = text(row.Entity), text(row.Period)
		}
		if c.Difference.Sign() != 0 {
			off++
			row.Cells[7] = Cell{Text: "no", Word: Bad}
		}
		t.Rows = append(t.Rows, row)
	}
	if len(t.Rows) > d.limits.Rows {
		slices.SortStableFunc(t.Rows, func(a, b Row) int { return rank(b) - rank(a) })
		t.More = "the others agree, or are in the workbook"
	}
	say := fmt.Sprintf("All %s that were declared agree with what was found.", show.Count(len(d.Declared), "figure"))
	if off > 0 {
		say = fmt.Sprintf("Of %s that were declared, %s from what was found.", show.Count(len(d.Declared), "figure"),
			countOf(off, "differs", "differ"))
	}
	return []Part{{Sheet: "Control totals", Texts: []string{say}, Table: t}}
}
