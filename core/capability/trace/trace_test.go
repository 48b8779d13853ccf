package trace

import (
	"cmp"
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"lastblock/core/finding/drop"
	"lastblock/core/source"
	"lastblock/core/source/shape"
	"lastblock/core/value/amount"
	"lastblock/core/value/expression"
	"lastblock/internal/sourcetest"
)

// wantedRecord is a record that a trace should find.
type wantedRecord struct {
	source string
	line   int
	amount amount.Amount
}

// A trace finds the records that say all the words, and no others, the largest amounts first, however many
// goroutines read and whether memory holds them or not.
func TestRecordsOfAFigure(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 18))
	files := make(map[string]string)
	var want []wantedRecord
	var sum amount.Sum
	for i := range 12 {
		name := fmt.Sprintf("e%02d_2031-%02d.csv", i, 1+i%2)
		rows := r.IntN(300)
		if i == 5 {
			rows = 60_000 // which several goroutines read
		}
		var text strings.Builder
		text.WriteString("account,debit,text\n")
		for line := range rows {
			account, value := 4000+r.IntN(3), amount.New(int64(r.IntN(4_000_000)-2_000_000), r.IntN(4))
			fmt.Fprintf(&text, "%d,%s,\"a, b\"\n", account, value)
			if account == 4001 && i%2 == 1 {
				want = append(want, wantedRecord{name, line + 2, value})
				sum.Add(value)
			}
		}
		files[name] = text.String()
	}
	slices.SortFunc(want, func(a, b wantedRecord) int {
		return cmp.Or(b.amount.Abs().Cmp(a.amount.Abs()), cmp.Compare(a.source, b.source), cmp.Compare(a.line, b.line))
	})
	for _, c := range []struct {
		reading source.Reading
		most    int
	}{
		{source.Reading{Memory: 1 << 30, Jobs: 1}, 0}, {source.Reading{Memory: 1 << 30, Jobs: 4}, 0},
		{source.Reading{Memory: 1 << 16, Jobs: 3}, 0}, {source.Reading{Memory: 1 << 30, Jobs: 4}, 7},
		{source.Reading{Memory: 1 << 30, Jobs: 2}, 500},
	} {
		set := sourcetest.Set(t, "{entity}_{period}", files)
		got, err := Run(context.Background(), set, c.reading, Options{Most: c.most, Sum: "debit",
			Words: []Word{{"account", "4001"}, {"period", "2031-02"}}})
		if err != nil {
			t.Fatal(err)
		}
		if made := sum.Amount(); got.Amount.Cmp(made) != 0 || got.Records != len(want) {
			t.Errorf("%+v: %d records of %s, want %d of %s", c, got.Records, got.Amount, len(want), made)
		}
		expected := want
		if c.most > 0 {
			expected = want[:c.most]
		}
		n := 0
		err = got.Each(func(r *Record) error {
			if n < len(expected) {
				w := &expected[n]
				name := set.Sources[r.Place.Source()].Name
				texts := fmt.Sprintf("%s", r.Texts)
				if name != w.source || r.Place.Line() != w.line || r.Amount.Cmp(w.amount) != 0 ||
					texts != fmt.Sprintf("[4001 %s a, b %s 2031-02]", w.amount, w.source[:3]) {
					return fmt.Errorf("record %d is %s of %s line %d: %s, want %+v", n, r.Amount, name, r.Place.Line(),
						texts, *w)
				}
			}
			n++
			return nil
		})
		if err != nil || n != len(expected) {
			t.Errorf("%+v: %d records are kept, want %d: %v", c, n, len(expected), err)
		}
		if err := got.Close(); err != nil {
			t.Error(err)
		}
	}
}

// What is in suspense, or was left out by a condition or a decision, is told where it says the words.
func TestRecordsAside(t *testing.T) {
	where, err := expression.ParseCondition(`text != "no"`, "")
	if err != nil {
		t.Fatal(err)
	}
	set := sourcetest.Shaped(t, "{entity}_{period}", map[string]string{
		"corvane_2031-01.csv": "account,text,debit,credit\n" +
			"4000,a,1.00,0\n" + // line 2
			"4000,a,x,0\n" + // no amount
			"4100,a,y,0\n" + // of another figure
			"4000,no,9.00,0\n" + // left out by the condition
			"4000,a,2.00,z\n" + // no amount in the other column
			"4000,a,3.00,0\n" + // decided
			"4000,b,4.00,0,more\n" + // too many fields
			"4100,b,4.00,0,more\n" +
			"4000,a,5.00,0\n",
	}, &shape.Request{Where: where})
	left := new(drop.Set)
	left.Line("corvane_2031-01.csv", 7, drop.Reason{Text: "twice"})
	got, err := Run(context.Background(), set, sourcetest.Reading, Options{Sum: "debit", With: []string{"credit"},
		Words: []Word{{"account", "4000"}}, Drop: left})
	if err != nil {
		t.Fatal(err)
	}
	defer got.Close()
	if got.Records != 2 || got.Amount.String() != "6.00" {
		t.Errorf("%d records of %s are used, want 2 of 6.00", got.Records, got.Amount)
	}
	for _, c := range []struct {
		what                string
		aside               *Aside
		records, unread     int
		amount, wantedLines string
	}{
		{"suspense", &got.Suspense, 3, 2, "2.00", "3 6 8"}, {"dropped", &got.Dropped, 1, 0, "9.00", "5"},
		{"left", &got.Left, 1, 0, "3.00", "7"},
	} {
		var lines []int
		err := got.EachAside(func(r *Record) error {
			if string(r.State) == c.what {
				lines = append(lines, r.Place.Line())
			}
			return nil
		})
		slices.Sort(lines)
		if read := c.aside.Amount.Amount(); err != nil || c.aside.Records != c.records || c.aside.Unread != c.unread ||
			read.String() != c.amount || strings.Trim(fmt.Sprint(lines), "[]") != c.wantedLines {
			t.Errorf("%s: %d records of %s, %d unread, lines %v: %v", c.what, c.aside.Records, read.String(),
				c.aside.Unread, lines, err)
		}
	}
}
