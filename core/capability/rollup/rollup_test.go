package rollup

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math/big"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"

	"lastblock/core/finding/proof"
	"lastblock/core/large/texts"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/natural"
	"lastblock/internal/sourcetest"
)

// rollUp sums files up and returns the result with all its rows.
func rollUp(t *testing.T, files map[string]string, options Options) (*Result, []Row) {
	t.Helper()
	r, err := Run(context.Background(), sourcetest.Set(t, "{entity}_{period}", files), sourcetest.Reading, options)
	if err != nil {
		t.Fatal(err)
	}
	rows, err := r.Rows()
	if err != nil {
		t.Fatal(err)
	}
	if r.Count != len(rows) {
		t.Errorf("%d groups are said and %d given", r.Count, len(rows))
	}
	return r, rows
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
		{"by a column of the data, in natural order", []string{"account"},
			[]string{"500 2 -0.50 1", "4000 3 18.00 0.5"}},
		{"by a word of the name", []string{"entity"}, []string{"corvane 3 13.50 1.5", "eskerby 2 4.00 0"}},
		{"by both", []string{"period", "account"},
			[]string{"2031-9|500 1 -3.00 0", "2031-9|4000 2 17.00 0.5", "2031-10|500 1 2.50 1",
				"2031-10|4000 1 1.00 0"}},
		{"by the source", []string{"source"},
			[]string{"corvane_2031-9.csv 1 10.00 0.5", "corvane_2031-10.csv 2 3.50 1", "eskerby_2031-9.csv 2 4.00 0"}},
		{"by position", []string{"#1"}, []string{"500 2 -0.50 1", "4000 3 18.00 0.5"}},
	} {
		t.Run(c.rule, func(t *testing.T) {
			r, rows := rollUp(t, journals, Options{By: c.by, Sum: []string{"debit", "credit"}})
			if got := lines(rows); !reflect.DeepEqual(got, c.want) {
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
	_, rows := rollUp(t, map[string]string{"x_1.csv": "a,b,v\n1,23,1\n12,3,2\n,123,4\n123,,8\n\"1\n2\",3,16\n"},
		Options{By: []string{"a", "b"}, Sum: []string{"v"}})
	if len(rows) != 5 {
		t.Errorf("groups are %q", lines(rows))
	}
}

func TestAcross(t *testing.T) {
	r, rows := rollUp(t, journals, Options{By: []string{"account"}, Sum: []string{"debit"}, Across: "period"})
	if want := []string{"2031-9", "2031-10"}; !reflect.DeepEqual(r.Across, want) {
		t.Fatalf("across are %q", r.Across)
	}
	var got []string
	for _, row := range append(rows, r.Total) {
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
	_, one := rollUp(t, journals, Options{By: []string{"entity"}, Sum: []string{"debit"}, Across: "period"})
	if one[1].Cells[1] != nil {
		t.Error("a cell without records is not blank")
	}
}

func TestSortedAndTop(t *testing.T) {
	r, rows := rollUp(t, journals, Options{By: []string{"entity", "account"}, Sum: []string{"debit", "credit"}})
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
		sorted, err := r.Sorted(c.order)
		if err != nil || !r.Knows(c.order) {
			t.Fatalf("%+v: %v", c.order, err)
		}
		var got []string
		for _, row := range sorted {
			got = append(got, row.Sums[0].String())
		}
		if strings.Join(got, " ") != c.want {
			t.Errorf("%+v gives %q, want %q", c.order, got, c.want)
		}
	}
	if r.Knows(Order{Column: "debt"}) {
		t.Error("an unknown column is known")
	}
	top, rest, others, err := r.Top(1, Order{})
	if got := lines(append(top, rest)); err != nil || others != 3 ||
		!reflect.DeepEqual(got, []string{"corvane|4000 2 11.00 0.5", " 3 6.50 1"}) {
		t.Errorf("top is %q, %d others, %v", got, others, err)
	}
	if top, _, others, _ := r.Top(99, Order{}); others != 0 || len(top) != 4 {
		t.Errorf("%d at the top and %d others", len(top), others)
	}
	subtotal := newAdder(len(r.Sums), len(r.Across))
	for _, row := range rows[:2] {
		subtotal.add(row)
	}
	if got := lines([]Row{subtotal.row([]string{"corvane"})})[0]; got != "corvane 3 13.50 1.5" {
		t.Errorf("subtotal is %q", got)
	}
}

func TestTopInAnotherOrder(t *testing.T) {
	r, _ := rollUp(t, journals, Options{By: []string{"entity", "account"}, Sum: []string{"debit", "credit"}})
	for _, c := range []struct {
		order Order
		want  []string
	}{
		{Order{Column: "credit"}, []string{"corvane|500 1 2.50 1", "corvane|4000 2 11.00 0.5"}},
		{Order{Column: "debit", Up: true}, []string{"eskerby|4000 1 7 0", "corvane|4000 2 11.00 0.5"}},
		{Order{Column: "entity", Down: true}, []string{"eskerby|4000 1 7 0", "corvane|4000 2 11.00 0.5"}},
	} {
		top, _, _, err := r.Top(2, c.order)
		if got := lines(top); err != nil || !reflect.DeepEqual(got, c.want) {
			t.Errorf("%+v: top is %q, want %q, %v", c.order, got, c.want, err)
		}
	}
}

// Of equal groups, the ones that come first by their keys are at the top.
func TestTopOfEqualGroups(t *testing.T) {
	r, _ := rollUp(t, map[string]string{"x_1.csv": "k,v\nd,5\nb,5\na,5\nc,6\n"},
		Options{By: []string{"k"}, Sum: []string{"v"}})
	top, _, _, err := r.Top(3, Order{})
	if got := lines(top); err != nil || !reflect.DeepEqual(got, []string{"c 1 6", "a 1 5", "b 1 5"}) {
		t.Errorf("top is %q, %v", got, err)
	}
}

func TestMonthNamesStandInTheOrderOfTheCalendar(t *testing.T) {
	r, _ := rollUp(t, map[string]string{"x_1.csv": "m,v\nDec,1\nfeb,2\nJan,3\n"},
		Options{By: []string{"source"}, Sum: []string{"v"}, Across: "m"})
	if want := []string{"Jan", "feb", "Dec"}; !reflect.DeepEqual(r.Across, want) {
		t.Errorf("across are %q", r.Across)
	}
	r, _ = rollUp(t, map[string]string{"x_1.csv": "m,v\nDec,1\nfeb,2\nthirteenth,3\n"},
		Options{By: []string{"source"}, Sum: []string{"v"}, Across: "m"})
	if want := []string{"Dec", "feb", "thirteenth"}; !reflect.DeepEqual(r.Across, want) {
		t.Errorf("across are %q", r.Across)
	}
}

func TestUnknownColumns(t *testing.T) {
	set := sourcetest.Set(t, "", map[string]string{"a.csv": "account,debit\n1,2\n"})
	for _, options := range []Options{{By: []string{"acount"}, Sum: []string{"debit"}},
		{By: []string{"account"}, Sum: []string{"debt"}},
		{By: []string{"account"}, Sum: []string{"debit"}, Across: "period"}} {
		_, err := Run(context.Background(), set, sourcetest.Reading, options)
		var unknown *tally.UnknownColumnError
		if !errors.As(err, &unknown) {
			t.Errorf("%+v: error is %v", options, err)
		}
	}
}

// Random journals, grouped by an independent way, a map and math/big, with
// memory for all groups and with so little that most of them go into files.
func TestAgainstAMap(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	files := make(map[string]string)
	want := make(map[string]*big.Rat)
	counts := make(map[string]int)
	for f := range 20 {
		var text strings.Builder
		text.WriteString("k,v,more\n")
		for range 5000 {
			key, thousandths := fmt.Sprint("key ", r.IntN(20_000)), r.Int64N(2_000_000_000_000)-1_000_000_000_000
			if r.IntN(1000) == 0 {
				thousandths *= 4_000_000 // beyond 64 bits, when there are some of them
			}
			fmt.Fprintf(&text, "%s,%s,x\n", key, big.NewRat(thousandths, 1000).FloatString(3))
			if want[key] == nil {
				want[key] = new(big.Rat)
			}
			want[key].Add(want[key], big.NewRat(thousandths, 1000))
			counts[key]++
		}
		files[fmt.Sprintf("f_%d.csv", f)] = text.String()
	}
	set := sourcetest.Set(t, "", files)
	for _, memory := range []int64{1 << 30, 1 << 20} {
		reading := sourcetest.Reading
		reading.Memory = memory
		result, err := Run(context.Background(), set, reading, Options{By: []string{"k"}, Sum: []string{"v"}})
		if err != nil {
			t.Fatal(err)
		}
		if spilled := len(result.runs) - reading.Jobs; (spilled > 0) != (memory == 1<<20) {
			t.Errorf("with %d bytes there are %d files", memory, spilled)
		}
		last, groups := "", 0
		err = result.Each(func(row Row) error {
			key := row.Key[0]
			if last != "" && natural.Compare(last, key) >= 0 {
				t.Errorf("%s comes before %s", last, key)
			}
			last = key
			groups++
			if got := row.Sums[0].String(); got != want[key].FloatString(3) || row.Records != counts[key] {
				t.Errorf("%s: %s of %d, want %s of %d", key, got, row.Records, want[key].FloatString(3), counts[key])
			}
			return nil
		})
		if err != nil || groups != len(want) || result.Count != len(want) {
			t.Errorf("%d groups, said to be %d, want %d: %v", groups, result.Count, len(want), err)
		}
		if err := result.Close(); err != nil {
			t.Error(err)
		}
	}
}

func TestMoreGroupsThanCanBeSorted(t *testing.T) {
	r, _ := rollUp(t, journals, Options{By: []string{"source"}, Sum: []string{"debit"}})
	r.most = 2
	_, err := r.Sorted(Order{Column: "debit"})
	var tooMany *TooManyGroupsError
	if !errors.As(err, &tooMany) || tooMany.Groups != 3 {
		t.Errorf("error is %v", err)
	}
	if _, _, _, err := r.Top(1, Order{}); err != nil {
		t.Errorf("the top cannot be taken: %v", err)
	}
}

// A fault on the way to the result must not pass the proof.
func TestAnEngineThatLosesARecordFailsTheProof(t *testing.T) {
	for name, harm := range map[string]func(*table){
		"a record is dropped":   func(table *table) { table.counts[0]-- },
		"an amount has changed": func(table *table) { table.sums[0].Add(amount.New(1, 2)) },
	} {
		r, _ := rollUp(t, journals, Options{By: []string{"account"}, Sum: []string{"debit"}})
		for _, run := range r.runs {
			if table := run.(*tableRun).table; table.len() > 0 {
				harm(table)
				break
			}
		}
		var failed *proof.FailedError
		if err := r.Each(func(Row) error { return nil }); !errors.As(err, &failed) {
			t.Errorf("%s, and the error is %v", name, err)
		}
	}
}

// The prefix that sorting looks at first must agree with the order of keys.
func FuzzSortPrefix(f *testing.F) {
	for _, seed := range [][2]string{{"a2", "a10"}, {"a02", "a2"}, {"", "\x00"}, {"x", "x1"}, {"D00000012", "D0000002"},
		{"12345678901234567890", "9"}, {"/", "0"}} {
		f.Add(seed[0], seed[1])
	}
	f.Fuzz(func(t *testing.T, a, b string) {
		keyA, keyB := texts.Append(nil, []byte(a)), texts.Append(nil, []byte(b))
		prefixes := cmp.Compare(texts.Prefix(keyA), texts.Prefix(keyB))
		keys := texts.Compare(keyA, keyB)
		if prefixes != 0 && prefixes > 0 != (keys > 0) {
			t.Errorf("%q and %q: prefixes say %d, keys say %d", a, b, prefixes, keys)
		}
		if natural := natural.Compare(a, b); natural > 0 != (keys > 0) || natural < 0 != (keys < 0) {
			t.Errorf("%q and %q: natural order says %d, keys say %d", a, b, natural, keys)
		}
	})
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
