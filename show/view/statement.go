package view

import (
	"fmt"
	"slices"
	"strconv"

	"lastblock/core/capability/reconcile"
	"lastblock/core/record"
	"lastblock/show"
)

// printStatement prints the statement, and those by group below it.
func (r *Reconciliation) printStatement(s *show.Screen) {
	fmt.Fprintln(s)
	t := show.Table{}
	for _, name := range r.Task.By {
		t.Columns = append(t.Columns, show.Column{Name: name, Key: true})
	}
	t.Columns = append(t.Columns, show.Column{Name: "statement", Whole: true},
		show.Column{Name: "records", Right: true})
	for _, name := range r.Totals {
		t.Columns = append(t.Columns, show.Column{Name: name, Right: true, Money: true})
	}
	for _, of := range append(slices.Clone(r.Groups), r.Statement) {
		for i := range of.Lines {
			line := &of.Lines[i]
			var cells []string
			for k := range r.Task.By {
				group := ""
				switch {
				case i > 0:
				case of.By == nil:
					group = "all"
				case of.By[k] == "":
					group = "(blank)"
				default:
					group = of.By[k]
				}
				cells = append(cells, group)
			}
			label, strong := line.Label, i == 0 || i == len(of.Lines)-1
			if !strong {
				label = "  " + label
			}
			count := show.Number(line.Count)
			if !strong && line.Count == 0 {
				count = ""
			}
			cells = append(cells, label, count)
			for _, value := range line.Amounts {
				cells = append(cells, moneyOrBlank(value, strong))
			}
			if i == len(of.Lines)-1 {
				t.AddStrong(cells...)
			} else {
				t.Add(cells...)
			}
		}
	}
	t.Print(s)
}

// UseSheets makes a workbook of a sheet with the statement, and one for each status.
func (r *Reconciliation) UseSheets(format *show.RecordFormat) {
	only := r.Only
	statement := []show.Cells{{Name: "statement", Kind: record.Text}}
	for _, name := range r.Task.By {
		statement = append(statement, show.Cells{Name: name, Kind: record.Text})
	}
	statement = append(statement, show.Cells{Name: "records", Kind: record.Amount})
	for i, name := range r.Totals {
		scale := 0
		for k := range r.Statement.Lines {
			scale = max(scale, r.Statement.Lines[k].Amounts[i].Scale())
		}
		statement = append(statement, show.Cells{Name: name, Kind: record.Amount, Scale: scale})
	}
	format.Sheets = []show.Sheet{{Name: "Statement", Columns: statement}}
	at := make(map[string]int)
	for _, status := range []reconcile.Status{reconcile.Differs, reconcile.OnlyHere, reconcile.OnlyThere,
		reconcile.Ambiguous, reconcile.Agrees} {
		if only == nil || slices.Contains(only, status) {
			at[status.String()] = len(format.Sheets)
			format.Sheets = append(format.Sheets, show.Sheet{Name: status.String(), Columns: format.Columns})
		}
	}
	format.SheetOf = func(texts [][]byte) int { return at[string(texts[0])] }
	format.First = func(w *show.SheetWriter) error {
		for _, s := range append([]reconcile.Statement{r.Statement}, r.Groups...) {
			for _, line := range s.Lines {
				if err := w.Write(0, statementTexts(r, &s, &line), statementKinds(r)); err != nil {
					return err
				}
			}
		}
		return nil
	}
}

func statementTexts(r *Reconciliation, s *reconcile.Statement, line *reconcile.Line) [][]byte {
	texts := [][]byte{[]byte(line.Label)}
	for i := range r.Task.By {
		group := ""
		if s.By != nil {
			group = s.By[i]
		}
		texts = append(texts, []byte(group))
	}
	texts = append(texts, []byte(strconv.Itoa(line.Count)))
	for _, value := range line.Amounts {
		texts = append(texts, []byte(value.String()))
	}
	return texts
}

func statementKinds(r *Reconciliation) []record.Kind {
	kinds := slices.Repeat([]record.Kind{record.Text}, 1+len(r.Task.By))
	return append(kinds, slices.Repeat([]record.Kind{record.Amount}, 1+len(r.Totals))...)
}
