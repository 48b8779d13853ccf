package source

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"lastblock/core/format/decode"
	"lastblock/core/format/header"
)

// separation is how the fields of a text are told apart, where no character does that.
type separation struct {
	blanks bool
	widths []int // of the columns, in characters; 0 for the rest of the line
	found  bool  // by itself
}

// String says it as it is shown.
func (s *separation) String() string {
	if s.blanks {
		return "blanks"
	}
	var widths []string
	for _, width := range s.widths {
		text := fmt.Sprint(width)
		if width == 0 {
			text = "rest"
		}
		widths = append(widths, text)
	}
	return "widths " + strings.Join(widths, ",")
}

const (
	separatedLines = 200 // are looked at to find a separation
	aboveColumns   = 40  // of them may stand above the columns
	columnLines    = 3   // must agree at the least
)

// findSeparation looks at the start of a text: at runs of blanks by which every line has
// as many fields, or else at the places where every line is blank. Some column must hold
// values, below a name or beside another one, or it is no table but a list of texts.
// It is nil where a character parts fields, or there is one column.
func findSeparation(sample []byte, whole bool) *separation {
	lines, ruled := linesOf(sample, whole)
	if len(lines) < columnLines || haveDelimiter(lines) {
		return nil
	}
	if !ruled && haveFields(fieldsOf(lines)) {
		return &separation{blanks: true, found: true}
	}
	if widths := findWidths(lines); widths != nil {
		return &separation{widths: widths, found: true}
	}
	return nil
}

// isDelimited tells quickly of most texts that a character stands between their fields.
func isDelimited(sample []byte) bool {
	first, rest, ok := bytes.Cut(sample, []byte{'\n'})
	second, _, _ := bytes.Cut(rest, []byte{'\n'})
	i := bytes.IndexAny(first, "\t;|,")
	return ok && i >= 0 && bytes.IndexByte(second, first[i]) >= 0
}

// linesOf are the first lines that hold something, without those that rule off; ruled says
// whether there are such.
func linesOf(sample []byte, whole bool) (lines []string, ruled bool) {
	text := bytes.ReplaceAll(bytes.ReplaceAll(sample, []byte("\r\n"), []byte{'\n'}), []byte{'\r'}, []byte{'\n'})
	if end := bytes.LastIndexByte(text, '\n'); !whole && end >= 0 {
		text = text[:end]
	}
	for line := range bytes.SplitSeq(bytes.TrimPrefix(text, []byte("\ufeff")), []byte{'\n'}) {
		switch {
		case len(lines) == separatedLines:
			return lines, ruled
		case decode.IsRule(line):
			ruled = true
		case len(bytes.TrimSpace(line)) > 0:
			lines = append(lines, string(line))
		}
	}
	return lines, ruled
}

// haveDelimiter tells whether more than half of the lines hold a character that parts
// fields. A comma between digits is none.
func haveDelimiter(lines []string) bool {
	isDigit := func(line string, i int) bool { return 0 <= i && i < len(line) && '0' <= line[i] && line[i] <= '9' }
	for _, delimiter := range []byte("\t;|,~^\x1f\x01") {
		count := 0
		for _, line := range lines {
			for i := range len(line) {
				if line[i] == delimiter && (delimiter != ',' || !isDigit(line, i-1) || !isDigit(line, i+1)) {
					count++
					break
				}
			}
		}
		if 2*count > len(lines) {
			return true
		}
	}
	return false
}

// fieldsOf parts lines at runs of blanks, as decode.Blanks does.
func fieldsOf(lines []string) [][]string {
	rows := make([][]string, len(lines))
	for i, line := range lines {
		quoted := false
		rows[i] = strings.FieldsFunc(line, func(c rune) bool {
			if c == '"' {
				quoted = !quoted
			}
			return !quoted && (c == ' ' || c == '\t')
		})
	}
	return rows
}

// haveFields tells whether all rows from some row near the top on have as many fields, and
// are a table; its header may be one name short.
func haveFields(rows [][]string) bool {
	width := header.Width(rows)
	for start := 0; start < min(aboveColumns, len(rows)); start++ {
		if len(rows[start]) == width-1 && header.IsShort(rows[start:]) {
			return slices.ContainsFunc(rows[start+1], header.IsValue) && !holdValues(rows[start:])
		}
		if len(rows[start]) == width && isTable(rows[start:], width, start) {
			return !slices.ContainsFunc(rows[start:], func(row []string) bool { return len(row) != width })
		}
	}
	return false
}

// holdValues tells whether any row is one amount, or one date, with blanks in it.
func holdValues(rows [][]string) bool {
	return slices.ContainsFunc(rows, func(row []string) bool { return header.IsValue(strings.Join(row, " ")) })
}

// isTable tells whether rows, above which others stand, are a table of so many columns: some
// of the columns have values, below names, or there are two of values and nothing above.
func isTable(rows [][]string, width, above int) bool {
	if width < 2 || len(rows) < columnLines || holdValues(rows) {
		return false
	}
	values, named := 0, 0
	for column := range width {
		filled, count := 0, 0
		for _, row := range rows[1:] {
			if column < len(row) && row[column] != "" {
				filled++
				if header.IsValue(row[column]) {
					count++
				}
			}
		}
		if count == 0 || 2*count < filled {
			continue
		}
		values++
		if column < len(rows[0]) && rows[0][column] != "" && !header.IsValue(rows[0][column]) {
			named++
		}
	}
	return values > 0 && named == values || above == 0 && values >= 2
}

// findWidths finds the places where all lines, from one near the top on, are blank; nil
// where these do not part a table. A first line that names every column comes before one
// that does not.
func findWidths(lines []string) []int {
	var found []int
	for from := range min(aboveColumns, len(lines)-columnLines+1) {
		starts := startsOf(lines[from:])
		rows := make([][]string, 0, len(lines)-from)
		for _, line := range lines[from:] {
			rows = append(rows, cutAt(line, starts))
		}
		if !isTable(rows, len(starts), from) {
			continue
		}
		widths := make([]int, len(starts))
		for i := 1; i < len(starts); i++ {
			widths[i-1] = starts[i] - starts[i-1]
		}
		widths[0] += starts[0]
		if !slices.Contains(rows[0], "") && !slices.ContainsFunc(rows[0], header.IsValue) {
			return widths
		}
		if found == nil {
			found = widths
		}
	}
	return found
}

// startsOf are the characters on which columns begin: behind a place that is blank in all
// lines, where in some line is none.
func startsOf(lines []string) []int {
	var filled []bool
	for _, line := range lines {
		at := 0
		for _, c := range line {
			if at == len(filled) {
				filled = append(filled, false)
			}
			filled[at] = filled[at] || c != ' '
			at++
		}
	}
	var starts []int
	for at := range filled {
		if filled[at] && (at == 0 || !filled[at-1]) {
			starts = append(starts, at)
		}
	}
	return starts
}

// cutAt cuts a line before some characters.
func cutAt(line string, starts []int) []string {
	fields := make([]string, len(starts))
	for i, start := range starts {
		end := utf8.RuneCountInString(line)
		if i+1 < len(starts) {
			end = min(end, starts[i+1])
		}
		if start < end {
			fields[i] = strings.TrimSpace(string([]rune(line)[start:end]))
		}
	}
	return fields
}
