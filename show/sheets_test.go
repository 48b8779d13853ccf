package show

import (
	"bytes"
	"compress/flate"
	"fmt"
	"hash/crc32"
	"io"
	"math/rand/v2"
	"os"
	"strings"
	"testing"

	"lastblock/core/record"

	"github.com/xuri/excelize/v2"
)

// Records go to the sheets that they are for, whichever order they come in; a sheet that
// is full goes on in another one, and one without records has its header.
func TestSheetWriter(t *testing.T) {
	var out bytes.Buffer
	columns := []Cells{{Name: "code", Kind: record.Text}, {Name: "amount", Kind: record.Amount, Scale: 2},
		{Name: "day", Kind: record.Date}}
	w, err := newSheetWriter(&out, []Sheet{{"Statement", columns[:2]}, {"only-here", columns}, {"agrees", columns}}, 4)
	if err != nil {
		t.Fatal(err)
	}
	kinds := []record.Kind{record.Text, record.Amount, record.Date}
	for i := range 7 {
		if err := w.Write(2, [][]byte{fmt.Appendf(nil, "%03d", i), fmt.Appendf(nil, "%d.50", i), []byte("2031-01-31")},
			kinds); err != nil {
			t.Fatal(err)
		}
		if i < 2 {
			if err := w.Write(0, [][]byte{[]byte("=1+1"), []byte("-3")}, kinds[:2]); err != nil {
				t.Fatal(err)
			}
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	book, err := excelize.OpenReader(&out)
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	want := map[string]string{
		"Statement": "code amount|=1+1 -3|=1+1 -3",
		"only-here": "code amount day",
		"agrees":    "code amount day|000 0.5 47879|001 1.5 47879|002 2.5 47879",
		"agrees 2":  "code amount day|003 3.5 47879|004 4.5 47879|005 5.5 47879",
		"agrees 3":  "code amount day|006 6.5 47879",
	}
	if len(book.GetSheetList()) != len(want) {
		t.Errorf("the sheets are %v", book.GetSheetList())
	}
	for sheet, rows := range want {
		got, err := book.GetRows(sheet, excelize.Options{RawCellValue: true})
		if err != nil {
			t.Fatal(err)
		}
		var lines []string
		for _, row := range got {
			lines = append(lines, strings.Join(row, " "))
		}
		if strings.Join(lines, "|") != rows {
			t.Errorf("%s holds %s, want %s", sheet, strings.Join(lines, "|"), rows)
		}
		if formula, err := book.GetCellFormula(sheet, "A2"); err != nil || formula != "" {
			t.Errorf("%s has the formula %q: %v", sheet, formula, err)
		}
		tables, err := book.GetTables(sheet)
		if err != nil || len(tables) != min(1, len(got)-1) {
			t.Errorf("%s has %d tables: %v", sheet, len(tables), err)
		}
	}
}

// A cell is what a workbook has for a value, and nothing where there is none.
func TestCells(t *testing.T) {
	inline := func(text string) string { return `<c r="B7" s="3" t="inlineStr"><is><t>` + text + `</t></is></c>` }
	number := func(text string) string { return `<c r="B7" s="3"><v>` + text + `</v></c>` }
	kept := func(text string) string {
		return strings.Replace(inline(text), "<t>", `<t xml:space="preserve">`, 1)
	}
	blank := "a blank"
	for _, c := range []struct {
		text, kind, want string
	}{
		{"x", "text", inline("x")},
		{"", "text", ""},
		{blank, "text", inline("")},
		{`<a & "b">`, "text", inline(`&lt;a &amp; "b"&gt;`)},
		{" x", "text", kept(" x")},
		{"a\nb", "text", kept("a\nb")},
		{"a\rb\x0b", "text", kept("a_x000D_b_x000B_")},
		{"_x000D_ and _xyz", "text", inline("_x005F_x000D_ and _xyz")},
		{"caf\xe9 \uffff", "text", inline("caf\ufffd _xFFFF_")},
		{"Zürich", "text", inline("Zürich")},
		{"12.50", "amount", number("12.5")},
		{"-0.00", "amount", number("0")},
		{"100", "amount", number("100")},
		{"-.5", "amount", number("-.5")},
		{"123456789012345", "amount", number("123456789012345")},
		{"1234567890123456", "amount", inline("1234567890123456")},
		{"1900-01-01", "date", number("1")},
		{"1900-02-28", "date", number("59")},
		{"1900-03-01", "date", number("61")},
		{"2031-01-31", "date", number("47879")},
		{"1899-12-31", "date", inline("1899-12-31")},
		{"2031-02-30", "date", inline("2031-02-30")},
		{"true", "flag", `<c r="B7" s="3" t="b"><v>1</v></c>`},
		{"false", "flag", `<c r="B7" s="3" t="b"><v>0</v></c>`},
	} {
		column := &cellColumn{letters: "B", style: "3"}
		text := []byte(c.text)
		switch {
		case c.text == blank:
			text, column.Blank = []byte{}, true
		case c.text == "":
			text = nil
		}
		if got := string(column.append(nil, []byte("7"), text, record.Kind(c.kind))); got != c.want {
			t.Errorf("%q as %s becomes\n%s\n%s", c.text, c.kind, got, c.want)
		}
	}
	if got := new(cellColumn).append(nil, nil, []byte{}, record.Text); got != nil {
		t.Errorf("a blank that is nothing becomes %s", got)
	}
}

// What is put together of pieces is what it would be in one: its checksum, and what it unpacks to.
func TestPieces(t *testing.T) {
	r := rand.New(rand.NewPCG(2031, 4))
	for range 50 {
		var all, packed, one bytes.Buffer
		sum, first := uint32(0), true
		for n := 1 + r.IntN(5); n > 0; n-- {
			piece := bytes.Repeat([]byte(fmt.Sprint(r.IntN(1000), ",")), r.IntN(3000))
			if err := pack(&one, piece, n == 1); err != nil {
				t.Fatal(err)
			}
			packed.Write(one.Bytes())
			all.Write(piece)
			if of := crc32.ChecksumIEEE(piece); first {
				sum, first = of, false
			} else {
				sum = joined(sum, of, uint64(len(piece)))
			}
		}
		unpacked, err := io.ReadAll(flate.NewReader(&packed))
		if err != nil || !bytes.Equal(unpacked, all.Bytes()) {
			t.Fatalf("%d bytes unpack to %d, error %v", all.Len(), len(unpacked), err)
		}
		if want := crc32.ChecksumIEEE(all.Bytes()); sum != want {
			t.Fatalf("the checksum is %08x, want %08x", sum, want)
		}
	}
}

// Sheets of many pieces, which are written in turn and do not fit into memory, are whole, and nothing is left of them.
func TestLargeSheets(t *testing.T) {
	temporary := t.TempDir()
	t.Setenv("TMPDIR", temporary)
	var out bytes.Buffer
	columns := []Cells{{Name: "document", Kind: record.Text}, {Name: "amount", Kind: record.Amount, Scale: 2}}
	w, err := newSheetWriter(&out, []Sheet{{"here", columns}, {"there", columns}}, 30_000)
	if err != nil {
		t.Fatal(err)
	}
	const rows = 50_000
	r := rand.New(rand.NewPCG(2031, 5))
	kinds := []record.Kind{record.Text, record.Amount}
	var documents [2][]string
	for i := range rows {
		document := fmt.Sprintf("%x", r.Uint64()) + strings.Repeat("<", i%2) + fmt.Sprintf("%x", r.Uint64())
		documents[i%2] = append(documents[i%2], document)
		if err := w.Write(i%2, [][]byte{[]byte(document), fmt.Appendf(nil, "%d.25", i)}, kinds); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	if left, err := os.ReadDir(temporary); err != nil || len(left) > 0 {
		t.Errorf("%v is left, %v", left, err)
	}
	book, err := excelize.OpenReader(&out)
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	for k, sheet := range []string{"here", "there"} {
		got, err := book.GetRows(sheet, excelize.Options{RawCellValue: true})
		if err != nil || len(got) != rows/2+1 {
			t.Fatalf("%s has %d rows: %v", sheet, len(got), err)
		}
		for i, row := range got[1:] {
			if row[0] != documents[k][i] || row[1] != fmt.Sprintf("%d.25", 2*i+k) {
				t.Fatalf("row %d of %s is %q", i+2, sheet, row)
			}
		}
	}
}

func TestTableNamesHaveLettersDigitsAndLinesBelow(t *testing.T) {
	for sheet, want := range map[string]string{"Records": "Records", "az AZ 09": "az_AZ_09", "only-here": "only_here",
		"@[`{/:": "______", "Zürich": "Z_rich"} {
		if got := tableName(sheet); got != want {
			t.Errorf("the table of %q is %q, want %q", sheet, got, want)
		}
	}
}
