package report

import (
	"fmt"

	"lastblock/core/month/pack"
	"lastblock/show"
)

// grids are what forms came to, laid out as they are.
func grids(d *draft) (parts []Part) {
	for i := range d.Report.Grids {
		g := &d.Report.Grids[i]
		for b := range g.Blocks {
			parts = append(parts, d.grid(g, b))
		}
	}
	return parts
}

func (d *draft) grid(g *pack.Grid, at int) Part {
	b := &g.Blocks[at]
	title := g.Name
	if len(g.Blocks) > 1 {
		title = fmt.Sprintf("%s, area %d", g.Name, at+1)
	}
	t := &Table{Name: title, Columns: []Column{{Name: "line"}}}
	part := Part{Title: title, Sheet: "Grid " + title, Table: t,
		Texts: []string{fmt.Sprintf("Added up of %s.", show.Count(g.Forms, "form"))}}
	for _, c := range b.Columns {
		t.Columns = append(t.Columns, Column{Name: c.Name, Kind: Money})
	}
	for i := range b.Rows {
		row := Row{Cells: []Cell{text(b.Rows[i].Name)}, Strong: b.Rows[i].Total || b.Rows[i].Head}
		for k := range b.Columns {
			c := moneyOf(b.Figures[i*len(b.Columns)+k].Amount)
			if c.Number != nil {
				c.Opens = d.opening(&part, g.Name, d.Given.Of("overlay", g.Name, b.Key(g, i, k)), 0,
					[]string{b.Rows[i].Name, b.Columns[k].Name})
			}
			row.Cells = append(row.Cells, c)
		}
		t.Rows = append(t.Rows, row)
	}
	return part
}
