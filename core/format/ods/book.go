// Package ods reads spreadsheets of ISO/IEC 26300 (OpenDocument, .ods)
// as streams of rows. Repeated rows and cells are counted, never multiplied in
// memory.
package ods

import (
	"archive/zip"
	"errors"
	"fmt"
	"io"
	"strings"

	"lastblock/core/format/decode"
	"lastblock/core/format/sheet"
)

const (
	contentPart = "content.xml"
	stylesPart  = "styles.xml"
)

// Book is an open spreadsheet document. It is read through for its sheets and
// names only where somebody asks for them.
type Book struct {
	limit    int // bytes of a cell or a row
	content  *zip.File
	styles   *zip.File // nil without them
	surveyed bool
	names    []string
	tables   []sheet.Table
	filled   map[string]bool // sheets in which some cell holds something
}

// mimeType stands in the part "mimetype" of a spreadsheet, or of a template of
// one.
const mimeType = "application/vnd.oasis.opendocument.spreadsheet"

// Is tells whether an archive with these files is an OpenDocument file.
func Is(archive *zip.Reader) bool {
	for _, f := range archive.File {
		if f.Name == contentPart {
			return true
		}
	}
	return false
}

// ErrTruncated is a document whose end is missing.
var ErrTruncated = errors.New("this OpenDocument file is damaged or was cut off on its way; ask for it again")

// Open opens a document. No cell and no row may be longer than limit bytes.
func Open(file io.ReaderAt, size int64, limit int) (*Book, error) {
	archive, err := decode.OpenArchive(file, size)
	if err != nil {
		return nil, ErrTruncated
	}
	if err := decode.CheckArchive(archive.File, size); err != nil {
		return nil, err
	}
	b := &Book{filled: make(map[string]bool), limit: limit}
	for _, f := range archive.File {
		switch f.Name {
		case contentPart:
			b.content = f
		case stylesPart:
			b.styles = f
		case "META-INF/manifest.xml":
			if text, err := readSmall(f); err == nil && strings.Contains(text, "encryption-data") {
				return nil, &sheet.LockedError{What: "OpenDocument file"}
			}
		case "mimetype":
			if text, err := readSmall(f); err == nil && !strings.HasPrefix(text, mimeType) {
				return nil, fmt.Errorf("this OpenDocument file is no spreadsheet but %s", strings.TrimSpace(text))
			}
		}
	}
	if b.content == nil {
		return nil, ErrTruncated
	}
	return b, nil
}

func readSmall(f *zip.File) (string, error) {
	r, err := f.Open()
	if err != nil {
		return "", err
	}
	defer r.Close()
	text, err := io.ReadAll(io.LimitReader(r, 1<<20))
	return string(text), err
}

// Close gives back what the document holds.
func (b *Book) Close() {}

// Sheets are the names of the sheets in their order.
func (b *Book) Sheets() ([]string, error) {
	err := b.survey()
	return b.names, err
}

// HoldsData tells whether any cell of a sheet holds something.
func (b *Book) HoldsData(name string) (bool, error) {
	err := b.survey()
	return b.filled[name], err
}

// openContent opens the part in which all sheets lie.
func (b *Book) openContent() (io.ReadCloser, error) {
	return openPart(b.content)
}

func openPart(f *zip.File) (io.ReadCloser, error) {
	r, err := f.Open()
	if err != nil {
		return nil, ErrTruncated
	}
	return decode.Limit(decode.Part(r, f), decode.Zip, int64(f.CompressedSize64)), nil
}

// Tables are the named ranges and the database ranges.
func (b *Book) Tables() ([]sheet.Table, error) {
	err := b.survey()
	return b.tables, err
}

// each calls visit for the elements of the document, until it returns false.
func (b *Book) each(visit func(s *sheet.Scanner) bool) error {
	r, err := b.openContent()
	if err != nil {
		return err
	}
	defer r.Close()
	for scanner := b.newScanner(r); ; {
		kind, err := scanner.Next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		if kind == sheet.Start && !visit(scanner) {
			return nil
		}
	}
}

// find calls visit for the elements of the document that are wanted by their names. Others are passed over, and not
// looked at.
func (b *Book) find(isWanted func(name []byte) bool, visit func(s *sheet.Scanner)) error {
	r, err := b.openContent()
	if err != nil {
		return err
	}
	defer r.Close()
	for scanner := b.newScanner(r); ; {
		err := scanner.Find(isWanted)
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		visit(scanner)
	}
}

// Merges returns the merged cells of one row that lie in the first rows. It
// reads no further than these.
func (b *Book) Merges(name string, rows int) ([]sheet.Merge, error) {
	var merges []sheet.Merge
	within := false
	row, column := 0, 0
	err := b.each(func(s *sheet.Scanner) bool {
		switch string(s.Name()) {
		case "table":
			if within {
				return false
			}
			within = string(s.Attribute("name")) == name
		case "table-row":
			row += repeats(s, "number-rows-repeated")
			column = 0
			return !within || row <= rows
		case "table-cell", "covered-table-cell":
			if span := repeats(s, "number-columns-spanned"); within && span > 1 {
				merges = append(merges, sheet.Merge{Row: row, From: column + 1, To: column + span})
			}
			column += repeats(s, "number-columns-repeated")
		}
		if !within {
			row = 0
		}
		return true
	})
	return merges, err
}

// survey reads the names of the sheets, which of them hold something, and what
// areas have names.
func (b *Book) survey() error {
	if b.surveyed {
		return nil
	}
	b.surveyed = true
	name := ""
	err := b.find(func(element []byte) bool {
		switch string(element) {
		case "table", "named-range", "database-range":
			return true
		case "table-cell":
			return !b.filled[name]
		}
		return false
	}, func(s *sheet.Scanner) {
		switch string(s.Name()) {
		case "table":
			name = string(s.Attribute("name"))
			b.names = append(b.names, name)
		case "table-cell":
			if len(s.Attribute("value-type")) > 0 {
				b.filled[name] = true
			}
		case "named-range":
			b.addTable(string(s.Attribute("name")), string(s.Attribute("cell-range-address")), false)
		case "database-range":
			b.addTable(string(s.Attribute("name")), string(s.Attribute("target-range-address")),
				string(s.Attribute("contains-header")) == "false")
		}
	})
	if err == nil && len(b.names) == 0 {
		err = errors.New("this OpenDocument file has no sheet")
	}
	return err
}

// addTable reads an address such as $'My sheet'.$A$1:.$D$9.
func (b *Book) addTable(name, address string, headless bool) {
	from, to, isRange := strings.Cut(address, ":")
	if !isRange {
		to = from
	}
	i := strings.LastIndexByte(from, '.')
	if i < 0 {
		return
	}
	of := strings.TrimPrefix(from[:i], "$")
	if len(of) >= 2 && of[0] == '\'' && of[len(of)-1] == '\'' {
		of = strings.ReplaceAll(of[1:len(of)-1], "''", "'")
	}
	r1, c1, ok1 := sheet.Reference(from[i+1:])
	r2, c2, ok2 := sheet.Reference(to[strings.LastIndexByte(to, '.')+1:])
	if ok1 && ok2 {
		area := sheet.Area{FirstRow: min(r1, r2), LastRow: max(r1, r2), FirstColumn: min(c1, c2),
			LastColumn: max(c1, c2)}
		b.tables = append(b.tables, sheet.Table{Name: name, Sheet: of, Area: area, Headless: headless})
	}
}
