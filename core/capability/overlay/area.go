package overlay

import (
	"fmt"
	"strings"

	"lastblock/core/format/sheet"
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
