package overlay

import (
	"slices"

	"lastblock/core/format/sheet"
)

// drawByPosition draws the layout of the form that is being read: of each row of an area the nearest filled cell to its
// left is the label, and of each column the nearest one above.
func (w *worker) drawByPosition(areas []sheet.Area) {
	d := &w.drawing
	for i := range areas {
		a := &areas[i]
		b := drawnBlock{area: *a, rows: len(d.lines)}
		for row := a.FirstRow; row <= a.LastRow; row++ {
			d.add(row, func(yield func(text []byte, row, column int) bool) {
				for column := a.FirstColumn - 1; column > 0; column-- {
					if !covers(areas, row, column) && !yield(w.text(row, column)) {
						return
					}
				}
			})
		}
		b.columns = len(d.lines)
		for column := a.FirstColumn; column <= a.LastColumn; column++ {
			d.add(column, func(yield func(text []byte, row, column int) bool) {
				for row := a.FirstRow - 1; row > 0; row-- {
					if !covers(areas, row, column) && !yield(w.text(row, column)) {
						return
					}
				}
			})
		}
		b.behind = len(d.lines)
		d.blocks = append(d.blocks, b)
	}
	d.close()
}

func covers(areas []sheet.Area, row, column int) bool {
	for i := range areas {
		a := &areas[i]
		if a.FirstRow <= row && row <= a.LastRow && a.FirstColumn <= column && column <= a.LastColumn {
			return true
		}
	}
	return false
}

// add adds a line, whose label is the first that is filled of some cells.
func (d *drawing) add(at int, cells func(yield func(text []byte, row, column int) bool)) {
	l := drawn{at: at, from: len(d.levels)}
	var label []byte
	cells(func(text []byte, row, column int) bool {
		if len(text) > 0 {
			label, l.row, l.column = text, row, column
		}
		return len(text) == 0
	})
	d.levels = append(d.levels, label)
	l.to = len(d.levels)
	d.lines = append(d.lines, l)
}

// drawByLabel draws the layout of the form that is being read, whose figures are right of the columns and below the
// rows that hold labels. Of several levels, one that is blank is that of the line before, unless all of the line is.
func (w *worker) drawByLabel(labels *Labels) error {
	d := &w.drawing
	firstRow, firstColumn := slices.Max(labels.Rows)+1, slices.Max(labels.Columns)+1
	from, ok := w.rowAt(firstRow)
	if !ok && from == len(w.cells.Rows) {
		return nil // nothing below the labels
	}
	last := firstColumn - 1
	top, _ := w.rowAt(labels.Rows[0])
	for i := top; i < len(w.cells.Rows); i++ {
		last = max(last, w.starts[i+1]-w.starts[i])
	}
	if err := w.cells.CheckArea(len(w.cells.Rows)-from, last-firstColumn+1); err != nil {
		return err
	}
	b := drawnBlock{rows: len(d.lines)}
	for i := from; i < len(w.cells.Rows); i++ {
		row := w.cells.Rows[i].Number
		holds := func() bool {
			for column := firstColumn; column <= last; column++ {
				if v := w.in(i, column); v != nil && (v.state == number || v.state == ratio) {
					return true
				}
			}
			return false
		}
		d.addLevels(row, b.rows, labels.Columns, func(column int) ([]byte, int, int) { return w.text(row, column) },
			holds)
	}
	b.columns = len(d.lines)
	for column := firstColumn; column <= last; column++ {
		holds := func() bool {
			for i := from; i < len(w.cells.Rows); i++ {
				if v := w.in(i, column); v != nil && (v.state == number || v.state == ratio) {
					return true
				}
			}
			return false
		}
		d.addLevels(column, b.columns, labels.Rows, func(row int) ([]byte, int, int) { return w.text(row, column) },
			holds)
	}
	b.behind = len(d.lines)
	if b.rows == b.columns || b.columns == b.behind {
		return nil
	}
	rows, columns := d.lines[b.rows:b.columns], d.lines[b.columns:b.behind]
	b.area = sheet.Area{FirstRow: rows[0].at, LastRow: rows[len(rows)-1].at, FirstColumn: columns[0].at,
		LastColumn: columns[len(columns)-1].at}
	d.blocks = append(d.blocks, b)
	d.close()
	return nil
}

// addLevels adds a line with a label of several levels, in the places where labels stand. One without any is added
// where it holds numbers. Lines of the same kind begin at first.
func (d *drawing) addLevels(at, first int, places []int, text func(place int) ([]byte, int, int), holds func() bool) {
	l := drawn{at: at, from: len(d.levels)}
	for _, place := range places {
		level, row, column := text(place)
		if d.levels = append(d.levels, level); len(level) > 0 {
			l.row, l.column = row, column
		}
	}
	l.to = len(d.levels)
	if l.row == 0 && !holds() {
		d.levels = d.levels[:l.from]
		return
	}
	if l.row > 0 && len(d.lines) > first {
		d.inherit(&l, &d.lines[len(d.lines)-1])
	}
	d.lines = append(d.lines, l)
}

// inherit fills the outer levels of a line that are blank, above the first one that is not, with those of the line
// before.
func (d *drawing) inherit(l, before *drawn) {
	for i := 0; i < l.to-l.from-1 && len(d.levels[l.from+i]) == 0; i++ {
		d.levels[l.from+i] = d.levels[before.from+i]
	}
}
