// Package sheet reads the sheets of a workbook as records, whatever kind of
// workbook they lie in: it finds the header among the first rows, spreads
// merged headings, and tells records from blank rows and repeated headers.
package sheet

import (
	"errors"
	"fmt"
	"iter"
)

// Cell is what stands in a cell: a text as it was typed, a number as an exact
// decimal with a '.', a date by ISO 8601, true or false.
type Cell struct {
	Text  []byte
	Error bool // an error value, as #N/A
	Kind  CellKind
	Ratio bool // a number that is shown as a percentage or a fraction
}

// CellKind is what a cell holds.
type CellKind uint8

// The kinds of cells.
const (
	TextCell   CellKind = iota // also a code, and a cell without anything
	NumberCell                 // an amount as an exact decimal
	DateCell                   // a day, a time of day or a duration
	FlagCell                   // true or false
)

// NoResult stands, as an error, for a formula whose result was not stored: the program that
// wrote the file does not calculate.
const NoResult = "a formula without its result"

// Row is a row of a sheet that holds something.
type Row struct {
	Number int    // counted from 1
	Cells  []Cell // from the first column on, up to the last one that is filled
	Hidden bool
}

// Rows reads the rows of a sheet from top to bottom.
type Rows interface {
	// Next reads the next row that is not blank; the error is io.EOF behind the
	// last one. The row is good until Next is called again.
	Next(*Row) error
	// Hidden says which columns, or that the sheet, are hidden, "" for nothing.
	// It is known once Next has been called.
	Hidden() string
	// Merges are the merged cells that begin in the first rows, which Next has given.
	Merges(rows int) ([]Merge, error)
	// Merged are the merged cells of the sheet, known once Next has returned io.EOF.
	Merged() ([]Area, error)
	// Behind are the sheets behind this one that hold data, of a workbook whose sheets lie InOnePart; of any other it
	// is none. It reads the part to its end, once Next has returned io.EOF.
	Behind() ([]string, error)
	Close()
}

// Merge is a heading that spans columns From to To of a row, counted from 1.
type Merge struct{ Row, From, To int }

// Area is a part of a sheet, counted from 1, its ends included. An end of 0 is
// open.
type Area struct {
	FirstRow, LastRow       int
	FirstColumn, LastColumn int
}

// Table is an area that has a name.
type Table struct {
	Name  string
	Sheet string
	Area
	Headless bool // its first row is no header
}

// Book is a workbook.
type Book interface {
	// Sheets goes through the names of the sheets in their order, of which there is one. An error is the last.
	Sheets() iter.Seq2[string, error]
	// HoldsData tells whether any cell of a sheet that Sheets has named holds something.
	HoldsData(sheet string) (bool, error)
	// InOnePart tells that all sheets follow one another in one part: to know the name of a sheet, or what it holds,
	// is to read all that stands before it.
	InOnePart() bool
	// Rows opens a sheet that there is.
	Rows(sheet string) (Rows, error)
	// Tables are the named tables and the defined names of areas.
	Tables() ([]Table, error)
	Close()
}

// The most rows and columns that a sheet can have.
const (
	MostRows    = 1 << 20
	MostColumns = 1 << 14
)

// ShownDigits is how many digits of a number with decimals a spreadsheet shows;
// what a floating point number has beyond is noise (1234.5600000000001).
const ShownDigits = 15

// ColumnNumber reads a column's letters, as A, Z or AA, counted from 1; 0 where
// they are none.
func ColumnNumber(letters string) int {
	n := 0
	for _, c := range []byte(letters) {
		c &^= 0x20
		if c < 'A' || c > 'Z' || n > MostColumns {
			return 0
		}
		n = 26*n + int(c-'A') + 1
	}
	return n
}

// ColumnLetters is the reverse of ColumnNumber.
func ColumnLetters(n int) string {
	var letters []byte
	for ; n > 0; n = (n - 1) / 26 {
		letters = append([]byte{byte('A' + (n-1)%26)}, letters...)
	}
	return string(letters)
}

// Reference reads a cell's reference as B7 or $B$7.
func Reference(text string) (row, column int, ok bool) {
	i := 0
	var letters []byte
	for ; i < len(text); i++ {
		switch c := text[i]; {
		case c == '$':
		case 'A' <= c&^0x20 && c&^0x20 <= 'Z':
			letters = append(letters, c)
		default:
			goto digits
		}
	}
digits:
	for ; i < len(text); i++ {
		c := text[i]
		if c == '$' {
			continue
		}
		if c < '0' || c > '9' || row > MostRows {
			return 0, 0, false
		}
		row = 10*row + int(c-'0')
	}
	column = ColumnNumber(string(letters))
	return row, column, row > 0 && column > 0 && column <= MostColumns
}

// LockedError says that a file is protected by a password.
type LockedError struct{ What string }

func (e *LockedError) Error() string {
	return fmt.Sprintf("this %s is protected by a password; have it saved without one", e.What)
}

// ErrNoRow says that a row or cell stands where no sheet has one.
var ErrNoRow = errors.New("a row or a cell stands outside of the sheet; the file is damaged")
