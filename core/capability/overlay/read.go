package overlay

import (
	"bytes"
	"cmp"
	"context"
	"slices"
	"strings"

	"lastblock/core/format/sheet"
	"lastblock/core/source"
	"lastblock/core/value/amount"

	"github.com/zeebo/xxh3"
)

// form is what one source has sent.
type form struct {
	source int
	layout *layout // nil where nothing of it can be added up
	to     *mapping
	values stored

	area                                         sheet.Area // in which its figures were found, where that was asked
	isOutside                                    bool       // some are outside of the area of the others
	read, blank, numbers, ratios, badCount, kept int        // cells; kept of the bad ones
	total                                        amount.Sum // of numbers and ratios
	print, places                                uint64     // fingerprints of its values, and of its layout

	locked     bool
	binary     string // what the file holds that is no text
	hidden     string // columns, or the sheet
	hiddenRows int
	unclear    string
	guessed    string
	dropped    bool
}

// badCell is a cell of a figure that holds something else.
type badCell struct {
	form  *form
	cell  int // of its layout
	state state
	text  string
}

// state is what a cell holds.
type state byte

const (
	blank state = iota
	number
	ratio
	textual
	dated
	flag
	failed // an error
)

// value is what stands in a cell.
type value struct {
	state  state
	amount amount.Amount
	text   []byte
}

// worker reads forms on one goroutine.
type worker struct {
	run     *run
	areas   []sheet.Area // nil to find them
	hull    sheet.Area   // that holds them, where they were found
	layouts map[string]*layout
	forms   []*form
	bad     []badCell
	store   store

	cells   *source.Cells
	values  []value         // of the source that is being read, cell by cell
	merged  map[int][]int32 // its merged areas, by row
	starts  []int           // the first of each row
	drawing drawing
	above   []bool
	encoded []byte
	dense   densely
	pattern *pattern // of the last form of text; nil where there is none to be had
	alike   int      // forms that were read by it
}

// mostBad is how many cells of a form are kept that hold no amount; the others are counted.
const mostBad = 1000

// textLength is how much of a text is kept for a message.
const textLength = 60

func (r *run) newWorker() *worker {
	w := &worker{run: r, areas: r.areas, hull: r.hull, layouts: make(map[string]*layout)}
	w.store.limit = r.reading.Memory / 4 / int64(max(1, r.reading.Jobs))
	r.workers = append(r.workers, w)
	return w
}

// read reads all sources.
func (r *run) read(ctx context.Context) error {
	r.areas = r.options.Areas
	if err := r.set.ReadCells(ctx, r.reading,
		func() func(*source.Cells) error { return r.newWorker().take }); err != nil {
		return err
	}
	r.gather()
	return nil
}

// gather puts together what the workers have read, so that it does not matter who read what.
func (r *run) gather() {
	layouts := make(map[string]*layout)
	r.forms, r.layouts = nil, nil
	for _, w := range r.workers {
		for key, l := range w.layouts {
			if other := layouts[key]; other != nil {
				other.join(l)
			} else {
				layouts[key] = l
			}
		}
		r.forms = append(r.forms, w.forms...)
	}
	slices.SortFunc(r.forms, func(a, b *form) int { return cmp.Compare(a.source, b.source) })
	for _, f := range r.forms {
		if f.layout == nil {
			continue
		}
		f.layout = layouts[f.layout.key]
		if f.layout.forms == 0 {
			f.layout.first = f.source
			r.layouts = append(r.layouts, f.layout)
		}
		f.layout.forms++
	}
}

// join takes in what forms of the same layout have.
func (l *layout) join(o *layout) {
	for b := range l.blocks {
		for _, axis := range []Axis{Rows, Columns} {
			to, from := l.blocks[b].lines(axis), o.blocks[b].lines(axis)
			for i := range to {
				to[i].join(&from[i])
			}
		}
	}
}

func (l *line) join(o *line) {
	l.numbers, l.ratios = l.numbers || o.numbers, l.ratios || o.ratios
	l.plain, l.texts = l.plain || o.plain, l.texts || o.texts
}

// take reads a form.
func (w *worker) take(c *source.Cells) error {
	f := &form{source: c.Index, locked: c.Locked, hidden: c.Hidden, guessed: c.Guessed}
	w.forms = append(w.forms, f)
	name := w.run.set.Sources[c.Index].Name
	_, f.dropped = w.run.options.Drop.Of(name).Whole()
	if f.binary = c.Binary; c.Locked || f.binary != "" {
		return nil
	}
	if quick, err := w.takeAlike(f, c); quick || err != nil {
		return err
	}
	if err := c.Parse(); err != nil {
		return &source.Error{Source: name, Err: err}
	}
	w.cells, f.unclear = c, c.Unclear
	w.parse(f)
	areas := w.areas
	w.drawing.reset()
	switch {
	case w.run.options.Labels != nil:
		if err := w.drawByLabel(w.run.options.Labels); err != nil {
			return &source.Error{Source: name, Err: err}
		}
	case w.run.options.Areas == nil:
		found, ok := w.findArea()
		f.area = found
		if areas == nil && !ok {
			return nil
		}
		if areas == nil {
			areas = []sheet.Area{found}
		}
		f.isOutside = ok && w.areas != nil && !within(&found, &w.hull)
		fallthrough
	default:
		for i := range areas {
			a := &areas[i]
			if err := c.CheckArea(a.LastRow-a.FirstRow+1, a.LastColumn-a.FirstColumn+1); err != nil {
				return &source.Error{Source: name, Err: err}
			}
		}
		w.drawByPosition(areas)
	}
	return w.keep(f)
}

// parse reads the values of all cells.
func (w *worker) parse(f *form) {
	c := w.cells
	w.values, w.starts = w.values[:0], w.starts[:0]
	for i := range c.Rows {
		row := &c.Rows[i]
		if row.Hidden {
			f.hiddenRows++
		}
		w.starts = append(w.starts, len(w.values))
		for k := range row.Cells {
			w.values = append(w.values, w.valueOf(&row.Cells[k]))
		}
	}
	w.starts = append(w.starts, len(w.values))
	for i := range c.Merged {
		w.uncover(&c.Merged[i])
	}
	w.findMerged()
}

func (w *worker) valueOf(cell *sheet.Cell) value {
	v := value{text: cell.Text}
	if source.IsBlank(cell) {
		return v
	}
	amount, isRatio, ok := w.cells.Amount(cell)
	switch {
	case ok && isRatio:
		v.state, v.amount = ratio, amount
	case ok:
		v.state, v.amount = number, amount
	case cell.Error:
		v.state = failed
	case cell.Kind == sheet.DateCell:
		v.state = dated
	case cell.Kind == sheet.FlagCell:
		v.state = flag
	default:
		v.state = textual
	}
	return v
}

// uncover makes the cells of a merged area blank but for the first, in which what it shows is stored.
func (w *worker) uncover(area *sheet.Area) {
	for row := area.FirstRow; row <= area.LastRow; row++ {
		at, ok := w.rowAt(row)
		if !ok {
			if at == len(w.cells.Rows) {
				return
			}
			row = w.cells.Rows[at].Number - 1
			continue
		}
		for column := area.FirstColumn; column <= area.LastColumn; column++ {
			if row == area.FirstRow && column == area.FirstColumn {
				continue
			}
			v := w.in(at, column)
			if v == nil {
				break // nothing further on
			}
			*v = value{}
		}
	}
}

// rowAt is the place of a row among those that hold something, or of the first one below it.
func (w *worker) rowAt(row int) (at int, ok bool) {
	rows := w.cells.Rows
	if row <= len(rows) && row > 0 && rows[row-1].Number == row {
		return row - 1, true // as where no row is blank
	}
	return slices.BinarySearchFunc(rows, row, func(r sheet.Row, row int) int { return cmp.Compare(r.Number, row) })
}

// in is the value in a column of the row at a place, nil where the row ends before.
func (w *worker) in(at, column int) *value {
	if i := w.starts[at] + column - 1; i < w.starts[at+1] {
		return &w.values[i]
	}
	return nil
}

// at is the value of a cell, nil where there is none.
func (w *worker) at(row, column int) *value {
	at, ok := w.rowAt(row)
	if !ok || column < 1 {
		return nil
	}
	return w.in(at, column)
}

// text is what a cell shows as a label, and where that is stored: of a cell that is merged with others, in the first.
func (w *worker) text(row, column int) (text []byte, atRow, atColumn int) {
	if v := w.at(row, column); v != nil && v.state != blank {
		return v.text, row, column
	}
	for _, some := range [][]int32{w.merged[row], w.merged[allRows]} {
		for _, i := range some {
			m := &w.cells.Merged[i]
			if m.FirstRow <= row && row <= m.LastRow && m.FirstColumn <= column && column <= m.LastColumn {
				v := w.at(m.FirstRow, m.FirstColumn)
				return v.text, m.FirstRow, m.FirstColumn
			}
		}
	}
	return nil, 0, 0
}

// allRows stands for every row, and tallest is up to how many rows a merged area is found by each of them.
const (
	allRows = 0
	tallest = 100
)

// findMerged finds the merged areas that show something, by their rows.
func (w *worker) findMerged() {
	clear(w.merged)
	for i := range w.cells.Merged {
		m := &w.cells.Merged[i]
		if v := w.at(m.FirstRow, m.FirstColumn); v == nil || v.state == blank {
			continue
		}
		if w.merged == nil {
			w.merged = make(map[int][]int32)
		}
		if m.LastRow-m.FirstRow >= tallest {
			w.merged[allRows] = append(w.merged[allRows], int32(i))
			continue
		}
		for row := m.FirstRow; row <= m.LastRow; row++ {
			w.merged[row] = append(w.merged[row], int32(i))
		}
	}
}

// keep keeps the figures of the form that is being read, as it was drawn.
func (w *worker) keep(f *form) error {
	if len(w.drawing.blocks) == 0 {
		return nil
	}
	f.layout = w.layouts[string(w.drawing.key)]
	if f.layout == nil {
		f.layout = w.drawing.layout()
		w.layouts[f.layout.key] = f.layout
	}
	w.encoded = w.encoded[:0]
	w.dense.reset()
	for i := range f.layout.blocks {
		w.keepBlock(f, &f.layout.blocks[i])
	}
	if !w.dense.fails {
		w.dense.level()
	}
	w.learn(f)
	if w.dense.fails {
		return w.put(f, encoded(w.encoded))
	}
	return w.put(f, &w.dense)
}

// kept are the figures of a form as they are kept.
type kept interface {
	size() int
	append(dst []byte) []byte
}

// encoded are figures cell by cell.
type encoded []byte

func (e encoded) size() int                { return len(e) }
func (e encoded) append(dst []byte) []byte { return append(dst, e...) }

// put stores the figures of a form.
func (w *worker) put(f *form, figures kept) (err error) {
	if f.values, err = w.store.put(figures); err != nil {
		return err
	}
	data, err := f.values.read(&w.encoded)
	f.print, f.places = xxh3.Hash(data), f.layout.print
	return err
}

func (w *worker) keepBlock(f *form, b *block) {
	var none value
	cell := b.offset
	for r := range b.rows {
		at, ok := w.rowAt(b.rows[r].at)
		for k := range b.columns {
			v := &none
			if ok {
				if in := w.in(at, b.columns[k].at); in != nil {
					v = in
				}
			}
			f.read++
			row, column := &b.rows[r], &b.columns[k]
			switch v.state {
			case blank:
				f.blank++
			case number:
				f.numbers++
				row.numbers, column.numbers, row.plain, column.plain = true, true, true, true
			case ratio:
				f.ratios++
				row.numbers, column.numbers, row.ratios, column.ratios = true, true, true, true
			default:
				f.badCount++
				row.texts, column.texts = true, true
				if f.kept < mostBad {
					f.kept++
					w.bad = append(w.bad, badCell{f, cell, v.state, cut(v.text)})
				}
			}
			if v.state == number || v.state == ratio {
				if coefficient, scale, ok := v.amount.Plain(); !ok || !f.total.AddPlain(coefficient, scale) {
					f.total.Add(v.amount)
				}
			}
			w.encoded = appendValue(w.encoded, v)
			w.dense.add(v)
			cell++
		}
	}
}

// cut is a text, or the begin of one that is long.
func cut(text []byte) string {
	short := strings.ToValidUTF8(string(bytes.TrimSpace(text)), "�")
	if runes := []rune(short); len(runes) > textLength {
		return string(runes[:textLength]) + "…"
	}
	return short
}

func (w *worker) close() { w.store.close() }
