package show

import (
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"lastblock/core/record"
	"lastblock/core/source"

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
type SheetWriter struct {
	out    io.Writer
	book   *excelize.File
	room   *workroom
	header int // style
	sheets []*sheetWriter
}

// NewSheetWriter starts a workbook.
func NewSheetWriter(w io.Writer, sheets []Sheet) (*SheetWriter, error) {
	return newSheetWriter(w, sheets, sheetRows)
}

func newSheetWriter(w io.Writer, sheets []Sheet, limit int) (writer *SheetWriter, err error) {
	room, err := newWorkroom()
	if err != nil {
		return nil, err
	}
	b := &SheetWriter{out: w, book: excelize.NewFile(excelize.Options{TmpDir: room.path}), room: room}
	defer func() {
		if err != nil {
			b.Abandon()
		}
	}()
	if b.header, err = b.book.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true, Family: fontName,
		Size: fontSize}}); err != nil {
		return nil, err
	}
	if err = b.book.SetDocProps(&excelize.DocProperties{Creator: creator}); err != nil {
		return nil, err
	}
	for i, sheet := range sheets {
		if len(sheet.Columns) > 1<<14 {
			return nil, fmt.Errorf("a workbook holds 16,384 columns and these are %d; write .csv or .parquet",
				len(sheet.Columns))
		}
		s := &sheetWriter{Sheet: sheet, limit: limit, book: b.book, header: b.header}
		if i == 0 {
			err = b.book.SetSheetName("Sheet1", sheet.Name)
		} else {
			_, err = b.book.NewSheet(sheet.Name)
		}
		if err == nil {
			s.stream, err = newStream(b.book, sheet.Name)
		}
		if err == nil {
			err = s.style()
		}
		if err != nil {
			return nil, err
		}
		s.parts = 1
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
	var err error
	for _, s := range b.sheets {
		if err == nil {
			err = s.writeWaiting()
		}
		if err == nil {
			err = s.end()
		}
	}
	if err == nil {
		err = originOf(b.out).stamp(b.book)
	}
	if err == nil {
		err = b.book.Write(b.out)
	}
	if closing := b.Abandon(); err == nil {
		err = closing
	}
	return err
}

// Abandon lets go of all that the writer holds. It does no harm after Close.
func (b *SheetWriter) Abandon() error { return errors.Join(b.book.Close(), b.room.close()) }

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
	limit   int // rows of a sheet
	book    *excelize.File
	stream  *excelize.StreamWriter
	parts   int // sheets so far
	row     int // of the sheet, the header included
	styles  []int
	header  int
	waiting [][]excelize.Cell // the first rows, until the widths are known
	cells   []interface{}
}

// style makes the styles of the columns.
func (b *sheetWriter) style() error {
	text := 49 // the built-in format of texts
	plain, err := b.book.NewStyle(&excelize.Style{NumFmt: text})
	if err != nil {
		return err
	}
	for _, column := range b.Columns {
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
			style, err = b.book.NewStyle(&excelize.Style{CustomNumFmt: &money})
		case record.Date:
			day := "yyyy-mm-dd"
			style, err = b.book.NewStyle(&excelize.Style{CustomNumFmt: &day})
		}
		if err != nil {
			return err
		}
		b.styles = append(b.styles, style)
	}
	return nil
}

// begin starts the next sheet for what did not fit.
func (b *sheetWriter) begin() (err error) {
	b.parts++
	name := b.Name + " " + strconv.Itoa(b.parts)
	if _, err = b.book.NewSheet(name); err == nil {
		b.stream, err = newStream(b.book, name)
	}
	b.row = 0
	return err
}

func (b *sheetWriter) write(texts [][]byte, kinds []record.Kind) error {
	row := make([]excelize.Cell, len(texts))
	for i, text := range texts {
		value, err := b.cell(i, text, kinds[i])
		if err != nil {
			return err
		}
		row[i] = excelize.Cell{StyleID: b.styles[i], Value: value}
	}
	if b.row == 0 && len(b.waiting) < widthRows {
		b.waiting = append(b.waiting, row)
		return nil
	}
	if err := b.writeWaiting(); err != nil {
		return err
	}
	return b.writeRow(row)
}

// cell makes the value of a cell. A number keeps its digits, or where a
// workbook has not so many of them becomes a text that does.
func (b *sheetWriter) cell(column int, text []byte, kind record.Kind) (any, error) {
	if len(text) == 0 && (text == nil || !b.Columns[column].Blank) {
		return nil, nil
	}
	switch {
	case len(text) == 0:
		return "", nil
	case kind == record.Amount && digitsOf(text) <= mostDigits:
		return strconv.ParseFloat(string(text), 64)
	case kind == record.Date:
		if day, err := time.Parse(time.DateOnly, string(text)); err == nil && day.Year() >= 1900 {
			return day, nil
		}
	case kind == record.Flag:
		return string(text) == "true", nil
	}
	if len(text) > cellLength && utf8.RuneCount(text) > cellLength {
		return nil, fmt.Errorf("column %q has a text of %d characters, and a cell of a workbook holds %d; write "+
			".csv or .parquet", b.Columns[column].Name, utf8.RuneCount(text), cellLength)
	}
	return string(text), nil
}

func digitsOf(text []byte) int {
	n := 0
	for _, c := range text {
		if '0' <= c && c <= '9' && (n > 0 || c != '0') {
			n++
		}
	}
	return n
}

// writeWaiting writes the header and the first rows, once, and sets the widths
// of the columns by them.
func (b *sheetWriter) writeWaiting() error {
	if b.row > 0 {
		return nil
	}
	for i, column := range b.Columns {
		width := utf8.RuneCountInString(column.Name) + 3 // the filter's button takes some room
		for _, row := range b.waiting {
			width = max(width, shownWidth(row[i].Value))
		}
		if err := b.stream.SetColWidth(i+1, i+1, float64(min(max(width+1, leastWidth), mostWidth))); err != nil {
			return err
		}
	}
	if err := b.stream.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2",
		ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	header := make([]excelize.Cell, len(b.Columns))
	for i, column := range b.Columns {
		header[i] = excelize.Cell{StyleID: b.header, Value: column.Name}
	}
	if err := b.writeRow(header); err != nil {
		return err
	}
	waiting := b.waiting
	b.waiting = nil
	for _, row := range waiting {
		if err := b.writeRow(row); err != nil {
			return err
		}
	}
	return nil
}

func shownWidth(value any) int {
	switch v := value.(type) {
	case string:
		if strings.HasPrefix(v, source.VerdictLabel) {
			return 0 // which runs over into the columns beside it
		}
		return utf8.RuneCountInString(v)
	case time.Time:
		return len(time.DateOnly)
	case float64:
		text := strconv.FormatFloat(v, 'f', 2, 64)
		return len(text) + len(text)/3
	}
	return 0
}

func (b *sheetWriter) writeRow(row []excelize.Cell) error {
	if b.row == b.limit {
		if err := b.end(); err != nil {
			return err
		}
		if err := b.begin(); err != nil {
			return err
		}
		b.waiting = append(b.waiting, row)
		return b.writeWaiting()
	}
	b.row++
	b.cells = b.cells[:0]
	for _, cell := range row {
		b.cells = append(b.cells, cell)
	}
	return b.stream.SetRow("A"+strconv.Itoa(b.row), b.cells)
}

// end finishes a sheet: what it holds is a table, whose header has filters. A
// table needs a record.
func (b *sheetWriter) end() error {
	if len(b.Columns) > 0 && b.row > 1 {
		last, err := excelize.CoordinatesToCellName(len(b.Columns), b.row)
		if err != nil {
			return err
		}
		table := &excelize.Table{Range: "A1:" + last, Name: tableName(b.Name) + "_" + strconv.Itoa(b.parts)}
		if err := b.stream.AddTable(table); err != nil {
			return err
		}
	}
	return b.stream.Flush()
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
