// Package book writes a report as a workbook: a sheet for each of its tables, with real numbers and dates, headings
// that stay in sight, filters, names for the totals, and links from figures to what each source gave. Texts stay texts,
// whatever they begin with.
package book

import (
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"unicode/utf8"

	"lastblock/core/record"
	"lastblock/show"
	"lastblock/show/report"

	"github.com/xuri/excelize/v2"
)

const (
	headRow    = 3 // of the columns' names, below the title and what is said of the table
	mostWidth  = 70
	longWidth  = 45 // of a column whose texts may take several lines
	lineHeight = 15 // points
	leastWidth = 8
	mostLinks  = 2_000 // of a sheet; the package looks at all that there are for each
	mostDigits = 15    // that a number in a workbook keeps
	gaveSheet  = "From sources"
)

// Write writes the workbook of a document. The error is what writing returned.
func Write(w io.Writer, d *report.Document) error {
	file, done, err := show.NewBook()
	if err != nil {
		return err
	}
	b := &book{
		File:   file,
		doc:    d,
		styles: make(map[look]int),
		names:  make(map[string]bool),
		rows:   make(map[string]place),
	}
	b.plan()
	if len(b.sheets) == 0 {
		err = errors.New("there is nothing to be written: the month end has none of the sections that are asked for")
	}
	for i := range b.sheets {
		if err == nil {
			err = b.write(&b.sheets[i], i == 0)
		}
	}
	if err == nil {
		err = show.Stamp(w, b.File)
	}
	if err == nil {
		err = show.WriteBook(w, b.File)
	}
	return errors.Join(err, done())
}

// book is a workbook on its way.
type book struct {
	*excelize.File
	doc    *report.Document
	sheets []sheet
	styles map[look]int
	names  show.SheetNames
	totals record.Names     // that are defined
	rows   map[string]place // of rows that can be linked to
}

// sheet is a sheet to be written.
type sheet struct {
	name, title, said string
	table             *report.Table // nil for a sheet that only says something
	widths            []int
	merged            [][2]string // cells over which texts go
	*excelize.StreamWriter
}

// place is a row of a sheet.
type place struct {
	sheet string
	row   int
}

// look is how a cell looks.
type look struct {
	kind         report.Kind
	scale        int
	strong, link bool
	word         report.Word
	head, title  bool
	indent       bool // a text behind a number stands apart from it
}

// plan gives each table its sheet, and each row that is linked to its place.
func (b *book) plan() {
	openings := 0
	for i := range b.doc.Sections {
		s := &b.doc.Sections[i]
		for k := range s.Parts {
			p := &s.Parts[k]
			openings += len(p.Opens)
			title := s.Title
			if p.Title != "" {
				title += ", " + p.Title
			}
			texts := p.Texts
			if len(b.sheets) == 0 {
				texts = append([]string{b.doc.Verdict}, texts...)
			}
			b.add(p.Sheet, title, texts, p.Table)
		}
	}
	if openings > 0 {
		t, ids := fromSources(b.doc)
		b.add(gaveSheet, "What each source gave", nil, t)
		for i, id := range ids {
			if id != "" {
				b.rows[id] = place{b.sheets[len(b.sheets)-1].name, headRow + 1 + i}
			}
		}
	}
}

// add adds a sheet under a free name, with its title and what is said of it.
func (b *book) add(name, title string, texts []string, t *report.Table) {
	said := strings.Join(texts, " ")
	if b.doc.Unsealed != "" {
		said = strings.TrimSpace(b.doc.Unsealed + " " + said)
	}
	s := sheet{name: b.names.FreeName(name), title: b.doc.Title + ": " + title, said: said, table: t}
	if t != nil {
		s.widths = widthsOf(t)
		for i := range t.Rows {
			if t.Rows[i].ID != "" {
				b.rows[t.Rows[i].ID] = place{s.name, headRow + 1 + i}
			}
		}
	}
	b.sheets = append(b.sheets, s)
}

// write writes a sheet.
func (b *book) write(s *sheet, first bool) error {
	var err error
	if first {
		err = b.SetSheetName("Sheet1", s.name)
	} else {
		_, err = b.NewSheet(s.name)
	}
	if err == nil {
		err = b.furnish(s)
	}
	if err == nil {
		s.StreamWriter, err = b.NewStreamWriter(s.name)
	}
	for k, width := range s.widths {
		if err == nil {
			err = s.SetColWidth(k+1, k+1, float64(width))
		}
	}
	const titleHeight = 22
	if err == nil {
		err = b.line(s, 1, s.title, look{title: true}, titleHeight)
	}
	if err == nil {
		err = b.say(s, 2, s.said, look{kind: report.Long, strong: b.doc.Unsealed != ""})
	}
	if err == nil && s.table != nil {
		err = b.fill(s)
	}
	for _, m := range s.merged {
		if err == nil {
			err = s.MergeCell(m[0], m[1])
		}
	}
	if err != nil {
		return err
	}
	return s.Flush()
}

// fill writes the table of a sheet, and below it what it lacks and that it is not sealed.
func (b *book) fill(s *sheet) error {
	t := s.table
	var cells []any
	for k, name := range headers(t) {
		style, err := b.style(look{head: true, kind: t.Columns[k].Kind, indent: k > 0 && !t.Columns[k].Kind.IsNumber()})
		if err != nil {
			return err
		}
		cells = append(cells, excelize.Cell{StyleID: style, Value: name})
	}
	if err := s.SetRow(cellName(1, headRow), cells); err != nil {
		return err
	}
	at := headRow
	for _, rows := range [][]report.Row{t.Rows, t.Foot} {
		for i := range rows {
			at++
			if err := b.row(s, at, &rows[i]); err != nil {
				return err
			}
		}
	}
	if t.Whole > 0 {
		at += 2
		if err := b.say(s, at, fmt.Sprintf("%s of %s rows; %s", show.Number(len(t.Rows)), show.Number(t.Whole), t.More),
			look{kind: report.Long}); err != nil {
			return err
		}
	}
	if b.doc.Unsealed != "" {
		return b.say(s, at+2, b.doc.Unsealed, look{kind: report.Long, strong: true})
	}
	return nil
}

// line writes a row of one text.
func (b *book) line(s *sheet, row int, text string, of look, height float64) error {
	style, err := b.style(of)
	if err != nil {
		return err
	}
	return s.SetRow(cellName(1, row), []any{excelize.Cell{StyleID: style, Value: text}},
		excelize.RowOpts{Height: height})
}

// say writes a text across a row, over as many columns and lines as it needs.
func (b *book) say(s *sheet, row int, text string, of look) error {
	const least, usual, wanted = 4, 9, 100 // columns, their width where nothing else is said, and characters of a line
	width, columns := 0, 0
	for columns < least || width < wanted {
		if columns++; columns <= len(s.widths) {
			width += s.widths[columns-1]
		} else {
			width += usual
		}
	}
	s.merged = append(s.merged, [2]string{cellName(1, row), cellName(columns, row)})
	lines := 1 + utf8.RuneCountInString(text)*11/10/width // bold text is wider
	return b.line(s, row, text, of, float64(lineHeight*lines+2))
}

// headers are the names of columns, each another one.
func headers(t *report.Table) (names []string) {
	var free record.Names
	for _, c := range t.Columns {
		names = append(names, free.Free(c.Name))
	}
	return names
}

// row writes a row.
func (b *book) row(s *sheet, at int, r *report.Row) error {
	lines := 1
	cells := make([]any, len(r.Cells))
	for k := range r.Cells {
		c := &r.Cells[k]
		kind := report.Text
		if k < len(s.table.Columns) {
			kind = s.table.Columns[k].Kind
		}
		of := look{kind: kind, strong: r.Strong, word: c.Word, link: b.leadsTo(c) != ""}
		var value any
		switch {
		case c.Number != nil:
			of.scale = c.Number.Scale()
			value = numberOf(c.Number.String())
			if kind == report.Money && of.scale == 0 {
				of.kind = report.Count
			}
		case !c.Time.IsZero():
			of.kind, value = report.Moment, c.Time.UTC()
		case c.Text != "":
			value = c.Text
			if of.kind.IsNumber() {
				of.kind = report.Text
			}
			if r.Indent && k > 0 {
				value = "   " + c.Text
			}
		default:
			continue
		}
		of.indent = k > 0 && !of.kind.IsNumber()
		if kind == report.Long {
			lines = max(lines, (utf8.RuneCountInString(c.Text)+longWidth-1)/longWidth)
		}
		style, err := b.style(of)
		if err != nil {
			return err
		}
		cells[k] = excelize.Cell{StyleID: style, Value: value}
	}
	if lines > 1 {
		const most = 20
		return s.SetRow(cellName(1, at), cells, excelize.RowOpts{Height: float64(lineHeight * min(lines, most))})
	}
	return s.SetRow(cellName(1, at), cells)
}

// leadsTo is the cell that a cell leads to, "" for none.
func (b *book) leadsTo(c *report.Cell) string {
	id := c.Opens
	if id == "" {
		id = c.Link
	}
	to, ok := b.rows[id]
	if !ok {
		return ""
	}
	return fmt.Sprintf("%s!A%d", quoted(to.sheet), to.row)
}

// numberOf is a number, or where a workbook has not so many digits a text that does.
func numberOf(text string) any {
	digits := strings.Count(text, "") - 1 - strings.Count(text, "-") - strings.Count(text, ".")
	value, err := strconv.ParseFloat(text, 64)
	if err != nil || digits > mostDigits {
		return text
	}
	return value
}

// define gives a total a name, by which formulas of others find it.
func (b *book) define(sheet string, column, row int, name string) error {
	name = "total_" + strings.Map(func(r rune) rune {
		if 'a' <= r|0x20 && r|0x20 <= 'z' || '0' <= r && r <= '9' {
			return r
		}
		return '_'
	}, name)
	const most = 200
	letters, err := excelize.ColumnNumberToName(column)
	if err != nil {
		return err
	}
	return b.SetDefinedName(&excelize.DefinedName{Name: b.totals.Free(name[:min(len(name), most)]),
		RefersTo: fmt.Sprintf("%s!$%s$%d", quoted(sheet), letters, row)})
}

// quoted is the name of a sheet in a reference.
func quoted(sheet string) string { return "'" + strings.ReplaceAll(sheet, "'", "''") + "'" }

func cellName(column, row int) string {
	name, err := excelize.CoordinatesToCellName(column, row)
	if err != nil {
		panic(err) // of a place that no sheet has
	}
	return name
}

// The colours of a workbook.
const (
	accent = "0B6771"
	bad    = "9B2C17"
	doubt  = "7A5200"
)

// style makes a look, once.
func (b *book) style(of look) (int, error) {
	if known, ok := b.styles[of]; ok {
		return known, nil
	}
	style := &excelize.Style{Font: &excelize.Font{Family: "Calibri", Size: 11, Bold: of.strong || of.head},
		Alignment: &excelize.Alignment{Vertical: "top"}}
	format := ""
	switch {
	case of.title:
		style.Font.Size, style.Font.Bold = 14, true
	case of.head:
		style.Border = []excelize.Border{{Type: "bottom", Style: 2, Color: "1B2430"}}
		if of.kind.IsNumber() {
			style.Alignment.Horizontal = "right"
		}
	case of.kind == report.Count:
		format = "#,##0"
	case of.kind == report.Money, of.kind == report.Percent:
		format = "#,##0"
		if of.scale > 0 {
			format += "." + strings.Repeat("0", min(of.scale, mostDigits))
		}
	case of.kind == report.Moment:
		format = "yyyy-mm-dd hh:mm"
	default:
		format = "@"
		style.Alignment.WrapText = of.kind == report.Long
	}
	if format != "" {
		style.CustomNumFmt = &format
	}
	switch {
	case of.link:
		style.Font.Color, style.Font.Underline = accent, "single"
	case of.word == report.Bad:
		style.Font.Color, style.Font.Bold = bad, true
	case of.word == report.Doubtful:
		style.Font.Color = doubt
	}
	if of.indent {
		style.Alignment.Horizontal, style.Alignment.Indent = "left", 1
	}
	made, err := b.NewStyle(style)
	b.styles[of] = made
	return made, err
}

// furnish sets what stays in sight, filters, links, names of totals, and how a sheet is printed.
func (b *book) furnish(s *sheet) error {
	if s.table != nil {
		if err := b.furnishTable(s); err != nil {
			return err
		}
	}
	fit := true
	if err := b.SetSheetProps(s.name, &excelize.SheetPropsOptions{FitToPage: &fit}); err != nil {
		return err
	}
	landscape, paper, wide, high := "landscape", 9, 1, 0 // A4
	if err := b.SetPageLayout(s.name, &excelize.PageLayoutOptions{Orientation: &landscape, Size: &paper,
		FitToWidth: &wide, FitToHeight: &high}); err != nil {
		return err
	}
	head := b.doc.Title
	if b.doc.Unsealed != "" {
		head += ", not sealed"
	}
	head = strings.ReplaceAll(head, "&", "&&")
	const most = 120 // of what stands at the edges of a page
	return b.SetHeaderFooter(s.name, &excelize.HeaderFooterOptions{
		OddHeader: "&L" + string(
			[]rune(head)[:min(utf8.RuneCountInString(head), most)],
		), OddFooter: "&L&A&RPage &P of &N"})
}

// furnishTable is furnish for what belongs to its table.
func (b *book) furnishTable(s *sheet) error {
	t := s.table
	last := headRow + len(t.Rows)
	if last > headRow {
		if err := b.AutoFilter(s.name, "A"+strconv.Itoa(headRow)+":"+cellName(len(t.Columns), last), nil); err != nil {
			return err
		}
	}
	err := errors.Join(b.SetSheetDimension(s.name, "A1:"+cellName(len(t.Columns), last+len(t.Foot))),
		b.SetPanes(s.name, &excelize.Panes{Freeze: true, YSplit: headRow, TopLeftCell: cellName(1, headRow+1),
			ActivePane: "bottomLeft"}),
		b.SetDefinedName(&excelize.DefinedName{Name: "_xlnm.Print_Titles", Scope: s.name,
			RefersTo: fmt.Sprintf("%s!$%d:$%d", quoted(s.name), 1, headRow)}))
	if err != nil {
		return err
	}
	if len(t.Foot) > 0 {
		for k := range t.Foot[0].Cells {
			if k > 0 && t.Foot[0].Cells[k].Number != nil {
				if err := b.define(s.name, k+1, last+1, t.Name+"_"+t.Columns[k].Name); err != nil {
					return err
				}
			}
		}
	}
	links := 0
	for n, rows := range [][]report.Row{t.Rows, t.Foot} {
		for i := range rows {
			for k := range rows[i].Cells {
				to := b.leadsTo(&rows[i].Cells[k])
				if to == "" || links == mostLinks {
					continue
				}
				links++
				at := headRow + 1 + i + n*len(t.Rows)
				if err := b.SetCellHyperLink(s.name, cellName(k+1, at), to, "Location"); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// widthRows is by how many rows the widths of columns are chosen.
const widthRows = 1000

func widthsOf(t *report.Table) []int {
	widths := make([]int, len(t.Columns))
	for k, c := range t.Columns {
		widths[k] = utf8.RuneCountInString(c.Name) + 4 // the filter's button takes some room
	}
	for _, rows := range [][]report.Row{t.Rows[:min(len(t.Rows), widthRows)], t.Foot} {
		for i := range rows {
			for k := range rows[i].Cells {
				if k == len(widths) {
					break
				}
				c := &rows[i].Cells[k]
				width := utf8.RuneCountInString(c.Text)
				if c.Number != nil && c.Text == "" {
					width = len(c.Number.Money())
				}
				widths[k] = max(widths[k], width+2)
			}
		}
	}
	for k := range widths {
		most := mostWidth
		if t.Columns[k].Kind == report.Long {
			most = longWidth
		}
		widths[k] = min(max(widths[k], leastWidth), most)
	}
	return widths
}

// fromSources lists what each source gave to each figure that opens; ids are the openings that begin with a row.
func fromSources(d *report.Document) (t *report.Table, ids []string) {
	t = &report.Table{
		Name: "from_sources",
		Columns: []report.Column{{Name: "result"}, {Name: "figure"}, {Name: "source"},
			{Name: "where"}, {Name: "records", Kind: report.Count}, {Name: "gave", Kind: report.Money}},
	}
	add := func(id string, o *report.Opening, g *report.Gave) {
		value := g.Amount
		ids = append(ids, id)
		t.Rows = append(t.Rows, report.Row{Cells: []report.Cell{{Text: o.Result}, {Text: o.Figure},
			{Text: g.Source, Link: g.Link}, {Text: g.Place}, report.Counted(g.Records), {Number: &value}}})
	}
	for _, s := range d.Sections {
		for i := range s.Parts {
			for k := range s.Parts[i].Opens {
				o := &s.Parts[i].Opens[k]
				id := o.ID
				for j := range o.Rows {
					add(id, o, &o.Rows[j])
					id = ""
				}
				if o.Rest != nil {
					add(id, o, o.Rest)
				}
			}
		}
	}
	t.Align()
	return t, ids
}
