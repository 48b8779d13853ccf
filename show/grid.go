package show

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"lastblock/core/format/sheet"
	"lastblock/core/record"
	"lastblock/core/value/amount"

	"github.com/xuri/excelize/v2"
)

// GridCell is a cell of a grid in a workbook.
type GridCell struct {
	Row, Column   int // from 1
	LikeRow, Like int // the row and the column of the cell that it looks like, in the workbook that the looks are of
	Text          string
	Kind          sheet.CellKind
	Figure        bool // an amount
	Amount        amount.Amount
	Scale         int    // of a figure that looks like none: the digits behind the decimal mark
	Strong        bool   // likewise: it is a sum of others
	Formula       string // that gives the amount; "" for none
}

// Grid is a sheet of a workbook that is laid out like a form.
type Grid struct {
	Name          string
	Cells         []GridCell
	Merged        []sheet.Area
	ColumnOf      func(was int) int // where a column of the workbook that the looks are of stands
	FirstRow      int               // of the figures, which stay in sight where the looks do not say so
	FirstColumn   int
	LastColumnWas int // of the workbook that the looks are of
}

// GridWriter writes grids, and lists behind them, into a workbook.
type GridWriter struct {
	out    io.Writer
	book   *excelize.File
	room   *workroom
	looks  *excelize.File // of another workbook; nil for none
	sheet  string         // of it
	styles map[int]int    // of this workbook, by those of the other
	plain  map[string]int
	header int
	SheetNames
	packer *packer // of the list
	list   *sheetWriter
}

// NewGridWriter starts a workbook whose grids look like a sheet of another one, which lies in a file; "" for none.
func NewGridWriter(w io.Writer, path, sheet string) (writer *GridWriter, err error) {
	g := &GridWriter{out: w, sheet: sheet, styles: make(map[int]int), plain: make(map[string]int),
		SheetNames: make(SheetNames)}
	if g.room, err = newWorkroom(); err != nil {
		return nil, err
	}
	g.book = excelize.NewFile(excelize.Options{TmpDir: g.room.path})
	defer func() {
		if err != nil {
			g.Abandon()
		}
	}()
	if path != "" {
		g.looks = openLooks(path, g.room.path)
	}
	if g.header, err = g.book.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true, Family: fontName,
		Size: fontSize}}); err != nil {
		return nil, err
	}
	return g, g.book.SetDocProps(&excelize.DocProperties{Creator: creator})
}

// openLooks opens a workbook for its looks, without which a result is plain; nil where that cannot be.
func openLooks(path, folder string) *excelize.File {
	const most = 256 << 20 // bytes of a form when it is unpacked
	looks, err := excelize.OpenFile(path, excelize.Options{TmpDir: folder, UnzipSizeLimit: most,
		UnzipXMLSizeLimit: most})
	if err != nil {
		return nil
	}
	return looks
}

// newSheet adds a sheet, in place of the one that a new workbook has where it is the first.
func (g *GridWriter) newSheet(name string) (*excelize.StreamWriter, error) {
	if err := g.addSheet(name); err != nil {
		return nil, err
	}
	return newStream(g.book, name)
}

func (g *GridWriter) addSheet(name string) (err error) {
	if len(g.book.GetSheetList()) == 1 && g.book.GetSheetName(0) == "Sheet1" && !g.SheetNames["sheet1"] {
		err = g.book.SetSheetName("Sheet1", name)
	} else {
		_, err = g.book.NewSheet(name)
	}
	return err
}

// Grid writes a grid. Its name must be one of FreeName.
func (g *GridWriter) Grid(grid *Grid) error {
	stream, err := g.newSheet(grid.Name)
	if err != nil {
		return err
	}
	slices.SortStableFunc(grid.Cells, func(a, b GridCell) int {
		return cmp.Or(cmp.Compare(a.Row, b.Row), cmp.Compare(a.Column, b.Column))
	})
	if err := g.dress(stream, grid); err != nil {
		return err
	}
	var row []any
	for from := 0; from < len(grid.Cells); {
		to := from
		for to < len(grid.Cells) && grid.Cells[to].Row == grid.Cells[from].Row {
			to++
		}
		if row, err = g.row(row[:0], grid.Cells[from:to]); err != nil {
			return err
		}
		if err := stream.SetRow("A"+strconv.Itoa(grid.Cells[from].Row), row,
			g.height(&grid.Cells[from])...); err != nil {
			return err
		}
		from = to
	}
	for _, m := range grid.Merged {
		from, err := excelize.CoordinatesToCellName(m.FirstColumn, m.FirstRow)
		if err != nil {
			return err
		}
		to, err := excelize.CoordinatesToCellName(m.LastColumn, m.LastRow)
		if err != nil {
			return err
		}
		if err := stream.MergeCell(from, to); err != nil {
			return err
		}
	}
	return stream.Flush()
}

// dress sets widths, and what stays in sight.
func (g *GridWriter) dress(stream *excelize.StreamWriter, grid *Grid) error {
	panes := excelize.Panes{}
	if g.looks != nil {
		for was := 1; was <= grid.LastColumnWas; was++ {
			width, err := g.looks.GetColWidth(g.sheet, sheet.ColumnLetters(was))
			if err != nil {
				return err
			}
			if at := grid.ColumnOf(was); width > 0 {
				if err := stream.SetColWidth(at, at, width); err != nil {
					return err
				}
			}
		}
		panes, _ = g.looks.GetPanes(g.sheet) // of a sheet without a view there are none
	} else {
		widths := widthsOf(grid)
		for _, column := range slices.Sorted(maps.Keys(widths)) {
			if err := stream.SetColWidth(column, column, float64(widths[column])); err != nil {
				return err
			}
		}
	}
	if !panes.Freeze && grid.FirstRow > 0 && grid.FirstRow+grid.FirstColumn > 2 {
		top, err := excelize.CoordinatesToCellName(grid.FirstColumn, grid.FirstRow)
		if err != nil {
			return err
		}
		panes = excelize.Panes{Freeze: true, XSplit: grid.FirstColumn - 1, YSplit: grid.FirstRow - 1, TopLeftCell: top,
			ActivePane: activePane(grid.FirstColumn-1, grid.FirstRow-1)}
	}
	if !panes.Freeze {
		return nil
	}
	return stream.SetPanes(&panes)
}

func activePane(columns, rows int) string {
	switch {
	case columns == 0:
		return "bottomLeft"
	case rows == 0:
		return "topRight"
	}
	return "bottomRight"
}

// widthsOf are the widths of the columns of a grid by what is in them.
func widthsOf(grid *Grid) map[int]int {
	widths := make(map[int]int)
	for i := range grid.Cells {
		c := &grid.Cells[i]
		width := utf8.RuneCountInString(c.Text)
		if c.Figure {
			width = len(c.Amount.Money())
		} else if c.Row < grid.FirstRow-1 {
			continue // a title, which runs over into the columns beside it
		}
		widths[c.Column] = max(widths[c.Column], min(max(width+2, leastWidth), mostWidth))
	}
	return widths
}

// height is that of a row of the workbook that the looks are of.
func (g *GridWriter) height(c *GridCell) []excelize.RowOpts {
	const usual = 15
	if g.looks == nil || c.LikeRow == 0 {
		return nil
	}
	height, err := g.looks.GetRowHeight(g.sheet, c.LikeRow)
	if err != nil || height == usual || height <= 0 {
		return nil
	}
	return []excelize.RowOpts{{Height: height}}
}

// row makes the cells of a row, with blanks where none is.
func (g *GridWriter) row(dst []any, cells []GridCell) ([]any, error) {
	for i := range cells {
		c := &cells[i]
		if i > 0 && cells[i-1].Column == c.Column {
			continue
		}
		for len(dst) < c.Column-1 {
			dst = append(dst, nil)
		}
		style, err := g.style(c)
		if err != nil {
			return nil, err
		}
		dst = append(dst, excelize.Cell{StyleID: style, Formula: c.Formula, Value: c.value()})
	}
	return dst, nil
}

// value is what stands in the cell. A number keeps its digits, or where a workbook has not so many of them becomes a
// text that does.
func (c *GridCell) value() any {
	if c.Figure {
		text := c.Amount.String()
		if digitsOf([]byte(text)) > mostDigits {
			return text
		}
		number, err := strconv.ParseFloat(text, 64)
		if err != nil {
			return text
		}
		return number
	}
	switch c.Kind {
	case sheet.NumberCell:
		if number, err := strconv.ParseFloat(c.Text, 64); err == nil && digitsOf([]byte(c.Text)) <= mostDigits {
			return number
		}
	case sheet.DateCell:
		if day, err := time.Parse(time.DateOnly, c.Text); err == nil && day.Year() >= 1900 {
			return day
		}
	case sheet.FlagCell:
		return c.Text == "true"
	}
	if c.Text == "" {
		return nil
	}
	return c.Text
}

// style is the look of a cell: that of another one, or where there is none a plain one.
func (g *GridWriter) style(c *GridCell) (int, error) {
	if g.looks == nil {
		return g.plainStyle(c)
	}
	name, err := excelize.CoordinatesToCellName(c.Like, c.LikeRow)
	if err != nil {
		return 0, err
	}
	was, err := g.looks.GetCellStyle(g.sheet, name)
	if err != nil {
		return 0, err
	}
	if style, ok := g.styles[was]; ok {
		return style, nil
	}
	look, err := g.looks.GetStyle(was)
	if err != nil {
		return 0, err
	}
	look.Protection = nil
	g.styles[was], err = g.book.NewStyle(look)
	return g.styles[was], err
}

// plainStyle is the look of a cell that looks like none: money for figures, and bold for sums of others.
func (g *GridWriter) plainStyle(c *GridCell) (int, error) {
	font := &excelize.Font{Family: fontName, Size: fontSize, Bold: c.Strong}
	money := "#,##0"
	if c.Scale > 0 {
		money += "." + strings.Repeat("0", min(c.Scale, mostDigits))
	}
	style := &excelize.Style{Font: font}
	switch {
	case c.Figure:
		style.CustomNumFmt = &money
	case c.Kind == sheet.DateCell:
		day := "yyyy-mm-dd"
		style.CustomNumFmt = &day
	case c.Kind == sheet.TextCell:
		style.NumFmt = 49 // the built-in format of texts
	}
	key := fmt.Sprint(c.Figure, c.Kind, c.Strong, c.Scale)
	if known, ok := g.plain[key]; ok {
		return known, nil
	}
	var err error
	g.plain[key], err = g.book.NewStyle(style)
	return g.plain[key], err
}

// List starts a list of records behind the grids, to which Record adds.
func (g *GridWriter) List(name string, columns []Cells) error {
	g.packer = newPacker()
	var err error
	g.list, err = newSheetPart(Sheet{Name: name, Columns: columns}, g.book, g.packer, sheetRows)
	return err
}

// Record adds a record to the list.
func (g *GridWriter) Record(texts [][]byte, kinds []record.Kind) error {
	return g.list.write(texts, kinds)
}

// Close writes the workbook.
func (g *GridWriter) Close() error {
	err := originOf(g.out).stamp(g.book)
	if err == nil && g.list == nil {
		err = WriteBook(g.out, g.book)
	} else if err == nil {
		err = writeSheets(g.out, g.book, []*sheetWriter{g.list}, g.packer, g.header, g.addSheet)
	}
	return errors.Join(err, g.Abandon())
}

// Abandon lets go of all that the writer holds. It does no harm after Close.
func (g *GridWriter) Abandon() (err error) {
	if g.looks != nil {
		err = g.looks.Close()
		g.looks = nil
	}
	if g.list != nil {
		g.packer.abandon()
		err = errors.Join(err, g.list.close())
	}
	return errors.Join(err, g.book.Close(), g.room.close())
}
