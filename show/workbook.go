package show

import (
	"fmt"
	"io"
	"strconv"
	"time"
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
)

// workbookWriter writes records into sheets: the header bold and frozen, a
// filter over all columns, amounts as numbers with a money format, dates as
// dates, and all else as texts, which no spreadsheet runs as a formula.
type workbookWriter struct {
	out     io.Writer
	columns []Cells
	limit   int // rows of a sheet
	book    *excelize.File
	stream  *excelize.StreamWriter
	sheets  int
	row     int // of the sheet, the header included
	styles  []int
	header  int
	day     int
	waiting [][]excelize.Cell // the first rows, until the widths are known
	cells   []interface{}
}

func newWorkbookWriter(w io.Writer, columns []Cells, limit int) (*workbookWriter, error) {
	if len(columns) > 1<<14 {
		return nil, fmt.Errorf("a workbook holds 16,384 columns and these are %d; write .csv or .parquet", len(columns))
	}
	b := &workbookWriter{out: w, columns: columns, limit: limit, book: excelize.NewFile()}
	var err error
	if b.header, err = b.book.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true, Family: fontName, Size: fontSize}}); err != nil {
		return nil, err
	}
	day := "yyyy-mm-dd"
	if b.day, err = b.book.NewStyle(&excelize.Style{CustomNumFmt: &day}); err != nil {
		return nil, err
	}
	text := 49 // the built-in format of texts
	plain, err := b.book.NewStyle(&excelize.Style{NumFmt: text})
	if err != nil {
		return nil, err
	}
	for _, column := range columns {
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
			if style, err = b.book.NewStyle(&excelize.Style{CustomNumFmt: &money}); err != nil {
				return nil, err
			}
		case record.Date:
			style = b.day
		}
		b.styles = append(b.styles, style)
	}
	return b, b.begin()
}

// begin starts the next sheet.
func (b *workbookWriter) begin() (err error) {
	b.sheets++
	name := "Records"
	if b.sheets == 1 {
		err = b.book.SetSheetName("Sheet1", name)
	} else {
		name += " " + strconv.Itoa(b.sheets)
		_, err = b.book.NewSheet(name)
	}
	if err == nil {
		b.stream, err = b.book.NewStreamWriter(name)
	}
	b.row = 0
	return err
}

func (b *workbookWriter) Write(texts [][]byte, kinds []record.Kind) error {
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
func (b *workbookWriter) cell(column int, text []byte, kind record.Kind) (any, error) {
	if len(text) == 0 {
		return nil, nil
	}
	switch {
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
		return nil, fmt.Errorf("column %q has a text of %d characters, and a cell of a workbook holds %d; write .csv or .parquet", b.columns[column].Name, utf8.RuneCount(text), cellLength)
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
func (b *workbookWriter) writeWaiting() error {
	if b.row > 0 {
		return nil
	}
	for i, column := range b.columns {
		width := utf8.RuneCountInString(column.Name) + 3 // the filter's button takes some room
		for _, row := range b.waiting {
			width = max(width, shownWidth(row[i].Value))
		}
		if err := b.stream.SetColWidth(i+1, i+1, float64(min(max(width+1, leastWidth), mostWidth))); err != nil {
			return err
		}
	}
	if err := b.stream.SetPanes(&excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}); err != nil {
		return err
	}
	header := make([]excelize.Cell, len(b.columns))
	for i, column := range b.columns {
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
		return utf8.RuneCountInString(v)
	case time.Time:
		return len(time.DateOnly)
	case float64:
		text := strconv.FormatFloat(v, 'f', 2, 64)
		return len(text) + len(text)/3
	}
	return 0
}

func (b *workbookWriter) writeRow(row []excelize.Cell) error {
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
func (b *workbookWriter) end() error {
	if len(b.columns) > 0 && b.row > 1 {
		last, err := excelize.CoordinatesToCellName(len(b.columns), b.row)
		if err != nil {
			return err
		}
		table := &excelize.Table{Range: "A1:" + last, Name: "Records_" + strconv.Itoa(b.sheets)}
		if err := b.stream.AddTable(table); err != nil {
			return err
		}
	}
	return b.stream.Flush()
}

func (b *workbookWriter) Close() error {
	err := b.writeWaiting()
	if err == nil {
		err = b.end()
	}
	if err == nil {
		err = b.book.Write(b.out)
	}
	if closing := b.book.Close(); err == nil {
		err = closing
	}
	return err
}
