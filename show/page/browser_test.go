package page

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"lastblock/core/month/pack"
	"lastblock/core/value/amount"
	"lastblock/internal/browser"
	"lastblock/internal/reporttest"
)

// opened writes the page of a report and opens it in a browser.
func opened(t *testing.T, r *pack.Report, at string) (p *browser.Page, path string) {
	t.Helper()
	path = filepath.Join(t.TempDir(), "pack.html")
	if err := os.WriteFile(path, []byte(written(t, r)), 0o644); err != nil {
		t.Fatal(err)
	}
	p = browser.New(t, 1280, 800)
	p.Open(path, at)
	return p, path
}

// quiet makes sure that a page has complained about nothing, and asked for nothing but itself.
func quiet(t *testing.T, p *browser.Page) {
	t.Helper()
	if problems := p.Problems(); len(problems) > 0 {
		t.Errorf("the page complains: %s", strings.Join(problems, "\n"))
	}
	for _, address := range p.Requests() {
		if !strings.HasPrefix(address, "file://") && address != "about:blank" ||
			!strings.Contains(address, "pack.html") && address != "about:blank" {
			t.Errorf("the page asks for %s", address)
		}
	}
}

func unit(i int) string { return fmt.Sprint("unit", i) }

// In a browser nothing of a source runs, and the page looks as it should.
func TestBrowserRunsNothingOfASource(t *testing.T) {
	names := reporttest.Hostile
	p, _ := opened(t, reporttest.Report(len(names), 2, func(i int) string { return names[i] }), "")
	var state struct {
		Ran     any      `json:"ran"`
		Shown   bool     `json:"shown"`
		Paper   string   `json:"paper"`
		Names   []string `json:"names"`
		Columns []int    `json:"columns"`
	}
	p.Eval(`({ran: window.ran ?? null, shown: document.body.offsetHeight > 1000,
		paper: getComputedStyle(document.body).backgroundColor,
		names: [...document.querySelectorAll("#filed tbody th")].map((th) => th.textContent),
		columns: [...document.querySelectorAll("#filed tbody th")].map((th) => Math.round(th.getBoundingClientRect().left))})`,
		&state)
	if state.Ran != nil || !state.Shown || state.Paper != "rgb(255, 255, 255)" {
		t.Errorf("%+v", state)
	}
	if strings.Join(state.Names, "\n") != strings.Join(names, "\n") {
		t.Errorf("names are %q", state.Names)
	}
	for _, left := range state.Columns {
		if left != state.Columns[0] {
			t.Errorf("a name has moved its cell: %v", state.Columns)
		}
	}
	quiet(t, p)
}

// A figure opens to what each source gave, by a click and by the keyboard, and closes again; its address opens it.
func TestBrowserOpensAFigure(t *testing.T) {
	const entities = 5
	r := reporttest.Report(entities, 0, unit)
	p, path := opened(t, r, "")
	const rows = `[...document.querySelectorAll("tr.opened tbody tr")].map((tr) => [...tr.cells].map((td) => td.textContent))`
	check := func(how string, group int) {
		t.Helper()
		var got [][]string
		p.Eval(rows, &got)
		if len(got) != entities {
			t.Fatalf("%s: %q is open", how, got)
		}
		for _, row := range got {
			i := 0
			if _, err := fmt.Sscanf(row[0], "unit%d_2031-03.csv", &i); err != nil {
				t.Fatal(err)
			}
			want := reporttest.Cents(reporttest.Gave(i, group)).Money()
			if row[1] != fmt.Sprint("line ", group+2) || row[2] != "1" || row[3] != want {
				t.Errorf("%s: %q, want %s", how, row, want)
			}
		}
	}
	const first, second = `document.querySelectorAll("#summary a.opens")[0]`, `document.querySelectorAll("#summary a.opens")[1]`
	p.Eval(first+".click()", nil)
	check("by a click", 0)
	var address string
	p.Eval("location.hash", &address)
	p.Eval(first+".click()", nil)
	var open int
	if p.Eval(`document.querySelectorAll("tr.opened").length`, &open); open != 0 {
		t.Error("it does not close")
	}
	p.Eval(second+".focus()", nil)
	p.Press("Enter", 13)
	check("by the keyboard", 1)
	p.Open(path, address)
	check("by its address "+address, 0)
	quiet(t, p)
}

// Without script all of it can be read, there is no filter that does nothing, and a link to a figure opens what each
// source gave.
func TestBrowserWithoutScript(t *testing.T) {
	r := reporttest.Report(4, 2, unit)
	path := filepath.Join(t.TempDir(), "pack.html")
	if err := os.WriteFile(path, []byte(written(t, r)), 0o644); err != nil {
		t.Fatal(err)
	}
	p := browser.New(t, 1280, 800)
	p.WithoutScript()
	p.Open(path, "#figure-2")
	var state struct {
		Filter  bool   `json:"filter"`
		Rows    int    `json:"rows"`
		Seen    bool   `json:"seen"`
		Closed  bool   `json:"closed"`
		Buttons int    `json:"buttons"`
		First   string `json:"first"`
	}
	p.Eval(`({filter: document.querySelector("form.filter").checkVisibility(),
		rows: [...document.querySelectorAll("#sources tbody tr")].filter((tr) => tr.checkVisibility()).length,
		seen: document.getElementById("figure-2").checkVisibility(),
		closed: !document.getElementById("figure-1").checkVisibility(),
		buttons: document.querySelectorAll("th button").length,
		first: document.querySelector("#figure-2 tbody tr").cells[2].textContent})`, &state)
	if state.Filter || state.Rows != 4 || !state.Seen || !state.Closed || state.Buttons != 0 || state.First != "1" {
		t.Errorf("%+v", state)
	}
	quiet(t, p)
}

// table reads a table: the texts of the rows that are shown, and the foot.
const table = `(id) => { const t = document.querySelector("#" + id + " table"); return {
	rows: [...t.tBodies[0].rows].filter((tr) => !tr.hidden).map((tr) => [...tr.cells].map((td) => td.textContent)),
	foot: t.tFoot ? [...t.tFoot.rows[0].cells].map((td) => td.textContent) : null,
	said: t.parentElement.nextElementSibling.hidden ? "" : t.parentElement.nextElementSibling.textContent } }`

type shownTable struct {
	Rows [][]string `json:"rows"`
	Foot []string   `json:"foot"`
	Said string     `json:"said"`
}

func read(p *browser.Page, id string) (shown shownTable) {
	p.Eval("("+table+`)("`+id+`")`, &shown)
	return shown
}

// Filters leave the rows that are asked for; totals follow, and say so; the address keeps them.
func TestBrowserFilters(t *testing.T) {
	const entities = 12
	r := reporttest.Report(entities, 5, unit) // findings of 0, 5 and 10
	p, path := opened(t, r, "")
	whole := read(p, "sources")
	if len(whole.Rows) != entities || whole.Said != "" {
		t.Fatalf("there are %+v", whole)
	}
	set := func(name, value string) {
		p.Eval(fmt.Sprintf(`(() => { const e = document.querySelector("form.filter").elements[%q]; e.value = %q;
			e.dispatchEvent(new Event("input", {bubbles: true})) })()`, name, value), nil)
	}
	sum := func(of ...int) string {
		total := amount.Amount{}
		for _, i := range of {
			for group := range reporttest.Groups {
				total = total.Add(reporttest.Cents(reporttest.Gave(i, group)))
			}
		}
		return total.Money()
	}
	set("entity", "unit5")
	some := read(p, "sources")
	if len(some.Rows) != 1 || some.Rows[0][0] != "unit5_2031-03.csv" || some.Foot[0] != "total of what is shown" ||
		some.Foot[6] != sum(5) || !strings.HasPrefix(some.Said, "1 of 12 rows are shown") {
		t.Errorf("of one entity: %+v, want %s", some, sum(5))
	}
	if found := read(p, "findings"); len(found.Rows) != 1 || found.Rows[0][0] != "stop" {
		t.Errorf("its findings are %+v", found)
	}
	if figures := read(p, "figures"); figures.Said != "not filtered by entity" || len(figures.Rows) < 5 {
		t.Errorf("key figures, which are of no entity and say so, are %+v", figures)
	}
	set("severity", "review")
	if found := read(p, "findings"); len(found.Rows) != 0 {
		t.Errorf("of another severity: %+v", found)
	}
	set("entity", "")
	set("severity", "")
	set("text", "UNIT1") // 1, 10 and 11
	some = read(p, "sources")
	if len(some.Rows) != 3 || some.Foot[6] != sum(1, 10, 11) {
		t.Errorf("of a text: %+v, want %s", some, sum(1, 10, 11))
	}
	var address string
	p.Eval("location.hash", &address)
	p.Open(path, address)
	if again := read(p, "sources"); fmt.Sprint(again) != fmt.Sprint(some) {
		t.Errorf("by the address %s: %+v, want %+v", address, again, some)
	}
	p.Eval(`document.querySelector("form.filter").elements.all.click()`, nil)
	if back := read(p, "sources"); fmt.Sprint(back) != fmt.Sprint(whole) {
		t.Errorf("of all again: %+v, want %+v", back, whole)
	}
	p.Open(path, "#finding-id000005")
	var found string
	if p.Eval(`document.querySelector("tr.found").cells[1].textContent`, &found); found != "id000005" {
		t.Errorf("a link to a finding leads to %q", found)
	}
	quiet(t, p)
}

// Columns sort by what they hold: amounts as numbers, texts with the numbers in them, each way.
func TestBrowserSorts(t *testing.T) {
	const entities = 12
	p, _ := opened(t, reporttest.Report(entities, 0, unit), "")
	sorted := func(column int) (names []string) {
		p.Eval(fmt.Sprintf(`document.querySelectorAll("#sources th .sort")[%d].click()`, column), nil)
		for _, row := range read(p, "sources").Rows {
			names = append(names, row[1])
		}
		return names
	}
	const total = 6
	if got := sorted(total); got[0] != "unit11" || got[entities-1] != "unit0" {
		t.Errorf("by amount, the largest first: %v", got)
	}
	if got := sorted(total); got[0] != "unit0" || got[2] != "unit2" {
		t.Errorf("by amount, the smallest first: %v", got)
	}
	var order string
	if p.Eval(`document.querySelectorAll("#sources thead th")[6].getAttribute("aria-sort")`, &order); order != "ascending" {
		t.Errorf("the heading says %q", order)
	}
	if got := sorted(1); got[1] != "unit1" || got[2] != "unit2" || got[10] != "unit10" {
		t.Errorf("by entity: %v", got)
	}
	var buttons []int
	p.Eval(`(() => { const count = () => document.querySelectorAll("#sources th button").length, all = [count()];
		for (const name of ["beforeprint", "afterprint"]) { dispatchEvent(new Event(name)); all.push(count()); } return all })()`,
		&buttons)
	if len(buttons) != 3 || buttons[0] == 0 || buttons[1] != 0 || buttons[2] != buttons[0] {
		t.Errorf("while printing, and before and after it, headings have %v buttons", buttons)
	}
	if got := sorted(total); got[0] != "unit11" {
		t.Errorf("by amount, when it was printed: %v", got)
	}
	quiet(t, p)
}

var pdfPage = regexp.MustCompile(`/Type\s*/Page\b`)

// A short report is printed on one page, one of many sources on as many as they need, and each has its number.
func TestBrowserPrints(t *testing.T) {
	pages := func(entities int) int {
		p, _ := opened(t, reporttest.Report(entities, 0, unit), "")
		return len(pdfPage.FindAll(p.PDF(), -1))
	}
	few, many := pages(2), pages(400)
	if few < 3 || few > 8 {
		t.Errorf("a report of two sources has %d pages", few)
	}
	// three tables have a row for each source, of which no more than fifty stand on a page
	if many < few+3*400/50 || many > 80 {
		t.Errorf("a report of 400 sources has %d pages", many)
	}
}

// At the width of a phone nothing but tables and charts, which scroll by themselves, is wider than the page.
func TestBrowserFitsAPhone(t *testing.T) {
	path := filepath.Join(t.TempDir(), "pack.html")
	r := reporttest.Report(6, 2, unit)
	if err := os.WriteFile(path, []byte(written(t, r)), 0o644); err != nil {
		t.Fatal(err)
	}
	p := browser.New(t, 390, 800)
	p.Open(path, "")
	var widths []int
	p.Eval("[document.documentElement.scrollWidth, innerWidth]", &widths)
	if widths[0] > widths[1] {
		t.Errorf("the page is %d wide on a screen of %d", widths[0], widths[1])
	}
	quiet(t, p)
}
