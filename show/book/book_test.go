package book

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"strings"
	"testing"

	"lastblock/core/month/pack"
	"lastblock/core/value/amount"
	"lastblock/internal/reporttest"
	"lastblock/show/report"

	"github.com/xuri/excelize/v2"
)

func written(t *testing.T, r *pack.Report) (*excelize.File, []byte) {
	t.Helper()
	var out bytes.Buffer
	if err := Write(&out, report.Lay(r, pack.Sections(), report.BookLimits)); err != nil {
		t.Fatal(err)
	}
	data := bytes.Clone(out.Bytes())
	f, err := excelize.OpenReader(&out)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { f.Close() })
	return f, data
}

func raw(t *testing.T, f *excelize.File, sheet, cell string) string {
	t.Helper()
	text, err := f.GetCellValue(sheet, cell, excelize.Options{RawCellValue: true})
	if err != nil {
		t.Fatal(err)
	}
	return text
}

// Each table has its sheet, with its title and what is said of it, headings that stay in sight and come again on each
// printed page, a filter, and a page that is one wide.
func TestSheets(t *testing.T) {
	f, data := written(t, reporttest.Report(3, 2, func(i int) string { return fmt.Sprint("unit", i) }))
	want := "Month end, Completeness, By entity, Summary by-account, Bridge, Control totals, Doubles, Findings, " +
		"Sources, Proof, Results, About, From sources"
	if got := strings.Join(f.GetSheetList(), ", "); got != want {
		t.Fatalf("sheets are %s, want %s", got, want)
	}
	titles := make(map[string]bool)
	for _, d := range f.GetDefinedName() {
		if d.Name == "_xlnm.Print_Titles" {
			titles[d.Scope] = strings.HasSuffix(d.RefersTo, "!$1:$3")
		}
	}
	for _, sheet := range f.GetSheetList() {
		layout, err := f.GetPageLayout(sheet)
		if err != nil {
			t.Fatal(err)
		}
		fit, err := f.GetSheetProps(sheet)
		if err != nil {
			t.Fatal(err)
		}
		if *layout.Orientation != "landscape" || *layout.FitToWidth != 1 || *layout.FitToHeight != 0 ||
			!*fit.FitToPage {
			t.Errorf("%s is printed as %+v", sheet, layout)
		}
		if sheet == "Doubles" {
			continue // nothing would be counted twice
		}
		panes, err := f.GetPanes(sheet)
		if err != nil {
			t.Fatal(err)
		}
		if !panes.Freeze || panes.YSplit != headRow || !titles[sheet] {
			t.Errorf("of %s panes are %+v, titles %v", sheet, panes, titles[sheet])
		}
	}
	if n := strings.Count(part(t, data, "xl/worksheets/sheet8.xml"), "<autoFilter ref=\"$A$3:$G$5\""); n != 1 {
		t.Errorf("the findings have %d filters", n)
	}
}

// part is a part of a workbook as it is written.
func part(t *testing.T, data []byte, name string) string {
	t.Helper()
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	file, err := z.Open(name)
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

// Figures are numbers, totals have names, and a figure leads to rows of sources that come to it.
func TestFiguresLeadToTheirSources(t *testing.T) {
	const entities = 5
	f, _ := written(t, reporttest.Report(entities, 0, func(i int) string { return fmt.Sprint("unit", i) }))
	const sheet = "Summary by-account"
	all := int64(0)
	for group := range reporttest.Groups {
		want := int64(0)
		for i := range entities {
			want += reporttest.Gave(i, group)
		}
		all += want
		cell := fmt.Sprintf("B%d", headRow+1+group)
		kind, err := f.GetCellType(sheet, cell)
		if err != nil {
			t.Fatal(err)
		}
		if got := raw(t, f, sheet, cell); got != reporttest.Cents(want).Reduce().String() ||
			kind != excelize.CellTypeUnset && kind != excelize.CellTypeNumber {
			t.Errorf("%s is %q of type %v, want %s", cell, got, kind, reporttest.Cents(want))
		}
		is, to, err := f.GetCellHyperLink(sheet, cell)
		if err != nil || !is {
			t.Fatalf("%s leads nowhere: %v", cell, err)
		}
		row := 0
		if _, err := fmt.Sscanf(to, "'From sources'!A%d", &row); err != nil {
			t.Fatalf("%s leads to %q", cell, to)
		}
		sum := amount.Amount{}
		for i := range entities {
			value, err := amount.Parse([]byte(raw(t, f, "From sources", fmt.Sprintf("F%d", row+i))), '.')
			if err != nil {
				t.Fatal(err)
			}
			sum = sum.Add(value)
		}
		if figure := raw(t, f, "From sources", fmt.Sprintf("B%d", row)); sum.Cmp(reporttest.Cents(want)) != 0 ||
			figure != reporttest.Account(group)+", v" {
			t.Errorf("%s leads to what comes to %s of %q", cell, sum, figure)
		}
	}
	for _, d := range f.GetDefinedName() {
		if d.Name != "total_by_account_v" {
			continue
		}
		if want := fmt.Sprintf("'%s'!$B$%d", sheet, headRow+1+reporttest.Groups); d.RefersTo != want {
			t.Errorf("the name of the total leads to %s, want %s", d.RefersTo, want)
		}
		if got := raw(t, f, sheet, fmt.Sprintf("B%d", headRow+1+reporttest.Groups)); got !=
			reporttest.Cents(all).Reduce().String() {
			t.Errorf("the total is %s, want %s", got, reporttest.Cents(all))
		}
		return
	}
	t.Error("the total has no name")
}

// A text is never a formula, and comes back as it was.
func TestTextsStayTexts(t *testing.T) {
	names := reporttest.Hostile
	f, data := written(t, reporttest.Report(len(names), 1, func(i int) string { return names[i] }))
	for i, name := range names {
		cell := fmt.Sprintf("A%d", headRow+1+i)
		if got := raw(t, f, "Completeness", cell); got != name {
			t.Errorf("%s is %q, want %q", cell, got, name)
		}
		if formula, err := f.GetCellFormula("Completeness", cell); err != nil || formula != "" {
			t.Errorf("%s has a formula %q, %v", cell, formula, err)
		}
	}
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	for _, file := range z.File {
		if text := part(t, data, file.Name); strings.Contains(text, "<f>") || strings.Contains(text, "<f ") {
			t.Errorf("%s has a formula", file.Name)
		}
	}
}

// A rehearsal says on every sheet that it is not sealed, and below its table again.
func TestARehearsalSaysSo(t *testing.T) {
	r := reporttest.Report(2, 1, func(i int) string { return fmt.Sprint("unit", i) })
	r.State = pack.Rehearsed
	f, _ := written(t, r)
	for _, sheet := range f.GetSheetList() {
		rows, err := f.GetRows(sheet)
		if err != nil {
			t.Fatal(err)
		}
		n := 0
		for _, row := range rows {
			if len(row) > 0 && strings.HasPrefix(row[0], "Not sealed.") {
				n++
			}
		}
		if want := 2; n != want && sheet != "Doubles" {
			t.Errorf("%s says it %d times", sheet, n)
		}
	}
}

// A number with more digits than a workbook keeps is a text with all of them.
func TestLongNumbersKeepTheirDigits(t *testing.T) {
	for text, want := range map[string]any{"1234567890123.45": 1234567890123.45,
		"12345678901234.56": "12345678901234.56",
		"-0.5":              -0.5} {
		if got := numberOf(text); got != want {
			t.Errorf("%s is %v, want %v", text, got, want)
		}
	}
}
