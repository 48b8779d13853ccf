package overlay

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/format/sheet"
	"lastblock/core/option"
	"lastblock/core/value/equality"
)

// Request is an overlay in the words of a plan or a command line.
type Request struct {
	Cells   []string
	Labels  []string
	Also    []string
	Footing []string
	Loose   []string
}

// Options are those of a request.
func (r *Request) Options() option.List {
	return option.List{
		{Word: "cells", Value: &r.Cells,
			Meaning: "where the figures are, e.g. B7:F18 or Budget!B7:F18; forms then meet by position (found by " +
				"itself)"},
		{Word: "labels", Value: &r.Labels,
			Meaning: "forms meet by label: the columns and rows that hold labels, e.g. A,6, or of several levels " +
				"A:B,5:6"},
		{Word: "also", Value: &r.Also,
			Meaning: "rows or columns of percentages, by label, that are added all the same"},
		{Word: "footing", Value: &r.Footing,
			Meaning: "rows and columns that are sums of others, e.g. 'row Total,column Year' (found by itself)"},
		{Word: "loose", Value: &r.Loose,
			Meaning: "what makes no difference in a label: blanks, case, zeros, punctuation"},
	}
}

// Sheet is the sheet that the cells are on, "" where none is said. The error is an *option.Error.
func (r *Request) Sheet() (name string, err error) {
	_, name, err = r.areas()
	return name, err
}

// Read reads a request. The error is an *option.Error.
func (r *Request) Read() (o Options, err error) {
	if len(r.Cells) > 0 && len(r.Labels) > 0 {
		return o, option.Errorf("labels", "forms meet by position or by label: it does not go together with ⟨cells⟩")
	}
	if o.Areas, _, err = r.areas(); err != nil {
		return o, err
	}
	if o.Labels, err = r.labels(); err != nil {
		return o, err
	}
	for _, text := range r.Footing {
		axis, label, ok := strings.Cut(strings.TrimSpace(text), " ")
		f := Footing{Label: strings.TrimSpace(label)}
		switch axis {
		case "row":
		case "column":
			f.Axis = Columns
		default:
			ok = false
		}
		if !ok || f.Label == "" {
			return o, option.Errorf("footing", "%q names no row or column; write row Total, or column Year", text)
		}
		o.Footing = append(o.Footing, f)
	}
	if o.Loose, err = equality.ParseLoose(r.Loose); err != nil {
		return o, option.Errorf("loose", "%w", err)
	}
	o.Also = r.Also
	return o, nil
}

// areas reads where the figures stand.
func (r *Request) areas() (areas []sheet.Area, name string, err error) {
	for _, text := range r.Cells {
		of, area, err := parseArea(text)
		if err != nil {
			return nil, "", option.Errorf("cells", "%w", err)
		}
		if len(areas) > 0 && of != name {
			return nil, "", option.Errorf("cells",
				"all areas of a result stand on one sheet; make a result for each sheet")
		}
		for _, other := range areas {
			if overlap(&other, &area) {
				return nil, "", option.Errorf("cells", "%s overlaps %s, so that figures would be added twice",
					addressOf(&area),
					addressOf(&other))
			}
		}
		name, areas = of, append(areas, area)
	}
	slices.SortFunc(areas, inOrder)
	return areas, name, nil
}

// inOrder is the order of areas of a result.
func inOrder(a, b sheet.Area) int {
	return cmp.Or(cmp.Compare(a.FirstRow, b.FirstRow), cmp.Compare(a.FirstColumn, b.FirstColumn))
}

// parseArea reads B7:F18, B7, Budget!B7:F18 or 'My sheet'!B7:F18, as ISO/IEC 29500-1, 18.17, has cell references.
func parseArea(text string) (name string, area sheet.Area, err error) {
	text = strings.TrimSpace(text)
	cells := text
	if at := strings.LastIndexByte(text, '!'); at >= 0 {
		name, cells = text[:at], text[at+1:]
		if len(name) >= 2 && name[0] == '\'' && name[len(name)-1] == '\'' {
			name = strings.ReplaceAll(name[1:len(name)-1], "''", "'")
		}
	}
	from, to, isRange := strings.Cut(cells, ":")
	if !isRange {
		to = from
	}
	r1, c1, ok1 := sheet.Reference(from)
	r2, c2, ok2 := sheet.Reference(to)
	if !ok1 || !ok2 || max(r1, r2) > sheet.MostRows {
		return "", area, fmt.Errorf("%q is no area of cells; write for example B7:F18", text)
	}
	return name, sheet.Area{FirstRow: min(r1, r2), LastRow: max(r1, r2), FirstColumn: min(c1, c2),
		LastColumn: max(c1, c2)}, nil
}

func overlap(a, b *sheet.Area) bool {
	return a.FirstRow <= b.LastRow && b.FirstRow <= a.LastRow &&
		a.FirstColumn <= b.LastColumn && b.FirstColumn <= a.LastColumn
}

// addressOf writes an area as B7:F18.
func addressOf(a *sheet.Area) string {
	return Address(a.FirstRow, a.FirstColumn) + ":" + Address(a.LastRow, a.LastColumn)
}

// Address writes the address of a cell, as B7.
func Address(row, column int) string { return sheet.ColumnLetters(column) + strconv.Itoa(row) }

// labels reads where labels stand: letters are columns and numbers are rows, each of which may be several.
func (r *Request) labels() (*Labels, error) {
	if len(r.Labels) == 0 {
		return nil, nil
	}
	l := new(Labels)
	for _, text := range r.Labels {
		text = strings.TrimSpace(text)
		from, to, isRange := strings.Cut(text, ":")
		if !isRange {
			to = from
		}
		first, last := sheet.ColumnNumber(from), sheet.ColumnNumber(to)
		of, most := &l.Columns, sheet.MostColumns
		if first == 0 || last == 0 {
			of, most = &l.Rows, sheet.MostRows
			first, last = rowNumber(from), rowNumber(to)
		}
		if first == 0 || last < first || last > most {
			return nil, option.Errorf("labels", "%q is neither a column nor a row; write for example A,6, or A:B,5:6",
				text)
		}
		for n := first; n <= last; n++ {
			if !slices.Contains(*of, n) {
				*of = append(*of, n)
			}
		}
		slices.Sort(*of)
	}
	switch {
	case len(l.Columns) == 0:
		return nil, option.Errorf("labels", "in which column are the labels of rows? Write for example A,6")
	case len(l.Rows) == 0:
		return nil, option.Errorf("labels", "in which row are the labels of columns? Write for example A,6")
	}
	return l, nil
}

func rowNumber(text string) int {
	n, err := strconv.Atoi(text)
	if err != nil {
		return 0
	}
	return max(0, n)
}
