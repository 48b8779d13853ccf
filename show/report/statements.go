package report

import (
	"fmt"
	"strings"

	"lastblock/core/month/pack"
)

// reconciliations are statements that lead from the records to a reference.
func reconciliations(d *draft) (parts []Part) {
	for i := range d.Report.Reconciliations {
		parts = append(parts, statement(&d.Report.Reconciliations[i]))
	}
	return parts
}

func statement(r *pack.Reconciliation) Part {
	t := &Table{Name: r.Name}
	for _, name := range r.By {
		t.Columns = append(t.Columns, Column{Name: name})
	}
	t.Columns = append(t.Columns, Column{Name: "statement"}, Column{Name: "records", Kind: Count})
	for _, name := range r.Totals {
		t.Columns = append(t.Columns, Column{Name: name, Kind: Money})
	}
	part := Part{Title: r.Name, Sheet: "Reconciliation " + r.Name, Table: t}
	for _, s := range r.Statements {
		for i, line := range s.Lines {
			var row Row
			for k := range r.By {
				group := ""
				switch {
				case i > 0:
				case s.Group == nil:
					group = "all"
				case s.Group[k] == "":
					group = "(blank)"
				default:
					group = s.Group[k]
				}
				row.Cells = append(row.Cells, text(group))
			}
			row.Strong = i == 0 || i == len(s.Lines)-1
			row.Indent = !row.Strong
			number := count(line.Count)
			if line.Count == 0 && !row.Strong {
				number = Cell{}
			}
			row.Cells = append(row.Cells, text(line.Label), number)
			for _, value := range line.Amounts {
				c := money(value)
				if value.Sign() == 0 && !row.Strong {
					c = Cell{}
				}
				row.Cells = append(row.Cells, c)
			}
			t.Rows = append(t.Rows, row)
		}
	}
	part.Texts = []string{difference(r)}
	return part
}

// difference says in a sentence by how much both sides differ.
func difference(r *pack.Reconciliation) string {
	if len(r.Statements) == 0 || len(r.Statements[0].Lines) == 0 {
		return ""
	}
	lines := r.Statements[0].Lines
	here, there := &lines[0], &lines[len(lines)-1]
	var said []string
	for i, name := range r.Totals {
		if off := there.Amounts[i].Sub(here.Amounts[i]); off.Sign() != 0 {
			said = append(said, fmt.Sprintf("%s by %s", name, off.Money()))
		}
	}
	switch {
	case len(said) > 0:
		return "The reference differs from the records: " + strings.Join(said, ", ") + "."
	case len(lines) > 2:
		return "The totals agree, and the lines between them cancel each other out."
	}
	return "The records agree with the reference."
}
