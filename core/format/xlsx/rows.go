package xlsx

import (
	"encoding/xml"
	"errors"
	"io"
	"slices"
	"strings"

	"lastblock/core/format/sheet"
)

func (b *Book) newScanner(r io.Reader) *sheet.Scanner {
	return sheet.NewScanner(r, "workbook", ErrTruncated, b.limit)
}

// rows reads a sheet.
type rows struct {
	book    *Book
	part    io.ReadCloser
	scanner *sheet.Scanner
	number  int // of the last row
	done    bool
	hidden  []string
	texts   []byte // of the row's cells
	ends    []int
	raw     []byte
}

// Rows opens a sheet.
func (b *Book) Rows(name string) (sheet.Rows, error) {
	if b.strings != nil {
		if err := b.strings.read(); err != nil {
			return nil, err
		}
	}
	part, err := b.open(b.sheets[name].path)
	if err != nil {
		return nil, err
	}
	r := &rows{book: b, part: part, scanner: b.newScanner(part)}
	if b.sheets[name].hidden {
		r.hidden = append(r.hidden, "the sheet itself")
	}
	return r, nil
}

func (r *rows) Close() { r.part.Close() }

func (r *rows) Hidden() string { return strings.Join(r.hidden, ", ") }

func (r *rows) Next(row *sheet.Row) error {
	for !r.done {
		token, err := r.scanner.Next()
		if errors.Is(err, io.EOF) {
			return io.EOF
		}
		if err != nil {
			return err
		}
		switch element := token.(type) {
		case xml.StartElement:
			switch element.Name.Local {
			case "col":
				r.noteColumns(element)
			case "row":
				if err := r.readRow(element, row); err != nil {
					return err
				}
				if len(row.Cells) > 0 {
					return nil
				}
			}
		case xml.EndElement:
			if element.Name.Local == "sheetData" {
				r.done = true
			}
		}
	}
	return io.EOF
}

// Merged are the merged cells, which stand behind the rows.
func (r *rows) Merged() ([]sheet.Area, error) {
	var merged []sheet.Area
	for {
		token, err := r.scanner.Next()
		if errors.Is(err, io.EOF) {
			return merged, nil
		}
		if err != nil {
			return nil, err
		}
		if start, ok := token.(xml.StartElement); ok && start.Name.Local == "mergeCell" {
			if area, ok := parseArea(sheet.Attribute(start, "ref")); ok {
				merged = append(merged, area)
			}
		}
	}
}

// noteColumns notes columns that are hidden.
func (r *rows) noteColumns(element xml.StartElement) {
	if !isTrue(sheet.Attribute(element, "hidden")) {
		return
	}
	from, to := number(sheet.Attribute(element, "min")), number(sheet.Attribute(element, "max"))
	text := "column " + sheet.ColumnLetters(from)
	if to > from {
		text = "columns " + sheet.ColumnLetters(from) + " to " + sheet.ColumnLetters(to)
	}
	r.hidden = append(r.hidden, text)
}

func isTrue(text string) bool { return text == "1" || text == "true" }

// readRow reads the cells up to the end of the row.
func (r *rows) readRow(start xml.StartElement, row *sheet.Row) error {
	r.number++
	if n := number(sheet.Attribute(start, "r")); n > 0 {
		r.number = n
	}
	if r.number > sheet.MostRows {
		return sheet.ErrNoRow
	}
	row.Number, row.Hidden, row.Cells = r.number, isTrue(sheet.Attribute(start, "hidden")), row.Cells[:0]
	r.texts, r.ends = r.texts[:0], r.ends[:0]
	column := 0
	for {
		token, err := r.scanner.Next()
		if err != nil {
			return err
		}
		switch element := token.(type) {
		case xml.StartElement:
			if element.Name.Local != "c" {
				continue
			}
			column++
			if reference := sheet.Attribute(element, "r"); reference != "" {
				_, at, ok := sheet.Reference(reference)
				if !ok {
					return sheet.ErrNoRow
				}
				column = at
			}
			if column > sheet.MostColumns {
				return sheet.ErrNoRow
			}
			if err := r.readCell(element, row, column); err != nil {
				return err
			}
			if err := r.scanner.Check(len(r.texts)); err != nil {
				return err
			}
		case xml.EndElement:
			if element.Name.Local == "row" {
				from := 0
				for i, end := range r.ends {
					row.Cells[i].Text = r.texts[from:end]
					from = end
				}
				return nil
			}
		}
	}
}

// readCell reads a cell and appends it to the row, behind blanks where cells
// before it are missing.
func (r *rows) readCell(start xml.StartElement, row *sheet.Row, column int) error {
	kind, style := sheet.Attribute(start, "t"), number(sheet.Attribute(start, "s"))
	r.raw = r.raw[:0]
	computed, stored, err := r.readRaw()
	if err != nil {
		return err
	}
	if computed && len(r.raw) == 0 && (kind != "str" || !stored) {
		kind, r.raw = "e", append(r.raw, sheet.NoResult...)
	}
	if len(r.raw) == 0 || column <= len(row.Cells) { // nothing, or a cell that stood before
		return nil
	}
	for len(row.Cells) < column-1 {
		row.Cells = append(row.Cells, sheet.Cell{})
		r.ends = append(r.ends, len(r.texts))
	}
	cell := sheet.Cell{Error: kind == "e"}
	r.texts, err = r.book.appendValue(r.texts, kind, style, r.raw, &cell)
	row.Cells = append(row.Cells, cell)
	r.ends = append(r.ends, len(r.texts))
	return err
}

// readRaw reads up to the end of a cell what is stored in it, and tells whether
// a formula is, and whether a result is stored, be it blank.
func (r *rows) readRaw() (computed, stored bool, err error) {
	var rich richText
	value := false
	for {
		token, err := r.scanner.Next()
		if err != nil {
			return computed, stored, err
		}
		switch element := token.(type) {
		case xml.StartElement:
			rich.start(element.Name.Local)
			value = value || element.Name.Local == "v"
			stored = stored || value
			computed = computed || element.Name.Local == "f"
		case xml.CharData:
			if value || rich.within {
				r.raw = append(r.raw, element...)
				if err := r.scanner.Check(len(r.raw)); err != nil {
					return computed, stored, err
				}
			}
		case xml.EndElement:
			rich.end(element.Name.Local)
			switch element.Name.Local {
			case "v":
				value = false
			case "c":
				return computed, stored, nil
			}
		}
	}
}

// appendValue appends what a cell shows, and tells the cell what that is.
func (b *Book) appendValue(dst []byte, kind string, style int, raw []byte, cell *sheet.Cell) ([]byte, error) {
	switch kind {
	case "s":
		return b.strings.append(dst, number(strings.TrimSpace(string(raw))))
	case "str", "inlineStr":
		return append(dst, unescape(raw)...), nil
	case "b":
		cell.Kind = sheet.FlagCell
		if string(raw) == "1" {
			return append(dst, "true"...), nil
		}
		return append(dst, "false"...), nil
	case "d":
		cell.Kind = sheet.DateCell
		return append(dst, raw...), nil
	case "e":
		return append(dst, raw...), nil
	}
	f := format{}
	if style >= 0 && style < len(b.styles) {
		f = b.styles[style]
	}
	dst, cell.Kind = f.append(dst, raw, b.from)
	cell.Ratio = f.ratio && cell.Kind == sheet.NumberCell
	return dst, nil
}

// unescape turns _x000D_ and the like, by which texts hold characters that XML
// does not allow, into those characters.
func unescape(text []byte) []byte {
	if !slices.Contains(text, '_') || !strings.Contains(string(text), "_x") {
		return text
	}
	var out []byte
	for i := 0; i < len(text); i++ {
		if text[i] == '_' && i+6 < len(text) && text[i+1] == 'x' && text[i+6] == '_' {
			code, ok := 0, true
			for _, c := range text[i+2 : i+6] {
				digit := strings.IndexByte("0123456789abcdef", c|0x20)
				if c >= '0' && c <= '9' {
					digit = int(c - '0')
				}
				ok = ok && digit >= 0
				code = 16*code + digit
			}
			if ok {
				out = append(out, string(rune(code))...)
				i += 6
				continue
			}
		}
		out = append(out, text[i])
	}
	return out
}
