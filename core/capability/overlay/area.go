package overlay

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/format/sheet"
	"lastblock/core/source"
	"lastblock/core/value/words"
)

// include has an area hold a cell.
func include(a *sheet.Area, row, column int, first bool) {
	if first {
		*a = sheet.Area{FirstRow: row, LastRow: row, FirstColumn: column, LastColumn: column}
		return
	}
	a.FirstRow, a.LastRow = min(a.FirstRow, row), max(a.LastRow, row)
	a.FirstColumn, a.LastColumn = min(a.FirstColumn, column), max(a.LastColumn, column)
}

// areYears tells whether the numbers of a row are years one after another, which head columns.
func areYears(row []value) bool {
	const first, last, fewest = 1900, 2199, 2
	before, count := int64(0), 0
	for i := range row {
		if row[i].state != number {
			continue
		}
		n, ok := row[i].amount.Int64()
		if !ok || n < first || n > last || count > 0 && n != before && n != before+1 && n != before-1 {
			return false
		}
		before, count = n, count+1
	}
	return count >= fewest
}

// DisagreeError says that forms have their figures in different places, and that no place is that of most of them.
type DisagreeError struct{ Places []Place }

// Place is an area of figures, with the sources that have theirs in it.
type Place struct {
	Area    string
	Sources []string
}

func (e *DisagreeError) Error() string {
	const most = 4
	var parts []string
	for i, p := range e.Places {
		if i == most {
			parts = append(parts, fmt.Sprintf("and in %s more", words.Count(len(e.Places)-most, "place")))
			break
		}
		parts = append(parts, p.Area+" in "+words.AndMore(2, p.Sources...))
	}
	return "the forms have their figures in different places: " + strings.Join(parts, "; ") + ". Say where with " +
		"⟨cells⟩, or have forms meet by label with ⟨labels⟩"
}

// NoFiguresError says that no form has a figure.
type NoFiguresError struct{}

func (e *NoFiguresError) Error() string {
	return "no figures were found, numbers with a label to their left and one above them; say where they are with " +
		"⟨cells⟩"
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

func within(inner, outer *sheet.Area) bool {
	return outer.FirstRow <= inner.FirstRow && inner.LastRow <= outer.LastRow &&
		outer.FirstColumn <= inner.FirstColumn && inner.LastColumn <= outer.LastColumn
}
