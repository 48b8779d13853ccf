package ods

import (
	"bytes"
	"cmp"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"unicode"

	"lastblock/core/format/sheet"
	"lastblock/core/value/amount"
)

func (b *Book) newScanner(r io.Reader) *sheet.Scanner {
	return sheet.NewScanner(r, "OpenDocument file", ErrTruncated, b.limit)
}

// repeats reads how often something stands, at least once and at most as often
// as a sheet has rows.
func repeats(start xml.StartElement, name string) int {
	n, err := strconv.Atoi(sheet.Attribute(start, name))
	if err != nil {
		return 1
	}
	return max(1, min(n, sheet.MostRows))
}

// rows reads a sheet.
type rows struct {
	part    io.ReadCloser
	scanner *sheet.Scanner
	hidden  []string
	styles  *styles
	column  int // columns described so far
	columns []columnStyle
	style   string // of the cells of the row that is read, "" for none
	number  int    // of the last row
	again   int    // how often the last row still stands
	last    sheet.Row
	done    bool
	merged  []sheet.Area
	texts   []byte
	ends    []int
	shown   []byte
}

// Rows opens a sheet. On the way to it stand the styles, of which one may say
// that the sheet is hidden.
func (b *Book) Rows(name string) (sheet.Rows, error) {
	part, err := b.openContent()
	if err != nil {
		return nil, err
	}
	r := &rows{part: part, scanner: b.newScanner(part)}
	fail := func(err error) (sheet.Rows, error) {
		part.Close()
		return nil, err
	}
	if r.styles, err = b.commonStyles(); err != nil {
		return fail(err)
	}
	for {
		token, err := r.scanner.Next()
		if errors.Is(err, io.EOF) {
			err = fmt.Errorf("there is no sheet %q", name)
		}
		if err != nil {
			return fail(err)
		}
		r.styles.read(token)
		start, ok := token.(xml.StartElement)
		if !ok || start.Name.Local != "table" || sheet.Attribute(start, "name") != name {
			continue
		}
		if r.styles.hidden[sheet.Attribute(start, "style-name")] {
			r.hidden = append(r.hidden, "the sheet itself")
		}
		return r, nil
	}
}

// charactersOfACell is how long a text counts as one cell; a longer one as several.
const charactersOfACell = 64

// mostRepeated is how many cells a row that stands again and again may come to.
const mostRepeated = 1 << 26

func (r *rows) Close() { r.part.Close() }

func (r *rows) Hidden() string { return strings.Join(r.hidden, ", ") }

// Merged are the merged cells, as the first cell of each says.
func (r *rows) Merged() ([]sheet.Area, error) { return r.merged, nil }

// noteMerged notes the cells that the one in a column of the row that is read spans, if it does.
func (r *rows) noteMerged(start xml.StartElement, column int) {
	wide, high := repeats(start, "number-columns-spanned"), repeats(start, "number-rows-spanned")
	if wide == 1 && high == 1 || len(r.merged) == sheet.MostRows {
		return
	}
	first := r.number + 1
	r.merged = append(r.merged, sheet.Area{FirstRow: first, LastRow: first + high - 1, FirstColumn: column,
		LastColumn: column + wide - 1})
}

func (r *rows) Next(row *sheet.Row) error {
	if r.again > 0 {
		r.again--
		r.number++
		row.Number, row.Hidden = r.number, r.last.Hidden
		row.Cells = append(row.Cells[:0], r.last.Cells...)
		return nil
	}
	for !r.done {
		token, err := r.scanner.Next()
		if err != nil {
			return err
		}
		switch element := token.(type) {
		case xml.StartElement:
			switch element.Name.Local {
			case "table-column":
				r.noteColumns(element)
			case "table-row":
				n := repeats(element, "number-rows-repeated")
				if err := r.readRow(element); err != nil {
					return err
				}
				if len(r.last.Cells) == 0 {
					r.number += n
					continue
				}
				if r.number+n > sheet.MostRows || n > 1 &&
					n*max(len(r.last.Cells), len(r.texts)/charactersOfACell) > mostRepeated {
					return sheet.ErrNoRow
				}
				r.again = n
				return r.Next(row)
			}
		case xml.EndElement:
			r.done = element.Name.Local == "table"
		}
	}
	return io.EOF
}

// columnStyle is the style of the cells up to a column that have none of their own.
type columnStyle struct {
	to    int
	style string
}

// styleOf is the style of a cell, given its own one and its column, counted from 1.
func (r *rows) styleOf(own string, column int) string {
	if own != "" || r.style != "" {
		return cmp.Or(own, r.style)
	}
	for _, c := range r.columns {
		if column <= c.to {
			return c.style
		}
	}
	return ""
}

// noteColumns notes the styles of columns, and which are hidden.
func (r *rows) noteColumns(element xml.StartElement) {
	from := r.column + 1
	r.column += repeats(element, "number-columns-repeated")
	if len(r.columns) < sheet.MostColumns {
		r.columns = append(r.columns, columnStyle{r.column, sheet.Attribute(element, "default-cell-style-name")})
	}
	if !isHidden(element) {
		return
	}
	text := "column " + sheet.ColumnLetters(from)
	if r.column > from {
		text = "columns " + sheet.ColumnLetters(from) + " to " + sheet.ColumnLetters(r.column)
	}
	r.hidden = append(r.hidden, text)
}

func isHidden(element xml.StartElement) bool {
	visibility := sheet.Attribute(element, "visibility")
	return visibility == "collapse" || visibility == "filter"
}

// readRow reads the cells of one row into last.
func (r *rows) readRow(start xml.StartElement) error {
	r.last.Hidden, r.last.Cells = isHidden(start), r.last.Cells[:0]
	r.style = sheet.Attribute(start, "default-cell-style-name")
	r.texts, r.ends = r.texts[:0], r.ends[:0]
	blanks := 0 // cells without anything since the last one with something
	for {
		token, err := r.scanner.Next()
		if err != nil {
			return err
		}
		switch element := token.(type) {
		case xml.StartElement:
			if element.Name.Local != "table-cell" && element.Name.Local != "covered-table-cell" {
				continue
			}
			n := repeats(element, "number-columns-repeated")
			from := len(r.texts)
			var cell sheet.Cell
			r.noteMerged(element, len(r.ends)+blanks+1)
			if err := r.readCell(element, len(r.ends)+blanks+1, &cell); err != nil {
				return err
			}
			if len(r.texts) == from {
				blanks += n
				continue
			}
			if len(r.ends)+blanks+n > sheet.MostColumns {
				return sheet.ErrNoRow
			}
			if err := r.scanner.Check(from + n*(len(r.texts)-from)); err != nil {
				return err
			}
			text := r.texts[from:len(r.texts):len(r.texts)]
			r.texts = r.texts[:from]
			for range blanks {
				r.append(nil, sheet.Cell{})
			}
			for range n {
				r.append(text, cell)
			}
			blanks = 0
		case xml.EndElement:
			if element.Name.Local == "table-row" {
				from := 0
				for i, end := range r.ends {
					r.last.Cells[i].Text = r.texts[from:end]
					from = end
				}
				return nil
			}
		}
	}
}

func (r *rows) append(text []byte, cell sheet.Cell) {
	r.texts = append(r.texts, text...)
	r.ends = append(r.ends, len(r.texts))
	r.last.Cells = append(r.last.Cells, cell)
}

// readCell appends what a cell of a column, counted from 1, shows to texts, and tells the cell what that is.
func (r *rows) readCell(start xml.StartElement, column int, cell *sheet.Cell) error {
	var kind, value, day, formula, style string
	for i := range start.Attr {
		a := &start.Attr[i]
		switch a.Name.Local {
		case "value-type":
			if a.Name.Space == "calcext" {
				cell.Error = cell.Error || a.Value == "error"
			} else {
				kind = a.Value
			}
		case "value":
			value = a.Value
		case "date-value", "time-value", "boolean-value":
			day = a.Value
		case "formula":
			formula = a.Value
		case "style-name":
			style = a.Value
		}
	}
	paragraphs, err := r.readShown(start.Name.Local)
	if err != nil {
		return err
	}
	if formula != "" && kind == "" && paragraphs == 0 {
		r.texts = append(r.texts, sheet.NoResult...)
		cell.Error = true
		return nil
	}
	if formula != "" && bytes.HasPrefix(r.shown, []byte("#")) || bytes.HasPrefix(r.shown, []byte("Err:")) {
		cell.Error = true
	}
	switch {
	case cell.Error:
		r.texts = append(r.texts, r.shown...)
	case (kind == "float" || kind == "currency" || kind == "percentage") && value != "":
		f := r.styles.formatOf(r.styleOf(style, column))
		cell.Kind = r.appendNumber(value, f)
		cell.Ratio = cell.Kind == sheet.NumberCell && (kind == "percentage" || f != nil && f.ratio)
	case kind == "date" && day != "":
		r.texts, cell.Kind = appendDate(r.texts, day), sheet.DateCell
	case kind == "time" && day != "":
		r.texts, cell.Kind = appendDuration(r.texts, day), sheet.DateCell
	case kind == "boolean" && day != "":
		r.texts, cell.Kind = append(r.texts, day...), sheet.FlagCell
	default:
		r.texts = append(r.texts, r.shown...)
	}
	return nil
}

// appendNumber appends a number as its sender sees it, as far as that is more than how it
// looks: a code with its zeros and texts, and a truth value, which is a number that is shown
// as a word although no format says so. It tells what was appended.
func (r *rows) appendNumber(value string, f *format) sheet.CellKind {
	start := len(r.texts)
	r.texts = amount.AppendPlain(r.texts, []byte(value), sheet.ShownDigits)
	switch {
	case f != nil && f.code != "":
		if code, ok := sheet.FormatCode(r.texts[start:], f.code); ok {
			r.texts = append(r.texts[:start], code...)
			return sheet.TextCell
		}
	case isCode(r.shown):
		r.texts = append(r.texts[:start], r.shown...)
		return sheet.TextCell
	case (value == "0" || value == "1") && isWord(r.shown) && (f == nil || !f.words):
		r.texts = strconv.AppendBool(r.texts[:start], value == "1")
		return sheet.FlagCell
	}
	return sheet.NumberCell
}

// isWord tells whether a text consists of letters.
func isWord(shown []byte) bool {
	return len(shown) > 0 && !bytes.ContainsFunc(shown, func(c rune) bool { return !unicode.IsLetter(c) })
}

// isCode tells whether a number is shown as a code: digits only, the first of
// them a zero.
func isCode(shown []byte) bool {
	for _, c := range shown {
		if c < '0' || c > '9' {
			return false
		}
	}
	return len(shown) > 1 && shown[0] == '0'
}

// readShown reads up to the end of the cell the text that it shows; paragraphs
// become lines, and their number is returned. Comments are not part of it.
func (r *rows) readShown(cell string) (paragraphs int, err error) {
	r.shown = r.shown[:0]
	within, aside := false, 0
	for {
		token, err := r.scanner.Next()
		if err != nil {
			return paragraphs, err
		}
		switch element := token.(type) {
		case xml.StartElement:
			switch name := element.Name.Local; {
			case name == "annotation" || name == "shape" || aside > 0:
				aside++
			case name == "p":
				if paragraphs++; paragraphs > 1 {
					r.shown = append(r.shown, '\n')
				}
				within = true
			case name == "s" && within:
				const mostBlanks = 1 << 10
				for range min(repeats(element, "c"), mostBlanks) {
					r.shown = append(r.shown, ' ')
				}
			case name == "tab" && within:
				r.shown = append(r.shown, '\t')
			case name == "line-break" && within:
				r.shown = append(r.shown, '\n')
			}
		case xml.CharData:
			if within && aside == 0 {
				r.shown = append(r.shown, element...)
				if err := r.scanner.Check(len(r.shown)); err != nil {
					return paragraphs, err
				}
			}
		case xml.EndElement:
			switch name := element.Name.Local; {
			case aside > 0:
				aside--
			case name == "p":
				within = false
			case name == cell:
				return paragraphs, nil
			}
		}
	}
}
