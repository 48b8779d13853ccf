package rollup

import (
	"context"
	"errors"
	"fmt"
	"math/big"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"

	"lastblock/core/internal/sourcetest"
	"lastblock/core/tally"
)

func run(t *testing.T, files map[string]string, options Options) *Result {
	t.Helper()
	options.Decimal = '.'
	r, err := Run(context.Background(), sourcetest.Set(t, "{entity}_{period}", files), sourcetest.Reading, options)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// lines are rows as "key|key records sums".
func lines(rows []Row) []string {
	var all []string
	for _, r := range rows {
		line := fmt.Sprintf("%s %d", strings.Join(r.Key, "|"), r.Records)
		for _, sum := range r.Sums {
			line += " " + sum.String()
		}
		all = append(all, line)
	}
	return all
}

var journals = map[string]string{
	"corvane_2031-10.csv": "account,debit,credit\n4000,1.00,0\n500,2.50,1\n",
	"corvane_2031-9.csv":  "account,debit,credit\n4000,10.00,0.5\n",
	"eskerby_2031-9.csv":  "account,debit,credit\n500,-3.00,0\n4000,7,0\n",
}

func TestGroups(t *testing.T) {
	for _, c := range []struct {
		rule string
		by   []string
		want []string
	}{
		{"by a column of the data, in natural order", []string{"account"}, []string{"500 2 -0.50 1", "4000 3 18.00 0.5"}},
		{"by a word of the name", []string{"entity"}, []string{"corvane 3 13.50 1.5", "eskerby 2 4.00 0"}},
		{"by both", []string{"period", "account"}, []string{"2031-9|500 1 -3.00 0", "2031-9|4000 2 17.00 0.5", "2031-10|500 1 2.50 1", "2031-10|4000 1 1.00 0"}},
		{"by the source", []string{"source"}, []string{"corvane_2031-9.csv 1 10.00 0.5", "corvane_2031-10.csv 2 3.50 1", "eskerby_2031-9.csv 2 4.00 0"}},
		{"by position", []string{"#1"}, []string{"500 2 -0.50 1", "4000 3 18.00 0.5"}},
	} {
		t.Run(c.rule, func(t *testing.T) {
			r := run(t, journals, Options{By: c.by, Sum: []string{"debit", "credit"}})
			if got := lines(r.Groups); !reflect.DeepEqual(got, c.want) {
				t.Errorf("groups are %q, want %q", got, c.want)
			}
			if got := lines([]Row{r.Total})[0]; got != " 5 17.50 1.5" {
				t.Errorf("total is %q", got)
			}
		})
	}
}

// Keys that run together when their parts are joined must stay apart.
func TestKeysDoNotRunTogether(t *testing.T) {
	r := run(t, map[string]string{"x_1.csv": "a,b,v\n1,23,1\n12,3,2\n,123,4\n123,,8\n\"1\n2\",3,16\n"}, Options{By: []string{"a", "b"}, Sum: []string{"v"}})
	if len(r.Groups) != 5 {
		t.Errorf("groups are %q", lines(r.Groups))
	}
}

func TestAcross(t *testing.T) {
	r := run(t, journals, Options{By: []string{"account"}, Sum: []string{"debit"}, Across: "period"})
	if want := []string{"2031-9", "2031-10"}; !reflect.DeepEqual(r.Across, want) {
		t.Fatalf("across are %q", r.Across)
	}
	var got []string
	for _, row := range append(r.Groups, r.Total) {
		line := strings.Join(row.Key, "|")
		for _, cell := range row.Cells {
			if cell == nil {
				line += " -"
				continue
			}
			line += " " + cell[0].String()
		}
		got = append(got, fmt.Sprintf("%s = %s of %d", line, row.Sums[0], row.Records))
	}
	want := []string{"500 -3.00 2.50 = -0.50 of 2", "4000 17.00 1.00 = 18.00 of 3", " 14.00 3.50 = 17.50 of 5"}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("rows are %q, want %q", got, want)
	}
	one := run(t, journals, Options{By: []string{"entity"}, Sum: []string{"debit"}, Across: "period"})
	if one.Groups[1].Cells[1] != nil {
		t.Error("a cell without records is not blank")
	}
}

func TestSortTopAndSubtotal(t *testing.T) {
	r := run(t, journals, Options{By: []string{"entity", "account"}, Sum: []string{"debit", "credit"}})
	for _, c := range []struct {
		order Order
		want  string // first sums in order
	}{
		{Order{Column: "debit"}, "11.00 7 2.50 -3.00"},
		{Order{Column: "debit", Up: true}, "-3.00 2.50 7 11.00"},
		{Order{Column: "records"}, "11.00 2.50 -3.00 7"},
		{Order{Column: "account"}, "2.50 -3.00 11.00 7"},
		{Order{Column: "account", Down: true}, "11.00 7 2.50 -3.00"},
	} {
		fresh := *r
		fresh.Groups = append([]Row(nil), r.Groups...)
		if !fresh.Sort(c.order) {
			t.Errorf("%+v is not known", c.order)
		}
		var got []string
		for _, row := range fresh.Groups {
			got = append(got, row.Sums[0].String())
		}
		if strings.Join(got, " ") != c.want {
			t.Errorf("%+v gives %q, want %q", c.order, got, c.want)
		}
	}
	if r.Sort(Order{Column: "debt"}) {
		t.Error("an unknown column sorts")
	}
	top, rest, others := r.Top(1)
	if got := lines(append(top, rest)); others != 3 || !reflect.DeepEqual(got, []string{"corvane|4000 2 11.00 0.5", " 3 6.50 1"}) {
		t.Errorf("top is %q, %d others", got, others)
	}
	if _, _, others := r.Top(99); others != 0 {
		t.Errorf("%d others than all", others)
	}
	if got := lines([]Row{r.Subtotal(r.Groups[:2], 1)})[0]; got != "corvane 3 13.50 1.5" {
		t.Errorf("subtotal is %q", got)
	}
}

func TestMonthNamesStandInTheOrderOfTheCalendar(t *testing.T) {
	r := run(t, map[string]string{"x_1.csv": "m,v\nDec,1\nfeb,2\nJan,3\n"}, Options{By: []string{"source"}, Sum: []string{"v"}, Across: "m"})
	if want := []string{"Jan", "feb", "Dec"}; !reflect.DeepEqual(r.Across, want) {
		t.Errorf("across are %q", r.Across)
	}
	r = run(t, map[string]string{"x_1.csv": "m,v\nDec,1\nfeb,2\nthirteenth,3\n"}, Options{By: []string{"source"}, Sum: []string{"v"}, Across: "m"})
	if want := []string{"Dec", "feb", "thirteenth"}; !reflect.DeepEqual(r.Across, want) {
		t.Errorf("across are %q", r.Across)
	}
}

func TestUnknownColumns(t *testing.T) {
	set := sourcetest.Set(t, "", map[string]string{"a.csv": "account,debit\n1,2\n"})
	for _, options := range []Options{{By: []string{"acount"}, Sum: []string{"debit"}}, {By: []string{"account"}, Sum: []string{"debt"}}, {By: []string{"account"}, Sum: []string{"debit"}, Across: "period"}} {
		options.Decimal = '.'
		_, err := Run(context.Background(), set, sourcetest.Reading, options)
		var unknown *tally.UnknownColumnError
		if !errors.As(err, &unknown) {
			t.Errorf("%+v: error is %v", options, err)
		}
	}
}

// Random journals, grouped by an independent way: a map, and math/big.
func TestAgainstAMap(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	files := make(map[string]string)
	want := make(map[string]*big.Rat)
	counts := make(map[string]int)
	for f := range 20 {
		var text strings.Builder
		text.WriteString("k,v,more\n")
		for range 500 {
			key, cents := fmt.Sprint("key ", r.IntN(200)), r.Int64N(2_000_000_000_000)-1_000_000_000_000
			fmt.Fprintf(&text, "%s,%s,x\n", key, big.NewRat(cents, 1000).FloatString(3))
			if want[key] == nil {
				want[key] = new(big.Rat)
			}
			want[key].Add(want[key], big.NewRat(cents, 1000))
			counts[key]++
		}
		files[fmt.Sprintf("f_%d.csv", f)] = text.String()
	}
	result := run(t, files, Options{By: []string{"k"}, Sum: []string{"v"}})
	if len(result.Groups) != len(want) {
		t.Fatalf("%d groups, want %d", len(result.Groups), len(want))
	}
	for _, row := range result.Groups {
		if got := row.Sums[0].String(); got != want[row.Key[0]].FloatString(3) || row.Records != counts[row.Key[0]] {
			t.Errorf("%s: %s of %d, want %s of %d", row.Key[0], got, row.Records, want[row.Key[0]].FloatString(3), counts[row.Key[0]])
		}
	}
}

// Groups whose hashes fall on one slot are still told apart by their keys.
func TestTableTellsKeysApart(t *testing.T) {
	table := newTable(1)
	for round := range 2 {
		for i := range 5000 {
			g := table.group(fmt.Appendf(nil, "key %d", i))
			if g != i {
				t.Fatalf("round %d: key %d is group %d", round, i, g)
			}
			table.counts[g]++
		}
	}
	if table.len() != 5000 || table.counts[4999] != 2 {
		t.Errorf("%d groups", table.len())
	}
}

func BenchmarkTable(b *testing.B) {
	keys := make([][]byte, 1024)
	for i := range keys {
		keys[i] = fmt.Appendf(nil, "4%03dEUR", i)
	}
	table := newTable(1)
	i := 0
	for b.Loop() {
		table.counts[table.group(keys[i&1023])]++
		i++
	}
}

// BenchmarkMap is what the table is measured against.
func BenchmarkMap(b *testing.B) {
	keys := make([][]byte, 1024)
	counts := make(map[string]*int)
	for i := range keys {
		keys[i] = fmt.Appendf(nil, "4%03dEUR", i)
		counts[string(keys[i])] = new(int)
	}
	i := 0
	for b.Loop() {
		*counts[string(keys[i&1023])]++
		i++
	}
}
