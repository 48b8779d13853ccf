package report

import (
	"fmt"

	"lastblock/core/month/block"
	"lastblock/core/value/amount"
)

// keyFigures are the figures of the month end, with what they have changed by since the block before.
func keyFigures(d *draft) []Part {
	t := &Table{Name: "key_figures", Columns: []Column{{Name: "figure"}, {Name: "now", Kind: Money}}}
	if d.Before != nil {
		before := fmt.Sprintf("block %d, %s", d.Before.Number, d.Before.Period)
		t.Columns = append(t.Columns, Column{Name: before, Kind: Money}, Column{Name: "change", Kind: Money},
			Column{Name: "change in %", Kind: Percent})
	}
	add := func(name string, now Cell, was *amount.Amount) {
		cells := []Cell{text(name), now}
		if d.Before != nil {
			cells = append(cells, changed(&now, was)...)
		}
		t.Rows = append(t.Rows, Row{Cells: cells})
	}
	number := func(name string, now, was int) {
		before := amount.New(int64(was), 0)
		add(name, count(now), &before)
	}
	wasSources, wasRows := 0, 0
	if d.Before != nil {
		wasSources, wasRows = d.Before.Sources, d.Before.Rows
	}
	number("sources", len(d.Sources), wasSources)
	number("records", d.Proof.Read, wasRows)
	for i, column := range d.Columns {
		add(column, money(d.Total(i)), d.wasTotal(column))
	}
	listed := make(map[string]bool) // totals that another result has as well
	if d.Entity == "" {
		for i := range d.Results {
			r := &d.Results[i]
			if r.Command == "overlay" {
				continue // whose figures hold their own totals
			}
			for _, total := range r.Totals {
				key := total.Column + " " + total.Amount
				now, ok := parsed(total.Amount)
				if ok && r.As == "" && !d.isTotal(total.Column, now) && !listed[key] {
					listed[key] = true
					add(resultName(r)+", "+total.Column, money(now), d.wasResult(r, total.Column))
				}
			}
		}
	}
	stops, reviews := d.open()
	states := []struct {
		name string
		n    int
	}{{"records in suspense", d.Proof.Suspense}, {"findings that stop", len(stops)}, {"findings to look at", reviews}}
	for _, s := range states {
		cells := []Cell{text(s.name), count(s.n)}
		for len(cells) < len(t.Columns) {
			cells = append(cells, Cell{})
		}
		t.Rows = append(t.Rows, Row{Cells: cells})
	}
	return []Part{{Sheet: "Month end", Table: t}}
}

// changed are what a figure was, by how much it has changed, and how much that is of what it was.
func changed(now *Cell, was *amount.Amount) []Cell {
	if was == nil || now.Number == nil {
		return []Cell{{}, {}, {}}
	}
	by := now.Number.Sub(*was)
	cells := []Cell{money(*was), money(by), {}}
	if now.Whole {
		for i := range cells[:2] {
			cells[i].Whole, cells[i].Text = true, cells[i].Number.Money()
		}
	}
	if was.Sign() != 0 {
		cells[2] = percent(by, *was)
	}
	return cells
}

// isTotal tells whether a total of a result is that of its column, which stands there already.
func (d *draft) isTotal(column string, value amount.Amount) bool {
	for i, name := range d.Columns {
		if name == column && d.Total(i).Cmp(value) == 0 {
			return true
		}
	}
	return false
}

func (d *draft) wasTotal(column string) *amount.Amount {
	if d.Before == nil {
		return nil
	}
	return totalOf(d.Before.Totals, column)
}

func (d *draft) wasResult(r *block.Result, column string) *amount.Amount {
	if d.Before == nil {
		return nil
	}
	for i := range d.Before.Results {
		if was := &d.Before.Results[i]; was.As == "" && was.Command == r.Command && was.Title == r.Title {
			return totalOf(was.Totals, column)
		}
	}
	return nil
}

func totalOf(totals []block.Total, column string) *amount.Amount {
	for _, total := range totals {
		if value, ok := parsed(total.Amount); ok && total.Column == column {
			return &value
		}
	}
	return nil
}

// resultName is what a result is called.
func resultName(r *block.Result) string {
	if r.Title != "" {
		return r.Title
	}
	return r.Command
}
