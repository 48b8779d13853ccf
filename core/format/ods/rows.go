package ods

import (
	"bytes"
	"cmp"
	"errors"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"lastblock/core/format/sheet"
	"lastblock/core/value/amount"
)

func (b *Book) newScanner(r io.Reader) *sheet.Scanner {
	return sheet.NewScanner(r, "OpenDocument file", ErrTruncated, b.limit)
}

// repeats reads from an attribute how often something stands.
func repeats(s *sheet.Scanner, name string) int {
	if text := s.Attribute(name); text != nil {
		return repeatsOf(text)
	}
	return 1
}

// rows reads a sheet.
type rows struct {
	book    *Book
	sheets  int  // that were seen, the one that is read is the last of them
	spent   bool // it failed, or was read to its end
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

	cell                  parts // that is read
	value, day, styleName []byte
	formats               map[string]*format // of styles, by their names, as far as they were asked for
}

// typeOfValue is the type of a cell's value (ISO/IEC 26300-1, 19.385).
type typeOfValue byte

const (
	noType typeOfValue = iota
	ofText             // or another one
	ofNumber
	ofRatio
	ofDate
	ofTime
	ofFlag
)

func typeOf(text []byte) typeOfValue {
	switch string(text) {
	case "":
		return noType
	case "float", "currency":
		return ofNumber
	case "percentage":
		return ofRatio
	case "date":
		return ofDate
	case "time":
		return ofTime
	case "boolean":
		return ofFlag
	}
	return ofText
}

// coveredCell is a cell that lies below a merged one.
const coveredCell = "covered-table-cell"

// formatOf is the format of the cell that is read, in a column counted from 1.
func (r *rows) formatOf(column int) *format {
	own := r.cell.styleName
	if len(own) > 0 {
		if f, known := r.formats[string(own)]; known {
			return f
		}
	}
	style := r.styleOf(string(own), column)
	f := r.styles.formatOf(style)
	if len(own) > 0 {
		if r.formats == nil {
			r.formats = make(map[string]*format)
		}
		r.formats[style] = f
	}
	return f
}

// charactersOfACell is how long a text counts as one cell; a longer one as several.
const charactersOfACell = 64

// mostRepeated is how many cells a row that stands again and again may come to.
const mostRepeated = 1 << 26

// Close parks the rows, where there may be a sheet behind this one.
func (r *rows) Close() {
	if r.spent {
		r.part.Close()
		return
	}
	r.book.park(r)
}

func (r *rows) Hidden() string { return strings.Join(r.hidden, ", ") }

// Merges are those of Merged that span columns of the first rows.
func (r *rows) Merges(rows int) ([]sheet.Merge, error) {
	var merges []sheet.Merge
	for _, m := range r.merged {
		if m.FirstRow <= rows && m.LastColumn > m.FirstColumn {
			merges = append(merges, sheet.Merge{Row: m.FirstRow, From: m.FirstColumn, To: m.LastColumn})
		}
	}
	return merges, nil
}

// Merged are the merged cells, as the first cell of each says.
func (r *rows) Merged() ([]sheet.Area, error) { return r.merged, nil }

// Behind are the sheets behind this one in which something stands.
func (r *rows) Behind() ([]string, error) {
	r.spent = true // it has ended
	rest := survey{scanner: r.scanner}
	rest.goOn(toTheEnd)
	return slices.DeleteFunc(rest.names, func(name string) bool { return !rest.filled[name] }), rest.err
}

// noteMerged notes the cells that the one in a column of the row that is read spans, if it does.
func (r *rows) noteMerged(column int) {
	wide, high := repeats(r.scanner, "number-columns-spanned"), repeats(r.scanner, "number-rows-spanned")
	if wide == 1 && high == 1 || len(r.merged) == sheet.MostRows {
		return
	}
	first := r.number + 1
	r.merged = append(r.merged, sheet.Area{FirstRow: first, LastRow: first + high - 1, FirstColumn: column,
		LastColumn: column + wide - 1})
}

func (r *rows) Next(row *sheet.Row) error {
	err := r.next(row)
	r.spent = r.spent || err != nil && !errors.Is(err, io.EOF)
	return err
}

func (r *rows) next(row *sheet.Row) error {
	if r.again > 0 {
		r.again--
		r.number++
		row.Number, row.Hidden = r.number, r.last.Hidden
		row.Cells = append(row.Cells[:0], r.last.Cells...)
		return nil
	}
	for !r.done {
		kind, err := r.scanner.Next()
		if err != nil {
			return err
		}
		switch kind {
		case sheet.Start:
			switch string(r.scanner.Name()) {
			case "table-column":
				r.noteColumns()
			case "table-row":
				n := repeats(r.scanner, "number-rows-repeated")
				if err := r.readRow(); err != nil {
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
				return r.next(row)
			}
		case sheet.End:
			r.done = string(r.scanner.Name()) == "table"
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
func (r *rows) noteColumns() {
	from := r.column + 1
	r.column += repeats(r.scanner, "number-columns-repeated")
	if len(r.columns) < sheet.MostColumns {
		r.columns = append(r.columns, columnStyle{r.column, string(r.scanner.Attribute("default-cell-style-name"))})
	}
	if !isHidden(r.scanner) {
		return
	}
	text := "column " + sheet.ColumnLetters(from)
	if r.column > from {
		text = "columns " + sheet.ColumnLetters(from) + " to " + sheet.ColumnLetters(r.column)
	}
	r.hidden = append(r.hidden, text)
}

func isHidden(s *sheet.Scanner) bool {
	visibility := string(s.Attribute("visibility"))
	return visibility == "collapse" || visibility == "filter"
}

// readRow reads the cells of one row into last.
func (r *rows) readRow() error {
	r.last.Hidden, r.last.Cells = isHidden(r.scanner), r.last.Cells[:0]
	r.style = string(r.scanner.Attribute("default-cell-style-name"))
	r.texts, r.ends = r.texts[:0], r.ends[:0]
	blanks := 0 // cells without anything since the last one with something
	for {
		if n := r.cell.read(r.scanner.Rest()); n > 0 {
			r.scanner.Skip(n)
			var err error
			if blanks, err = r.put(blanks); err != nil {
				return err
			}
			continue
		}
		kind, err := r.scanner.Next()
		if err != nil {
			return err
		}
		switch kind {
		case sheet.Start:
			if name := r.scanner.Name(); string(name) != "table-cell" && string(name) != coveredCell {
				continue
			}
			r.noteMerged(len(r.ends) + blanks + 1)
			if err = r.readCell(); err == nil {
				blanks, err = r.put(blanks)
			}
			if err != nil {
				return err
			}
		case sheet.End:
			if string(r.scanner.Name()) == "table-row" {
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

// put appends the cell that was read to the row, behind so many blanks, and returns how many there are then.
func (r *rows) put(blanks int) (int, error) {
	n, from := r.cell.repeated, len(r.texts)
	var cell sheet.Cell
	r.show(len(r.ends)+blanks+1, &cell)
	if len(r.texts) == from {
		return blanks + n, nil
	}
	if len(r.ends)+blanks+n > sheet.MostColumns {
		return 0, sheet.ErrNoRow
	}
	if err := r.scanner.Check(from + n*(len(r.texts)-from)); err != nil {
		return 0, err
	}
	if blanks == 0 && n == 1 {
		r.ends, r.last.Cells = append(r.ends, len(r.texts)), append(r.last.Cells, cell)
		return 0, nil
	}
	text := r.texts[from:len(r.texts):len(r.texts)]
	r.texts = r.texts[:from]
	for range blanks {
		r.append(nil, sheet.Cell{})
	}
	for range n {
		r.append(text, cell)
	}
	return 0, nil
}

// readCell reads a cell, whose begin was scanned.
func (r *rows) readCell() error {
	r.cell = parts{repeated: repeats(r.scanner, "number-columns-repeated")}
	p := &r.cell
	r.value, r.day, r.styleName = r.value[:0], r.day[:0], r.styleName[:0]
	attributes := r.scanner.Attributes()
	for i := range attributes {
		a := &attributes[i]
		switch string(a.Name) {
		case "value-type":
			if string(a.Space) == "calcext" {
				p.isError = p.isError || string(a.Value) == "error"
			} else {
				p.kind = typeOf(a.Value)
			}
		case "value":
			r.value = append(r.value, a.Value...)
		case "date-value", "time-value", "boolean-value":
			r.day = append(r.day[:0], a.Value...)
		case "formula":
			p.formula = len(a.Value) > 0
		case "style-name":
			r.styleName = append(r.styleName, a.Value...)
		}
	}
	var err error
	p.paragraphs, err = r.readShown(string(r.scanner.Name()) == coveredCell)
	p.value, p.day, p.styleName, p.shown = r.value, r.day, r.styleName, r.shown
	return err
}

// show appends what the cell that was read shows, in a column counted from 1, to texts, and tells the cell what it is.
func (r *rows) show(column int, cell *sheet.Cell) {
	p := &r.cell
	cell.Error = p.isError
	if p.formula && p.kind == noType && p.paragraphs == 0 {
		r.texts = append(r.texts, sheet.NoResult...)
		cell.Error = true
		return
	}
	if p.formula && bytes.HasPrefix(p.shown, []byte("#")) || bytes.HasPrefix(p.shown, []byte("Err:")) {
		cell.Error = true
	}
	switch {
	case cell.Error:
		r.texts = append(r.texts, p.shown...)
	case (p.kind == ofNumber || p.kind == ofRatio) && len(p.value) > 0:
		f := r.formatOf(column)
		cell.Kind = r.appendNumber(p.value, f)
		cell.Ratio = cell.Kind == sheet.NumberCell && (p.kind == ofRatio || f != nil && f.ratio)
	case p.kind == ofDate && len(p.day) > 0:
		r.texts, cell.Kind = appendDate(r.texts, string(p.day)), sheet.DateCell
	case p.kind == ofTime && len(p.day) > 0:
		r.texts, cell.Kind = appendDuration(r.texts, string(p.day)), sheet.DateCell
	case p.kind == ofFlag && len(p.day) > 0:
		r.texts, cell.Kind = append(r.texts, p.day...), sheet.FlagCell
	default:
		r.texts = append(r.texts, p.shown...)
	}
}

// appendNumber appends a number as its sender sees it, as far as that is more than how it
// looks: a code with its zeros and texts, and a truth value, which is a number that is shown
// as a word although no format says so. It tells what was appended.
func (r *rows) appendNumber(value []byte, f *format) sheet.CellKind {
	start := len(r.texts)
	r.texts = amount.AppendPlain(r.texts, value, sheet.ShownDigits)
	switch {
	case f != nil && f.code != "":
		if code, ok := sheet.FormatCode(r.texts[start:], f.code); ok {
			r.texts = append(r.texts[:start], code...)
			return sheet.TextCell
		}
	case isCode(r.cell.shown):
		r.texts = append(r.texts[:start], r.cell.shown...)
		return sheet.TextCell
	case (string(value) == "0" || string(value) == "1") && isWord(r.cell.shown) && (f == nil || !f.words):
		r.texts = strconv.AppendBool(r.texts[:start], string(value) == "1")
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
func (r *rows) readShown(covered bool) (paragraphs int, err error) {
	cell := "table-cell"
	if covered {
		cell = coveredCell
	}
	r.shown = r.shown[:0]
	within, aside := false, 0
	for {
		kind, err := r.scanner.Next()
		if err != nil {
			return paragraphs, err
		}
		switch kind {
		case sheet.Start:
			switch name := r.scanner.Name(); {
			case aside > 0 || string(name) == "annotation" || string(name) == "shape":
				aside++
			case string(name) == "p":
				if paragraphs++; paragraphs > 1 {
					r.shown = append(r.shown, '\n')
				}
				within = true
			case string(name) == "s" && within:
				const mostBlanks = 1 << 10
				for range min(repeats(r.scanner, "c"), mostBlanks) {
					r.shown = append(r.shown, ' ')
				}
			case string(name) == "tab" && within:
				r.shown = append(r.shown, '\t')
			case string(name) == "line-break" && within:
				r.shown = append(r.shown, '\n')
			}
		case sheet.Chars:
			if within && aside == 0 {
				r.shown = append(r.shown, r.scanner.Text()...)
				if err := r.scanner.Check(len(r.shown)); err != nil {
					return paragraphs, err
				}
			}
		case sheet.End:
			switch name := r.scanner.Name(); {
			case aside > 0:
				aside--
			case string(name) == "p":
				within = false
			case string(name) == cell:
				return paragraphs, nil
			}
		}
	}
}
