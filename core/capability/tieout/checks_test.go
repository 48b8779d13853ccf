package tieout

import (
	"context"
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/expression"
	"lastblock/internal/sourcetest"
)

// little memory makes nearly everything go through temporary files.
var little = source.Reading{Jobs: 3, Memory: 1 << 20}

// check ties files out with checks and nothing else.
func check(t *testing.T, pattern string, reading source.Reading, options Options, files map[string]string) *Result {
	t.Helper()
	r, err := Run(context.Background(), sourcetest.Set(t, pattern, files), reading, options)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { r.Close() })
	return r
}

// messages are the findings as "source:line message", but for those that an amount
// is blank.
func messages(r *Result) []string {
	var all []string
	for _, f := range r.Findings {
		if f.Kind == finding.BlankAmount {
			continue
		}
		all = append(all, fmt.Sprintf("%s:%d %s", f.Source, f.Line, f.Message))
	}
	return all
}

func wantMessages(t *testing.T, r *Result, want ...string) {
	t.Helper()
	got := messages(r)
	if len(got) != len(want) {
		t.Fatalf("findings are\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	for i := range got {
		if got[i] != want[i] {
			t.Errorf("finding %d is %q, want %q", i, got[i], want[i])
		}
	}
}

func TestBalance(t *testing.T) {
	const side = "one side of it may be missing, or be there twice"
	for _, c := range []struct {
		rule  string
		check Balance
		file  string
		want  []string
	}{
		{"debits equal credits", Balance{Left: "d", Right: "c"}, "k,d,c\nA,1.00,\nA,,1.00\n", nil},
		{"a record is missing", Balance{Left: "d", Right: "c"}, "k,d,c\nA,7,\nA,,7\nB,5,\n", []string{
			"a.csv:0 the source: d and c differ by 5; the amount on line 4 is the difference: " + side,
		}},
		{"a record stands on the wrong side", Balance{Left: "d", Right: "c"}, "k,d,c\nA,3,\nA,4,\nA,,1\n", []string{
			"a.csv:0 the source: d and c differ by 6; the amount on line 2 is half of the difference, so it may " +
				"stand on the wrong side",
		}},
		{"two digits are swapped", Balance{Left: "d", Right: "c"}, "k,d,c\nA,5.40,\nA,,4.50\n", []string{
			"a.csv:0 the source: d and c differ by 0.90; the difference is a multiple of nine, probably two digits " +
				"transposed",
		}},
		{"nothing explains it", Balance{Left: "d", Right: "c"}, "k,d,c\nA,5.00,\nA,,3.00\n", []string{
			"a.csv:0 the source: d and c differ by 2.00",
		}},
		{"a cent", Balance{Left: "d", Right: "c"}, "k,d,c\nA,1.00,\nA,,0.99\n", []string{
			"a.csv:0 the source: d and c differ by 0.01",
		}},
		{"a cent in each of two documents", Balance{Left: "d", Right: "c", By: "k"},
			"k,d,c\nA,1.00,\nA,,0.99\nB,2.00,\nB,,2.01\n", []string{
				"a.csv:2 k A: d and c differ by 0.01",
				"a.csv:4 k B: d and c differ by -0.01",
			}},
		{"one signed column comes to zero", Balance{Left: "d", Right: "0"}, "k,d\nA,5.00\nA,(5.00)\n", nil},
		{"one signed column does not", Balance{Left: "d", Right: "0"}, "k,d\nA,5.00\nA,(3.00)\n", []string{
			"a.csv:0 the source: d comes to 2.00, and should to zero",
		}},
		{"two documents that are out of balance by the same", Balance{Left: "d", Right: "c", By: "k"},
			"k,d,c\nA,2,\nB,,2\nA,9,\nA,,9\n", []string{
				"a.csv:2 k A: d and c differ by 2; the amount on line 2 is the difference: " + side,
				"a.csv:3 k B: d and c differ by -2; the amount on line 3 is the difference: " + side,
			}},
		{"lines of a document that are not neighbours", Balance{Left: "d", Right: "c", By: "k"},
			"k,d,c\nA,2,\nB,1,\nA,,2\nB,,1\n", nil},
		{"a value that is no amount", Balance{Left: "d", Right: "c"}, "k,d,c\nA,2x,\nA,,2\n", []string{
			"a.csv:0 the source: d and c differ by -2; 1 record of this source in suspense may be the reason",
			`a.csv:2 "2x" is not an amount; the record is in suspense`,
		}},
		{"records without a document", Balance{Left: "d", Right: "c", By: "k"}, "k,d,c\n,1,\n,,3\n", []string{
			"a.csv:0 the source: d and c differ by -2; the amount on line 2 is half of the difference, so it may " +
				"stand on the wrong side",
			"a.csv:2 the records without a k: d and c differ by -2; the amount on line 2 is half of the difference, " +
				"so it may stand on the wrong side",
		}},
	} {
		t.Run(c.rule, func(t *testing.T) {
			wantMessages(t, check(t, "", sourcetest.Reading, Options{Checks: []Check{&c.check}},
				map[string]string{"a.csv": c.file}), c.want...)
		})
	}
}

// The oracle adds up documents in a map. The lines of a document stand all over
// a file that several goroutines read, and there is little memory.
func TestBalanceAgainstAMap(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 4))
	var b strings.Builder
	b.WriteString("doc,debit,credit,padding\n")
	off := make(map[string]*big.Int)
	padding := strings.Repeat("x", 40)
	for range 120_000 {
		doc := fmt.Sprintf("D%d", r.IntN(9_000))
		if off[doc] == nil {
			off[doc] = new(big.Int)
		}
		cents := r.Int64N(20) - 5
		if r.IntN(2) == 0 {
			fmt.Fprintf(&b, "%s,%d.%02d,0,%s\n", doc, cents, 0, padding)
			off[doc].Add(off[doc], big.NewInt(cents))
		} else {
			fmt.Fprintf(&b, "%s,,%d,%s\n", doc, cents, padding)
			off[doc].Sub(off[doc], big.NewInt(cents))
		}
	}
	result := check(t, "", little, Options{Checks: []Check{&Balance{Left: "debit", Right: "credit", By: "doc"}}},
		map[string]string{"a.csv": b.String()})
	found := make(map[string]string)
	for _, f := range result.Findings {
		if f.Kind == finding.Unbalanced && f.Key != "" {
			found[f.Key] = strings.TrimSuffix(f.Difference, ".00")
		}
	}
	for doc, want := range off {
		if got, ok := found[doc]; ok != (want.Sign() != 0) || ok && got != want.String() {
			t.Errorf("document %s is off by %q, want %s", doc, got, want)
		}
		delete(found, doc)
	}
	if len(found) > 0 {
		t.Errorf("documents that there are not: %v", found)
	}
}

func TestSequence(t *testing.T) {
	for _, c := range []struct {
		rule    string
		pattern string
		files   map[string]string
		want    []string
	}{
		{"none left out", "", map[string]string{"a.csv": "n,x\n1,\n2,\n3,\n"}, nil},
		{"in another order", "", map[string]string{"a.csv": "n,x\n3,\n1,\n2,\n"}, nil},
		{"one and several left out", "", map[string]string{"a.csv": "n,x\n1,\n3,\n7,\n"}, []string{
			"a.csv:3 4 numbers missing between 1 and 7: 2, 4-6",
		}},
		{"the lines of documents are no repetition", "", map[string]string{"a.csv": "n,x\nA1,\nA1,\nA2,\nA2,\nA3,\n"},
			nil},
		{"but where most numbers stand on one", "", map[string]string{"a.csv": "n,x\n1,\n2,\n2,\n3,\n4,\n"}, []string{
			"a.csv:4 1 number on neighbouring records, while most numbers stand on one: 2",
		}},
		{"where half of them do, neighbours are lines", "", map[string]string{"a.csv": "n,x\n1,\n2,\n2,\n3,\n4,\n4,\n"},
			nil},
		{"again in another place", "", map[string]string{"a.csv": "n,x\n1,\n2,\n3,\n2,\n"}, []string{
			"a.csv:5 1 number a second time in another place: 2",
		}},
		{"a stretch again", "", map[string]string{"a.csv": "n,x\n1,\n2,\n3,\n4,\n2,\n3,\n"}, []string{
			"a.csv:6 2 numbers a second time in another place: 2-3",
		}},
		{"series are told apart by what stands before the digits", "",
			map[string]string{"a.csv": "n,x\nA1,\nB7,\nA2,\nB8,\n"}, nil},
		{"leading zeros are kept", "", map[string]string{"a.csv": "n,x\nA-0099,\nA-0101,\n"}, []string{
			"a.csv:3 1 number missing between A-0099 and A-0101: 0100",
		}},
		{"records without a number are counted", "", map[string]string{"a.csv": "n,x\n1,\nnone,\n,y\n2,\n"}, []string{
			"a.csv:3 2 records without a number in n, first on this line",
		}},
		{"each source stands for itself", "", map[string]string{"a.csv": "n,x\n1,\n2,\n", "b.csv": "n,x\n1,\n3,\n"},
			[]string{
				"b.csv:3 1 number missing between 1 and 3: 2",
			}},
		{"but a series goes on from file to file of an entity", "{entity}_{period}", map[string]string{
			"e_2031-01.csv": "n,x\n1,\n2,\n", "e_2031-02.csv": "n,x\n4,\n2,\n", "f_2031-01.csv": "n,x\n1,\n2,\n",
		}, []string{
			"e_2031-02.csv:2 1 number missing between 1 and 4: 3",
			"e_2031-02.csv:3 1 number a second time in another place: 2",
		}},
		{"numbers of more than eighteen digits", "",
			map[string]string{"a.csv": "n,x\n1000000000000000000001,\n1000000000000000000003,\n"}, []string{
				"a.csv:3 1 number missing between 1000000000000000000001 and 1000000000000000000003: " +
					"000000000000000002",
			}},
	} {
		t.Run(c.rule, func(t *testing.T) {
			wantMessages(t, check(t, c.pattern, sourcetest.Reading, Options{Checks: []Check{&Sequence{Column: "n"}}},
				c.files), c.want...)
		})
	}
}

// The oracle sorts all numbers. Documents have several lines, which now and then
// fall on both sides of a block's border, and there is little memory.
func TestSequenceAgainstASort(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 4))
	var b strings.Builder
	b.WriteString("n,padding\n")
	padding := strings.Repeat("y", 60)
	var numbers []int // one for each run of neighbours
	for n := 1; n <= 60_000; n++ {
		switch r.IntN(5_000) {
		case 0:
			continue // left out
		case 1:
			numbers = append(numbers, n/2+1) // once more, later
			fmt.Fprintf(&b, "N%d,%s\n", n/2+1, padding)
		}
		numbers = append(numbers, n)
		for range 1 + r.IntN(3) {
			fmt.Fprintf(&b, "N%d,%s\n", n, padding)
		}
	}
	slices.Sort(numbers)
	missing, again := 0, 0
	for i := 1; i < len(numbers); i++ {
		missing += max(0, numbers[i]-numbers[i-1]-1)
		if numbers[i] == numbers[i-1] {
			again++
		}
	}
	if missing == 0 || again == 0 {
		t.Fatal("the workload has nothing to find")
	}
	result := check(t, "", little, Options{Checks: []Check{&Sequence{Column: "n"}}},
		map[string]string{"a.csv": b.String()})
	for kind, want := range map[finding.Kind]int{finding.SequenceGap: missing, finding.SequenceRepeat: again} {
		at := slices.IndexFunc(result.Findings, func(f finding.Finding) bool { return f.Kind == kind })
		if at < 0 || result.Findings[at].Count != want {
			t.Errorf("%s: %v, want %d", kind, messages(result), want)
		}
	}
}

func TestInsidePeriod(t *testing.T) {
	for _, c := range []struct {
		rule, file string
		rows       string
		want       []string
	}{
		{"a month", "e_2031-02.csv", "2031-02-01\n2031-02-28\n", nil},
		{"before it and behind it", "e_2031-02.csv", "2031-01-15\n2031-03-10\n", []string{
			"e_2031-02.csv:2 2031-01-15 is not in 2031-02", "e_2031-02.csv:3 2031-03-10 is not in 2031-02",
		}},
		// 2031-02-01 is a Saturday, 2031-02-28 a Friday.
		{"in the weeks that its borders cut", "e_2031-02.csv", "2031-01-27\n2031-01-26\n2031-03-02\n2031-03-03\n",
			[]string{
				"e_2031-02.csv:2 2 records in the week that the border of 2031-02 cuts (2031-01-27 to 2031-03-02); " +
					"the " +
					"other file may have that week, too",
				"e_2031-02.csv:3 2031-01-26 is not in 2031-02",
				"e_2031-02.csv:5 2031-03-03 is not in 2031-02",
			}},
		{"a week", "e_2031-W05.csv", "2031-01-27\n2031-02-02\n2031-02-03\n",
			[]string{"e_2031-W05.csv:4 2031-02-03 is not in 2031-W05"}},
		{"a quarter", "e_2031Q1.csv", "2031-03-31\n31.03.2031\n", nil},
		{"a date that can be read both ways is inside if one of them is", "e_2031-02.csv", "02/03/2031\n03/02/2031\n",
			nil},
		{"no date", "e_2031-02.csv", "soon\n\n2031-02-30\n",
			[]string{`e_2031-02.csv:2 "soon" is no date`, `e_2031-02.csv:4 "2031-02-30" is no date`}},
		{"a name that tells no period", "e_later.csv", "2031-01-01\n", nil},
	} {
		t.Run(c.rule, func(t *testing.T) {
			rows := ""
			for line := range strings.Lines(c.rows) {
				rows += strings.TrimSuffix(line, "\n") + ",7\n"
			}
			r := check(t, "{entity}_{period}", sourcetest.Reading,
				Options{Checks: []Check{&InsidePeriod{Column: "day"}}}, map[string]string{c.file: "day,x\n" + rows})
			wantMessages(t, r, c.want...)
		})
	}
	set := sourcetest.Set(t, "", map[string]string{"a.csv": "day\n2031-01-01\n"})
	if _, err := Run(context.Background(), set, sourcetest.Reading,
		Options{Checks: []Check{&InsidePeriod{Column: "day"}}}); err == nil {
		t.Error("without the names' periods it is checked against nothing")
	}
}

func rule(t *testing.T, text string, words ...string) *Rule {
	t.Helper()
	x, err := expression.Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	return &Rule{Name: text, Expression: x, Words: words}
}

func TestValues(t *testing.T) {
	const file = "account,amount,by\n0100,\"60,000.00\",\n0200,5,ann\n 0100 ,50000,\n,1,ben\nO100,x,\n"
	for _, c := range []struct {
		rule  string
		check Check
		want  []string
	}{
		{"required", &Required{Names: []string{"account", "by"}}, []string{
			"e_1.csv:2 by is blank, and is required", "e_1.csv:4 by is blank, and is required",
			"e_1.csv:5 account is blank, and is required", "e_1.csv:6 by is blank, and is required",
		}},
		{"allowed, but for blanks around it",
			&Allowed{Column: "account", List: "accounts.csv", Values: []string{"0100", "0300"}}, []string{
				`e_1.csv:3 "0200" is not in accounts.csv`, `e_1.csv:6 "O100" is not in accounts.csv; did they mean "0100"?`,
			}},
		{"a rule over amounts and texts", rule(t, `amount <= 50000 || by != ""`), []string{
			`e_1.csv:2 amount <= 50000 || by != "": fails`,
			`e_1.csv:6 amount <= 50000 || by != "": cannot be told, as "x" in column "amount" is not an amount`,
		}},
		{"a rule over a word of the name", rule(t, `entity == "e"`, "entity"), nil},
	} {
		t.Run(c.rule, func(t *testing.T) {
			wantMessages(t, check(t, "{entity}_*", sourcetest.Reading, Options{Checks: []Check{c.check}},
				map[string]string{"e_1.csv": file}), c.want...)
		})
	}
}

// A finding about a record has the amount of the first total, and a source that
// lacks a column is told; a column that no source has is an error.
func TestFindingsOfRecords(t *testing.T) {
	files := map[string]string{"a.csv": "k,v\n,1.50\nB,2\n", "b.csv": "other,v\nx,7\n"}
	r := check(t, "", sourcetest.Reading, Options{Totals: []string{"v"},
		Checks: []Check{&Required{Names: []string{"k"}}}}, files)
	if len(r.Findings) != 2 || r.Findings[0].Amount != "1.50" || r.Findings[1].Kind != finding.MissingColumn ||
		r.Findings[1].Source != "b.csv" {
		t.Errorf("findings are %+v", r.Findings)
	}
	for _, c := range []Check{&Required{Names: []string{"none"}}, &Sequence{Column: "none"},
		&Balance{Left: "v", Right: "none"}, rule(t, "none > 1")} {
		_, err := Run(context.Background(), sourcetest.Set(t, "", files), sourcetest.Reading,
			Options{Checks: []Check{c}})
		if unknown, ok := err.(*tally.UnknownColumnError); !ok || unknown.Column != "none" {
			t.Errorf("%T: error %v", c, err)
		}
	}
}

// However many findings there are, each is given, with the id that it has among
// the first ones.
func TestEveryFinding(t *testing.T) {
	const records = finding.Kept*2 + 5000
	var b strings.Builder
	b.WriteString("k,v\n")
	for i := range records {
		fmt.Fprintf(&b, ",%d\n", i)
	}
	r := check(t, "", sourcetest.Reading, Options{Whole: true, Totals: []string{"v"},
		Checks: []Check{&Required{Names: []string{"k"}}}}, map[string]string{"a.csv": b.String()})
	if n := len(r.Findings); n != finding.Kept+1 || !r.Findings[n-1].Rest ||
		r.Findings[n-1].Count != records-finding.Kept {
		t.Fatalf("%d findings are kept one by one", n)
	}
	seen, ids := 0, make(map[string]bool)
	err := r.EachFinding(func(f *finding.Finding) error {
		if f.Line != seen+2 || f.Amount != fmt.Sprint(seen) || ids[f.ID] {
			return fmt.Errorf("finding %d is %+v", seen, f)
		}
		if seen < finding.Kept && (r.Findings[seen].ID != f.ID || r.Findings[seen].State != f.State) {
			return fmt.Errorf("finding %d has the id %s, and %s among the first ones", seen, f.ID, r.Findings[seen].ID)
		}
		ids[f.ID] = true
		seen++
		return nil
	})
	if err != nil || seen != records {
		t.Errorf("%d of %d findings: %v", seen, records, err)
	}
}

// A source, or a document, that is out of balance by the same as before but holds
// other amounts is known by its id, and has another state.
func TestAnImbalanceOfOtherAmounts(t *testing.T) {
	var ids, states []string
	for _, file := range []string{"k,d,c\nA,10,\nA,,9\n", "k,d,c\nA,20,\nA,,19\n"} {
		r := check(t, "", sourcetest.Reading, Options{Checks: []Check{&Balance{Left: "d", Right: "c", By: "k"}}},
			map[string]string{"a.csv": file})
		for _, f := range r.Findings {
			if f.Kind == finding.Unbalanced {
				ids, states = append(ids, f.ID), append(states, f.State)
			}
		}
	}
	if len(ids) != 4 || ids[0] != ids[2] || ids[1] != ids[3] || states[0] == states[2] || states[1] == states[3] {
		t.Errorf("ids %q, states %q", ids, states)
	}
}
