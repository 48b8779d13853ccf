package report

import (
	"fmt"

	"lastblock/core/month/block"
	"lastblock/core/month/pack"
	"lastblock/core/value/amount"
)

// keyFigures are the figures of the month end. Those of the month itself are held against the month before; those of
// all up to it against the block before, without a share, as both grow from month to month.
func keyFigures(d *draft) []Part {
	own := d.Month(d.Period)
	if own == nil || d.IsMonth() {
		return []Part{{Sheet: "Month end", Table: d.allFigures(own)}}
	}
	return []Part{{Title: "The month " + d.Period, Sheet: "Month", Table: d.monthFigures(own)},
		{Title: "All up to " + d.Period, Sheet: "Month end", Table: d.allFigures(nil)}}
}

// figures is a table of key figures on its way.
type figures struct {
	*Table
	before bool // with what they were
	share  bool // and how much of that the change is
}

// newFigures begins a table; now and was say what its figures are of, was "" for none to be held against.
func newFigures(name, now, was string, share bool) *figures {
	f := &figures{&Table{Name: name, Columns: []Column{{Name: "figure"}, {Name: now, Kind: Money}}}, was != "", share}
	if f.before {
		f.Columns = append(f.Columns, Column{Name: was, Kind: Money}, Column{Name: "change", Kind: Money})
		if share {
			f.Columns = append(f.Columns, Column{Name: "change in %", Kind: Percent})
		}
	}
	return f
}

func (f *figures) add(name string, now Cell, was *amount.Amount) {
	cells := []Cell{text(name), now}
	if f.before {
		cells = append(cells, changed(&now, was)...)
	}
	f.Rows = append(f.Rows, Row{Cells: cells[:len(f.Columns)]})
}

// number adds a count; was is -1 where it is not known.
func (f *figures) number(name string, now, was int) {
	if was < 0 {
		f.add(name, count(now), nil)
		return
	}
	before := amount.New(int64(was), 0)
	f.add(name, count(now), &before)
}

// monthFigures are those of the month itself.
func (d *draft) monthFigures(own *pack.Own) *Table {
	was, before := d.lastMonth()
	f := newFigures("month", own.Period, was, true)
	d.addOwn(f, own, before)
	return f.Table
}

// lastMonth is the month before, and what it is called; "" where there is none.
func (d *draft) lastMonth() (name string, own *pack.Own) {
	switch {
	case d.Before == nil || d.Before.Own == nil:
		return "", nil
	case d.Before.Period == d.Period:
		return fmt.Sprintf("%s, block %d", d.Before.Period, d.Before.Number), d.Before.Own
	}
	return d.Before.Own.Period, d.Before.Own
}

// addOwn adds the figures of a month; before is nil where there is none.
func (d *draft) addOwn(f *figures, own, before *pack.Own) {
	sources, records := -1, -1
	if before != nil {
		sources, records = before.Sources, before.Records
	}
	f.number("sources", own.Sources, sources)
	f.number("records", own.Records, records)
	for i, column := range d.Columns {
		var was *amount.Amount
		if before != nil {
			was = &before.Totals[i]
		}
		f.add(column, money(own.Totals[i]), was)
	}
}

// allFigures are those of all that was read; own is nil where these are not of the month alone.
func (d *draft) allFigures(own *pack.Own) *Table {
	was, lastMonth := "", (*pack.Own)(nil)
	switch {
	case own != nil:
		was, lastMonth = d.lastMonth()
	case d.Before != nil:
		was = fmt.Sprintf("up to %s, block %d", d.Before.Period, d.Before.Number)
	}
	now := "up to " + d.Period
	if own != nil || d.IsMonth() {
		now = d.Period
	}
	f := newFigures("key_figures", now, was, own != nil)
	if own != nil {
		d.addOwn(f, own, lastMonth)
	} else {
		wasSources, wasUsed := -1, -1
		if d.Before != nil {
			wasSources, wasUsed = d.Before.Sources, d.Before.Used
		}
		f.number("sources", len(d.Sources), wasSources)
		f.number("records", d.Proof.Used, wasUsed)
		for i, column := range d.Columns {
			f.add(column, money(d.Total(i)), d.wasTotal(column))
		}
	}
	d.addResults(f, own == nil)
	stops, reviews := d.open()
	for _, s := range []struct {
		name string
		n    int
	}{{"records in suspense", d.Proof.Suspense}, {"records left out", d.Proof.Dropped},
		{"findings that stop", len(stops)}, {"findings to look at", reviews}} {
		cells := []Cell{text(s.name), count(s.n)}
		for len(cells) < len(f.Columns) {
			cells = append(cells, Cell{})
		}
		f.Rows = append(f.Rows, Row{Cells: cells})
	}
	return f.Table
}

// addResults adds totals of results that are none of their columns, each once; with what they were, where these are all
// up to a period.
func (d *draft) addResults(f *figures, held bool) {
	if d.Entity != "" {
		return
	}
	listed := make(map[string]bool) // totals that another result has as well
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
				var was *amount.Amount
				if held {
					was = d.wasResult(r, total.Column)
				}
				f.add(resultName(r)+", "+total.Column, money(now), was)
			}
		}
	}
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
