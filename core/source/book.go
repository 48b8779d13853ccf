package source

import (
	"bytes"
	"errors"
	"fmt"
	"strings"

	"lastblock/core/format/decode"
	"lastblock/core/format/delimited"
	"lastblock/core/format/ods"
	"lastblock/core/format/sheet"
	"lastblock/core/format/xlsx"
	"lastblock/core/record"
	"lastblock/core/value/nearest"
)

// workbookFormat is a workbook of ISO/IEC 29500. The old binary kinds are known here
// too, for the sake of what can be said of them.
var workbookFormat = &Format{
	Name:    "workbook",
	Endings: []string{".xlsx", ".xlsm", ".xltx", ".xltm", ".xls", ".xlsb"},
	begins: func(sample []byte) bool {
		return bytes.HasPrefix(sample, []byte("PK\x03\x04")) || isCompound(sample)
	},
	parts: func(d *document, want Choice) ([]Part, error) { return chooseParts(openWorkbook, d, want) },
	open: func(d *document, part Part, manner *Manner, memory int64) (Reader, error) {
		return openSheet(openWorkbook, "workbook", d, part, manner, memory)
	},
	book: openWorkbook,
}

// openDocument is a spreadsheet of ISO/IEC 26300.
var openDocument = &Format{
	Name:    "opendocument",
	Endings: []string{".ods", ".ots"},
	parts:   func(d *document, want Choice) ([]Part, error) { return chooseParts(openSpreadsheet, d, want) },
	open: func(d *document, part Part, manner *Manner, memory int64) (Reader, error) {
		return openSheet(openSpreadsheet, "opendocument", d, part, manner, memory)
	},
	book: openSpreadsheet,
}

// openBook opens a workbook with so much memory for its shared texts, and of which no
// cell may be longer than limit.
type openBook func(d *document, memory int64, limit int) (sheet.Book, error)

func openWorkbook(d *document, memory int64, limit int) (sheet.Book, error) {
	book, err := xlsx.Open(d, d.Size, max(1<<20, memory/8), limit)
	if err != nil {
		return nil, err // not a nil book in an interface
	}
	return book, nil
}

func openSpreadsheet(d *document, _ int64, limit int) (sheet.Book, error) {
	book, err := ods.Open(d, d.Size, limit)
	if err != nil {
		return nil, err
	}
	return book, nil
}

// isCompound tells by its first bytes a compound file, in which workbooks of the
// old binary kind lie, and workbooks that are protected by a password.
func isCompound(sample []byte) bool {
	return bytes.HasPrefix(sample, []byte("\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1"))
}

// formatWithin returns the format of a document by what it holds, whatever its
// ending says: branches name text .xls, and one kind of workbook like another.
func formatWithin(d *document, named *Format) (*Format, error) {
	sample := make([]byte, 8)
	n, _ := d.ReadAt(sample, 0) // a shorter file is seen by what there is
	sample = sample[:n]
	switch {
	case isCompound(sample):
		return nil, compoundError(d)
	case !bytes.HasPrefix(sample, []byte("PK")):
		if named == openDocument || n == 0 {
			return named, nil
		}
		if named == workbookFormat {
			return text, nil
		}
		return named, nil
	}
	archive, err := decode.OpenArchive(d, d.Size, decode.MostParts)
	switch full := (*decode.EntriesError)(nil); {
	case errors.As(err, &full):
		return nil, err
	case err != nil:
		return nil, xlsx.ErrTruncated
	case ods.Is(archive):
		return openDocument, nil
	case xlsx.Is(archive):
		return workbookFormat, nil
	}
	return nil, errors.New("this is a zip file and no workbook; name it .zip to have what is in it read")
}

// compoundError tells apart what lies in compound files.
func compoundError(d *document) error {
	const directory = 1 << 20 // in which the names stand, mostly at the start or at the end
	for _, at := range []int64{0, max(0, d.Size-directory)} {
		part := make([]byte, min(directory, d.Size))
		n, _ := d.ReadAt(part, at)
		if bytes.Contains(part[:n], wide("EncryptedPackage")) {
			return &sheet.LockedError{What: "workbook"}
		}
	}
	return errors.New("this is a workbook of the old binary kind (.xls); have it saved as .xlsx")
}

// wide writes a text in UTF-16.
func wide(text string) []byte {
	var out []byte
	for i := range len(text) {
		out = append(out, text[i], 0)
	}
	return out
}

// chooseParts applies a choice to a workbook.
func chooseParts(open openBook, d *document, want Choice) ([]Part, error) {
	book, err := open(d, 1<<20, delimited.MaxRecord)
	if err != nil {
		return nil, err
	}
	defer book.Close()
	if want.Table != "" {
		table, err := findTable(book, want.Table)
		if err != nil {
			return nil, err
		}
		return []Part{{Sheet: table.Sheet, Table: table.Name}}, nil
	}
	return chooseSheets(book, want.Sheet, want.Cover)
}

// chooseSheets returns the sheets that are meant: by name, by number, all that
// hold data, or the only one that does, the covering sheet aside. Where the sheets
// lie in one part, that is read no further than to the sheet that is meant.
func chooseSheets(book sheet.Book, want, cover string) ([]Part, error) {
	var names []string
	var parts []Part // that hold data
	for name, err := range book.Sheets() {
		if err != nil {
			return nil, err
		}
		if name == want {
			return []Part{{Sheet: name, Unseen: book.InOnePart()}}, nil
		}
		names = append(names, name)
		if want != "" && want != "*" || isCover(name, cover) {
			continue
		}
		ok, err := book.HoldsData(name)
		if err != nil {
			return nil, err
		}
		if ok && want == "" && book.InOnePart() {
			return []Part{{Sheet: name, Unseen: true}}, nil
		}
		if ok {
			parts = append(parts, Part{Sheet: name})
		}
	}
	switch n, isNumber := record.Position(want); {
	case isNumber && n > len(names):
		return nil, fmt.Errorf("there is no sheet %s\nthere is: %s", want, quotedList(names))
	case isNumber:
		return []Part{{Sheet: names[n-1]}}, nil
	case want != "" && want != "*":
		return nil, fmt.Errorf("there is no sheet %q%s\nthere is: %s", want, didYouMean(want, names),
			quotedList(names))
	case len(parts) == 0: // an empty workbook is an empty source
		return []Part{{Sheet: names[0]}}, nil
	case len(parts) > 1 && want == "":
		return nil, severalSheets(parts)
	}
	return parts, nil
}

// isCover tells whether a sheet is the covering one, "" for none.
func isCover(name, cover string) bool { return cover != "" && strings.EqualFold(name, cover) }

// severalSheets says that one of several sheets has to be chosen.
func severalSheets(parts []Part) error {
	var names []string
	for _, part := range parts {
		names = append(names, part.Sheet)
	}
	return fmt.Errorf("%d sheets hold data; say which one with ⟨sheet⟩, or read all with ⟨sheet⟩ "+
		"'*'\nthere is: %s", len(names), quotedList(names))
}

// checkBehind reads on from the end of the sheet that the part is, where nothing was known yet of what stands behind
// it: that has to be whole, and where the sheet was chosen as the only one with data, it has to be that.
func (p Part) checkBehind(rows sheet.Rows, choice Choice) error {
	if !p.Unseen {
		return nil
	}
	names, err := rows.Behind()
	if err != nil || choice.Sheet != "" {
		return err
	}
	filled := []Part{p}
	for _, name := range names {
		if !isCover(name, choice.Cover) {
			filled = append(filled, Part{Sheet: name})
		}
	}
	if len(filled) > 1 {
		return severalSheets(filled)
	}
	return nil
}

func findTable(book sheet.Book, name string) (*sheet.Table, error) {
	tables, err := book.Tables()
	if err != nil {
		return nil, err
	}
	var have []string
	for i := range tables {
		if tables[i].Name == name {
			return &tables[i], nil
		}
		have = append(have, tables[i].Name)
	}
	if len(have) == 0 {
		return nil, fmt.Errorf("there is no table %q, nor any other table or name of an area", name)
	}
	return nil, fmt.Errorf("there is no table %q%s\nthere is: %s", name, didYouMean(name, have), quotedList(have))
}

func didYouMean(name string, have []string) string {
	if near, ok := nearest.To(name, have); ok {
		return fmt.Sprintf("; did you mean %q?", near)
	}
	return ""
}

func quotedList(names []string) string {
	const most = 20
	var quoted []string
	for i, name := range names {
		if i == most {
			quoted = append(quoted, fmt.Sprintf("and %d more", len(names)-most))
			break
		}
		quoted = append(quoted, fmt.Sprintf("%q", name))
	}
	return strings.Join(quoted, ", ")
}

// sheetReader reads a sheet, or an area of one.
type sheetReader struct {
	*sheet.Reader
	format   string
	book     sheet.Book
	document *document
	part     Part
	rows     sheet.Rows
	choice   Choice
}

// openSheet opens a sheet of a document as a workbook of its own.
func openSheet(open openBook, format string, d *document, part Part, manner *Manner, memory int64) (Reader, error) {
	book, err := open(d, memory, recordLimit(memory))
	if err != nil {
		return nil, err
	}
	reader, err := newSheetReader(book, format, part, manner)
	if err != nil {
		book.Close()
		return nil, err
	}
	reader.document = d
	return reader, nil
}

func newSheetReader(book sheet.Book, format string, part Part, manner *Manner) (*sheetReader, error) {
	request := sheet.Request{SkipRows: manner.Request.SkipLines, HeaderLines: manner.Request.HeaderLines,
		NoHeader: manner.Request.NoHeader}
	if part.Table != "" {
		table, err := findTable(book, part.Table)
		if err != nil {
			return nil, err
		}
		request.Area = table.Area
		request.NoHeader = request.NoHeader || table.Headless
		if request.HeaderLines == 0 && !request.NoHeader {
			request.HeaderLines = 1
		}
	}
	rows, err := book.Rows(part.Sheet)
	if err != nil {
		return nil, err
	}
	return &sheetReader{Reader: sheet.NewReader(rows, request), format: format, book: book, part: part, rows: rows,
		choice: manner.Choice}, nil
}

func (r *sheetReader) Peek(int) error { return r.Reader.Peek(r.format) }

func (r *sheetReader) Next(s *Stretch) error {
	if err := r.Reader.Peek(r.format); err != nil {
		return err
	}
	text, err := r.Reader.Next(&s.Batch, s.text)
	s.text = text
	if err == nil && s.Last {
		err = r.part.checkBehind(r.rows, r.choice)
	}
	return err
}

func (r *sheetReader) Parse(*Stretch) {}

func (r *sheetReader) Close() {
	r.Reader.Close()
	r.book.Close()
	r.document.Close()
}
