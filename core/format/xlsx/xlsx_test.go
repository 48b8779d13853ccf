package xlsx

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"testing"

	"lastblock/core/format/sheet"
)

// pack makes a workbook of its parts.
func pack(t testing.TB, parts map[string]string) []byte {
	t.Helper()
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for name, content := range parts {
		entry, err := w.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store})
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

// book makes a workbook of one sheet.
func book(t testing.TB, cells, texts, styles string) []byte {
	return pack(t, map[string]string{
		"xl/workbook.xml": `<workbook><sheets><sheet name="A" r:id="r1"/></sheets></workbook>`,
		"xl/_rels/workbook.xml.rels": `<Relationships><Relationship Id="r1" Type="x/worksheet" Target="sheet.xml"/>` +
			`<Relationship Id="r2" Type="x/sharedStrings" Target="texts.xml"/><Relationship Id="r3" Type="x/styles" Target="styles.xml"/></Relationships>`,
		"xl/sheet.xml": cells, "xl/texts.xml": texts, "xl/styles.xml": styles,
	})
}

// readAll reads the first sheet as lines of texts.
func readAll(data []byte, memory int64) (lines []string, err error) {
	b, err := Open(bytes.NewReader(data), int64(len(data)), memory, 1<<26)
	if err != nil {
		return nil, err
	}
	defer b.Close()
	if _, err := b.Tables(); err != nil {
		return nil, err
	}
	name := b.names[0]
	if _, err := b.HoldsData(name); err != nil {
		return nil, err
	}
	rows, err := b.Rows(name)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for {
		var row sheet.Row
		err := rows.Next(&row)
		if errors.Is(err, io.EOF) {
			_, err := rows.Merges(10)
			return lines, err
		}
		if err != nil {
			return lines, err
		}
		line := fmt.Sprint(row.Number, ":")
		for _, cell := range row.Cells {
			line += "|" + string(cell.Text)
		}
		lines = append(lines, line)
	}
}

func TestCells(t *testing.T) {
	data := book(
		t,
		`<worksheet><sheetData>
		<row r="2"><c r="B2" t="s"><v>1</v></c><c r="D2" t="inlineStr"><is><r><t>in</t></r><r><t>line</t></r><rPh><t>no</t></rPh></is></c></row>
		<row><c><v>1.2345600000000001E+3</v></c><c t="b"><v>1</v></c><c t="e"><v>#N/A</v></c><c t="str"><f>A1</f><v></v></c><c t="d"><v>2031-01-05</v></c></row>
		<row r="9" hidden="1"><c s="1"><v>47854</v></c><c s="2"><v>47854.5729166667</v></c><c s="3"><v>7</v></c><c s="4"><v>60</v></c><c s="5"><v>0.75</v></c><c s="1"><v>-1</v></c><c s="6"><v>12345</v></c></row>
		</sheetData></worksheet>`,
		`<sst><si><t>zero</t></si><si><t xml:space="preserve"> a_x000A_b </t></si></sst>`,
		`<styleSheet><numFmts><numFmt numFmtId="164" formatCode="yyyy\-mm\-dd\ hh:mm"/><numFmt numFmtId="165" formatCode="&quot;K&quot;0000;-0"/><numFmt numFmtId="166" formatCode="000\-00"/></numFmts>
		<cellXfs><xf numFmtId="0"/><xf numFmtId="14"/><xf numFmtId="164"/><xf numFmtId="165"/><xf numFmtId="15"/><xf numFmtId="20"/><xf numFmtId="166"/></cellXfs></styleSheet>`,
	)
	got, err := readAll(data, 1<<20)
	want := []string{"2:|| a\nb ||inline", "3:|1234.56|true|#N/A||2031-01-05",
		"9:|2031-01-06|2031-01-06 13:45:00|K0007|1900-02-28|18:00:00|-1|123-45"}
	if err != nil || strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("%v: rows are\n%s\nwant\n%s", err, strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
}

// What does not fit into memory is read from a file, and is the same.
func TestSharedTextsBeyondMemory(t *testing.T) {
	var texts, cells strings.Builder
	texts.WriteString("<sst>")
	cells.WriteString("<worksheet><sheetData>")
	const n = 5000
	for i := range n {
		fmt.Fprintf(&texts, "<si><t>text %d %s</t></si>", i, strings.Repeat("x", 600))
		fmt.Fprintf(&cells, `<row><c t="s"><v>%d</v></c></row>`, n-1-i)
	}
	texts.WriteString("</sst>")
	cells.WriteString("</sheetData></worksheet>")
	data := book(t, cells.String(), texts.String(), "<styleSheet/>")
	much, err := readAll(data, 1<<30)
	if err != nil {
		t.Fatal(err)
	}
	own := t.TempDir() // other packages' tests put their files into the usual one
	t.Setenv("TMPDIR", own)
	little, err := readAll(data, 1)
	if err != nil || strings.Join(much, "\n") != strings.Join(little, "\n") {
		t.Errorf("%v: %d rows and %d", err, len(much), len(little))
	}
	if !strings.HasPrefix(much[0], "1:|text 4999 ") || len(much) != n {
		t.Errorf("%d rows, the first is %.30s", len(much), much[0])
	}
	if left, err := os.ReadDir(own); err != nil || len(left) > 0 {
		t.Errorf("%v: %d files were left behind", err, len(left))
	}
}

func TestNumberFormats(t *testing.T) {
	for code, want := range map[string]format{
		"General": {}, "0": {}, "0.00": {}, "#,##0.00;[Red]-#,##0.00": {}, "00000": {digits: "00000"}, "0.00E+00": {},
		"@":          {},
		"dd/mm/yyyy": {date: true}, "mmm-yy": {date: true}, "h:mm": {time: true}, "[h]:mm:ss": {time: true},
		"mm:ss":                 {time: true},
		"[$-409]d\\-mmm\\-yy;@": {date: true}, "yyyy-mm-dd hh:mm": {date: true, time: true}, `"day "0`: {},
		`"x"000`: {digits: "x000"},
		"0%":     {ratio: true}, "0.0 %;-0.0 %": {ratio: true}, "# ?/?": {ratio: true}, `0" %"`: {},
		"_-* #,##0.00_-": {}, "[Red]General": {},
	} {
		if got := parseFormat(code); got != want {
			t.Errorf("%s is %+v, want %+v", code, got, want)
		}
	}
}

// The days of the 1900 calendar have a 29 February that never was, so that those before it are one
// more; in the 1904 calendar the day 0 is 1 January 1904.
func TestDaysAroundTheFirstOnes(t *testing.T) {
	for _, c := range []struct {
		serial string
		from   epoch
		want   string
	}{
		{"1", 0, "1900-01-01"}, {"59", 0, "1900-02-28"}, {"61", 0, "1900-03-01"}, {"47847", 0, "2030-12-30"},
		{"0", epoch1904, "1904-01-01"}, {"46385", epoch1904, "2030-12-30"},
	} {
		got, kind := format{date: true}.append(nil, []byte(c.serial), c.from)
		if string(got) != c.want || kind != sheet.DateCell {
			t.Errorf("day %s of %d is %s, want %s", c.serial, c.from, got, c.want)
		}
	}
}

func TestAWorkbookWithoutASheetOfCells(t *testing.T) {
	data := pack(t, map[string]string{"xl/workbook.xml": `<workbook><sheets></sheets></workbook>`})
	_, err := Open(bytes.NewReader(data), int64(len(data)), 1<<20, 1<<20)
	if err == nil || err.Error() != "this workbook has no sheet of cells" {
		t.Errorf("the error is %v", err)
	}
}

func FuzzSheet(f *testing.F) {
	f.Add(
		`<worksheet><cols><col min="1" max="2" hidden="1"/></cols><sheetData><row r="1"><c r="A1" s="1" t="s"><v>0</v></c></row></sheetData><mergeCells><mergeCell ref="A1:B1"/></mergeCells></worksheet>`,
		`<sst><si><r><t>a</t></r></si></sst>`,
		`<styleSheet><numFmts><numFmt numFmtId="164" formatCode="000"/></numFmts><cellXfs><xf numFmtId="164"/></cellXfs></styleSheet>`,
	)
	f.Add(`<row><c r="ZZ99999999"/></row>`, `<sst`, `<styleSheet>`)
	f.Add(`<c t="s"><v>-1</v></c>`, ``, `<a/>`)
	f.Fuzz(func(t *testing.T, cells, texts, styles string) {
		if _, err := readAll(book(t, cells, texts, styles), 1<<20); err != nil && err.Error() == "" {
			t.Error("an error that says nothing")
		}
	})
}

func FuzzFile(f *testing.F) {
	for _, name := range []string{"openpyxl.xlsx", "epoch1904.xlsx"} {
		data, err := os.ReadFile("../../source/testdata/" + name)
		if err != nil {
			f.Fatal(err)
		}
		f.Add(data)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		if _, err := readAll(data, 1<<20); err != nil && err.Error() == "" {
			t.Error("an error that says nothing")
		}
	})
}

// Any byte of a sheet that is another one is found by the checksum of its part, also where all of it can be read.
func TestADamagedSheetIsNotRead(t *testing.T) {
	whole := book(t, `<worksheet><sheetData><row r="1"><c r="A1"><v>2.5</v></c><c r="B1"><v>4</v></c></row></sheetData>`+
		`<mergeCells><mergeCell ref="A3:A4"/></mergeCells></worksheet>`, "<sst/>", "<styleSheet/>")
	if lines, err := readAll(whole, 1<<20); err != nil || fmt.Sprint(lines) != "[1:|2.5|4]" {
		t.Fatalf("%v: it reads %q", err, lines)
	}
	for _, c := range []struct{ was, is string }{{"<v>2.5", "<v>9.5"}, {"<v>4", "<v>5"}, {`"A3:A4"`, `"A3:A5"`}} {
		damaged := bytes.Replace(whole, []byte(c.was), []byte(c.is), 1)
		if lines, err := readAll(damaged, 1<<20); err == nil || !strings.Contains(err.Error(), "damaged") {
			t.Errorf("%s in place of %s: %v, and %q", c.is, c.was, err, lines)
		}
	}
}
