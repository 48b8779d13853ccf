package cli

import (
	"encoding/csv"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
)

// The workbook of a grid is the form of the first company, with the sums, a sheet for each company with what it
// gave, and all contributions; nothing of it says whose form it was.
func TestTheWorkbookOfAGrid(t *testing.T) {
	dir := demoFolder(t)
	stdout, stderr, code := runProgram(t, dir, "", "overlay", "--plan", "lastblock-demo/budgets/lastblock.toml",
		"--anyway",
		"--replace")
	if code != ExitStop || !strings.HasPrefix(stdout,
		"lastblock-demo/budgets/results/budget.xlsx: 45 figures, added up of 5 forms") {
		t.Fatalf("it ends with %d: %s%s", code, stdout, stderr)
	}
	book, err := excelize.OpenFile(filepath.Join(dir, "lastblock-demo", "budgets", "results", "budget.xlsx"))
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	want := []string{"Sum", "brackenfell", "corvane", "dunmarrow", "eskerby", "fallowmere", "Contributions"}
	if got := book.GetSheetList(); !slices.Equal(got, want) {
		t.Fatalf("the sheets are %q", got)
	}
	for cell, want := range map[string]string{
		"A1": "Budget 2031, in CHF", "A2": "Company", "B2": "", "A4": "Line", "F4": "Year", "A5": "Wages",
		"A7":  "Night rides",
		"A13": "Total", "B5": "1,465,000", // 412,000 + 296,000 + 335,000 + 198,000 + 224,000
		"C9": "57,600", // 16,800 + 19,200 + 9,600 + 12,000, without the text of corvane
		"B7": "3,600",  // of fallowmere alone
	} {
		if got, err := book.GetCellValue("Sum", cell); err != nil || got != want {
			t.Errorf("%v: %s is %q, want %q", err, cell, got, want)
		}
	}
	formula, err := book.GetCellFormula("Sum", "B5")
	if err != nil || formula != "SUM('brackenfell'!B5,'corvane'!B5,'dunmarrow'!B5,'eskerby'!B5,'fallowmere'!B5)" {
		t.Errorf("%v: the formula is %s", err, formula)
	}
	for cell, want := range map[string]string{"B5": "296,000", "C9": "", "B7": "", "A7": "Night rides", "B2": ""} {
		if got, err := book.GetCellValue("corvane", cell); err != nil || got != want {
			t.Errorf("%v: corvane has %q in %s, want %q", err, got, cell, want)
		}
	}
	if width, err := book.GetColWidth("Sum", "A"); err != nil || width != 22 {
		t.Errorf("%v: the first column is %v wide", err, width)
	}
	id, err := book.GetCellStyle("Sum", "B13")
	if err != nil {
		t.Fatal(err)
	}
	if style, err := book.GetStyle(id); err != nil || !style.Font.Bold || *style.CustomNumFmt != "#,##0" {
		t.Errorf("%v: the total looks like %+v", err, style)
	}
	rows, err := book.GetRows("Contributions")
	if err != nil || len(rows) != 1+4*40-1+45 { // all cells but the text
		t.Errorf("%v: there are %d rows of contributions", err, len(rows))
	}
	if origin, err := book.GetCustomProps(); err != nil || len(origin) < 2 || origin[1].Value != "budget" {
		t.Errorf("%v: the properties are %+v", err, origin)
	}
}

// What a grid of text looks like is plain, and its contributions add up to its sums.
func TestAGridOfText(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{
		"in/alder.csv": "L;Q1;Q2\nWages;1,50;2\nTotal;1,50;2\n",
		"in/birch.csv": "L;Q1;Q2\nWages;10,25;20\nTotal;10,25;20\n"})
	_, stderr, code := runProgram(t, dir, "", "overlay", "in", "--out", "sum.xlsx", "--contributions", "gave.csv")
	if code != ExitDone {
		t.Fatal(stderr)
	}
	book, err := excelize.OpenFile(filepath.Join(dir, "sum.xlsx"))
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	for cell, want := range map[string]string{"A1": "L", "B1": "Q1", "A2": "Wages", "B2": "11.75", "C3": "22.00"} {
		if got, err := book.GetCellValue("Sum", cell); err != nil || got != want {
			t.Errorf("%v: %s is %q, want %q", err, cell, got, want)
		}
	}
	panes, err := book.GetPanes("Sum")
	if err != nil || !panes.Freeze || panes.XSplit != 1 || panes.YSplit != 1 {
		t.Errorf("%v: what stays in sight is %+v", err, panes)
	}
	file, err := os.Open(filepath.Join(dir, "gave.csv"))
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	records, err := csv.NewReader(file).ReadAll()
	if err != nil || len(records) != 9 || strings.Join(records[1], ",") != "Wages,Q1,B2,alder.csv,,B2,1.50" {
		t.Errorf("%v: the contributions are %q", err, records)
	}
}
