package show

import (
	"bytes"
	"fmt"
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

// A blank that is told apart from nothing is an empty text.
func TestBlankCells(t *testing.T) {
	for _, blank := range []bool{false, true} {
		b := &sheetWriter{Sheet: Sheet{Columns: []Cells{{Name: "a", Kind: record.Text, Blank: blank}}}}
		for _, c := range []struct {
			text []byte
			want any
		}{{nil, nil}, {[]byte{}, map[bool]any{false: nil, true: ""}[blank]}, {[]byte("x"), "x"}} {
			if got, err := b.cell(0, c.text, record.Text); err != nil || got != c.want {
				t.Errorf("%q becomes %v, want %v: %v", c.text, got, c.want, err)
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
