package tally_test

import (
	"context"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"lastblock/core/finding"
	"lastblock/core/finding/suspense"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/internal/sourcetest"
)

// count tallies files and returns the tally and the suspense file.
func count(t *testing.T, pattern string, amounts []string, files map[string]string) (*tally.Tally, string, error) {
	t.Helper()
	set := sourcetest.Set(t, pattern, files)
	var aside strings.Builder
	file, err := suspense.New(&aside, false)
	if err != nil {
		t.Fatal(err)
	}
	c := tally.New(set, tally.Options{Amounts: amounts, Suspense: file})
	if err := set.Scan(context.Background(), sourcetest.Reading,
		func() source.Visitor { return c.Visitor() }); err != nil {
		t.Fatal(err)
	}
	err = c.Finish()
	return c, aside.String(), err
}

// told are the findings as "source line kind column count".
func told(c *tally.Tally) []string {
	var all []string
	for _, f := range c.Findings.All() {
		all = append(all, strings.TrimSpace(fmt.Sprintf("%s %d %s %s %d", f.Source, f.Line, f.Kind, f.Column, f.Count)))
	}
	return all
}

func TestARecordWithABadAmountIsSetAsideWhole(t *testing.T) {
	c, aside, err := count(t, "", []string{"debit", "credit"}, map[string]string{
		"a.csv": "doc,debit,credit\n1,10.00,1\n2,x,2\n3,y,z\n4,5.50,\n5,,4\n",
	})
	if err != nil {
		t.Fatal(err)
	}
	s := c.Sources[0]
	if s.Read != 5 || s.Suspense != 2 || s.Totals[0].Amount().String() != "15.50" ||
		s.Totals[1].Amount().String() != "5" {
		t.Errorf("read %d, suspense %d, totals %s and %s", s.Read, s.Suspense, s.Totals[0].Amount(),
			s.Totals[1].Amount())
	}
	if want := []int{1, 1}; !slices.Equal(s.Blank, want) {
		t.Errorf("blank amounts %v, want %v", s.Blank, want)
	}
	credit := c.Proof.Totals[1]
	if credit.Read.String() != "7" || credit.Suspense.String() != "2" {
		t.Errorf("credit read %s, in suspense %s", credit.Read, credit.Suspense)
	}
	want := "reason,column,found,record,source,source_line\n" +
		"bad-value,debit,x,\"2,x,2\",a.csv,3\n" +
		"bad-value,debit,y,\"3,y,z\",a.csv,4\n"
	if aside != want {
		t.Errorf("suspense file is\n%s\nwant\n%s", aside, want)
	}
	if got, want := told(c), []string{
		"a.csv 0 blank-amount credit 1", "a.csv 0 blank-amount debit 1", "a.csv 3 bad-value debit 0",
		"a.csv 4 bad-value debit 0",
	}; !reflect.DeepEqual(got, want) {
		t.Errorf("findings are %q", got)
	}
}

func TestABlankAmountInSuspenseIsNotToldAsBlank(t *testing.T) {
	c, _, err := count(t, "", []string{"debit", "credit"}, map[string]string{"a.csv": "debit,credit\n,x\n1,1\n"})
	if err != nil {
		t.Fatal(err)
	}
	if !slices.Equal(c.Sources[0].Blank, []int{0, 0}) {
		t.Errorf("blank amounts %v", c.Sources[0].Blank)
	}
}

func TestFindingsOfASource(t *testing.T) {
	for _, c := range []struct {
		rule string
		text string
		want []string
	}{
		{"all is well", "a,b\n1,2\n", nil},
		{"no bytes", "", []string{"f_1.csv 0 empty-file  0"}},
		{"nothing but line ends", "\n\n\r\n", []string{"f_1.csv 0 empty-file  0"}},
		{"a header and no rows", "a,b\n", []string{"f_1.csv 0 no-rows  0"}},
		{"the header again", "a,b\n1,2\na,b\na,b\n3,4\n", []string{"f_1.csv 3 repeated-header  2"}},
		{"a name twice", "a,b,a\n1,2,3\n", []string{"f_1.csv 1 repeated-column a 0"}},
		{"a name twice below blank lines", "\n\na,b,a\n1,2,3\n", []string{"f_1.csv 3 repeated-column a 0"}},
		{"no name", "a,,c\n1,2,3\n", []string{"f_1.csv 1 unnamed-column #2 0"}},
		{"blank lines", "a,b\n\n1,2\n\n", []string{"f_1.csv 0 blank-line  2"}},
		{"too few fields", "a,b\n1\n1,2\n", []string{"f_1.csv 2 field-count  0"}},
		{"an open quote", "a,b\n1,2\n\"1,2\n3,4\n", []string{"f_1.csv 3 open-quote  0"}},
		{"text behind a quote", "a,b\n1,2\n\"1\"x,2\n", []string{"f_1.csv 3 stray-quote  0"}},
	} {
		t.Run(c.rule, func(t *testing.T) {
			tallied, _, err := count(t, "{entity}_{n}", nil, map[string]string{"f_1.csv": c.text})
			if err != nil {
				t.Fatal(err)
			}
			if got := told(tallied); !reflect.DeepEqual(got, c.want) {
				t.Errorf("findings are %q, want %q", got, c.want)
			}
		})
	}
}

func TestANameThatDoesNotMatchIsTold(t *testing.T) {
	c, _, err := count(t, "{entity}_{period}", nil, map[string]string{"a_2031-01.csv": "n\n1\n", "odd.csv": "n\n1\n"})
	if err != nil {
		t.Fatal(err)
	}
	if got := told(c); !reflect.DeepEqual(got, []string{"odd.csv 0 unmatched-name  0"}) {
		t.Errorf("findings are %q", got)
	}
}

func TestAColumnThatSomeLackStopsAndOneThatNoneHasIsAnError(t *testing.T) {
	files := map[string]string{"a.csv": "doc,debit\n1,2\n", "b.csv": "doc\n1\n2\n", "empty.csv": ""}
	c, _, err := count(t, "", []string{"debit"}, files)
	if err != nil {
		t.Fatal(err)
	}
	if got := told(c); !slices.Contains(got, "b.csv 0 missing-column debit 0") {
		t.Errorf("findings are %q", got)
	}
	if !finding.Stops(c.Findings.All()) {
		t.Error("a missing column does not stop")
	}
	_, _, err = count(t, "", []string{"debits"}, files)
	var unknown *tally.UnknownColumnError
	if !errors.As(err, &unknown) || !slices.Equal(unknown.Have, []string{"doc", "debit"}) ||
		!strings.Contains(err.Error(), `did you mean "debit"?`) {
		t.Errorf("error is %v", err)
	}
}

func TestWhatDiffersIsToldAgainstTheUsualColumns(t *testing.T) {
	c, _, err := count(t, "", nil, map[string]string{
		"a.csv": "x,y\n1,2\n", "b.csv": "x,y,z\n1,2,3\n", "c.csv": "z,y,x\n3,2,1\n", "d.csv": "x,y,z\n1,2,3\n",
	})
	if err != nil {
		t.Fatal(err)
	}
	c.TellDiffering()
	var got []string
	for _, f := range c.Findings.All() {
		got = append(got, f.Source+" "+f.Message)
	}
	want := []string{"a.csv lacks z", "c.csv has the usual columns in another order: z, y, x"}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("findings are %q", got)
	}
}

func TestResolver(t *testing.T) {
	set := sourcetest.Set(t, "{entity}_{period}", map[string]string{
		"a_2031-01.csv": "entity,amount\nsouth,1\n", "b_2031-01.csv": "amount,note\n2,x\n",
	})
	if err := set.Look(context.Background(), sourcetest.Reading); err != nil {
		t.Fatal(err)
	}
	r := tally.NewResolver(set)
	for _, c := range []struct {
		name string
		a, b string // what stands in the column: "#" and an index, or a text
	}{
		{"amount", "#1", "#0"},
		{"note", "", "#1"},
		{"#2", "#1", "#1"},
		{"entity", "#0", ""}, // the branch's own
		{"entity_2", "a", "b"},
		{"period", "2031-01", "2031-01"},
		{"source", "a_2031-01.csv", "b_2031-01.csv"},
	} {
		column, err := r.Resolve(c.name)
		if err != nil {
			t.Errorf("%s: %v", c.name, err)
			continue
		}
		for i, want := range []string{c.a, c.b} {
			bound := column.Bind(set, i, set.Head(i))
			got := string(bound.Constant)
			if bound.Column >= 0 {
				got = fmt.Sprint("#", bound.Column)
			}
			if got != want {
				t.Errorf("%s in source %d is %q, want %q", c.name, i, got, want)
			}
		}
	}
	if _, err := r.Resolve("perod"); err == nil || !strings.Contains(err.Error(), `did you mean "period"?`) {
		t.Errorf("error is %v", err)
	}
	if _, err := r.ResolveData("period"); err == nil {
		t.Error("a word is taken for a column of the data")
	}
}

// BenchmarkAmounts reads two amount columns of a source that is in memory.
func BenchmarkAmounts(b *testing.B) {
	text := "document,debit,credit\n" + strings.Repeat("D00012345,1234.50,0.00\nD00012346,0.00,99.95\n", 20_000)
	set := sourcetest.Set(b, "", map[string]string{"a.csv": text})
	b.SetBytes(int64(len(text)))
	for b.Loop() {
		c := tally.New(set, tally.Options{Amounts: []string{"debit", "credit"}})
		if err := set.Scan(context.Background(), sourcetest.Reading,
			func() source.Visitor { return c.Visitor() }); err != nil {
			b.Fatal(err)
		}
	}
}
