package overlay

import (
	"slices"

	"lastblock/core/format/sheet"
	"lastblock/core/value/amount"
)

// sighted is what stands in the cells of an area in which figures were found, in all forms together. It tells the
// tables of a form from one another, which stand below or beside one another, each with headings of its own.
type sighted struct {
	area     sheet.Area
	cells    []sight
	headings map[[2]int]string // texts of the first form, by row and column
	labelled [2]map[int]bool   // its rows and columns that have a label beside them
}

// sight is what forms have in a cell.
type sight struct {
	figures, texts bool // some form has one
	differ         bool // not every form has the same figure
	forms          int  // that have one
	first          amount.Amount
}

// split takes an area in which figures were found apart into its tables, each of them where its figures are. Without
// headings within there is one.
func (r *run) split(area sheet.Area) ([]sheet.Area, error) {
	if !r.mayBeSplit() {
		return []sheet.Area{area}, nil
	}
	s, err := r.sight(area)
	if err != nil {
		return nil, err
	}
	tables := s.tables(area)
	slices.SortFunc(tables, inOrder)
	return tables, nil
}

// mayBeSplit tells whether within the figures some line is blank in every form.
func (r *run) mayBeSplit() bool {
	for _, axis := range []Axis{Rows, Columns} {
		filled := make(map[int]bool)
		first, last := 0, 0
		for _, l := range r.layouts {
			for _, line := range l.blocks[0].lines(axis) {
				if first == 0 || line.at < first {
					first = line.at
				}
				last = max(last, line.at)
				filled[line.at] = filled[line.at] || line.numbers || line.texts
			}
		}
		for at := first; at <= last; at++ {
			if !filled[at] {
				return true
			}
		}
	}
	return false
}

// sight looks at what all forms have in an area.
func (r *run) sight(area sheet.Area) (*sighted, error) {
	s := &sighted{area: area, headings: make(map[[2]int]string),
		cells: make([]sight, (area.LastRow-area.FirstRow+1)*(area.LastColumn-area.FirstColumn+1))}
	var first *form
	var room []byte
	for _, f := range r.forms {
		if f.layout == nil {
			continue
		}
		if first == nil && f.area == area {
			first = f
		}
		data, err := f.values.read(&room)
		if err != nil {
			return nil, err
		}
		values, b := newReader(data), &f.layout.blocks[0]
		for i := range b.rows {
			for k := range b.columns {
				v, err := values.next()
				if err != nil {
					return nil, err
				}
				s.take(b.rows[i].at, b.columns[k].at, &v)
			}
		}
	}
	for _, axis := range []Axis{Rows, Columns} {
		s.labelled[axis] = make(map[int]bool)
		for _, l := range first.layout.blocks[0].lines(axis) {
			s.labelled[axis][l.at] = l.row == l.at && axis == Rows || l.column == l.at && axis == Columns
		}
	}
	for _, w := range r.workers {
		for _, b := range w.bad {
			if b.form == first {
				row, column := first.layout.address(b.cell)
				s.headings[[2]int{row, column}] = b.text
			}
		}
	}
	return s, nil
}

func (s *sighted) take(row, column int, v *value) {
	c := s.at(row, column)
	switch {
	case c == nil || v.state == blank:
	case v.state == number || v.state == ratio:
		if c.forms == 0 {
			c.first = v.amount
		}
		c.figures, c.differ, c.forms = true, c.differ || c.first.Cmp(v.amount) != 0, c.forms+1
	default:
		c.texts = true
	}
}

// at is what stands in a cell, nil outside of the area.
func (s *sighted) at(row, column int) *sight {
	a := &s.area
	if row < a.FirstRow || row > a.LastRow || column < a.FirstColumn || column > a.LastColumn {
		return nil
	}
	return &s.cells[(row-a.FirstRow)*(a.LastColumn-a.FirstColumn+1)+column-a.FirstColumn]
}

// tables takes an area apart, by its rows, by its columns, and each part again.
func (s *sighted) tables(a sheet.Area) []sheet.Area {
	for _, axis := range []Axis{Rows, Columns} {
		parts := s.apart(a, axis)
		if len(parts) == 1 {
			continue
		}
		var all []sheet.Area
		for _, part := range parts {
			all = append(all, s.tables(part)...)
		}
		return all
	}
	return []sheet.Area{a}
}

// apart takes an area apart behind each heading along an axis, from the last one on.
func (s *sighted) apart(a sheet.Area, axis Axis) (parts []sheet.Area) {
	first, last := stretch(&a, axis)
	for at := last - 1; at > first; at-- {
		_, end := stretch(&a, axis)
		if !s.isHeading(&a, axis, at, end) {
			continue
		}
		parts = append(parts, s.shrunk(between(a, axis, at+1, end)))
		a = between(a, axis, first, at-1)
	}
	if parts == nil {
		return []sheet.Area{a}
	}
	return append(parts, s.shrunk(a))
}

// isHeading tells whether a line of an area is the headings of a table that goes to the line end: nothing is on the
// line before it, each line across that has figures behind it has a heading in it, and these are texts that differ, or
// years one after another that are the same in every form.
func (s *sighted) isHeading(a *sheet.Area, axis Axis, at, end int) bool {
	from, to := stretch(a, 1-axis)
	var names []string
	var years []value
	figures := false
	for k := from; k <= to; k++ {
		if c := s.on(axis, at-1, k); c.figures || c.texts {
			return false
		}
		c, needed := s.on(axis, at, k), false
		for i := at + 1; i <= end && !needed; i++ {
			needed = s.on(axis, i, k).figures
		}
		figures = figures || needed
		switch {
		case c.figures && c.texts || c.differ || needed && !c.figures && !c.texts:
			return false
		case c.figures:
			years = append(years, value{state: number, amount: c.first})
		case c.texts:
			name := s.heading(axis, at, k)
			if name == "" || slices.Contains(names, name) {
				return false
			}
			names = append(names, name)
		}
	}
	switch {
	case !figures:
		return false
	case years != nil:
		return names == nil && areYears(years)
	}
	return len(names) > 1 || len(names) == 1 && !s.labelled[axis][at]
}

// on is what stands in a cell of a line, k along it.
func (s *sighted) on(axis Axis, line, k int) *sight {
	if axis == Rows {
		return s.at(line, k)
	}
	return s.at(k, line)
}

func (s *sighted) heading(axis Axis, line, k int) string {
	if axis == Rows {
		return s.headings[[2]int{line, k}]
	}
	return s.headings[[2]int{k, line}]
}

// shrunk is the part of an area in which some form has a figure.
func (s *sighted) shrunk(a sheet.Area) (part sheet.Area) {
	ok := false
	for row := a.FirstRow; row <= a.LastRow; row++ {
		for column := a.FirstColumn; column <= a.LastColumn; column++ {
			if s.at(row, column).figures {
				include(&part, row, column, !ok)
				ok = true
			}
		}
	}
	return part
}

// stretch are the first and the last line of an area.
func stretch(a *sheet.Area, axis Axis) (first, last int) {
	if axis == Rows {
		return a.FirstRow, a.LastRow
	}
	return a.FirstColumn, a.LastColumn
}

// between is the part of an area from one line to another.
func between(a sheet.Area, axis Axis, first, last int) sheet.Area {
	if axis == Rows {
		a.FirstRow, a.LastRow = first, last
	} else {
		a.FirstColumn, a.LastColumn = first, last
	}
	return a
}
