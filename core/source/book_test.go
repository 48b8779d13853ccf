package source

import (
	"archive/zip"
	"bytes"
	"fmt"
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
