package cli

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"lastblock/core/value/amount"

	"golang.org/x/net/html"

	"github.com/klauspost/compress/zstd"
)

// reportedMonth is a month of some branches, each of whose figures stands nowhere else.
type reportedMonth struct {
	dir      string
	branches []string
	figures  map[string][]int64 // by branch, in cents: records, accounts, and totals
	groups   []int64            // of all together
}

const reportedPlan = `version = 1
[read]
paths = ["in"]
name = "{entity}_{period}"
[tieout]
total = "debit"
declared = "control.csv"
roster = "branches.csv"
periods = ["2031-01"]
[doubles]
key = "document"
total = "debit"
[[rollup]]
name = "by-account"
by = "account"
sum = "debit"
share = true
[[rollup]]
name = "by-branch"
by = ["account", "counterparty"]
across = "entity"
sum = "debit"
subtotals = true
[[reconcile]]
name = "bank"
against = "bank.csv"
key = "document"
total = "debit"
by = "entity"
[[overlay]]
name = "budget"
paths = ["budget"]
[severity]
control-total = "review"
same-record = "review"
same-key = "review"
not-filed = "review"
differs = "review"
only-here = "review"
only-there = "review"
[close]
[report]
`

// newReportedMonth writes and closes one.
func newReportedMonth(t *testing.T) *reportedMonth {
	t.Helper()
	r := rand.New(rand.NewPCG(20, 31))
	m := &reportedMonth{dir: t.TempDir(), branches: []string{"alder", "beech", "cedar", "dunmarrow"},
		figures: make(map[string][]int64)}
	files := map[string]string{"branches.csv": "entity\nalder\nbeech\ncedar\ndunmarrow\nelm\n"}
	control, bank := "source,rows,debit\n", "document,entity,debit\n"
	all, total := make(map[int]int64), int64(0)
	for n, branch := range m.branches {
		text, sums, sum := "document,account,counterparty,debit\n", make(map[int]int64), int64(0)
		for i := range 24 {
			account, value := 4000+i%3, 10_000_00+r.Int64N(80_000_00)
			sums[account], sum = sums[account]+value, sum+value
			m.figures[branch] = append(m.figures[branch], value)
			document := fmt.Sprintf("%s-%d", strings.ToUpper(branch[:2]), i)
			text += fmt.Sprintf("%s,%d,,%s\n", document, account, amount.New(value, 2))
			bank += fmt.Sprintf("%s,%s,%s\n", document, branch, amount.New(value+int64(i%7/6), 2))
		}
		if n < 2 { // a record that two of them send
			text += "TWICE,4009,,55555.55\n"
			sums[4009], sum = 55_555_55, sum+55_555_55
		}
		for account, of := range sums {
			all[account] += of
			if account != 4009 {
				m.figures[branch] = append(m.figures[branch], of)
			}
		}
		total += sum
		m.figures[branch] = append(m.figures[branch], sum)
		files["in/"+branch+"_2031-01.csv"] = text
		control += fmt.Sprintf(
			"%s_2031-01.csv,%d,%s\n",
			branch,
			strings.Count(text, "\n")-1,
			amount.New(sum+int64(n), 2),
		)
		budget := 20_000 + r.Int64N(70_000)
		m.figures[branch] = append(m.figures[branch], budget*100)
		files["budget/"+branch+"_2031-01.csv"] = fmt.Sprintf("line,total\nrent,%d\n", budget)
	}
	for _, of := range all {
		m.groups = append(m.groups, of)
	}
	m.groups = append(m.groups, total)
	files["control.csv"], files["bank.csv"] = control, bank
	files["lastblock.toml"] = reportedPlan
	writeFiles(t, m.dir, files)
	stdout, stderr, code := runProgram(t, m.dir, "", "close", "--quiet", "--user", "anna", "--period", "2031-01")
	if code != ExitDone {
		t.Fatalf("close ends with %d\n%s%s", code, stdout, stderr)
	}
	return m
}

// unpacked are the bytes of a file, or of what it holds where it is packed, or a workbook.
func unpacked(t *testing.T, path string) string {
	t.Helper()
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	switch filepath.Ext(path) {
	case ".xlsx":
	case ".zst":
		in, err := zstd.NewReader(nil)
		if err == nil {
			defer in.Close()
			data, err = in.DecodeAll(data, nil)
		}
		if err != nil {
			t.Fatal(err)
		}
		return string(data)
	default:
		return string(data)
	}
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		t.Fatal(err)
	}
	var all strings.Builder
	for _, f := range z.File {
		file, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		if _, err := io.Copy(&all, file); err != nil {
			t.Fatal(err)
		}
		file.Close()
	}
	return all.String()
}

// written are the ways in which a figure in cents may be written.
func written(cents int64) []string {
	a := amount.New(cents, 2)
	return []string{a.String(), a.Money(), a.Round(0).String(), a.Round(0).Money()}
}

// hasFigure tells whether a text has a figure that is not a part of a longer number: of the fraction of a day that a
// time is in a workbook, or of a hash.
func hasFigure(text, figure string) bool {
	isPart := func(at int) bool {
		return at >= 0 && at < len(text) && strings.IndexByte("0123456789abcdef", text[at]) >= 0
	}
	for at := 0; ; at++ {
		next := strings.Index(text[at:], figure)
		if next < 0 {
			return false
		}
		at += next
		fraction := at > 0 && text[at-1] == '.' && isPart(at-2)
		if !fraction && !isPart(at-1) && !isPart(at+len(figure)) {
			return true
		}
	}
}

func TestHasFigure(t *testing.T) {
	for text, want := range map[string]bool{
		"<v>330439</v>": true, "330439": true, "330439.12": true, "sum 330439, and": true, "1330439 or 330439": true,
		"46356.0330439": false, "46356.330439": false, "1330439": false, "3304390": false, "e330439f": false, "": false,
	} {
		if hasFigure(text, "330439") != want {
			t.Errorf("%q has the figure: %v", text, !want)
		}
	}
}

// A branch's page and workbook hold nothing of others, wherever one looks: no name, no figure, and no total of all.
func TestAReportForOneBranchHasNothingOfOthers(t *testing.T) {
	m := newReportedMonth(t)
	for _, branch := range m.branches {
		out := []string{branch + ".html", branch + ".xlsx"}
		stdout, stderr, code := runProgram(t, m.dir, "", "report", "--block", "1", "--for", branch, "--out",
			strings.Join(out, ","))
		if code != ExitDone {
			t.Fatalf("the report for %s ends with %d\n%s%s", branch, code, stdout, stderr)
		}
		document, _, _ := runProgram(t, m.dir, "", "report", "--block", "1", "--for", branch, "--json")
		texts := map[string]string{"the JSON": document}
		for _, name := range out {
			texts[name] = unpacked(t, filepath.Join(m.dir, name))
		}
		own := make(map[string]bool)
		for _, cents := range m.figures[branch] {
			for _, text := range written(cents) {
				own[text] = true
			}
		}
		for name, text := range texts {
			lower := strings.ToLower(text)
			for _, other := range append(slices.Clone(m.branches), "elm") {
				if other != branch && strings.Contains(lower, other) {
					t.Errorf("%s of %s names %s", name, branch, other)
				}
				for _, cents := range m.figures[other] {
					for _, figure := range written(cents) {
						if other != branch && !own[figure] && hasFigure(text, figure) {
							t.Errorf("%s of %s has %s of %s", name, branch, figure, other)
						}
					}
				}
			}
			for _, cents := range m.groups {
				if figure := amount.New(cents, 2); hasFigure(text, figure.String()) || hasFigure(text, figure.Money()) {
					t.Errorf("%s of %s has %s, of all together", name, branch, figure)
				}
			}
			total := m.figures[branch][len(m.figures[branch])-2]
			if figure := amount.New(total, 2); !hasFigure(text, figure.String()) && !hasFigure(text, figure.Money()) {
				t.Errorf("%s of %s lacks its total %s", name, branch, figure)
			}
		}
	}
}

// The figures of the page are those of the JSON, and both those of the files.
func TestThePageHasTheFiguresOfTheJSON(t *testing.T) {
	m := newReportedMonth(t)
	stdout, stderr, code := runProgram(t, m.dir, "", "report", "--block", "1", "--out", "pack.html")
	if code != ExitDone {
		t.Fatalf("it ends with %d\n%s%s", code, stdout, stderr)
	}
	document, _, _ := runProgram(t, m.dir, "", "report", "--block", "1", "--json")
	var said struct {
		Summaries []struct {
			Name  string
			Lines []struct {
				Kind string
				Key  []string
				Sums []amount.Amount
			}
		}
		Sources []struct {
			Source, SHA256 string
			Totals         map[string]amount.Amount
		}
		Findings []struct{ ID string }
	}
	if err := json.Unmarshal([]byte(document), &said); err != nil {
		t.Fatal(err)
	}
	data, err := os.ReadFile(filepath.Join(m.dir, "pack.html"))
	if err != nil {
		t.Fatal(err)
	}
	tables := tablesOf(t, data)
	rows := tables["by-account"]
	for i, line := range said.Summaries[0].Lines {
		label := line.Kind
		if line.Kind == "group" {
			label = line.Key[0]
		}
		if i >= len(rows) || rows[i][0] != label || rows[i][1] != line.Sums[0].Money() {
			t.Errorf("the page has %q, want %s %s", rows[i], label, line.Sums[0].Money())
		}
	}
	if n := len(said.Summaries[0].Lines); n != 5 || len(rows) != n {
		t.Errorf("%d lines and %d rows", n, len(rows))
	}
	if got, want := said.Summaries[0].Lines[4].Sums[0], amount.New(m.groups[len(m.groups)-1], 2); got.Cmp(want) != 0 {
		t.Errorf("the total is %s, want %s", got, want)
	}
	for _, s := range said.Sources {
		if !slices.ContainsFunc(tables["sources"], func(row []string) bool {
			return row[0] == s.Source && slices.Contains(row, s.SHA256)
		}) {
			t.Errorf("the page lacks %s with %s", s.Source, s.SHA256)
		}
	}
	for _, f := range said.Findings {
		if !slices.ContainsFunc(tables["findings"], func(row []string) bool { return row[1] == f.ID }) {
			t.Errorf("the page lacks the finding %s", f.ID)
		}
	}
	if len(said.Sources) != 8 || len(said.Findings) < 5 {
		t.Errorf("%d sources and %d findings", len(said.Sources), len(said.Findings))
	}
}

// tablesOf are the rows of the tables of a page, by their names, without the headings.
func tablesOf(t *testing.T, page []byte) map[string][][]string {
	t.Helper()
	root, err := html.Parse(bytes.NewReader(page))
	if err != nil {
		t.Fatal(err)
	}
	tables := make(map[string][][]string)
	for n := range root.Descendants() {
		if n.Type != html.ElementNode || n.Data != "tr" || n.Parent.Data == "thead" {
			continue
		}
		name := ""
		for _, a := range n.Parent.Parent.Parent.Attr {
			if a.Key == "aria-label" {
				name = a.Val
			}
		}
		var row []string
		for cell := range n.ChildNodes() {
			var text strings.Builder
			for d := range cell.Descendants() {
				if d.Type == html.TextNode {
					text.WriteString(d.Data)
				}
			}
			row = append(row, text.String())
		}
		tables[name] = append(tables[name], row)
	}
	return tables
}

// What a close has sealed for its report is found to be changed, by a report and by verify.
func TestAChangedPackIsFound(t *testing.T) {
	m := newReportedMonth(t)
	path := filepath.Join(m.dir, "blocks", "0001-2031-01.pack.json.zst")
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	data[len(data)/2]++
	if err := os.WriteFile(path, data, 0o644); err != nil {
		t.Fatal(err)
	}
	_, stderr, code := runProgram(t, m.dir, "", "report", "--block", "1", "--out", "pack.html")
	if code != ExitNotDone || !strings.Contains(stderr, "its pack in 0001-2031-01.pack.json.zst were changed") {
		t.Errorf("the report ends with %d: %s", code, stderr)
	}
	if _, err := os.Stat(filepath.Join(m.dir, "pack.html")); err == nil {
		t.Error("there is a page all the same")
	}
	stdout, _, code := runProgram(t, m.dir, "", "verify")
	if code != ExitStop || !strings.Contains(stdout, "0001-2031-01.pack.json.zst") {
		t.Errorf("verify ends with %d: %s", code, stdout)
	}
}
