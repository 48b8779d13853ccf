package show

import (
	"bytes"
	"errors"
	"fmt"
	"hash"
	"hash/crc32"
	"io"
	"strconv"
	"strings"
	"unicode/utf8"

	"lastblock/core/record"

	"github.com/xuri/excelize/v2"
)

const (
	sheetRows  = 1 << 20 // that a sheet can have
	widthRows  = 1000    // by which the widths of columns are chosen
	mostDigits = 15      // that a number in a workbook keeps
	leastWidth = 6
	mostWidth  = 60
	cellLength = 32767     // characters that a cell can hold
	fontName   = "Calibri" // that of all cells
	fontSize   = 11
	creator    = "Lastblock" // as the properties of workbooks say
)

// Sheet is a sheet of a workbook that records are written to.
type Sheet struct {
	Name    string
	Columns []Cells
}

// SheetWriter writes records into the sheets of a workbook: headers bold and frozen, a
// filter over all columns, amounts as numbers with a money format, dates as dates, and
// all else as texts, which no spreadsheet runs as a formula. A sheet that is full goes
// on in another one.
//
// Rows are made and packed in pieces, on all cores, and wait packed for the end, when all else of the workbook is known
// and made by the workbook package: styles, tables, and of each sheet what stands before and behind its rows.
type SheetWriter struct {
	out    io.Writer
	book   *excelize.File
	header int // style
	sheets []*sheetWriter
	packer *packer
	named  bool // the sheet that a new workbook has
}

// NewSheetWriter starts a workbook.
func NewSheetWriter(w io.Writer, sheets []Sheet) (*SheetWriter, error) {
	return newSheetWriter(w, sheets, sheetRows)
}

func newSheetWriter(w io.Writer, sheets []Sheet, limit int) (writer *SheetWriter, err error) {
	b := &SheetWriter{out: w, book: excelize.NewFile(), packer: newPacker()}
	defer func() {
		if err != nil {
			b.Abandon()
		}
	}()
	if b.header, err = b.book.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true, Family: fontName,
		Size: fontSize}}); err != nil {
		return nil, err
	}
	for _, sheet := range sheets {
		if len(sheet.Columns) > 1<<14 {
			return nil, fmt.Errorf("a workbook holds 16,384 columns and these are %d; write .csv or .parquet",
				len(sheet.Columns))
		}
		s, err := newSheetPart(sheet, b.book, b.packer, limit)
		if err != nil {
			return nil, err
		}
		b.sheets = append(b.sheets, s)
	}
	return b, nil
}

// newStream starts a sheet that says nothing of its size, which is not known yet: by the
// size of one cell that it would have, some programs read one row only.
func newStream(book *excelize.File, name string) (*excelize.StreamWriter, error) {
	if err := book.SetSheetDimension(name, ""); err != nil {
		return nil, err
	}
	return book.NewStreamWriter(name)
}

// Write writes a record to one of the sheets, see RecordWriter.
func (b *SheetWriter) Write(sheet int, texts [][]byte, kinds []record.Kind) error {
	return b.sheets[sheet].write(texts, kinds)
}

// Close writes the workbook.
func (b *SheetWriter) Close() error {
	err := b.close()
	return errors.Join(err, b.Abandon())
}

func (b *SheetWriter) close() error {
	if err := Stamp(b.out, b.book); err != nil {
		return err
	}
	return writeSheets(b.out, b.book, b.sheets, b.packer, b.header, func(name string) error {
		if b.named {
			_, err := b.book.NewSheet(name)
			return err
		}
		b.named = true
		return b.book.SetSheetName("Sheet1", name) // which a new workbook has
	})
}

// writeSheets writes a workbook with the sheets of some records, which addSheet adds to it.
func writeSheets(w io.Writer, book *excelize.File, sheets []*sheetWriter, packer *packer, headerStyle int,
	addSheet func(name string) error) error {
	for _, s := range sheets {
		if err := s.endPart(); err != nil {
			return err
		}
	}
	if err := packer.finish(); err != nil {
		return err
	}
	parts := make(map[int]*part)
	for _, s := range sheets {
		for i, p := range s.parts {
			name := s.Name
			if i > 0 {
				name += " " + strconv.Itoa(i+1)
			}
			if err := errors.Join(addSheet(name), s.frame(book, p, name, i+1, headerStyle)); err != nil {
				return err
			}
			parts[len(book.GetSheetList())] = p
		}
	}
	var frame bytes.Buffer
	if err := book.Write(&frame); err != nil {
		return err
	}
	return writeAround(w, frame.Bytes(), parts)
}

// Abandon lets go of all that the writer holds. It does no harm after Close.
func (b *SheetWriter) Abandon() error {
	b.packer.abandon()
	errs := []error{b.book.Close()}
	for _, s := range b.sheets {
		errs = append(errs, s.close())
	}
	return errors.Join(errs...)
}

// workbookWriter writes records into one sheet.
type workbookWriter struct{ *SheetWriter }

func newWorkbookWriter(w io.Writer, columns []Cells, limit int) (*workbookWriter, error) {
	b, err := newSheetWriter(w, []Sheet{{"Records", columns}}, limit)
	return &workbookWriter{b}, err
}

func (b *workbookWriter) Write(texts [][]byte, kinds []record.Kind) error {
	return b.SheetWriter.Write(0, texts, kinds)
}

// sheetWriter writes one sheet, and what does not fit into it to further ones.
type sheetWriter struct {
	Sheet
	limit    int // rows of a sheet
	packer   *packer
	columns  []cellColumn
	widths   []int // by the header and the first records
	measured int   // of these
	parts    []*part
}

// part is one sheet of the workbook.
type part struct {
	sheet  *sheetWriter
	rows   int    // the header included
	piece  *piece // that is being gathered
	packed store
	sum    hash.Hash32
	size   uint64 // of what is packed
}

func newSheetPart(sheet Sheet, book *excelize.File, packer *packer, limit int) (*sheetWriter, error) {
	s := &sheetWriter{Sheet: sheet, limit: limit, packer: packer}
	text := 49 // the built-in format of texts
	plain, err := book.NewStyle(&excelize.Style{NumFmt: text})
	if err != nil {
		return nil, err
	}
	for i, column := range sheet.Columns {
		style := plain
		switch column.Kind {
		case record.Amount:
			money := "#,##0.00"
			if column.Scale == 0 {
				money = "#,##0"
			}
			for range max(0, min(column.Scale, mostDigits)-2) {
				money += "0"
			}
			style, err = book.NewStyle(&excelize.Style{CustomNumFmt: &money})
		case record.Date:
			day := "yyyy-mm-dd"
			style, err = book.NewStyle(&excelize.Style{CustomNumFmt: &day})
		}
		if err != nil {
			return nil, err
		}
		letters, err := excelize.ColumnNumberToName(i + 1)
		if err != nil {
			return nil, err
		}
		s.columns = append(s.columns, cellColumn{Cells: column, letters: letters, style: strconv.Itoa(style)})
		s.widths = append(s.widths, utf8.RuneCountInString(column.Name)+3) // the filter's button takes some room
	}
	s.begin()
	return s, nil
}

// begin starts the next sheet.
func (s *sheetWriter) begin() {
	s.parts = append(s.parts, &part{sheet: s, rows: 1, sum: crc32.NewIEEE()})
}

func (s *sheetWriter) write(texts [][]byte, kinds []record.Kind) error {
	for i, text := range texts {
		if err := s.columns[i].check(text); err != nil {
			return err
		}
		if s.measured < widthRows {
			s.widths[i] = max(s.widths[i], s.columns[i].width(text, kinds[i]))
		}
	}
	s.measured++
	p := s.parts[len(s.parts)-1]
	if p.rows == s.limit {
		if err := s.endPart(); err != nil {
			return err
		}
		s.begin()
		p = s.parts[len(s.parts)-1]
	}
	p.rows++
	if p.piece == nil {
		p.piece = s.packer.piece(p, p.rows)
	}
	p.piece.records = appendFramed(p.piece.records, texts, kinds)
	if len(p.piece.records) < pieceSize {
		return nil
	}
	return s.endPiece(p)
}

// close lets go of what is packed.
func (s *sheetWriter) close() error {
	var errs []error
	for _, p := range s.parts {
		errs = append(errs, p.packed.close())
	}
	return errors.Join(errs...)
}

func (s *sheetWriter) endPart() error { return s.endPiece(s.parts[len(s.parts)-1]) }

// endPiece hands what was gathered over to be packed.
func (s *sheetWriter) endPiece(p *part) error {
	piece := p.piece
	if piece == nil {
		return nil
	}
	p.piece = nil
	return s.packer.pack(piece)
}

// frame makes all of a sheet but its records: the header, the widths of the columns, and a table, whose header has
// filters. A table needs a record.
func (s *sheetWriter) frame(book *excelize.File, p *part, name string, number, headerStyle int) error {
	if len(s.columns) == 0 {
		return nil
	}
	for i := range s.columns {
		cell := s.columns[i].letters + "1"
		width := float64(min(max(s.widths[i]+1, leastWidth), mostWidth))
		err := errors.Join(book.SetColWidth(name, s.columns[i].letters, s.columns[i].letters, width),
			book.SetCellStr(name, cell, s.columns[i].Name), book.SetCellStyle(name, cell, cell, headerStyle))
		if err != nil {
			return err
		}
	}
	all := "A1:" + s.columns[len(s.columns)-1].letters + strconv.Itoa(p.rows)
	err := errors.Join(book.SetSheetDimension(name, all), book.SetPanes(name, &excelize.Panes{Freeze: true,
		YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}))
	if err != nil {
		return err
	}
	if p.rows == 1 {
		return nil
	}
	return book.AddTable(name, &excelize.Table{Range: all, Name: tableName(s.Name) + "_" + strconv.Itoa(number)})
}

// tableName is the name of a sheet as a table can have it: letters, digits and lines
// below.
func tableName(sheet string) string {
	return strings.Map(func(r rune) rune {
		if 'a' <= r|0x20 && r|0x20 <= 'z' || '0' <= r && r <= '9' {
			return r
		}
		return '_'
	}, sheet)
}
