package overlay

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
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

func within(inner, outer *sheet.Area) bool {
	return outer.FirstRow <= inner.FirstRow && inner.LastRow <= outer.LastRow &&
		outer.FirstColumn <= inner.FirstColumn && inner.LastColumn <= outer.LastColumn
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

// findArea finds where the figures stand: numbers that have a text to their left and something above them.
func (w *worker) findArea() (area sheet.Area, ok bool) {
	w.above = w.above[:0]
	for i := range w.cells.Rows {
		row := w.values[w.starts[i]:w.starts[i+1]]
		for len(w.above) < len(row) {
			w.above = append(w.above, false)
		}
		label, years := -1, areYears(row)
		for column := range row {
			v := &row[column]
			isNumber := v.state == number || v.state == ratio
			if label < 0 && v.state == textual {
				label = column
			}
			if isNumber && label >= 0 && w.above[column] && !years {
				include(&area, w.cells.Rows[i].Number, column+1, !ok)
				ok = true
			}
		}
		for column := range row {
			w.above[column] = w.above[column] || row[column].state != blank
		}
	}
	return area, ok
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

// agree finds out where the figures stand, in forms that meet by position and where it is not said: where most forms
// have theirs. Those that have them elsewhere are read once more, as the others are laid out; and all are where the
// figures turn out to be those of several tables.
func (r *run) agree(ctx context.Context) error {
	if r.options.Labels != nil || r.options.Areas != nil {
		return r.needFigures()
	}
	counts := make(map[sheet.Area][]int)
	for _, f := range r.forms {
		if f.layout != nil {
			counts[f.area] = append(counts[f.area], f.source)
		}
	}
	if len(counts) == 0 {
		return &NoFiguresError{}
	}
	var places []sheet.Area
	all := 0
	for area, sources := range counts {
		places, all = append(places, area), all+len(sources)
	}
	slices.SortFunc(places, func(a, b sheet.Area) int {
		return cmp.Or(cmp.Compare(len(counts[b]), len(counts[a])), cmp.Compare(counts[a][0], counts[b][0]))
	})
	chosen := places[0]
	if hull, ok := hullOf(places, counts); ok {
		chosen = hull
	} else if 2*len(counts[chosen]) <= all {
		return r.disagree(places, counts)
	}
	r.hull = chosen
	var err error
	if r.areas, err = r.split(chosen); err != nil {
		return err
	}
	var others []int
	for _, place := range places {
		if place != chosen || len(r.areas) > 1 {
			others = append(others, counts[place]...)
		}
	}
	if others == nil {
		return nil
	}
	return r.readAgain(ctx, others)
}

// hullOf is the place that holds all others, so that some forms have only left out figures at its border; ok is false
// where there is none, or where others have several forms and it has one.
func hullOf(places []sheet.Area, counts map[sheet.Area][]int) (hull sheet.Area, ok bool) {
	for _, outer := range places {
		holds := func(inner sheet.Area) bool { return !within(&inner, &outer) }
		if !slices.ContainsFunc(places, holds) {
			return outer, len(counts[outer]) > 1 || len(counts[places[0]]) == 1
		}
	}
	return hull, false
}

func (r *run) disagree(places []sheet.Area, counts map[sheet.Area][]int) error {
	e := new(DisagreeError)
	for _, place := range places {
		p := Place{Area: addressOf(&place)}
		for _, source := range counts[place] {
			p.Sources = append(p.Sources, r.set.Sources[source].Name)
		}
		e.Places = append(e.Places, p)
	}
	return e
}

// needFigures wants at least one form in which figures can stand.
func (r *run) needFigures() error {
	if slices.ContainsFunc(r.forms, func(f *form) bool { return f.layout != nil || f.locked }) {
		return nil
	}
	if r.options.Labels != nil {
		return fmt.Errorf("no form has figures right of the columns and below the rows of ⟨labels⟩")
	}
	return &NoFiguresError{}
}

// readAgain reads some sources once more, now that it is known where their figures stand.
func (r *run) readAgain(ctx context.Context, sources []int) error {
	again := make(map[int]bool)
	for _, i := range sources {
		again[i] = true
	}
	for _, w := range r.workers {
		w.forms = slices.DeleteFunc(w.forms, func(f *form) bool { return again[f.source] })
		w.bad = slices.DeleteFunc(w.bad, func(b badCell) bool { return again[b.form.source] })
		for _, l := range w.layouts {
			l.forms = 0
		}
	}
	slices.Sort(sources)
	some := r.set.Subset(sources)
	err := some.ReadCells(ctx, r.reading, func() func(*source.Cells) error {
		w := r.newWorker()
		return func(c *source.Cells) error {
			c.Index = sources[c.Index]
			return w.take(c)
		}
	})
	if err != nil {
		return err
	}
	r.dropUnused()
	r.gather()
	return nil
}

// dropUnused forgets layouts that no form has any more.
func (r *run) dropUnused() {
	used := make(map[*layout]bool)
	for _, w := range r.workers {
		for _, f := range w.forms {
			used[f.layout] = true
		}
		for key, l := range w.layouts {
			if !used[l] {
				delete(w.layouts, key)
			}
		}
	}
}
