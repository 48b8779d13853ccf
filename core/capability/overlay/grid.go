package overlay

import (
	"context"
	"slices"

	"lastblock/core/large/texts"
)

// grid is the grid that figures are added to.
type grid struct {
	blocks []gridBlock
	cells  int
}

// gridBlock is a block of it.
type gridBlock struct {
	rows, columns []gridLine
	offset        int
}

// gridLine is a row or a column of the result.
type gridLine struct {
	levels []string
	at     int // where it stands in the form of the result
	like   int // where it stands in the form of the source that it is taken from, or its neighbour does
	added  bool
	forms  int // how many have it
	first  int // the first source that has it
}

func (b *gridBlock) lines(axis Axis) []gridLine {
	if axis == Rows {
		return b.rows
	}
	return b.columns
}

func (l *gridLine) label() string { return labelOf(l.levels) }

// place takes the number of a cell apart.
func (g *grid) place(cell int) (block, row, column int) {
	for block = len(g.blocks) - 1; g.blocks[block].offset > cell; block-- {
	}
	cell -= g.blocks[block].offset
	width := len(g.blocks[block].columns)
	return block, cell / width, cell % width
}

// address is where a cell stands in the form of the result.
func (g *grid) address(cell int) (row, column int) {
	b, r, c := g.place(cell)
	return g.blocks[b].rows[r].at, g.blocks[b].columns[c].at
}

// number numbers the cells.
func (g *grid) number() {
	g.cells = 0
	for i := range g.blocks {
		b := &g.blocks[i]
		b.offset = g.cells
		g.cells += len(b.rows) * len(b.columns)
	}
}

// lay lays out the result, and finds to which of its lines each line of the forms is added.
func (r *run) lay(context.Context) error {
	r.grid = new(grid)
	if len(r.layouts) == 0 {
		return nil
	}
	if r.options.Labels != nil {
		r.layByLabel()
	} else {
		r.layByPosition()
	}
	r.grid.number()
	for _, f := range r.forms {
		if f.layout != nil && !f.dropped {
			r.assign(f)
		}
	}
	return nil
}

// layByPosition takes the layout that most forms have.
func (r *run) layByPosition() {
	r.most = slices.MaxFunc(r.layouts, func(a, b *layout) int {
		if a.forms != b.forms {
			return a.forms - b.forms
		}
		return b.first - a.first
	})
	for i := range r.most.blocks {
		b := &r.most.blocks[i]
		r.grid.blocks = append(r.grid.blocks, gridBlock{rows: r.gridLines(b.rows), columns: r.gridLines(b.columns)})
	}
	for _, l := range r.layouts {
		l.to = new(mapping)
		for b := range l.blocks {
			l.to[Rows] = append(l.to[Rows], identity(len(l.blocks[b].rows)))
			l.to[Columns] = append(l.to[Columns], identity(len(l.blocks[b].columns)))
		}
		if l != r.most {
			r.compare(l)
		}
	}
}

func (r *run) gridLines(lines []line) (all []gridLine) {
	for i := range lines {
		all = append(all, gridLine{levels: lines[i].levels, at: lines[i].at, like: lines[i].at, forms: len(r.forms)})
	}
	return all
}

func identity(n int) []int {
	all := make([]int, n)
	for i := range all {
		all[i] = i
	}
	return all
}

// keyOf is a label without what makes no difference in it; "" of a line without one.
func (r *run) keyOf(l *line) string {
	if !l.isLabelled() {
		return ""
	}
	var key []byte
	for _, level := range l.levels {
		key = texts.Append(key, r.options.Loose.Append(nil, []byte(level)))
	}
	return string(key)
}

// layByLabel puts the lines of all forms together, in the order of the first and with what others add behind what
// stands before it there.
func (r *run) layByLabel() {
	r.grid.blocks = make([]gridBlock, 1)
	b := &r.grid.blocks[0]
	for _, axis := range []Axis{Rows, Columns} {
		m := &merging{run: r, axis: axis, at: make(map[string]int)}
		for _, l := range r.layouts {
			m.take(l)
		}
		lines := m.finish()
		if axis == Rows {
			b.rows = lines
		} else {
			b.columns = lines
		}
	}
	r.tellLabels()
}

// merging merges the lines of layouts.
type merging struct {
	run     *run
	axis    Axis
	lines   []gridLine
	at      map[string]int // of each key among the lines
	next    []int          // of each line the one that follows; -1 for none
	start   int
	layouts []*layout
}

// take takes the lines of a layout in.
func (m *merging) take(l *layout) {
	lines := l.blocks[0].lines(m.axis)
	to := make([]int, len(lines))
	before := -1
	seen := make(map[string]int)
	for i := range lines {
		key := m.run.keyOf(&lines[i])
		if key == "" {
			to[i] = -1
			l.problems = append(l.problems, m.run.unlabelled(l, m.axis, i))
			continue
		}
		if first, twice := seen[key]; twice {
			to[i] = to[first]
			l.problems = append(l.problems, m.run.repeated(l, m.axis, first, i))
			continue
		}
		seen[key] = i
		n, known := m.at[key]
		if !known {
			n = m.insert(key, &lines[i], before, m.nextKnown(lines[i+1:]))
			m.lines[n].first = l.first
		}
		m.lines[n].forms += l.forms
		to[i], before = n, n
	}
	m.layouts = append(m.layouts, l)
	if l.to == nil {
		l.to = new(mapping)
	}
	l.to[m.axis] = [][]int{to}
}

// nextKnown is the first of some lines that the result has already, -1 for none.
func (m *merging) nextKnown(lines []line) int {
	for i := range lines {
		if n, ok := m.at[m.run.keyOf(&lines[i])]; ok {
			return n
		}
	}
	return -1
}

// insert adds a line behind another one, or where there is none before the one that follows.
func (m *merging) insert(key string, l *line, before, following int) int {
	n := len(m.lines)
	m.lines = append(m.lines, gridLine{levels: l.levels, at: l.at, like: l.at, added: len(m.layouts) > 0})
	m.at[key], m.next = n, append(m.next, -1)
	switch {
	case n == 0:
		m.start = n
	case before >= 0:
		m.next[n], m.next[before] = m.next[before], n
	case following < 0 || following == m.start:
		m.next[n], m.start = m.start, n
	default:
		previous := slices.Index(m.next, following)
		m.next[n], m.next[previous] = following, n
	}
	return n
}

// finish puts the lines in their order, and says where each of them stands: where it does in the first form, moved by
// those that others have added before.
func (m *merging) finish() []gridLine {
	var lines []gridLine
	order := make([]int, len(m.lines))
	added := 0
	for n, i := m.start, 0; n >= 0 && i < len(m.lines); n, i = m.next[n], i+1 {
		l := m.lines[n]
		order[n] = i
		switch {
		case !l.added:
			l.at += added
		case i == 0:
			added++
			l.at = m.lines[m.firstOwn()].at
			l.like = l.at
		default:
			added++
			l.at, l.like = lines[i-1].at+1, lines[i-1].like
		}
		lines = append(lines, l)
	}
	for _, l := range m.layouts {
		to := l.to[m.axis][0]
		for i := range to {
			if to[i] >= 0 {
				to[i] = order[to[i]]
			}
		}
	}
	return lines
}

// firstOwn is the first line of the first form.
func (m *merging) firstOwn() int {
	for n := m.start; n >= 0; n = m.next[n] {
		if !m.lines[n].added {
			return n
		}
	}
	return m.start
}
