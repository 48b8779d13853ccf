package overlay

import (
	"encoding/binary"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/format/sheet"
	"lastblock/core/large/texts"

	"github.com/zeebo/xxh3"
)

// layout is how forms are laid out, the same for all that have the same labels in the same places.
type layout struct {
	key    string
	print  uint64 // of the key
	blocks []block
	cells  int // of all blocks
	forms  int // how many sources have it
	first  int // the first source that has it

	to       *mapping
	problems []problem
	counted  bool                // its lines were taken into account for the roles of those of the result
	mappings map[string]*mapping // by which of the problems were accepted
}

// mapping tells of the lines of a layout, by axis, block and line, to which line of the result they are added; -1 for
// none.
type mapping [2][][]int

// problem is about lines of a layout, which are added only where somebody has accepted what is told of a form.
type problem struct {
	axis  Axis
	block int
	lines []int
	tell  func(f *form) finding.Finding
}

// block is an area of figures.
type block struct {
	area          sheet.Area
	rows, columns []line
	offset        int // of its first cell among those of the layout
}

// line is a row or a column of figures.
type line struct {
	at     int      // the number of the row or the column
	levels []string // of its label, the outermost first; all blank where it has none
	row    int      // where the innermost label that is filled stands, 0 for nowhere
	column int

	numbers bool // some form has a number in it
	ratios  bool // some form has a percentage or a fraction in it
	plain   bool // some form has a number that is none
	texts   bool // some form has something else in it
}

// label is how messages call a line.
func (l *line) label() string { return labelOf(l.levels) }

func labelOf(levels []string) string {
	filled := slices.DeleteFunc(slices.Clone(levels), func(level string) bool { return level == "" })
	return strings.Join(filled, " / ")
}

func (l *line) isLabelled() bool {
	return slices.ContainsFunc(l.levels, func(level string) bool { return level != "" })
}

func (b *block) lines(axis Axis) []line {
	if axis == Rows {
		return b.rows
	}
	return b.columns
}

// place takes the number of a cell apart: its block, and its lines.
func (l *layout) place(cell int) (block, row, column int) {
	for block = len(l.blocks) - 1; l.blocks[block].offset > cell; block-- {
	}
	cell -= l.blocks[block].offset
	width := len(l.blocks[block].columns)
	return block, cell / width, cell % width
}

// address is where a cell of the layout stands in a form.
func (l *layout) address(cell int) (row, column int) {
	b, r, c := l.place(cell)
	return l.blocks[b].rows[r].at, l.blocks[b].columns[c].at
}

// drawn is a line while a form is read, with its levels among those that were drawn.
type drawn struct {
	at, row, column int
	from, to        int // of its levels
}

// drawing is the layout of the form that is being read.
type drawing struct {
	blocks []drawnBlock
	lines  []drawn
	levels [][]byte
	key    []byte
}

// drawnBlock is a block of a drawing; its rows and columns are stretches of the lines.
type drawnBlock struct {
	area                  sheet.Area
	rows, columns, behind int // where its rows begin, its columns, and what is behind them
}

func (d *drawing) reset() {
	d.blocks, d.lines, d.levels, d.key = d.blocks[:0], d.lines[:0], d.levels[:0], d.key[:0]
}

// close makes the key of what was drawn.
func (d *drawing) close() {
	for i := range d.blocks {
		b := &d.blocks[i]
		d.key = binary.AppendUvarint(d.key, uint64(b.columns-b.rows))
		d.key = binary.AppendUvarint(d.key, uint64(b.behind-b.columns))
	}
	for i := range d.lines {
		l := &d.lines[i]
		for _, n := range []int{l.at, l.row, l.column, l.to - l.from} {
			d.key = binary.AppendUvarint(d.key, uint64(n))
		}
		for _, level := range d.levels[l.from:l.to] {
			d.key = texts.Append(d.key, level)
		}
	}
}

// layout makes a layout of what was drawn.
func (d *drawing) layout() *layout {
	l := &layout{key: string(d.key), print: xxh3.Hash(d.key)}
	lines := make([]line, len(d.lines))
	for i := range d.lines {
		from := &d.lines[i]
		lines[i] = line{at: from.at, row: from.row, column: from.column}
		for _, level := range d.levels[from.from:from.to] {
			lines[i].levels = append(lines[i].levels, string(level))
		}
	}
	for _, b := range d.blocks {
		l.blocks = append(l.blocks, block{area: b.area, rows: lines[b.rows:b.columns:b.columns],
			columns: lines[b.columns:b.behind:b.behind], offset: l.cells})
		l.cells += (b.columns - b.rows) * (b.behind - b.columns)
	}
	return l
}
