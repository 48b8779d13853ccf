package tieout

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"lastblock/core/source"
	"lastblock/core/value/amount"
	"lastblock/core/value/period"
	"lastblock/internal/sourcetest"
)

func TestHashTotals(t *testing.T) {
	for _, c := range []struct{ rule, codes, want string }{
		{"digits", "100 200", "300"},
		{"leading zeros", "0100 0200", "300"},
		{"letters and marks are left out", "DE-0401 40/1 x", "802"},
		{"what looks like a negative number or decimals is digits all the same", "-5 1.5", "20"},
		{"beyond 64 bits", "99999999999999999999 99999999999999999999", "199999999999999999998"},
		{"nothing", "", "0"},
	} {
		t.Run(c.rule, func(t *testing.T) {
			file := "code,x\n"
			for _, code := range strings.Fields(c.codes) {
				file += code + ",\n"
			}
			r := check(t, "", sourcetest.Reading, Options{HashTotals: []string{"code"}},
				map[string]string{"a.csv": file + " ,\n"})
			if got := r.Sources[0].HashTotals[0].String(); got != c.want {
				t.Errorf("the hash total is %s, want %s", got, c.want)
			}
		})
	}
}

// The oracles are a map and math/big, for files that are read whole and one that
// several goroutines read, with little memory.
func TestFiguresAgainstAMap(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 4))
	files := make(map[string]string)
	var sums []*big.Int
	var distinct []int
	for f, rows := range []int{1, 50, 3_000, 150_000} {
		var b strings.Builder
		b.WriteString("code,text\n")
		sum, seen := new(big.Int), make(map[string]bool)
		for range rows {
			code := fmt.Sprintf("%d", r.Uint64N(1<<60))
			text := fmt.Sprintf("text number %d", r.IntN(rows))
			number, _ := new(big.Int).SetString(code, 10)
			sum.Add(sum, number)
			seen[text] = true
			fmt.Fprintf(&b, "%s,%s\n", code, text)
		}
		b.WriteString(", \n") // blank is no value
		files[fmt.Sprintf("f%d.csv", f)] = b.String()
		sums, distinct = append(sums, sum), append(distinct, len(seen))
	}
	result := check(t, "", little, Options{HashTotals: []string{"code"}, Distinct: []string{"text"}}, files)
	for i, s := range result.Sources {
		if s.HashTotals[0].String() != sums[i].String() || s.Distinct[0] != distinct[i] {
			t.Errorf("source %d has %s and %d, want %s and %d", i, s.HashTotals[0], s.Distinct[0], sums[i], distinct[i])
		}
	}
}

// sheetOf reads a control sheet or a roster from a text.
func sheetOf(t *testing.T, text string) *source.Table {
	t.Helper()
	path := filepath.Join(t.TempDir(), "sheet.csv")
	if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	table, err := source.ReadTable(t.Context(), path, sourcetest.Reading, 0)
	if err != nil {
		t.Fatal(err)
	}
	table.Name = "sheet.csv"
	return table
}

func TestWhatIsDeclaredIsChecked(t *testing.T) {
	files := map[string]string{"a.csv": "k,code,v\nA,10,1.50\nB,20,2.25\n", "b.csv": "k,code,v\nA,30,4.00\n"}
	tolerance := func(text string) map[string]amount.Amount {
		value, err := amount.Parse([]byte(text), '.')
		if err != nil {
			t.Fatal(err)
		}
		return map[string]amount.Amount{"v": value}
	}
	for _, c := range []struct {
		rule    string
		sheet   string
		options Options
		columns string // totals | hash totals | distinct
		want    []string
	}{
		{"a total that nobody has named", "source,v\na,3.75\nb,4\n", Options{}, "[v] [] []", nil},
		{"one that differs", "source,rows,v\na,2,3.70\nb,1,4\n", Options{}, "[v] [] []",
			[]string{"stop control-total a.csv v 3.70 3.75 0.05"}},
		{"within its tolerance", "source,rows,v\na,2,3.70\nb,1,4.05\n", Options{Tolerance: tolerance("0.05")},
			"[v] [] []", nil},
		{"just beyond its tolerance", "source,rows,v\na,2,3.70\nb,1,4.05\n", Options{Tolerance: tolerance("0.049")},
			"[v] [] []", []string{
				"stop control-total a.csv v 3.70 3.75 0.05", "stop control-total b.csv v 4.05 4.00 -0.05",
			}},
		{"rows within their tolerance", "source,rows\na,3\nb,3\n", Options{ToleranceRows: 1}, "[] [] []",
			[]string{"stop row-count b.csv 3 1 -2"}},
		{"hash totals", "source,hash_code\na,30\nb,31\n", Options{}, "[] [code] []",
			[]string{"stop hash-total b.csv code 31 30 -1"}},
		{"numbers of values", "source,distinct_k\na,2\nb,2\n", Options{}, "[] [] [k]",
			[]string{"stop distinct-count b.csv k 2 1 -1"}},
		{"a column that is the name of nothing", "source,rows,pages,hash_none\na,2,9,9\nb,1,9,9\n", Options{},
			"[] [] []", []string{
				"note not-compared sheet.csv hash_none", "note not-compared sheet.csv pages",
			}},
		{"a total asked for by position is not there twice", "source,v\na,3.70\nb,4\n", Options{Totals: []string{"#3"}},
			"[#3] [] []", []string{
				"stop control-total a.csv #3 3.70 3.75 0.05",
			}},
		{"a column of texts declares nothing", "source,rows,code\na,2,ten\nb,1,twenty\n", Options{}, "[] [] []", nil},
		{"blank is not declared", "source,rows,v\na,,3.75\nb,1,\n", Options{}, "[v] [] []", nil},
	} {
		t.Run(c.rule, func(t *testing.T) {
			c.options.Declared = sheetOf(t, c.sheet)
			r := check(t, "", sourcetest.Reading, c.options, files)
			if got := fmt.Sprint(r.Columns, r.HashTotals, r.Distinct); got != c.columns {
				t.Errorf("it works out %s, want %s", got, c.columns)
			}
			if len(r.Proof.Totals) != len(r.Columns) {
				t.Errorf("the proof has %d totals, and there are %d", len(r.Proof.Totals), len(r.Columns))
			}
			if got := told(r); fmt.Sprint(got) != fmt.Sprint(c.want) {
				t.Errorf("findings are %q, want %q", got, c.want)
			}
		})
	}
}

// Figures stand to the right of what they are called, or below it.
func TestFiguresOnACover(t *testing.T) {
	labels := []Label{{"Number of lines", "rows"}, {"Sum debit:", "v"}}
	for _, c := range []struct {
		rule    string
		cells   [][]string
		decimal byte
		want    string
	}{
		{"to the right", [][]string{{"Number of lines", "", "12"}, {"Sum debit", "3.75"}}, '.',
			"map[rows:{12 1} v:{3.75 2}]"},
		{"below", [][]string{{"Number of lines", "Sum debit:"}, {"", ""}, {"12", "3,75"}}, ',',
			"map[rows:{12 3} v:{3,75 3}]"},
		{"by their own names, with a colon, in any case", [][]string{{"ROWS:", "12"}, {"v", "1.00"}}, '.',
			"map[rows:{12 1} v:{1.00 2}]"},
		{"the right before what is below", [][]string{{"rows", "12"}, {"13"}}, '.', "map[rows:{12 1}]"},
		{"a text to the right ends the search there", [][]string{{"rows", "see below", "99"}, {"12"}}, '.',
			"map[rows:{12 2} see below:{99 1}]"},
		{"the first of two", [][]string{{"rows", "12"}, {"rows", "13"}}, '.', "map[rows:{12 1}]"},
		{"no figure", [][]string{{"rows", "many"}, {"none"}}, '.', "map[]"},
	} {
		t.Run(c.rule, func(t *testing.T) {
			grid := &source.Grid{Cells: c.cells}
			for i := range c.cells {
				grid.Lines = append(grid.Lines, i+1)
			}
			if got := fmt.Sprint(figuresOn(grid, labels, c.decimal)); got != c.want {
				t.Errorf("figures are %s, want %s", got, c.want)
			}
		})
	}
}

func TestCoversAreCompared(t *testing.T) {
	files := map[string]string{"a.csv": "k,v\nA,1.50\n", "b.csv": "k;v\nA;4,00\n"}
	cover := func(index int, cells ...[]string) Cover {
		grid := &source.Grid{Name: fmt.Sprintf("cover %d", index), Cells: cells}
		for i := range cells {
			grid.Lines = append(grid.Lines, i+1)
		}
		return Cover{[]string{"a.csv", "b.csv"}[index], grid}
	}
	r := check(t, "", sourcetest.Reading, Options{Covers: []Cover{cover(1, []string{"rows", "1"},
		[]string{"v", "4,50"})}, CoveredBy: "cover", Strays: []string{"c.ctl"}}, files)
	want := []string{"review no-declaration a.csv", "stop control-total b.csv v 4.50 4.00 -0.50",
		"stop no-source c.ctl"}
	if got := told(r); fmt.Sprint(got) != fmt.Sprint(want) {
		t.Errorf("findings are %q, want %q", got, want)
	}
	set := sourcetest.Set(t, "", files)
	_, err := Run(t.Context(), set, sourcetest.Reading,
		Options{Covers: []Cover{cover(0, []string{"rows", "1"})}, Labels: []Label{{"Lines", "v"}}})
	if err == nil || !strings.Contains(err.Error(), `no figure stands beside or below "Lines"`) {
		t.Errorf("error %v", err)
	}
}

func TestReadRoster(t *testing.T) {
	roster, err := ReadRoster(sheetOf(t, "entity,from,until,country\nCorvane,,,LX\nEskerby,2031-02,2031Q4,LY\n"))
	if err != nil {
		t.Fatal(err)
	}
	eskerby := roster.Entries[1]
	for text, want := range map[string]bool{"2031-01": false, "2031-02": true, "2031-12": true, "2032-01": false,
		"2031Q1": false, "2031Q2": true, "2031": false} {
		p, ok := period.Parse(text)
		if !ok || eskerby.IsDue(p) != want {
			t.Errorf("%s is due: %v", text, !want)
		}
	}
	if fmt.Sprint(roster.Shown, eskerby.Shown, roster.Entries[0].IsDue(period.Period{})) != "[country] [LY] true" {
		t.Errorf("the roster is %+v", roster)
	}
	for text, reason := range map[string]string{
		"name\nCorvane\n":                    `a roster needs the column "entity"; there is: name`,
		"entity,from\nCorvane,soon\n":        `sheet.csv line 2: from is "soon", which is no period`,
		"entity,x\nCorvane,\n,1\n":           "sheet.csv line 3: there is no entity",
		"entity,x\nCorvane,\ncorvane ,\n":    "sheet.csv line 3: corvane stands on line 2 already",
		"entity,until\nCorvane,2031-02-30\n": `sheet.csv line 2: until is "2031-02-30"`,
	} {
		if _, err := ReadRoster(sheetOf(t, text)); err == nil || !strings.Contains(err.Error(), reason) {
			t.Errorf("%q: error %v, want %q", text, err, reason)
		}
	}
}

func TestMatrix(t *testing.T) {
	file := "k,v\nA,1\n"
	roster := &Roster{Name: "roster.csv", Entries: []Entry{{Entity: "Corvane", Line: 2}, {Entity: "Eskerby", Line: 3}}}
	periods := func(text string) []period.Period {
		all, err := period.ParseRange(text)
		if err != nil {
			t.Fatal(err)
		}
		return all
	}
	for _, c := range []struct {
		rule    string
		pattern string
		names   string
		options Options
		matrix  string
		want    []string
	}{
		{"periods that came, by a roster", "{entity}_{period}*", "corvane_2031-01 corvane_2031-02 eskerby_2031-02",
			Options{Roster: roster},
			"[2031-01 2031-02] Corvane[filed:1 filed:1] Eskerby[not-filed:0 filed:1]",
			[]string{"stop not-filed Eskerby 2031-01"}},
		{"names that write a period otherwise", "{entity}_{period}*", "corvane_203101 corvane_2031_02",
			Options{Periods: periods("2031-01..2031-02")},
			"[2031-01 2031-02] corvane[filed:1 filed:1]", nil},
		{"twice", "{entity}_{period}*", "corvane_2031-01 corvane_2031-01x", Options{Periods: periods("2031-01")},
			"[2031-01] corvane[filed-twice:2]",
			[]string{"stop filed-twice corvane_2031-01.csv corvane_2031-01.csv, corvane_2031-01x.csv"}},
		{"quarters and weeks", "{entity}_{period}*", "corvane_2031Q1 corvane_2031-W05",
			Options{Periods: append(periods("2031Q1"), periods("2031-W05..2031-W06")...)},
			"[2031Q1 2031-W05 2031-W06] corvane[filed:1 filed:1 not-filed:0]",
			[]string{"stop not-filed corvane 2031-W06"}},
		{"without periods in the names", "{entity}*", "corvane gorse", Options{Roster: roster},
			"[] Corvane[filed:1] Eskerby[not-filed:0] gorse[not-on-roster:1]",
			[]string{"stop not-filed Eskerby", "review not-on-roster gorse.csv"}},
		{"a period that nobody asked for", "{entity}_{period}*", "corvane_2031-01 corvane_2031-05",
			Options{Periods: periods("2031-01")},
			"[2031-01 2031-05] corvane[filed:1 not-on-roster:1]", []string{"review not-on-roster corvane_2031-05.csv"}},
	} {
		t.Run(c.rule, func(t *testing.T) {
			files := make(map[string]string)
			for _, name := range strings.Fields(c.names) {
				files[name+".csv"] = file
			}
			r := check(t, c.pattern, sourcetest.Reading, c.options, files)
			got := fmt.Sprint(r.Matrix.Periods)
			for _, row := range r.Matrix.Entities {
				var cells []string
				for _, cell := range row.Cells {
					cells = append(cells, fmt.Sprintf("%s:%d", cell.Status, cell.Rows))
				}
				got += fmt.Sprintf(" %s%v", row.Entity, cells)
			}
			if got != c.matrix {
				t.Errorf("the matrix is %s, want %s", got, c.matrix)
			}
			if said := told(r); len(said) != len(c.want) || !sameStrings(said, c.want) {
				t.Errorf("findings are %q, want %q", said, c.want)
			}
		})
	}
	for _, options := range []Options{{Roster: roster}, {Periods: periods("2031-01")}} {
		if _, err := Run(t.Context(), sourcetest.Set(t, "", map[string]string{"a.csv": file}), sourcetest.Reading,
			options); err == nil {
			t.Error("without entities there is a matrix")
		}
	}
}

// sameStrings compares lists whatever their order.
func sameStrings(a, b []string) bool {
	count := make(map[string]int)
	for i := range a {
		count[a[i]]++
		count[b[i]]--
	}
	for _, n := range count {
		if n != 0 {
			return false
		}
	}
	return true
}
