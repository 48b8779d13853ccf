package show

import (
	"archive/zip"
	"bytes"
	"errors"
	"io"
	"slices"
	"strings"
	"testing"

	"lastblock/core/format/parquet"
	"lastblock/core/record"

	"github.com/xuri/excelize/v2"
)

var cellsOfTest = []Cells{
	{Name: "zone", Kind: record.Text}, {Name: "account", Kind: record.Text},
	{Name: "debit", Kind: record.Amount, Scale: 3},
	{Name: "posted", Kind: record.Date}, {Name: "ok", Kind: record.Flag},
}

// write writes rows of texts; "" stays blank, and what is of its column's kind
// is told by kinds.
func write(t *testing.T, w RecordWriter, rows [][]string, kinds []record.Kind) {
	t.Helper()
	for _, row := range rows {
		texts := make([][]byte, len(row))
		for i, text := range row {
			texts[i] = []byte(text)
		}
		if err := w.Write(texts, kinds); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
}

func kindsOfTest() []record.Kind {
	var kinds []record.Kind
	for _, c := range cellsOfTest {
		kinds = append(kinds, c.Kind)
	}
	return kinds
}

var rowsOfTest = [][]string{
	{"=1+1", "00417", "1234.5", "2031-01-31", "true"},
	{"+cmd", "4006381333931", "-0.125", "", "false"},
	{"", "7", "12345678901234567.125", "2031-02-28", ""},
	{"é \"x\"", "00001", "1000000", "1969-12-31", "true"},
}

func TestWorkbook(t *testing.T) {
	var out bytes.Buffer
	w, err := newWorkbookWriter(&out, cellsOfTest, 4) // three records and a header to a sheet
	if err != nil {
		t.Fatal(err)
	}
	write(t, w, rowsOfTest, kindsOfTest())
	if sheet := partOf(t, out.Bytes(), "xl/worksheets/sheet1.xml"); !strings.Contains(sheet, `<dimension ref="A1:E4"`) {
		t.Error("a sheet does not state its size, by which some programs read it")
	}
	book, err := excelize.OpenReader(&out)
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	if sheets := book.GetSheetList(); !slices.Equal(sheets, []string{"Records", "Records 2"}) {
		t.Errorf("sheets are %q", sheets)
	}
	for cell, want := range map[string]struct {
		kind excelize.CellType
		text string
	}{
		"A1": {excelize.CellTypeSharedString, "zone"}, "A2": {excelize.CellTypeInlineString, "=1+1"},
		"B2": {excelize.CellTypeInlineString, "00417"},
		"C2": {excelize.CellTypeUnset, "1234.5"}, "D2": {excelize.CellTypeUnset, "47879"},
		"E2": {excelize.CellTypeBool, "1"},
		"A3": {excelize.CellTypeInlineString, "+cmd"}, "C3": {excelize.CellTypeUnset, "-0.125"},
		"D3": {excelize.CellTypeUnset, ""},
		"C4": {excelize.CellTypeInlineString, "12345678901234567.125"}, // which no number of a workbook can be
	} {
		kind, err := book.GetCellType("Records", cell)
		text, errText := book.GetCellValue("Records", cell, excelize.Options{RawCellValue: true})
		if formula, _ := book.GetCellFormula("Records", cell); errors.Join(err, errText) != nil || kind != want.kind ||
			strings.TrimSpace(text) != want.text || formula != "" {
			t.Errorf("%s is %v %q, formula %q, %v; want %v %q", cell, kind, text, formula, err, want.kind, want.text)
		}
	}
	if text, _ := book.GetCellValue("Records", "C2"); text != "1,234.500" {
		t.Errorf("an amount is shown as %q", text)
	}
	if text, _ := book.GetCellValue("Records", "D2"); text != "2031-01-31" {
		t.Errorf("a date is shown as %q", text)
	}
	if text, _ := book.GetCellValue("Records 2", "A1"); text != "zone" {
		t.Errorf("the second sheet begins with %q", text)
	}
	tables, err := book.GetTables("Records")
	if err != nil || len(tables) != 1 || tables[0].Range != "A1:E4" {
		t.Errorf("%v: tables are %+v", err, tables)
	}
	panes, err := book.GetPanes("Records")
	if err != nil || !panes.Freeze || panes.YSplit != 1 {
		t.Errorf("%v: panes are %+v", err, panes)
	}
	style, err := book.GetCellStyle("Records", "A1")
	if err != nil {
		t.Fatal(err)
	}
	if s, err := book.GetStyle(style); err != nil || s.Font == nil || !s.Font.Bold {
		t.Errorf("%v: the header is not bold", err)
	}
	if width, err := book.GetColWidth("Records", "B"); err != nil || width < 13 {
		t.Errorf("%v: a column of 13 digits is %v wide", err, width)
	}
}

// partOf reads a part of a workbook.
func partOf(t *testing.T, book []byte, name string) string {
	t.Helper()
	archive, err := zip.NewReader(bytes.NewReader(book), int64(len(book)))
	if err != nil {
		t.Fatal(err)
	}
	file, err := archive.Open(name)
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	text, err := io.ReadAll(file)
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}

func TestParquet(t *testing.T) {
	var out bytes.Buffer
	w, err := newParquetWriter(&out, cellsOfTest)
	if err != nil {
		t.Fatal(err)
	}
	write(t, w, rowsOfTest, kindsOfTest())
	r, err := parquet.Open(bytes.NewReader(out.Bytes()), int64(out.Len()))
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	if want := []string{"zone", "account", "debit", "posted", "ok"}; !slices.Equal(r.Head().Layout.Columns, want) {
		t.Errorf("columns are %q, want %q", r.Head().Layout.Columns, want)
	}
	var b record.Batch
	var rows parquet.Rows
	if err := r.Next(&b, &rows); err != nil {
		t.Fatal(err)
	}
	rows.Store(&b)
	rows.Compose(&b)
	want := [][]string{
		{"=1+1", "00417", "1234.500", "2031-01-31", "true"}, {"+cmd", "4006381333931", "-0.125", "", "false"},
		{"", "7", "12345678901234567.125", "2031-02-28", ""}, {"é \"x\"", "00001", "1000000.000", "1969-12-31", "true"},
	}
	var scratch []byte
	for row := range want {
		var got []string
		for column := range b.Width {
			got = append(got, string(b.Text(row, column, &scratch)))
		}
		if !slices.Equal(got, want[row]) {
			t.Errorf("row %d is %q, want %q", row, got, want[row])
		}
	}
	if err := r.Next(&b, &rows); !errors.Is(err, io.EOF) || !b.Last || b.Rows != 4 {
		t.Errorf("%v: %d rows", err, b.Rows)
	}
	if _, err := parquet.Open(bytes.NewReader(out.Bytes()[:out.Len()/2]), int64(out.Len()/2)); err == nil ||
		!strings.Contains(err.Error(), "cut off") {
		t.Errorf("half a file: %v", err)
	}
}

func TestParquetRefusesWhatItCannotHold(t *testing.T) {
	for _, c := range []struct{ debit, kind, want string }{
		{"1.2345", "amount", "more digits than a Parquet decimal of scale 3"},
		{strings.Repeat("9", 38), "amount", "more digits"},
		{"x", "text", "is no amount; say --as debit=text"},
	} {
		w, err := newParquetWriter(io.Discard, cellsOfTest[2:3])
		if err != nil {
			t.Fatal(err)
		}
		if err := w.Write([][]byte{[]byte(c.debit)}, []record.Kind{record.Kind(c.kind)}); err == nil ||
			!strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: error is %v", c.debit, err)
		}
	}
}

func TestFormatOf(t *testing.T) {
	for path, want := range map[string]string{
		"a.csv": "csv ", "a/b.TSV": "tsv ", "x.jsonl.gz": "jsonl gz", "x.json.zst": "json zst", "x.xlsx": "xlsx ",
		"x.parquet":    "parquet ",
		"x.parquet.gz": "", "x.ods": "", "x": "", "x.gz": "",
	} {
		format, packed, err := FormatOf("out", path)
		if got := string(format) + " " + packed; (err != nil) != (want == "") || err == nil && got != want {
			t.Errorf("%s is %q, %v", path, got, err)
		}
	}
}
