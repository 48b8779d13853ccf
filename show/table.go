package show

import (
	"bufio"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/jedib0t/go-pretty/v6/text"
)

// Table is a table for people. Where it is wider than the screen, texts are
// shortened first; figures never are: what still does not fit goes below, with
// the key columns in front once more.
type Table struct {
	Columns []Column
	Rows    []Row
}

// Column is a column of a Table.
type Column struct {
	Name  string
	Right bool // figures stand at the right
	Key   bool // says what the row is about, and is repeated when the table is split
	Whole bool // is never shortened
	// Money holds amounts, which are all shown with as many decimals as the one with most.
	Money bool
}

// Row is a row of a Table; a Strong one, such as a total, is set apart.
type Row struct {
	Cells  []string
	Strong bool
}

const (
	gap         = 2 // blanks between columns
	narrowText  = 12
	shortenMark = "…"
)

// Add adds a row.
func (t *Table) Add(cells ...string) { t.Rows = append(t.Rows, Row{Cells: cells}) }

// AddStrong adds a row that is set apart.
func (t *Table) AddStrong(cells ...string) {
	t.Rows = append(t.Rows, Row{Cells: cells, Strong: true})
}

// Print prints the table.
func (t *Table) Print(s *Screen) {
	for i := range t.Rows {
		for k := range t.Rows[i].Cells {
			t.Rows[i].Cells[k] = Visible(t.Rows[i].Cells[k])
		}
	}
	t.level()
	widths := t.widths()
	if s.Width > 0 {
		widths = t.fit(widths, s.Width)
	}
	for i, panel := range t.panels(widths, s.Width) {
		if i > 0 {
			fmt.Fprintln(s)
		}
		t.printPanel(s, panel, widths)
	}
}

// level gives the amounts of a column as many decimals.
func (t *Table) level() {
	for k := range t.Columns {
		if !t.Columns[k].Money {
			continue
		}
		most := 0
		for i := range t.Rows {
			if decimals, ok := decimalsOf(t.Rows[i].Cells[k]); ok {
				most = max(most, decimals)
			}
		}
		for i := range t.Rows {
			cell := &t.Rows[i].Cells[k]
			decimals, ok := decimalsOf(*cell)
			switch {
			case !ok || decimals == most:
			case decimals == 0:
				*cell += "." + strings.Repeat("0", most)
			default:
				*cell += strings.Repeat("0", most-decimals)
			}
		}
	}
}

// decimalsOf is how many decimals an amount is shown with; ok is false for what is none.
func decimalsOf(cell string) (decimals int, ok bool) {
	digits := strings.TrimPrefix(cell, "-")
	if digits == "" || strings.Trim(digits, "0123456789,.") != "" {
		return 0, false
	}
	_, fraction, _ := strings.Cut(digits, ".")
	return len(fraction), true
}

func (t *Table) widths() []int {
	widths := make([]int, len(t.Columns))
	for i, c := range t.Columns {
		widths[i] = textWidth(c.Name)
		for _, row := range t.Rows {
			widths[i] = max(widths[i], textWidth(row.Cells[i]))
		}
	}
	return widths
}

// fit takes width from the widest texts until the table fits. Where that is
// not enough, the table is split, and only a text that would not leave room
// beside it is made narrower.
func (t *Table) fit(widths []int, screen int) []int {
	fitted := slices.Clone(widths)
	for total(fitted) > screen {
		widest := -1
		for i, c := range t.Columns {
			if !c.Right && !c.Whole && fitted[i] > narrowText && (widest < 0 || fitted[i] > fitted[widest]) {
				widest = i
			}
		}
		if widest < 0 {
			for i, c := range t.Columns {
				if !c.Right && !c.Whole {
					widths[i] = min(widths[i], max(narrowText, screen/2))
				}
			}
			return widths
		}
		fitted[widest]--
	}
	return fitted
}

func total(widths []int) int {
	sum := -gap
	for _, w := range widths {
		sum += w + gap
	}
	return sum
}

// panels splits the columns so that each part fits, with the keys in front.
func (t *Table) panels(widths []int, screen int) [][]int {
	var keys, others []int
	keyWidth := 0
	for i, c := range t.Columns {
		if c.Key {
			keys = append(keys, i)
			keyWidth += widths[i] + gap
		} else {
			others = append(others, i)
		}
	}
	if screen == 0 || total(widths) <= screen {
		all := make([]int, len(t.Columns))
		for i := range all {
			all[i] = i
		}
		return [][]int{all}
	}
	var panels [][]int
	panel, used := keys[:len(keys):len(keys)], keyWidth
	for _, i := range others {
		if used+widths[i] > screen && len(panel) > len(keys) {
			panels = append(panels, panel)
			panel, used = keys[:len(keys):len(keys)], keyWidth
		}
		panel = append(panel, i)
		used += widths[i] + gap
	}
	return append(panels, panel)
}

// printPanel prints some columns. Since widths are known by now, this is only
// padding. A table package was measured here: it took 80 microseconds a row, as
// long as reading a file of a thousand records.
func (t *Table) printPanel(s *Screen, panel, widths []int) {
	w := bufio.NewWriter(s)
	defer w.Flush() // a terminal that is gone is found out by the write behind the table
	names := make([]string, len(t.Columns))
	for i, c := range t.Columns {
		names[i] = c.Name
	}
	t.printRow(w, s, panel, widths, Row{Cells: names, Strong: true})
	rule := make([]int, len(panel))
	for k, i := range panel {
		rule[k] = widths[i]
	}
	line := strings.Repeat("─", total(rule)) + "\n"
	w.WriteString(line)
	for n, row := range t.Rows {
		if row.Strong && n > 0 && n == len(t.Rows)-1 {
			w.WriteString(line)
		}
		t.printRow(w, s, panel, widths, row)
	}
}

func (t *Table) printRow(w *bufio.Writer, s *Screen, panel, widths []int, row Row) {
	owed := 0 // blanks, which are not printed at the end of a line
	for k, i := range panel {
		if k > 0 {
			owed += gap
		}
		cell := shorten(row.Cells[i], widths[i])
		pad := widths[i] - textWidth(cell)
		if cell == "" {
			owed += pad
			continue
		}
		if row.Strong {
			cell = s.Bold(cell)
		}
		if t.Columns[i].Right {
			owed, pad = owed+pad, 0
		}
		for range owed {
			w.WriteByte(' ')
		}
		w.WriteString(cell)
		owed = pad
	}
	w.WriteByte('\n')
}

// textWidth is how many columns of a terminal a text takes.
func textWidth(s string) int {
	for i := range len(s) {
		if s[i] >= utf8.RuneSelf {
			return text.StringWidth(s)
		}
	}
	return len(s)
}

// shorten cuts a text in its middle, since names that begin alike often differ
// at their ends.
func shorten(s string, width int) string {
	if textWidth(s) <= width {
		return s
	}
	runes := []rune(s)
	front := (width - 1) / 2
	back := width - 1 - front
	return string(runes[:front]) + shortenMark + string(runes[len(runes)-back:])
}

// Visible makes control characters visible, so that no text that a branch sent
// can move the cursor or colour the screen.
func Visible(s string) string {
	if strings.IndexFunc(s, isControl) < 0 {
		return s
	}
	return strings.Map(func(r rune) rune {
		switch {
		case r == 0x7f:
			return '␡'
		case r < 0x20:
			return '␀' + r
		case isControl(r):
			return '·'
		}
		return r
	}, s)
}

// VisibleLines is Visible for a text of several lines.
func VisibleLines(s string) string {
	lines := strings.Split(s, "\n")
	for i := range lines {
		lines[i] = Visible(lines[i])
	}
	return strings.Join(lines, "\n")
}

// isControl tells whether a character does something to the screen instead of standing
// on it: control characters, line and paragraph separators, and those that turn the
// direction of writing round (Unicode Standard Annex #9).
func isControl(r rune) bool {
	return r < 0x20 || 0x7f <= r && r < 0xa0 || r == 0x2028 || r == 0x2029 ||
		r == 0x061c || r == 0x200e || r == 0x200f || 0x202a <= r && r <= 0x202e || 0x2066 <= r && r <= 0x2069
}

// Drop leaves a column out.
func (t *Table) Drop(name string) {
	at := slices.IndexFunc(t.Columns, func(c Column) bool { return c.Name == name })
	if at < 0 {
		return
	}
	t.Columns = slices.Delete(t.Columns, at, at+1)
	for i := range t.Rows {
		t.Rows[i].Cells = slices.Delete(t.Rows[i].Cells, at, at+1)
	}
}

// Fit leaves out the last columns until the table fits beside its keys; 0 is a screen without an end.
func (t *Table) Fit(screen int) {
	for screen > 0 {
		widths := t.widths()
		last := len(t.Columns) - 1
		if total(widths) <= screen || t.Columns[last].Key {
			return
		}
		t.Drop(t.Columns[last].Name)
	}
}
