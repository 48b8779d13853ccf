package overlay

import (
	"bytes"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"lastblock/core/finding"
	"lastblock/core/format/sheet"
	"lastblock/core/source"
	"lastblock/internal/sourcetest"

	"github.com/xuri/excelize/v2"
)

// What a workbook holds is told by its kind.
func TestCellsOfWorkbooks(t *testing.T) {
	form := func(fill func(book *excelize.File)) string {
		book := excelize.NewFile()
		for i, row := range [][]any{{"Line", "Q1", "Q2"}, {"Wages", 1, 2}, {"Rent", 3, 4}, {"Energy", 5, 6}} {
			if err := book.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row); err != nil {
				t.Fatal(err)
			}
		}
		fill(book)
		var out bytes.Buffer
		if err := book.Write(&out); err != nil {
			t.Fatal(err)
		}
		return out.String()
	}
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	style := func(book *excelize.File, cell, format string) {
		id, err := book.NewStyle(&excelize.Style{CustomNumFmt: &format})
		must(err)
		must(book.SetCellStyle("Sheet1", cell, cell, id))
	}
	plain := form(func(*excelize.File) {})
	for _, c := range []struct {
		rule string
		fill func(book *excelize.File)
		want string // of the second row of the result
		kind finding.Kind
		says string
	}{
		{"a number typed as text", func(b *excelize.File) { must(b.SetCellStr("Sheet1", "B3", "3")) }, "Rent 3 8",
			finding.BadValue,
			`B3 ("Rent", "Q1") holds the text "3", a number typed as text`},
		{"a formula without a result", func(b *excelize.File) {
			must(b.SetCellDefault("Sheet1", "B3", ""))
			must(b.SetCellFormula("Sheet1", "B3", "B2*3"))
		}, "Rent 3 8", finding.BadValue, "a formula without a stored result"},
		{"a date", func(b *excelize.File) {
			must(b.SetCellValue("Sheet1", "B3",
				time.Date(2031, 3, 4, 0, 0, 0, 0, time.UTC)))
		}, "Rent 3 8",
			finding.BadValue, "the date 2031-03-04"},
		{"true", func(b *excelize.File) { must(b.SetCellBool("Sheet1", "B3", true)) }, "Rent 3 8", finding.BadValue,
			"true or false"},
		{"a percentage by its format", func(b *excelize.File) { style(b, "B3", "0.0%") }, "Rent 3 8", finding.NotAdded,
			`row "Rent"`},
		{"a fraction by its format", func(b *excelize.File) { style(b, "B3", "# ?/?") }, "Rent 3 8", finding.NotAdded,
			`row "Rent"`},
		{"a hidden row counts", func(b *excelize.File) { must(b.SetRowVisible("Sheet1", 3, false)) }, "Rent 6 8",
			finding.HiddenCells, "1 row"},
		{"a hidden column counts", func(b *excelize.File) { must(b.SetColVisible("Sheet1", "C", false)) }, "Rent 6 8",
			finding.HiddenCells,
			"column C"},
		{"a merged figure counts once", func(b *excelize.File) {
			must(b.MergeCell("Sheet1", "B3", "C3"))
		}, "Rent 6 4", finding.BadValue, ""},
	} {
		t.Run(c.rule, func(t *testing.T) {
			r := overlayOf(t, sourcetest.Set(t, "", map[string]string{"a.xlsx": plain, "b.xlsx": form(c.fill)}),
				Options{})
			if got := strings.Split(rows(r), "\n")[1]; got != c.want {
				t.Errorf("it comes to %s, want %s", got, c.want)
			}
			if got := said(r, c.kind); c.says == "" && got != "" || !strings.Contains(got, c.says) {
				t.Errorf("it says %q, want %q", got, c.says)
			}
		})
	}
	locked := "\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + strings.Repeat("\x00", 600) +
		"E\x00n\x00c\x00r\x00y\x00p\x00t\x00e\x00d\x00P\x00a\x00c\x00k\x00a\x00g\x00e\x00"
	set := sourcetest.Set(t, "", map[string]string{"a.xlsx": plain, "b.xlsx": plain, "c.xlsx": locked})
	r := overlayOf(t, set, Options{})
	if got := said(r, finding.ProtectedFile); !strings.HasPrefix(got, "c.xlsx: the file is protected by a password") ||
		strings.Split(rows(r), "\n")[0] != "Wages 2 4" {
		t.Errorf("of a protected file it says %q, and it comes to %s", got, rows(r))
	}
	if got := said(r, finding.SameFile); !strings.Contains(got,
		"b.xlsx holds the same bytes; 6 figures of 21 in all are counted twice") {
		t.Errorf("of a form that was sent twice it says %q", got)
	}
}

// A merged heading is the label of all columns below it.
func TestAMergedHeading(t *testing.T) {
	form := func(figures ...any) string {
		book := excelize.NewFile()
		for i, row := range [][]any{{"", "Half 1", "", "Half 2", ""}, append([]any{"Wages"}, figures...)} {
			if err := book.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row); err != nil {
				t.Fatal(err)
			}
		}
		if err := errors.Join(book.MergeCell("Sheet1", "B1", "C1"), book.MergeCell("Sheet1", "D1", "E1")); err != nil {
			t.Fatal(err)
		}
		var out bytes.Buffer
		if err := book.Write(&out); err != nil {
			t.Fatal(err)
		}
		return out.String()
	}
	area := sheet.Area{FirstRow: 2, LastRow: 2, FirstColumn: 2, LastColumn: 5}
	set := sourcetest.Set(t, "", map[string]string{"a.xlsx": form(1, 2, 3, 4), "b.xlsx": form(10, 20, 30, 40)})
	r := overlayOf(t, set, Options{Areas: []sheet.Area{area}})
	var labels []string
	for i := range r.Blocks[0].Columns {
		labels = append(labels, r.Blocks[0].Columns[i].Name())
	}
	if got := strings.Join(labels, ","); got != "Half 1,Half 1,Half 2,Half 2" || rows(r) != "Wages 11 22 33 44" {
		t.Errorf("the columns are called %s, and it comes to %s", got, rows(r))
	}
}

// A cell far away from all others makes no area of all between, nor does a merged area without an end.
func TestFormsWithoutAnEnd(t *testing.T) {
	book := excelize.NewFile()
	set := func(cell string, value any) {
		t.Helper()
		if err := book.SetCellValue("Sheet1", cell, value); err != nil {
			t.Fatal(err)
		}
	}
	set("A1", "Line")
	set("B1", "Q1")
	set("A2", "Wages")
	set("B2", 1)
	if err := book.MergeCell("Sheet1", "A2", "A90000"); err != nil {
		t.Fatal(err)
	}
	write := func() string {
		t.Helper()
		var out bytes.Buffer
		if err := book.Write(&out); err != nil {
			t.Fatal(err)
		}
		return out.String()
	}
	r := overlayOf(t, sourcetest.Set(t, "", map[string]string{"a.xlsx": write()}), Options{})
	if got := rows(r); got != "Wages 1" {
		t.Errorf("it comes to %s", got)
	}
	if err := book.UnmergeCell("Sheet1", "A2", "A90000"); err != nil {
		t.Fatal(err)
	}
	set("A90000", "Far")
	set("XFD1", "away")
	set("XFD90000", 7)
	far := sourcetest.Set(t, "", map[string]string{"a.xlsx": write()})
	for _, o := range []Options{{}, {Areas: []sheet.Area{{FirstRow: 2, LastRow: 1 << 20, FirstColumn: 2,
		LastColumn: 1 << 14}}}} {
		_, err := Run(t.Context(), far, sourcetest.Reading, o)
		var many *source.TooManyCellsError
		if !errors.As(err, &many) || !strings.HasPrefix(err.Error(), "a.xlsx: ") {
			t.Errorf("the error is %v", err)
		}
	}
	if r := overlayOf(t, far, Options{Labels: &Labels{Columns: []int{1}, Rows: []int{1}}}); r.Total.Used != 2 {
		t.Errorf("by label it uses %d cells", r.Total.Used)
	}
}
