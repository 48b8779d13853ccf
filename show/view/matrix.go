package view

import (
	"fmt"

	"lastblock/core/capability/tieout"
	"lastblock/show"
)

// matrixObjects makes the JSON of who has filed for which period.
func matrixObjects(m *tieout.Matrix) []show.Object {
	objects := []show.Object{}
	for _, row := range m.Entities {
		o := show.Object{{Name: "entity", Value: row.Entity}}
		if len(m.Shown) > 0 {
			shown := show.Object{}
			for i, name := range m.Shown {
				shown.Add(name, row.Shown[i])
			}
			o.Add("roster", shown)
		}
		cells := []show.Object{}
		for i, cell := range row.Cells {
			c := show.Object{}
			if m.Periods[i] != "" {
				c.Add("period", m.Periods[i])
			}
			c.Add("status", string(cell.Status))
			c.Add("rows", cell.Rows)
			sources := cell.Sources
			if sources == nil {
				sources = []string{}
			}
			c.Add("sources", sources)
			cells = append(cells, c)
		}
		o.Add("periods", cells)
		objects = append(objects, o)
	}
	return objects
}

// printMatrix prints who has filed: the rows that came, or why there are none. Of very many entities
// only those of which something is to be looked at are listed, unless every is asked for.
func printMatrix(s *show.Screen, m *tieout.Matrix, every bool) {
	t := show.Table{Columns: []show.Column{{Name: "entity", Key: true}}}
	for _, name := range m.Shown {
		t.Columns = append(t.Columns, show.Column{Name: name})
	}
	for _, p := range m.Periods {
		if p == "" {
			p = "rows"
		}
		t.Columns = append(t.Columns, show.Column{Name: p, Right: true})
	}
	for _, row := range m.Entities {
		if !every && len(m.Entities) > listedSources && (isFiled(row.Cells) || len(t.Rows) == listedSources) {
			continue
		}
		cells := append([]string{row.Entity}, row.Shown...)
		for _, cell := range row.Cells {
			cells = append(cells, matrixText(&cell))
		}
		t.Add(cells...)
	}
	if n := len(m.Entities) - len(t.Rows); n > 0 {
		more := fmt.Sprintf("… %s more; --each lists all", show.Number(n))
		t.Add(append([]string{more}, make([]string, len(t.Columns)-1)...)...)
	}
	fmt.Fprintln(s)
	t.Print(s)
}

// isFiled tells whether an entity has filed once for each period in which it is due.
func isFiled(cells []tieout.MatrixCell) bool {
	for i := range cells {
		if status := cells[i].Status; status != tieout.Filed && status != tieout.NotDue {
			return false
		}
	}
	return true
}

func matrixText(c *tieout.MatrixCell) string {
	switch c.Status {
	case tieout.NotFiled:
		return "missing"
	case tieout.NotDue:
		return ""
	case tieout.NotRead:
		return "not read"
	case tieout.FiledTwice:
		return fmt.Sprintf("%s in %d files", show.Number(c.Rows), len(c.Sources))
	case tieout.NotAsked:
		return show.Number(c.Rows) + " unexpected"
	}
	return show.Number(c.Rows)
}
