package demo

import (
	"bytes"
	"fmt"
	"path/filepath"
	"strings"

	"github.com/xuri/excelize/v2"
)

// budgetYear is the year that the companies have planned.
const budgetYear = "2031"

// budgetLines are the lines of the form, without its total, and what each company has planned for the first quarter, in
// hundreds of francs; the other quarters follow from it.
var budgetLines = []struct {
	label   string
	planned [5]int64
}{
	{"Wages", [5]int64{4120, 2960, 3350, 1980, 2240}},
	{"Social security", [5]int64{618, 444, 503, 297, 336}},
	{"Energy", [5]int64{1310, 905, 1080, 640, 720}},
	{"Cable inspection", [5]int64{210, 180, 240, 120, 150}},
	{"Gondola cleaning", [5]int64{95, 60, 75, 45, 50}},
	{"Insurance", [5]int64{330, 250, 280, 170, 190}},
	{"Advertising", [5]int64{150, 120, 90, 60, 80}},
}

// season is what a quarter costs, in hundredths of the first one.
var season = [4]int64{100, 80, 120, 90}

var quarters = []string{"Q1", "Q2", "Q3", "Q4"}

// budgetOrder is the order in which fallowmere has the lines, with one of its own.
var budgetOrder = []string{"Energy", "Wages", "Social security", "Night rides", "Insurance", "Cable inspection",
	"Gondola cleaning", "Advertising"}

const nightRides = 36 // in hundreds of francs, for the first quarter

// budgetRow is a line of a form.
type budgetRow struct {
	label   string
	amounts []int64 // by quarter, and for the year
}

// budget makes the budget of a company, its total last.
func budget(company int) (rows []budgetRow) {
	total := budgetRow{"Total", make([]int64, len(quarters)+1)}
	add := func(label string, first int64) {
		row := budgetRow{label: label}
		year := int64(0)
		for q := range quarters {
			amount := first * season[q]
			row.amounts, year = append(row.amounts, amount), year+amount
		}
		row.amounts = append(row.amounts, year)
		for i, amount := range row.amounts {
			total.amounts[i] += amount
		}
		rows = append(rows, row)
	}
	planned := make(map[string]int64)
	var order []string
	for _, l := range budgetLines {
		planned[l.label], order = l.planned[company], append(order, l.label)
	}
	if companies[company].name == "fallowmere" {
		planned["Night rides"], order = nightRides, budgetOrder
	}
	for _, label := range order {
		add(label, planned[label])
	}
	return append(rows, total)
}

// budgets are the forms of all companies, and the plan that adds them up.
func budgets() (all []file) {
	for c := range companies {
		rows := budget(c)
		typed := ""
		switch companies[c].name {
		case "corvane":
			typed = "14'400" // planted: as text, with a mark that the program it was typed into does not know
		case "dunmarrow":
			rows[len(rows)-1].amounts[2] += 900 // planted: two digits of the third quarter's total are swapped
		}
		all = append(all, file{"budgets/" + budgetYear + "/" + companies[c].name + "_" + budgetYear + ".xlsx",
			budgetForm(companies[c].name, rows, typed)})
	}
	return append(all, file{"budgets/lastblock.toml", budgetText})
}

// budgetForm makes the workbook of a form. typed takes the place of the figure of cable inspection in the second
// quarter, as a text; "" for none.
func budgetForm(company string, rows []budgetRow, typed string) string {
	must := func(err error) {
		if err != nil {
			panic(err) // the demo's own cells
		}
	}
	book := excelize.NewFile()
	defer book.Close()
	const sheet, first = "Budget", 4 // rows above the figures
	must(book.SetSheetName("Sheet1", sheet))
	money := "#,##0"
	style := func(s excelize.Style) int {
		id, err := book.NewStyle(&s)
		must(err)
		return id
	}
	fill := excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{"E4ECF2"}}
	line := []excelize.Border{{Type: "top", Color: "5B7083", Style: 1}}
	title := style(excelize.Style{Font: &excelize.Font{Family: "Calibri", Bold: true, Size: 14}})
	head := style(excelize.Style{Font: &excelize.Font{Family: "Calibri", Bold: true}, Fill: fill})
	headRight := style(excelize.Style{Font: &excelize.Font{Family: "Calibri", Bold: true}, Fill: fill,
		Alignment: &excelize.Alignment{Horizontal: "right"}})
	figure := style(excelize.Style{CustomNumFmt: &money})
	totalLabel := style(excelize.Style{Font: &excelize.Font{Family: "Calibri", Bold: true}, Border: line})
	total := style(excelize.Style{Font: &excelize.Font{Family: "Calibri", Bold: true}, Border: line,
		CustomNumFmt: &money})
	set := func(column, row int, value any, style int) {
		at := cell(column, row)
		must(book.SetCellValue(sheet, at, value))
		must(book.SetCellStyle(sheet, at, at, style))
	}
	set(0, 0, "Budget "+budgetYear+", in CHF", title)
	must(book.SetCellValue(sheet, "A2", "Company"))
	must(book.SetCellValue(sheet, "B2", strings.ToUpper(company[:1])+company[1:]))
	set(0, first-1, "Line", head)
	for i, name := range append(append([]string{}, quarters...), "Year") {
		set(i+1, first-1, name, headRight)
	}
	for i, row := range rows {
		isTotal := i == len(rows)-1
		label, amounts := 0, figure
		if isTotal {
			label, amounts = totalLabel, total
		}
		set(0, first+i, row.label, label)
		for k, amount := range row.amounts {
			set(k+1, first+i, amount, amounts)
			if row.label == "Cable inspection" && k == 1 && typed != "" {
				set(k+1, first+i, typed, amounts)
			}
		}
	}
	must(book.SetRowHeight(sheet, 1, 22))
	must(book.SetColWidth(sheet, "A", "A", 22))
	must(book.SetColWidth(sheet, "B", "F", 12))
	var out bytes.Buffer
	must(book.Write(&out))
	return out.String()
}

// budgetSteps are the steps of the walk that add up the budgets.
func budgetSteps(folder string) []Step {
	return []Step{{
		Args: []string{"overlay", "--plan", filepath.Join(folder, "budgets", "lastblock.toml"), "--anyway",
			"--replace"},
		See: "The budgets of the five companies, line by line and quarter by quarter. Fallowmere has another order, " +
			"and a line of its own, so the forms meet by their labels. A figure of corvane was typed as text, and is " +
			"in no sum; a total of dunmarrow is not what its lines come to.",
	}}
}

var budgetText = fmt.Sprintf(`# The budgets of the companies, which head office adds up.
version = 1

[read]
paths = [%q]
name = "{entity}_{period}"

[[overlay]]
name = "budget"
labels = ["A", "4"]
footing = ["row Total", "column Year"]
out = "results/{name}.xlsx"
formulas = true
`, budgetYear)
