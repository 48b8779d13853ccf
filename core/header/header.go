// Package header finds out from the first rows of a table where its header is:
// whether there is one, and which rows above it are no records.
package header

import (
	"strconv"
	"strings"

	"lastblock/core/amount"
	"lastblock/core/date"
)

// Find returns at which row the header starts and how many rows it has; what
// stands above it is no record. lines is how many the user has said it has, 0
// to find out. Where there is no header, both results are 0.
//
// Rows above a header hold a title, a date of printing: they are narrower than
// the table. The header is the first row that is not, if it looks like one.
func Find(rows [][]string, lines int) (at, found int) {
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
		if filled(row) >= min(2, width) && of*trimmed(row) > nearly*width {
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

// Width is the number of fields that most rows have.
func Width(rows [][]string) int {
	counts := make(map[int]int)
	width := 0
	for _, row := range rows {
		counts[len(row)]++
		if n := counts[len(row)]; n > counts[width] {
			width = len(row)
		}
	}
	return width
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
		case isValue(text):
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
		value := isValue(text)
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

func isValue(text string) bool {
	trimmed := []byte(strings.TrimSpace(text))
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

func mostlyValues(rows [][]string, column int) bool {
	values, filled := 0, 0
	for _, row := range rows {
		if column >= len(row) || strings.TrimSpace(row[column]) == "" {
			continue
		}
		filled++
		if isValue(row[column]) {
			values++
		}
	}
	return filled > 0 && 2*values > filled
}
