package source

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
)

func TestWorkbookOfAnotherProgram(t *testing.T) {
	c := mustRead(t, "testdata/openpyxl.xlsx", Manner{Request: twoRows, Choice: Choice{Sheet: "Journal"}})
	want(t, "columns", c.head.Layout.Columns,
		[]string{"document", "account", "posted", "amount debit", "amount credit", "barcode"})
	want(t, "records", c.records, fiveRecords(6))
	want(t, "refused records", c.refused, []string{"11 amount debit a formula without its result",
		"12 amount debit #REF!"})
	want(t, "notes", c.notes, []string{"1 rows hidden"})
	if c.head.Hidden != "column F" || c.head.Above != 2 || c.head.Line != 4 {
		t.Errorf("hidden is %q, %d lines above line %d", c.head.Hidden, c.head.Above, c.head.Line)
	}
}

func TestChoiceOfSheetsAndTables(t *testing.T) {
	rates := []string{"3:|BRC|1.25", "4:|DUN|0.8"}
	for _, c := range []struct {
		choice  Choice
		records []string
		err     string
	}{
		{Choice{Sheet: "#2"}, rates, ""},
		{Choice{Sheet: "Rates & more"}, rates, ""},
		{Choice{Table: "rates"}, rates, ""},
		{Choice{Table: "first_rate"}, rates[:1], ""},
		{Choice{Sheet: "Empty"}, nil, ""},
		{Choice{}, nil, `2 sheets hold data; say which one with ⟨sheet⟩`},
		{Choice{Sheet: "Jurnal"}, nil, `did you mean "Journal"?`},
		{Choice{Sheet: "#4"}, nil, `there is no sheet #4`},
		{Choice{Table: "rate"}, nil, `did you mean "rates"?`},
	} {
		got, err := read("testdata/openpyxl.xlsx", Manner{Choice: c.choice})
		if c.err != "" {
			if err == nil || !strings.Contains(err.Error(), c.err) {
				t.Errorf("%+v: error is %v", c.choice, err)
			}
			continue
		}
		if err != nil {
			t.Fatal(err)
		}
		want(t, fmt.Sprintf("records of %+v", c.choice), got.records, c.records)
	}
	all := mustRead(t, "testdata/openpyxl.xlsx", Manner{Choice: Choice{Sheet: "*"}})
	var names []string
	for i := range all.set.Sources {
		names = append(names, all.set.Sources[i].Name+" "+all.set.Sources[i].Sheet())
	}
	want(t, "sources", names, []string{"openpyxl.xlsx/Journal Journal", "openpyxl.xlsx/Rates & more Rates & more"})
}

func TestWorkbookValues(t *testing.T) {
	c := mustRead(t, "testdata/xlsxwriter.xlsx", Manner{})
	records := fiveRecords(2)
	for i, more := range []string{"|00417|true", "|1E5|false", "|a\nb|true", `|"q",|false`, "| x |true"} {
		records[i] += more
	}
	want(t, "records", c.records, append(records, "8:|D6|||3|||ab|"))
	want(t, "records of 1904", mustRead(t, "testdata/epoch1904.xlsx", Manner{}).records,
		[]string{"2:|2031-01-03|1", "3:|1904-01-02|2"})
}

func TestOpenDocumentOfAnotherProgram(t *testing.T) {
	c := mustRead(t, "testdata/odfpy.ods", Manner{Request: twoRows})
	want(t, "columns", c.head.Layout.Columns,
		[]string{"document", "account", "posted", "amount debit", "amount credit", "barcode"})
	again := "|D6|00417|2031-12-31|7|7|1"
	want(t, "records", c.records, append(fiveRecords(6), "11:"+again, "12:"+again, "13:"+again))
	want(t, "refused records", c.refused, []string{"14 amount debit #DIV/0!"})
	if c.head.Hidden != "column D" {
		t.Errorf("hidden is %q", c.head.Hidden)
	}
}

func TestWorkbooksThatCannotBeRead(t *testing.T) {
	dir := t.TempDir()
	whole, err := os.ReadFile("testdata/openpyxl.xlsx")
	if err != nil {
		t.Fatal(err)
	}
	ods, err := os.ReadFile("testdata/odfpy.ods")
	if err != nil {
		t.Fatal(err)
	}
	old, err := os.ReadFile("testdata/xlwt.xls")
	if err != nil {
		t.Fatal(err)
	}
	locked := filepath.Join(dir, "locked.xlsx")
	if err := excelize.NewFile().SaveAs(locked, excelize.Options{Password: "a"}); err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		content []byte
		want    string
	}{
		"cut.xlsx":    {whole[:len(whole)/2], "cut off"},
		"cut.ods":     {ods[:len(ods)/2], "cut off"},
		"old.xls":     {old, "old binary kind (.xls); have it saved as .xlsx"},
		"named.xlsx":  {old, "old binary kind (.xls)"},
		"locked.xlsx": {nil, "protected by a password"},
		"some.xlsx":   {zipOf(t, map[string]string{"a.csv": "a\n1\n"}), "a zip file and no workbook"},
		"damaged.ods": {zipOf(t, map[string]string{"content.xml": "<office:body><table:table " +
			"table:name='a'><table:table-row>"}), "cut off"},
		"sheet.xlsx": {zipOf(t, map[string]string{
			"xl/workbook.xml":            `<workbook><sheets><sheet name="A" r:id="r1"/></sheets></workbook>`,
			"xl/_rels/workbook.xml.rels": `<Relationships><Relationship Id="r1" Type="x/worksheet" Target="sheet.xml"/></Relationships>`,
			"xl/sheet.xml":               `<worksheet><sheetData><row r="1"><c r="A1"><v>1</v></c></row><row r="2"><c`,
		}), "damaged"},
		"far.xlsx": {zipOf(t, map[string]string{
			"xl/workbook.xml":            `<workbook><sheets><sheet name="A" r:id="r1"/></sheets></workbook>`,
			"xl/_rels/workbook.xml.rels": `<Relationships><Relationship Id="r1" Type="x/worksheet" Target="sheet.xml"/></Relationships>`,
			"xl/sheet.xml":               `<worksheet><sheetData><row r="1"><c r="ZZZZ1"><v>1</v></c></row></sheetData></worksheet>`,
		}), "outside of the sheet"},
	} {
		path := filepath.Join(dir, name)
		if c.content != nil {
			if err := os.WriteFile(path, c.content, 0o644); err != nil {
				t.Fatal(err)
			}
		}
		if _, err := read(path, Manner{}); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: error is %v, want one that says %q", name, err, c.want)
		}
	}
}

// openDocumentSheets is the content of a document with such rows of one cell in each sheet.
func openDocumentSheets(sheets ...[]string) string {
	var content strings.Builder
	content.WriteString("<office:document-content><office:body><office:spreadsheet>")
	for i, rows := range sheets {
		fmt.Fprintf(&content, "<table:table table:name='S%d'>", i+1)
		for _, text := range rows {
			fmt.Fprintf(&content, "<table:table-row><table:table-cell office:value-type='string'><text:p>%s</text:p>"+
				"</table:table-cell></table:table-row>", text)
		}
		content.WriteString("</table:table>")
	}
	return content.String() + "</office:spreadsheet></office:body></office:document-content>"
}

// What stands behind a sheet of an OpenDocument file is known when that was read: whether it is the only one that holds
// data, and whether the file is whole. A covering sheet is not counted, wherever it stands.
func TestSheetsBehindTheOneThatIsRead(t *testing.T) {
	rows := []string{"account", "00417", "00418"}
	records := []string{"2:|00417", "3:|00418"}
	for _, c := range []struct {
		what    string
		content string
		choice  Choice
		err     string
	}{
		{"the last", openDocumentSheets(nil, nil, rows), Choice{}, ""},
		{"the first", openDocumentSheets(rows, nil, nil), Choice{}, ""},
		{"the second, by its name", openDocumentSheets(rows[:1], rows, rows), Choice{Sheet: "S2"}, ""},
		{"the third, by its number", openDocumentSheets(rows[:1], rows[:1], rows, rows), Choice{Sheet: "#3"}, ""},
		{"before the cover", openDocumentSheets(rows, rows[:1]), Choice{Cover: "s2"}, ""},
		{"behind the cover", openDocumentSheets(rows[:1], nil, rows), Choice{Cover: "s1"}, ""},
		{"one of two", openDocumentSheets(nil, rows, nil, rows), Choice{},
			"2 sheets hold data; say which one with ⟨sheet⟩, or read all with ⟨sheet⟩ '*'\nthere is: \"S2\", \"S4\""},
		{"a cover beside two", openDocumentSheets(rows, rows, rows), Choice{Cover: "S2"}, "there is: \"S1\", \"S3\""},
		{"cut off", strings.TrimSuffix(openDocumentSheets(rows, rows), "</office:document-content>"),
			Choice{Sheet: "S1"}, "cut off"},
		{"another name", openDocumentSheets(rows, nil), Choice{Sheet: "S3"}, "there is: \"S1\", \"S2\""},
		{"without sheets", openDocumentSheets(), Choice{}, "has no sheet"},
	} {
		path := filepath.Join(t.TempDir(), "a.ods")
		if err := os.WriteFile(path, zipOf(t, map[string]string{"content.xml": c.content}), 0o644); err != nil {
			t.Fatal(err)
		}
		got, err := read(path, Manner{Choice: c.choice})
		switch {
		case c.err == "" && err != nil:
			t.Errorf("%s: %v", c.what, err)
		case c.err != "" && (err == nil || !strings.Contains(err.Error(), c.err)):
			t.Errorf("%s: error is %v, want one that says %q", c.what, err, c.err)
		case c.err == "":
			want(t, "records of "+c.what, got.records, records)
		}
		set, err := Find(context.Background(), Search{Paths: []string{path}, Manner: &Manner{Choice: c.choice}})
		if err == nil { // and the same where it is read by its cells
			err = set.ReadCells(context.Background(), Reading{Jobs: 1, Memory: 1 << 26}, func() func(*Cells) error {
				return func(*Cells) error { return nil }
			})
		}
		if c.err == "" != (err == nil) || err != nil && !strings.Contains(err.Error(), c.err) {
			t.Errorf("%s, by its cells: error is %v, want %q", c.what, err, c.err)
		}
	}
}

// countingFile counts what is read of it.
type countingFile struct {
	*bytes.Reader
	read int64
}

func (f *countingFile) ReadAt(p []byte, at int64) (int, error) {
	n, err := f.Reader.ReadAt(p, at)
	f.read += int64(n)
	return n, err
}

// An OpenDocument file is read once, however the sheet is chosen that is read.
func TestOpenDocumentIsReadOnce(t *testing.T) {
	rows := []string{"account"}
	for i := range 50_000 {
		rows = append(rows, fmt.Sprintf("%x", sha256.Sum256([]byte{byte(i), byte(i >> 8)})))
	}
	whole := zipOf(t, map[string]string{"content.xml": openDocumentSheets(nil, rows, nil)})
	for _, choice := range []Choice{{}, {Sheet: "S2"}} {
		file := &countingFile{Reader: bytes.NewReader(whole)}
		d := &document{ReaderAt: file, Size: int64(len(whole))}
		parts, err := openDocument.parts(d, choice)
		if err != nil || len(parts) != 1 {
			t.Fatalf("%v: parts are %v", err, parts)
		}
		reader, err := openDocument.open(d, parts[0], &Manner{Choice: choice}, 1<<26)
		if err != nil {
			t.Fatal(err)
		}
		records := 0
		for err == nil {
			var s Stretch
			err = reader.Next(&s)
			records += s.Rows
		}
		reader.Close()
		if !errors.Is(err, io.EOF) || records != len(rows)-1 {
			t.Fatalf("%v: read %d records, want %d", err, records, len(rows)-1)
		}
		if most := int64(len(whole)) * 5 / 4; file.read > most { // its directory and its begin are read twice
			t.Errorf("%d bytes were read of %d with %+v", file.read, len(whole), choice)
		}
	}
}

func zipOf(t *testing.T, files map[string]string) []byte {
	t.Helper()
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for name, content := range files {
		entry, err := w.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := entry.Write([]byte(content)); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// Each row of these sheets, which an office program saved, says beside a value what is to
// be read, see testdata/make.py.
func TestWhatSheetsShow(t *testing.T) {
	for _, file := range []string{"office.xlsx", "office.ods"} {
		c := mustRead(t, "testdata/"+file, Manner{})
		if len(c.records) != 34 {
			t.Errorf("%s has %d records, want 34", file, len(c.records))
		}
		for _, record := range c.records {
			if parts := strings.Split(record, "|"); parts[2] != parts[3] {
				t.Errorf("%s, %s: read as %q, want %q", file, parts[1], parts[2], parts[3])
			}
		}
	}
}
