package report

import (
	"fmt"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/month/pack"
	"lastblock/core/value/words"
)

// placesOf are the places of a double in one text.
func placesOf(f *pack.Finding) string {
	const most = 4
	var places []string
	for _, p := range f.Places {
		place := p.Source
		if p.Line > 0 {
			place += fmt.Sprintf(" line %d", p.Line)
		}
		places = append(places, place)
	}
	if len(places) < 2 {
		return whereOf(f)
	}
	return words.AndMore(most, places...)
}

// doubles are what would be counted twice, and what was decided about it.
func doubles(d *draft) (parts []Part) {
	if found := d.Report.Doubles; found != nil {
		columns := func(first ...Column) []Column {
			columns := append(first, Column{Name: "findings", Kind: Count}, Column{Name: "records twice", Kind: Count})
			for _, name := range found.Totals {
				columns = append(columns, Column{Name: name + " twice", Kind: Money})
			}
			return columns
		}
		cells := func(r *pack.DoubleRow, first ...Cell) []Cell {
			cells := append(first, count(r.Findings), count(r.Records))
			for _, total := range r.Totals {
				cells = append(cells, money(total))
			}
			return cells
		}
		kinds := &Table{Name: "doubles", Sorts: true, Columns: columns(Column{Name: "kind"})}
		for i := range found.Kinds {
			kinds.Rows = append(kinds.Rows, Row{Cells: cells(&found.Kinds[i], text(string(found.Kinds[i].Kind)))})
		}
		pairs := &Table{
			Name:    "doubles_between",
			Sorts:   true,
			Columns: columns(Column{Name: "between"}, Column{Name: "and"}),
		}
		for i := range found.Pairs {
			p := &found.Pairs[i]
			other := p.B
			if p.A == p.B {
				other = "itself"
			}
			pairs.Rows = append(pairs.Rows, Row{Cells: cells(&p.DoubleRow, text(p.A), text(other)), Entity: p.A})
		}
		if len(kinds.Rows) == 0 {
			return []Part{{Sheet: "Doubles", Texts: []string{"Nothing would be counted twice."}}}
		}
		parts = append(parts, Part{Title: "By kind", Sheet: "Doubles", Table: kinds},
			Part{Title: "Between whom", Sheet: "Doubles between", Table: pairs})
	}
	decided := &Table{
		Name:    "doubles_decided",
		Sorts:   true,
		Filters: true,
		Columns: []Column{{Name: "finding", Kind: Code},
			{Name: "kind"}, {Name: "where"}, {Name: "amount", Kind: Money}, {Name: "what was decided", Kind: Long}},
	}
	for i := range d.Report.Findings {
		f := &d.Report.Findings[i]
		if !slices.Contains(finding.Doubles, f.Kind) {
			continue
		}
		decided.Rows = append(decided.Rows, Row{Cells: []Cell{{Text: f.ID, Link: findingID(f)}, text(string(f.Kind)),
			{Text: placesOf(f), Link: d.rowOf[f.Source]}, moneyCell(f), {Text: decisionText(f), Word: decisionWord(f)}},
			Entity: f.Entity, Period: f.Period, Severity: string(f.Severity)})
	}
	if len(decided.Rows) > 0 {
		parts = append(parts, Part{Title: "What was decided", Sheet: "Doubles decided", Table: decided})
	}
	return parts
}
