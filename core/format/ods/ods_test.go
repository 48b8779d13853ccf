package ods

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"
	"sync/atomic"
	"testing"

	"lastblock/core/format/sheet"

	"golang.org/x/sync/errgroup"
)

// pack makes a document of its content.
func pack(t testing.TB, content string) []byte {
	t.Helper()
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	entry, err := w.CreateHeader(&zip.FileHeader{Name: "content.xml", Method: zip.Store})
	if err == nil {
		_, err = entry.Write([]byte(content))
	}
	if err = errors.Join(err, w.Close()); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

const most = 10_000 // rows that are read in tests

func readAll(data []byte) (lines []string, b *Book, err error) {
	b, err = Open(bytes.NewReader(data), int64(len(data)), 1<<26)
	if err != nil {
		return nil, nil, err
	}
	name := ""
	for name, err = range b.Sheets() {
		break
	}
	if err != nil {
		return nil, b, err
	}
	rows, err := b.Rows(name)
	if err != nil {
		return nil, b, err
	}
	defer rows.Close()
	for len(lines) < most {
		var row sheet.Row
		err := rows.Next(&row)
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return lines, b, err
		}
		line := fmt.Sprint(row.Number, ":")
		for _, cell := range row.Cells {
			line += "|" + string(cell.Text)
			if cell.Error {
				line += "!"
			}
		}
		lines = append(lines, line)
	}
	return lines, b, nil
}

// What a cell holds is told, and which cells are merged.
func TestKindsOfCells(t *testing.T) {
	data := pack(
		t,
		`<office:document-content><office:automatic-styles><number:number-style style:name="N1"><number:fraction/></number:number-style>
	<style:style style:name="ce1" style:family="table-cell" style:data-style-name="N1"/></office:automatic-styles><office:spreadsheet><table:table table:name="A">
	<table:table-row table:number-rows-repeated="2"><table:table-cell table:number-columns-repeated="3"/></table:table-row>
	<table:table-row><table:table-cell office:value-type="string" table:number-columns-spanned="2" table:number-rows-spanned="3"><text:p>Half</text:p></table:table-cell><table:covered-table-cell/>
	<table:table-cell office:value-type="float" office:value="7"><text:p>7</text:p></table:table-cell>
	<table:table-cell office:value-type="percentage" office:value="0.5"><text:p>50%</text:p></table:table-cell>
	<table:table-cell table:style-name="ce1" office:value-type="float" office:value="0.25"><text:p>1/4</text:p></table:table-cell>
	<table:table-cell office:value-type="date" office:date-value="2031-01-05"><text:p>x</text:p></table:table-cell>
	<table:table-cell office:value-type="boolean" office:boolean-value="true"><text:p>x</text:p></table:table-cell>
	<table:table-cell office:value-type="float" office:value="417"><text:p>00417</text:p></table:table-cell></table:table-row>
	</table:table></office:spreadsheet></office:document-content>`,
	)
	b, err := Open(bytes.NewReader(data), int64(len(data)), 1<<26)
	if err != nil {
		t.Fatal(err)
	}
	rows, err := b.Rows("A")
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	var row sheet.Row
	if err := rows.Next(&row); err != nil {
		t.Fatal(err)
	}
	want := []sheet.Cell{{}, {}, {Kind: sheet.NumberCell}, {Kind: sheet.NumberCell, Ratio: true},
		{Kind: sheet.NumberCell, Ratio: true}, {Kind: sheet.DateCell}, {Kind: sheet.FlagCell}, {Kind: sheet.TextCell}}
	for i := range want {
		if c := row.Cells[i]; c.Kind != want[i].Kind || c.Ratio != want[i].Ratio || c.Error {
			t.Errorf("cell %d is %+v, want %+v", i+1, c, want[i])
		}
	}
	if err := rows.Next(&row); !errors.Is(err, io.EOF) {
		t.Fatal(err)
	}
	merged, err := rows.Merged()
	area := sheet.Area{FirstRow: 3, LastRow: 5, FirstColumn: 1, LastColumn: 2}
	if err != nil || len(merged) != 1 || merged[0] != area {
		t.Errorf("%v: merged are %+v, want %+v", err, merged, area)
	}
}

func TestCells(t *testing.T) {
	data := pack(
		t,
		`<office:document-content><office:automatic-styles><style:style style:name="ta2"><style:table-properties table:display="false"/></style:style></office:automatic-styles>
	<office:spreadsheet><table:table table:name="A" table:style-name="ta2"><table:table-column table:visibility="collapse" table:number-columns-repeated="2"/>
	<table:table-header-rows><table:table-row><table:table-cell office:value-type="string"><text:p>one<text:s text:c="2"/>two<text:line-break/>three</text:p><text:p>four</text:p><office:annotation><text:p>a comment</text:p></office:annotation></table:table-cell></table:table-row></table:table-header-rows>
	<table:table-row table:number-rows-repeated="1048000"><table:table-cell table:number-columns-repeated="16384"/></table:table-row>
	<table:table-row table:visibility="filter"><table:table-cell table:number-columns-repeated="2"/><table:table-cell office:value-type="float" office:value="417"><text:p>00417</text:p></table:table-cell><table:table-cell office:value-type="percentage" office:value="0.125"><text:p>12.5%</text:p></table:table-cell>
	<table:table-cell office:value-type="date" office:date-value="2031-01-05T13:45:00.000"><text:p>5.1.</text:p></table:table-cell><table:table-cell office:value-type="time" office:time-value="PT27H05M00S"><text:p>x</text:p></table:table-cell><table:table-cell office:value-type="boolean" office:boolean-value="true"><text:p>WAHR</text:p></table:table-cell>
	<table:table-cell office:value-type="string" calcext:value-type="error" table:formula="of:=1/0"><text:p>#DIV/0!</text:p></table:table-cell><table:table-cell table:number-columns-repeated="1000"/></table:table-row>
	</table:table><table:table table:name="B"><table:table-row><table:table-cell/></table:table-row></table:table>
	<table:named-expressions><table:named-range table:name="part" table:cell-range-address="$A.$A$1:.$B$9"/></table:named-expressions></office:spreadsheet></office:document-content>`,
	)
	got, b, err := readAll(data)
	want := []string{"1:|one  two\nthree\nfour", "1048002:|||00417|0.125|2031-01-05 13:45:00|27:05:00|true|#DIV/0!!"}
	if err != nil || strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("%v: rows are\n%s\nwant\n%s", err, strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	if filled, _ := b.HoldsData("B"); filled {
		t.Error("a blank sheet holds data")
	}
	if tables, _ := b.Tables(); len(tables) != 1 || tables[0].Sheet != "A" || tables[0].LastRow != 9 ||
		tables[0].LastColumn != 2 {
		t.Errorf("tables are %+v", tables)
	}
	rows, err := b.Rows("A")
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	if err := rows.Next(new(sheet.Row)); err != nil || rows.Hidden() != "the sheet itself, columns A to B" {
		t.Errorf("%v: hidden is %q", err, rows.Hidden())
	}
}

// A small file may say that a row stands again a million times; that costs
// nobody memory, and one that would be no sheet is refused.
func TestRepetitionsAreBounded(t *testing.T) {
	row := func(rows, cells int) []byte {
		return pack(
			t,
			fmt.Sprintf(
				`<a><table:table table:name="A"><table:table-row table:number-rows-repeated="%d"><table:table-cell office:value-type="string" table:number-columns-repeated="%d"><text:p>x</text:p></table:table-cell></table:table-row></table:table></a>`,
				rows,
				cells,
			),
		)
	}
	if got, _, err := readAll(row(1_000_000, 2)); err != nil || len(got) != most ||
		got[most-1] != fmt.Sprintf("%d:|x|x", most) {
		t.Errorf("%v: %d rows", err, len(got))
	}
	for _, c := range [][2]int{{1, 20_000}, {1_000_000, 10_000}, {2_000_000, 100}} {
		if _, _, err := readAll(row(c[0], c[1])); !errors.Is(err, sheet.ErrNoRow) {
			t.Errorf("%v: error is %v", c, err)
		}
	}
}

func FuzzContent(f *testing.F) {
	f.Add(
		`<a><table:table table:name="A"><table:table-row table:number-rows-repeated="3"><table:table-cell office:value-type="float" office:value="1E5"><text:p>1</text:p></table:table-cell></table:table-row></table:table></a>`,
	)
	f.Add(
		`<table:table table:name="A"><table:covered-table-cell table:number-columns-repeated="-1"/><text:p><text:s text:c="999999999"/>`,
	)
	f.Fuzz(func(t *testing.T, content string) {
		if _, _, err := readAll(pack(t, content)); err != nil && err.Error() == "" {
			t.Error("an error that says nothing")
		}
	})
}

func TestDocumentsThatAreNoOpenSpreadsheets(t *testing.T) {
	for _, c := range []struct {
		parts map[string]string
		want  string
	}{
		{map[string]string{"content.xml": "x",
			"META-INF/manifest.xml": `<manifest:encryption-data manifest:checksum="x"/>`}, "protected by a password"},
		{map[string]string{"content.xml": "<a/>", "mimetype": "application/vnd.oasis.opendocument.text"},
			"is no spreadsheet but application/vnd.oasis.opendocument.text"},
		{map[string]string{"content.xml": "<a/>"}, "has no sheet"},
		{map[string]string{"other.xml": "<a/>"}, "cut off"},
	} {
		var out bytes.Buffer
		w := zip.NewWriter(&out)
		for name, content := range c.parts {
			entry, err := w.Create(name)
			if err == nil {
				_, err = entry.Write([]byte(content))
			}
			if err != nil {
				t.Fatal(err)
			}
		}
		if err := w.Close(); err != nil {
			t.Fatal(err)
		}
		if _, _, err := readAll(out.Bytes()); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%v: error is %v, want one that says %q", c.parts, err, c.want)
		}
	}
}

func TestMergesOfTheRightSheet(t *testing.T) {
	merged := `<table:table-row><table:table-cell/><table:table-cell table:number-columns-spanned="3"/></table:table-row>`
	data := pack(t, `<a><table:table table:name="A"><table:table-row table:number-rows-repeated="2"/>`+merged+
		`</table:table><table:table table:name="B">`+merged+merged+`</table:table></a>`)
	b, err := Open(bytes.NewReader(data), int64(len(data)), 1<<26)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		sheet string
		rows  int
		want  string
	}{
		{"A", 5, "[{3 2 4}]"}, {"A", 2, "[]"}, {"B", 1, "[{1 2 4}]"}, {"B", 2, "[{1 2 4} {2 2 4}]"},
	} {
		rows, err := b.Rows(c.sheet)
		if err != nil {
			t.Fatal(err)
		}
		if err := rows.Next(new(sheet.Row)); !errors.Is(err, io.EOF) {
			t.Fatalf("a blank sheet: %v", err)
		}
		if got, err := rows.Merges(c.rows); err != nil || fmt.Sprint(got) != c.want {
			t.Errorf("%s, %d rows: %v, %v, want %s", c.sheet, c.rows, got, err, c.want)
		}
		rows.Close()
	}
	if _, err := b.Rows("C"); err == nil || !strings.Contains(err.Error(), `no sheet "C"`) {
		t.Errorf("a sheet that is not there: %v", err)
	}
}

func TestDurationsAndDates(t *testing.T) {
	for value, want := range map[string]string{
		"PT36H05M07S": "36:05:07", "PT36H5M7S": "36:05:07", "P1DT2H": "26:00:00", "PT95M": "01:35:00",
		"PT90S":    "00:01:30",
		"-PT1H30M": "-01:30:00", "PT0.4S": "00:00:00", "PT59.5S": "00:01:00", "P2D": "48:00:00",
		"PT": "PT", "P": "P", "x": "x", "PT1X": "PT1X", "P1MT2H": "P1MT2H", "PT1e30H": "PT1e30H",
	} {
		if got := string(appendDuration(nil, value)); got != want {
			t.Errorf("duration %s is %s, want %s", value, got, want)
		}
	}
	for value, want := range map[string]string{
		"2031-01-05": "2031-01-05", "2031-01-05T00:00:00": "2031-01-05", "2031-01-05T13:45:06": "2031-01-05 13:45:06",
		"2031-01-05T23:59:59.500000000": "2031-01-06", "2031-01-05T23:59:59.4": "2031-01-05 23:59:59",
		"2031-02-30T00:00:01": "2031-02-30 00:00:01",
	} {
		if got := string(appendDate(nil, value)); got != want {
			t.Errorf("date %s is %s, want %s", value, got, want)
		}
	}
}

// A cell without a style of its own has that of its row, else that of its column, and a
// style without a format that of its parent.
func TestStylesOfCells(t *testing.T) {
	cell := func(style string) string {
		return `<table:table-cell ` + style +
			` office:value-type="float" office:value="417"><text:p>-</text:p></table:table-cell>`
	}
	five := func(style string) string {
		return strings.Replace(cell(`table:style-name="`+style+`"`), `"417"`, `"5"`, 1)
	}
	data := pack(t, `<a><office:automatic-styles>
	<number:number-style style:name="N1"><number:text>K-</number:text><number:number number:decimal-places="0" number:min-integer-digits="5"/></number:number-style>
	<number:number-style style:name="N2"><number:number number:decimal-places="0" number:min-integer-digits="5"><number:embedded-text number:position="2">/</number:embedded-text></number:number></number:number-style>
	<number:number-style style:name="N5"><number:number number:decimal-places="0" number:min-integer-digits="2"/></number:number-style>
	<number:number-style style:name="N6"><number:number number:decimal-places="0" number:min-integer-digits="1"/></number:number-style>
	<style:style style:name="two" style:family="table-cell" style:data-style-name="N5"/><style:style style:name="one" style:family="table-cell" style:data-style-name="N6"/>
	<number:number-style style:name="N3"><number:number number:decimal-places="2" number:min-integer-digits="5"/></number:number-style>
	<number:number-style style:name="N4"><number:number number:decimal-places="0" number:min-integer-digits="5" number:grouping="true"/></number:number-style>
	<style:style style:name="first" style:family="table-cell" style:data-style-name="N1"/><style:style style:name="child" style:family="table-cell" style:parent-style-name="first"/>
	<style:style style:name="second" style:family="table-cell" style:data-style-name="N2"/>
	<style:style style:name="decimals" style:family="table-cell" style:data-style-name="N3"/><style:style style:name="grouped" style:family="table-cell" style:data-style-name="N4"/>
	<style:style style:name="circle" style:family="table-cell" style:parent-style-name="circle"/></office:automatic-styles>
	<table:table table:name="A"><table:table-column table:default-cell-style-name="first"/><table:table-column table:number-columns-repeated="2"/><table:table-column table:default-cell-style-name="second"/>
	<table:table-row>`+cell("")+cell("")+cell(`table:style-name="child"`)+cell("")+`</table:table-row>
	<table:table-row table:default-cell-style-name="second">`+cell("")+cell(`table:style-name="first"`)+`</table:table-row>
	<table:table-row>`+cell(`table:style-name="decimals"`)+cell(`table:style-name="grouped"`)+cell(`table:style-name="circle"`)+`<table:table-cell table:formula="of:=1+1"/></table:table-row>
	<table:table-row>`+five("two")+five("one")+`</table:table-row></table:table></a>`)
	got, _, err := readAll(data)
	want := []string{"1:|K-00417|417|K-00417|004/17", "2:|004/17|K-00417",
		"3:|417|417|417|a formula without its result!", "4:|05|5"}
	if err != nil || strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("%v: rows are\n%s\nwant\n%s", err, strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
}

// countingReader counts what is read.
type countingReader struct {
	io.ReaderAt
	bytes atomic.Int64
}

func (r *countingReader) ReadAt(p []byte, at int64) (int, error) {
	n, err := r.ReaderAt.ReadAt(p, at)
	r.bytes.Add(int64(n))
	return n, err
}

// Sheets can be read in any order, partly, and at the same time. One after another they are read in one go.
func TestSheetsInAnyOrder(t *testing.T) {
	const sheets, rowsOfEach = 12, 2000
	var content strings.Builder
	content.WriteString(`<a><style:style style:name="ta1"><style:table-properties table:display="false"/></style:style>`)
	for i := range sheets {
		fmt.Fprintf(&content, `<table:table table:name="S%d" table:style-name="ta%d">`, i, i%2)
		for k := range rowsOfEach {
			fmt.Fprintf(&content, `<table:table-row><table:table-cell office:value-type="string"><text:p>%d of %d</text:p>`+
				`</table:table-cell></table:table-row>`, k+1, i)
		}
		content.WriteString(`</table:table>`)
	}
	data := pack(t, content.String()+"</a>")
	// check reads the first rows of a sheet.
	check := func(b *Book, i, n int) error {
		rows, err := b.Rows(fmt.Sprint("S", i))
		if err != nil {
			return err
		}
		defer rows.Close()
		for k := range n {
			var row sheet.Row
			err := rows.Next(&row)
			want := fmt.Sprintf("%d of %d", k+1, i)
			if err != nil || row.Number != k+1 || string(row.Cells[0].Text) != want {
				return fmt.Errorf("sheet %d, row %d is %+v, want %s: %w", i, k+1, row, want, err)
			}
		}
		if hidden := rows.Hidden() != ""; hidden != (i%2 == 1) {
			return fmt.Errorf("sheet %d: hidden is %q", i, rows.Hidden())
		}
		if err := rows.Next(new(sheet.Row)); n == rowsOfEach && !errors.Is(err, io.EOF) {
			return fmt.Errorf("sheet %d ends with %w", i, err)
		}
		return nil
	}
	open := func() (*Book, *countingReader) {
		file := &countingReader{ReaderAt: bytes.NewReader(data)}
		b, err := Open(file, int64(len(data)), 1<<26)
		if err != nil {
			t.Fatal(err)
		}
		return b, file
	}
	for _, order := range [][]int{
		{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11}, {11, 10, 9, 8, 7, 6, 5, 4, 3, 2, 1, 0},
		{3, 7, 11, 1, 0, 6, 5, 2, 4, 10, 9, 8}, {0, 0, 0, 11, 11, 5, 11, 4},
	} {
		b, file := open()
		for at, i := range order {
			if err := check(b, i, []int{rowsOfEach, 3, 0}[at%3]); err != nil {
				t.Fatalf("%v: %v", order, err)
			}
		}
		read := file.bytes.Load()
		if _, err := b.Rows("S12"); err == nil || !strings.Contains(err.Error(), `no sheet "S12"`) {
			t.Errorf("a sheet that is not there: %v", err)
		}
		if b.Close(); order[1] == 1 && read > int64(len(data))*5/4 {
			t.Errorf("%d bytes were read of %d, for one sheet after another", read, len(data))
		}
	}
	b, _ := open()
	defer b.Close()
	var group errgroup.Group
	var next atomic.Int64
	for range 3 {
		group.Go(func() error {
			for i := int(next.Add(1)) - 1; i < sheets; i = int(next.Add(1)) - 1 {
				if err := check(b, i, rowsOfEach); err != nil {
					return err
				}
			}
			return nil
		})
	}
	if err := group.Wait(); err != nil {
		t.Error(err)
	}
}
