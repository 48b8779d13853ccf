// Package header finds out from the first rows of a table where its header is:
// whether there is one, and which rows above it are no records.
package header

import (
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"lastblock/core/value/amount"
	"lastblock/core/value/date"
)

// Find returns at which row the header starts and how many rows it has; what
// stands above it is no record. lines is how many the user has said it has, 0
// to find out. Where there is no header, both results are 0.
//
// Rows above a header hold a title, a date of printing, or begin with #: they are narrower
// than the table. The header is the first row that is not, if it looks like one, or a later
// one that names every column of what follows where that one does not.
func Find(rows [][]string, lines int) (at, found int) {
	comments := commentRows(rows)
	at, found = find(rows[comments:], lines)
	if found == 0 && comments > 0 && len(rows) > comments {
		return comments, 0
	}
	return comments + at, found
}

func find(rows [][]string, lines int) (at, found int) {
	if len(rows) == 0 {
		return 0, 0
	}
	at = firstWide(rows)
	if lines > 0 {
		if at > 0 && at < lines && filled(rows[0]) > 1 {
			at = 0 // a first line of headings that stand over several columns may be narrow
		}
		return at, min(lines, len(rows)-at)
	}
	if lower := naming(rows, at); lower > at {
		return lower, 1
	}
	switch {
	case looksLike(rows[at:]):
		return at, 1
	case at > 0 && looksLike(rows):
		return 0, 1
	}
	return 0, 0
}

// firstWide returns the first row that is about as wide as most are.
func firstWide(rows [][]string) int {
	const nearly, of = 2, 3
	width := Width(rows)
	for i, row := range rows {
		if filled(row) >= min(2, width) && of*trimmed(row) > nearly*width || IsShort(rows[i:]) {
			return i
		}
	}
	return 0
}

// filled is how many fields of a row hold something.
func filled(row []string) int {
	n := 0
	for _, text := range row {
		if strings.TrimSpace(text) != "" {
			n++
		}
	}
	return n
}

// trimmed is how many fields a row has up to the last one that is filled.
func trimmed(row []string) int {
	n := len(row)
	for n > 0 && strings.TrimSpace(row[n-1]) == "" {
		n--
	}
	return n
}

// Width is the number of fields that most rows have, or where most have a single one that of
// the rows at the end, if they have several: what stands above them is no table then.
func Width(rows [][]string) int {
	counts := make(map[int]int)
	width := 0
	for _, row := range rows {
		counts[len(row)]++
		if n := counts[len(row)]; n > counts[width] {
			width = len(row)
		}
	}
	if width != 1 {
		return width
	}
	const fewest, of, most = 3, 9, 10
	best := 0 // rows that have the width; of as many rows the width that comes first
	seen := make(map[int]bool)
	for first, row := range rows {
		wide := len(row)
		if seen[wide] {
			continue
		}
		seen[wide] = true
		if count := counts[wide]; wide > 1 && count >= fewest && count > best && most*count >= of*(len(rows)-first) {
			width, best = wide, count
		}
	}
	return width
}

// commentRows is how many rows at the top begin with #, and are no header whose first name
// does so: that has as many fields as the row below it, of which it has several.
func commentRows(rows [][]string) int {
	n := 0
	for n < len(rows) && len(rows[n]) > 0 && strings.HasPrefix(strings.TrimSpace(rows[n][0]), "#") {
		n++
	}
	if n == 0 {
		return 0
	}
	last := rows[n-1]
	if n < len(rows) && (len(last) < 2 || len(last) != len(rows[n])) {
		return n
	}
	if n < len(rows) && !slices.ContainsFunc(rows[n], IsValue) && namesValues(rows[n:]) {
		return n
	}
	return n - 1
}

// namesValues tells whether a word of the first row stands above values.
func namesValues(rows [][]string) bool {
	for column, text := range rows[0] {
		if strings.TrimSpace(text) != "" && !IsValue(text) && mostlyValues(rows[1:], column) {
			return true
		}
	}
	return false
}

// IsShort tells whether the first row is a header that is one name short, as of tables whose
// first column holds the names of the rows: all rows below have a field more, and are named in
// the first one, each otherwise, or blank in the last one.
func IsShort(rows [][]string) bool {
	const fewest = 2
	if len(rows) <= fewest || len(rows[0]) == 0 || filled(rows[0]) < len(rows[0]) ||
		slices.ContainsFunc(rows[0], IsValue) {
		return false
	}
	width := len(rows[0]) + 1
	named, blank := true, true
	seen := make(map[string]bool)
	for _, row := range rows[1:] {
		if len(row) != width {
			return false
		}
		name := strings.TrimSpace(row[0])
		named = named && name != "" && !seen[name]
		seen[name] = true
		blank = blank && strings.TrimSpace(row[width-1]) == ""
	}
	return named || blank
}

// Complete adds the name that a short header lacks: a blank one in front, or at the end where
// the rows below are blank.
func Complete(names []string, records [][]string) []string {
	if !slices.ContainsFunc(records, func(row []string) bool { return strings.TrimSpace(row[len(row)-1]) != "" }) {
		return append(names, "")
	}
	return append([]string{""}, names...)
}

// naming returns the row below at that names every column of what follows in words, above
// values in some, where the row at does not: that is a note then. It is at itself where there
// is none.
func naming(rows [][]string, at int) int {
	const deepest = 20
	names := func(i int) bool {
		seen := make(map[string]bool)
		for column, used := range usedColumns(rows[i+1:]) {
			name := ""
			if column < len(rows[i]) {
				name = strings.TrimSpace(rows[i][column])
			}
			if used && (name == "" || seen[name] || IsValue(name)) {
				return false
			}
			seen[name] = seen[name] || used
		}
		return len(seen) > 1
	}
	if names(at) {
		return at
	}
	for i := at + 1; i < min(len(rows)-1, at+deepest); i++ {
		if namesValues(rows[i:]) && names(i) {
			return i
		}
		if values := slices.IndexFunc(rows[i], IsValue); values >= 0 && mostlyValues(rows[i:], values) {
			return at // a record
		}
	}
	return at
}

// usedColumns tells of each column whether any row holds something in it.
func usedColumns(rows [][]string) []bool {
	var used []bool
	for _, row := range rows {
		for column, text := range row {
			if column == len(used) {
				used = append(used, false)
			}
			used[column] = used[column] || strings.TrimSpace(text) != ""
		}
	}
	return used
}

// IsProven tells whether anything shows that the first row is a header and no record: names
// above values, or in some column a text of another kind than all those below it: without
// digits, of another length, in other letters, or the only one of its kind where the others
// come again and again.
func IsProven(rows [][]string) bool {
	const fewest = 2
	first, below := rows[0], rows[1:]
	if len(below) < fewest {
		return true // nothing to go by, and hardly a table
	}
	texts := make([]string, 0, len(below))
	for column, name := range first {
		texts = texts[:0]
		for _, row := range below {
			if column < len(row) && strings.TrimSpace(row[column]) != "" {
				texts = append(texts, strings.TrimSpace(row[column]))
			}
		}
		name = strings.TrimSpace(name)
		if len(texts) >= fewest && name != "" &&
			(isOfAnotherKind(name, texts) || !IsValue(name) && mostlyValues(below, column)) {
			return true
		}
	}
	return false
}

// isOfAnotherKind tells whether a text is none of others, by what all of these have in common.
func isOfAnotherKind(name string, texts []string) bool {
	all := func(has func(text string) bool) bool {
		return !has(name) && !slices.ContainsFunc(texts, func(text string) bool { return !has(text) })
	}
	return all(func(text string) bool { return strings.ContainsAny(text, "0123456789") }) ||
		all(func(text string) bool { return len(text) == len(texts[0]) }) ||
		all(func(text string) bool { return strings.ToUpper(text) == text }) ||
		all(func(text string) bool { r, _ := utf8.DecodeRuneInString(text); return unicode.IsUpper(r) }) ||
		comeAgain(texts) && !slices.Contains(texts, name)
}

// comeAgain tells whether texts come twice each, or more often, on average.
func comeAgain(texts []string) bool {
	different := make(map[string]bool)
	for _, text := range texts {
		different[text] = true
	}
	return 2*len(different) <= len(texts)
}

// Join joins what stands one below another in the lines of a header with
// blanks.
func Join(lines [][]string) []string {
	var names []string
	for _, line := range lines {
		for i, part := range line {
			part = strings.TrimSpace(part)
			switch {
			case i == len(names):
				names = append(names, part)
			case part != "" && names[i] != "":
				names[i] += " " + part
			case part != "":
				names[i] = part
			}
		}
	}
	return names
}

// IsNumbering tells whether the first column has no name and only numbers the
// records from 0 or 1, of which there are at least two.
func IsNumbering(names []string, records [][]string) bool {
	if len(names) < 2 || strings.TrimSpace(names[0]) != "" || len(records) < 2 {
		return false
	}
	first, count := 0, 0
	for _, record := range records {
		if len(record) == 0 || strings.TrimSpace(record[0]) == "" {
			continue // a total line has no number
		}
		n, err := strconv.Atoi(strings.TrimSpace(record[0]))
		if count == 0 {
			first = n
		}
		if err != nil || first != 0 && first != 1 || n != first+count {
			return false
		}
		count++
	}
	return count >= 2
}

// Continues tells whether the first record is the second row of a header: it
// names some columns, leaves others blank, holds no value, and below its names
// stand values.
func Continues(records [][]string) bool {
	if len(records) < 3 {
		return false
	}
	words, blanks, values := 0, 0, 0
	for column, text := range records[0] {
		text = strings.TrimSpace(text)
		switch {
		case text == "":
			blanks++
		case IsValue(text):
			return false
		default:
			words++
			if mostlyValues(records[1:3], column) {
				values++
			}
		}
	}
	return words > 0 && blanks > 0 && values > 0
}

// looksLike tells names from values: a first line that holds figures
// where the lines below hold figures too is a record. Years and months may
// stand in a header, beside words.
func looksLike(table [][]string) bool {
	first, below := table[0], table[1:]
	words, values, asName, asValue := 0, 0, 0, 0
	for column, text := range first {
		value := IsValue(text)
		if !value && strings.TrimSpace(text) != "" {
			words++
		}
		if value && !date.IsPeriod(text) {
			values++
		}
		switch figures := mostlyValues(below, column); {
		case figures && value && !date.IsPeriod(text):
			asValue++
		case figures && !value && strings.TrimSpace(text) != "":
			asName++
		}
	}
	switch {
	case words == 0:
		return false
	case len(below) == 0:
		return values == 0
	}
	return asValue == 0 || asName > asValue
}

// IsValue tells whether a text is an amount or a date.
func IsValue(text string) bool {
	text = strings.TrimSpace(text)
	if isWords(text) {
		return false
	}
	trimmed := []byte(text)
	if amount.IsDash(trimmed) {
		return false
	}
	if _, ok := date.Parse(trimmed); ok {
		return true
	}
	if _, err := amount.Parse(trimmed, '.'); err == nil {
		return true
	}
	_, err := amount.Parse(trimmed, ',')
	return err == nil
}

// isWords tells quickly of most texts that they are no value, which has a digit, or is a dash. Characters beyond ASCII
// may be digits, too.
func isWords(text string) bool {
	for i := range len(text) {
		if c := text[i]; '0' <= c && c <= '9' || c >= utf8.RuneSelf {
			return false
		}
	}
	return true
}

func mostlyValues(rows [][]string, column int) bool {
	values, filled := 0, 0
	for _, row := range rows {
		if column >= len(row) || strings.TrimSpace(row[column]) == "" {
			continue
		}
		filled++
		if IsValue(row[column]) {
			values++
		}
	}
	return filled > 0 && 2*values > filled
}
