package overlay

import (
	"context"
	"slices"

	"lastblock/core/format/sheet"
	"lastblock/core/source"
)

// Form is the form of the result: what stands around its figures. It is that of one of the sources, without what only
// this source says of itself, and with the lines that others have added.
type Form struct {
	Source int // whose form it is
	Cells  []FormCell
	Merged []sheet.Area

	rows, columns []moved
}

// FormCell is a cell that holds no figure.
type FormCell struct {
	Row, Column   int // in the result, from 1
	LikeRow, Like int // the row and the column of the source's cell that it looks like
	Text          string
	Kind          sheet.CellKind
}

// moved tells where a line of the source stands in the result.
type moved struct{ was, at int }

// comparedForms are how many other forms are held against the one of the result.
const comparedForms = 3

// Form reads the form of the result once more. The error is what reading returned.
func (r *Result) Form(ctx context.Context) (*Form, error) {
	f := &Form{Source: r.Base}
	if r.Base < 0 {
		return f, nil
	}
	for b := range r.Blocks {
		f.rows = f.note(f.rows, r.Blocks[b].Rows)
		f.columns = f.note(f.columns, r.Blocks[b].Columns)
	}
	indices := []int{r.Base}
	for _, one := range r.run.forms {
		if len(indices) <= comparedForms && one.source != r.Base && one.to != nil && one.numbers > 0 {
			indices = append(indices, one.source)
		}
	}
	texts := make([]map[string]bool, len(indices)) // of the other forms
	read := func(c *source.Cells) error {
		if err := c.Parse(); err != nil {
			return err
		}
		if c.Index == 0 {
			r.take(f, c)
			return nil
		}
		texts[c.Index] = make(map[string]bool)
		for i := range c.Rows {
			for k := range c.Rows[i].Cells {
				texts[c.Index][string(c.Rows[i].Cells[k].Text)] = true
			}
		}
		return nil
	}
	reading := r.run.reading
	reading.Progress = nil
	err := r.run.set.Subset(indices).ReadCells(ctx, reading, func() func(*source.Cells) error { return read })
	if err != nil {
		return nil, err
	}
	labels := r.labelCells()
	f.Cells = slices.DeleteFunc(f.Cells, func(c FormCell) bool {
		return !labels[[2]int{c.LikeRow, c.Like}] &&
			slices.ContainsFunc(texts[1:], func(other map[string]bool) bool { return !other[c.Text] })
	})
	r.addLabels(f)
	return f, nil
}

// note notes where lines of the source stand in the result.
func (f *Form) note(to []moved, lines []Line) []moved {
	for i := range lines {
		if !lines[i].Added {
			to = append(to, moved{lines[i].Like, lines[i].At})
		}
	}
	slices.SortFunc(to, func(a, b moved) int { return a.was - b.was })
	return to
}

// At is where a row, or a column, of the source stands in the result: moved as the line of figures above it is.
func (f *Form) At(axis Axis, was int) int {
	lines := f.rows
	if axis == Columns {
		lines = f.columns
	}
	by := 0
	for _, m := range lines {
		if m.was > was {
			break
		}
		by = m.at - m.was
	}
	return was + by
}

// take takes the cells of the source that hold no figures.
func (r *Result) take(f *Form, c *source.Cells) {
	inside := func(row, column int) bool {
		has := func(lines []Line, n int) bool {
			return slices.ContainsFunc(lines, func(l Line) bool { return !l.Added && l.Like == n })
		}
		return slices.ContainsFunc(r.Blocks, func(b Block) bool { return has(b.Rows, row) && has(b.Columns, column) })
	}
	for i := range c.Rows {
		row := &c.Rows[i]
		for k := range row.Cells {
			cell := &row.Cells[k]
			if source.IsBlank(cell) || cell.Error || inside(row.Number, k+1) {
				continue
			}
			f.Cells = append(f.Cells, FormCell{Row: f.At(Rows, row.Number), Column: f.At(Columns, k+1),
				LikeRow: row.Number, Like: k + 1, Text: string(cell.Text), Kind: cell.Kind})
		}
	}
	for _, m := range c.Merged {
		if !inside(m.FirstRow, m.FirstColumn) {
			f.Merged = append(f.Merged, sheet.Area{FirstRow: f.At(Rows, m.FirstRow), LastRow: f.At(Rows, m.LastRow),
				FirstColumn: f.At(Columns, m.FirstColumn), LastColumn: f.At(Columns, m.LastColumn)})
		}
	}
}

// labelCells are the cells of the source in which labels of lines stand.
func (r *Result) labelCells() map[[2]int]bool {
	cells := make(map[[2]int]bool)
	for _, one := range r.run.forms {
		if one.source != r.Base || one.layout == nil {
			continue
		}
		for b := range one.layout.blocks {
			for _, axis := range []Axis{Rows, Columns} {
				for _, l := range one.layout.blocks[b].lines(axis) {
					cells[[2]int{l.row, l.column}] = true
				}
			}
		}
	}
	if labels := r.run.options.Labels; labels != nil {
		for b := range r.Blocks {
			for i := range r.Blocks[b].Rows {
				for _, column := range labels.Columns {
					cells[[2]int{r.Blocks[b].Rows[i].Like, column}] = true
				}
			}
			for i := range r.Blocks[b].Columns {
				for _, row := range labels.Rows {
					cells[[2]int{row, r.Blocks[b].Columns[i].Like}] = true
				}
			}
		}
	}
	return cells
}

// addLabels adds the labels of lines that the source does not have.
func (r *Result) addLabels(f *Form) {
	labels := r.run.options.Labels
	if labels == nil {
		return
	}
	add := func(lines []Line, places []int, cell func(at, like, place int) FormCell) {
		for i := range lines {
			for k, level := range lines[i].Label {
				isOuter := k < len(lines[i].Label)-1
				if !lines[i].Added || level == "" || isOuter && i > 0 &&
					slices.Equal(lines[i-1].Label[:k+1], lines[i].Label[:k+1]) {
					continue
				}
				c := cell(lines[i].At, lines[i].Like, places[k])
				c.Text = level
				f.Cells = append(f.Cells, c)
			}
		}
	}
	for b := range r.Blocks {
		add(r.Blocks[b].Rows, labels.Columns, func(at, like, place int) FormCell {
			return FormCell{Row: at, Column: place, LikeRow: like, Like: place}
		})
		add(r.Blocks[b].Columns, labels.Rows, func(at, like, place int) FormCell {
			return FormCell{Row: place, Column: at, LikeRow: place, Like: like}
		})
	}
}
