package xlsx

import (
	"bytes"
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
	path    string // of the part
	part    io.ReadCloser
	scanner *sheet.Scanner
	number  int // of the last row
	done    bool
	hidden  []string
	merged  []sheet.Area
	texts   []byte // of the row's cells
	ends    []int
	raw     []byte
	quick   quickCell
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
	r := &rows{book: b, path: b.sheets[name].path, part: part, scanner: b.newScanner(part)}
	if b.sheets[name].hidden {
		r.hidden = append(r.hidden, "the sheet itself")
	}
	return r, nil
}

func (r *rows) Close() { r.part.Close() }

func (r *rows) Hidden() string { return strings.Join(r.hidden, ", ") }

func (r *rows) Next(row *sheet.Row) error {
	for !r.done {
		kind, err := r.scanner.Next()
		if err != nil {
			return err
		}
		switch kind {
		case sheet.Start:
			switch string(r.scanner.Name()) {
			case "col":
				r.noteColumns()
			case "row":
				if err := r.readRow(row); err != nil {
					return err
				}
				if len(row.Cells) > 0 {
					return nil
				}
			}
		case sheet.End:
			if string(r.scanner.Name()) == "sheetData" {
				r.done = true
				if err := r.finish(); err != nil {
					return err
				}
			}
		}
	}
	return io.EOF
}

// finish reads what stands behind the rows, to the last byte, at which the checksum of the part is known to hold.
func (r *rows) finish() error {
	for {
		kind, err := r.scanner.Next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		if kind == sheet.Start && string(r.scanner.Name()) == "mergeCell" {
			if area, ok := parseArea(string(r.scanner.Attribute("ref"))); ok {
				r.merged = append(r.merged, area)
			}
		}
	}
}

// Behind is none: each sheet has a part of its own.
func (r *rows) Behind() ([]string, error) { return nil, nil }

// Merges are the merged cells of the first rows. They stand behind all rows, so the sheet is gone through for them.
func (r *rows) Merges(rows int) ([]sheet.Merge, error) {
	part, err := r.book.open(r.path)
	if err != nil {
		return nil, err
	}
	defer part.Close()
	var merges []sheet.Merge
	for scanner := r.book.newScanner(part); ; {
		err := scanner.Find(func(name []byte) bool { return string(name) == "mergeCell" })
		if errors.Is(err, io.EOF) {
			return merges, nil
		}
		if err != nil {
			return nil, err
		}
		area, ok := parseArea(string(scanner.Attribute("ref")))
		if ok && area.FirstRow <= rows {
			merges = append(merges, sheet.Merge{Row: area.FirstRow, From: area.FirstColumn, To: area.LastColumn})
		}
	}
}

// Merged are the merged cells, which stand behind the rows.
func (r *rows) Merged() ([]sheet.Area, error) { return r.merged, nil }

// noteColumns notes columns that are hidden.
func (r *rows) noteColumns() {
	if !isTrue(r.scanner.Attribute("hidden")) {
		return
	}
	from, to := number(r.scanner.Attribute("min")), number(r.scanner.Attribute("max"))
	text := "column " + sheet.ColumnLetters(from)
	if to > from {
		text = "columns " + sheet.ColumnLetters(from) + " to " + sheet.ColumnLetters(to)
	}
	r.hidden = append(r.hidden, text)
}

func isTrue(text []byte) bool { return string(text) == "1" || string(text) == "true" }

// readRow reads the cells up to the end of the row.
func (r *rows) readRow(row *sheet.Row) error {
	r.number++
	if n := number(r.scanner.Attribute("r")); n > 0 {
		r.number = n
	}
	if r.number > sheet.MostRows {
		return sheet.ErrNoRow
	}
	row.Number, row.Hidden, row.Cells = r.number, isTrue(r.scanner.Attribute("hidden")), row.Cells[:0]
	r.texts, r.ends = r.texts[:0], r.ends[:0]
	column := 0
	for {
		if n := r.quick.read(r.scanner.Rest()); n > 0 {
			r.scanner.Skip(n)
			var err error
			if column, err = columnOf(r.quick.reference, column); err == nil {
				err = r.put(
					row,
					column,
					kindOf(r.quick.kind),
					number(r.quick.style),
					false,
					r.quick.stored,
					r.quick.raw,
				)
			}
			if err != nil {
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
			if string(r.scanner.Name()) != "c" {
				continue
			}
			if column, err = columnOf(r.scanner.Attribute("r"), column); err != nil {
				return err
			}
			if err := r.readCell(row, column); err != nil {
				return err
			}
		case sheet.End:
			if string(r.scanner.Name()) == "row" {
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

// readCell reads a cell and appends it to the row.
func (r *rows) readCell(row *sheet.Row, column int) error {
	kind, style := kindOf(r.scanner.Attribute("t")), number(r.scanner.Attribute("s"))
	r.raw = r.raw[:0]
	computed, stored, err := r.readRaw()
	if err != nil {
		return err
	}
	return r.put(row, column, kind, style, computed, stored, r.raw)
}

// put appends a cell to the row, behind blanks where cells before it are missing.
func (r *rows) put(row *sheet.Row, column int, kind string, style int, computed, stored bool, raw []byte) (err error) {
	if computed && len(raw) == 0 && (kind != "str" || !stored) {
		kind, raw = "e", []byte(sheet.NoResult)
	}
	if len(raw) == 0 || column <= len(row.Cells) { // nothing, or a cell that stood before
		return nil
	}
	for len(row.Cells) < column-1 {
		row.Cells = append(row.Cells, sheet.Cell{})
		r.ends = append(r.ends, len(r.texts))
	}
	cell := sheet.Cell{Error: kind == "e"}
	r.texts, err = r.book.appendValue(r.texts, kind, style, raw, &cell)
	row.Cells = append(row.Cells, cell)
	r.ends = append(r.ends, len(r.texts))
	if err != nil {
		return err
	}
	return r.scanner.Check(len(r.texts))
}

// columnOf is the column of a cell, counted from 1: that of its reference, such as AB12, or where it has none the one
// behind the last.
func columnOf(reference []byte, last int) (column int, err error) {
	if len(reference) == 0 {
		column = last + 1
	} else {
		i := 0
		for ; i < len(reference) && 'A' <= reference[i] && reference[i] <= 'Z' && column <= sheet.MostColumns; i++ {
			column = column*26 + int(reference[i]-'A') + 1
		}
		if !isRowNumber(reference[i:]) || column == 0 { // in another spelling
			var ok bool
			if _, column, ok = sheet.Reference(string(reference)); !ok {
				return 0, sheet.ErrNoRow
			}
		}
	}
	if column > sheet.MostColumns {
		return 0, sheet.ErrNoRow
	}
	return column, nil
}

// isRowNumber tells whether a text is the number of a row as references have it.
func isRowNumber(text []byte) bool {
	for _, c := range text {
		if c < '0' || c > '9' {
			return false
		}
	}
	const most = 7 // digits
	return len(text) > 0 && len(text) <= most && text[0] != '0'
}

// kindOf is what a cell says of its value, as a text that takes no room of its own where it is one of those that there
// are.
func kindOf(text []byte) string {
	switch string(text) {
	case "s":
		return "s"
	case "n":
		return "n"
	case "":
		return ""
	case "str":
		return "str"
	case "inlineStr":
		return "inlineStr"
	}
	return string(text)
}

// readRaw reads up to the end of a cell what is stored in it, and tells whether
// a formula is, and whether a result is stored, be it blank.
func (r *rows) readRaw() (computed, stored bool, err error) {
	var rich richText
	value := false
	for {
		kind, err := r.scanner.Next()
		if err != nil {
			return computed, stored, err
		}
		switch name := r.scanner.Name(); kind {
		case sheet.Start:
			rich.start(name)
			value = value || string(name) == "v"
			stored = stored || value
			computed = computed || string(name) == "f"
		case sheet.Chars:
			if value || rich.within {
				r.raw = append(r.raw, r.scanner.Text()...)
				if err := r.scanner.Check(len(r.raw)); err != nil {
					return computed, stored, err
				}
			}
		case sheet.End:
			rich.end(name)
			switch string(name) {
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
		return b.strings.append(dst, number(bytes.TrimSpace(raw)))
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
