package tieout

import (
	"slices"
	"strings"

	"lastblock/core/source"
	"lastblock/core/value/amount"
)

// Label is what a covering sheet calls a figure: "Number of lines" for rows.
type Label struct{ Text, Figure string }

// Cover is a small sheet that declares one source: a covering sheet in its
// workbook, or a file beside it.
type Cover struct {
	Source string // by its name, as sources before it may be passed over yet
	Grid   *source.Grid
}

// coversOf are those of some covers whose sources are in a set: others are passed over, and their covers with them.
func coversOf(set *source.Set, covers []Cover) []Cover {
	here := make(map[string]bool)
	for i := range set.Sources {
		here[set.Sources[i].Name] = true
	}
	return slices.DeleteFunc(slices.Clone(covers), func(c Cover) bool { return !here[c.Source] })
}

// figure is a figure that was found beside its label.
type figure struct {
	text string
	line int
}

// figuresOn finds the figures of a grid: to the right of each label, and where
// no figure is there below it. Without labels every text is taken for one.
func figuresOn(grid *source.Grid, labels []Label, decimal byte) map[string]figure {
	found := make(map[string]figure)
	for row, cells := range grid.Cells {
		for at, cell := range cells {
			name := strings.TrimRight(strings.TrimSpace(cell), ":= \t")
			if name == "" || isFigure(cell, decimal) {
				continue
			}
			word := name
			if strings.EqualFold(name, rowsColumn) {
				word = rowsColumn
			}
			for _, label := range labels {
				if strings.EqualFold(name, strings.TrimRight(strings.TrimSpace(label.Text), ":= \t")) {
					word = label.Figure
				}
			}
			if _, twice := found[word]; twice {
				continue // the first one is meant
			}
			if f, ok := beside(grid, row, at, decimal); ok {
				found[word] = f
			}
		}
	}
	return found
}

// beside looks for a figure in the cells to the right, up to the next text, and
// then in those below.
func beside(grid *source.Grid, row, at int, decimal byte) (figure, bool) {
	for _, cell := range grid.Cells[row][at+1:] {
		if strings.TrimSpace(cell) == "" {
			continue
		}
		if isFigure(cell, decimal) {
			return figure{strings.TrimSpace(cell), grid.Lines[row]}, true
		}
		break
	}
	for below := row + 1; below < len(grid.Cells); below++ {
		if at >= len(grid.Cells[below]) || strings.TrimSpace(grid.Cells[below][at]) == "" {
			continue
		}
		cell := grid.Cells[below][at]
		return figure{strings.TrimSpace(cell), grid.Lines[below]}, isFigure(cell, decimal)
	}
	return figure{}, false
}

func isFigure(text string, decimal byte) bool {
	_, err := amount.Parse([]byte(text), decimal)
	return err == nil
}
