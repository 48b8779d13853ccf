package month

import (
	"fmt"
	"strings"
	"testing"

	"lastblock/core/capability/rollup"
	"lastblock/core/capability/tieout"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/source/shape"
	"lastblock/core/value/date"
	"lastblock/core/value/expression"
	"lastblock/internal/sourcetest"
)

// netOf4000 computes a column and has a condition, which speaks of it and of what names tell.
func netOf4000(t *testing.T) *shape.Request {
	t.Helper()
	net, err := expression.Parse("debit - credit")
	if err != nil {
		t.Fatal(err)
	}
	where, err := expression.ParseCondition(`account == "4000" && net > 10 && entity != "corvane"`, "")
	if err != nil {
		t.Fatal(err)
	}
	return &shape.Request{Make: []shape.Make{{Name: "net", Expression: net}}, Where: where}
}

// A condition and a computed column of one part of a run change nothing for the others, and come to
// what they come to where all is read in this way.
func TestWhatIsNarrowedIsNarrowedForOnePartAlone(t *testing.T) {
	set := sourcetest.Set(t, "{entity}_{period}", branches())
	for _, jobs := range []int{1, 3} {
		reading := source.Reading{Jobs: jobs, Memory: 1 << 28}
		if err := set.Look(t.Context(), reading); err != nil {
			t.Fatal(err)
		}
		narrowed := set.Narrow(netOf4000(t))
		all := tieout.Prepare(set, reading, tieout.Options{Totals: []string{"debit"}})
		part, err := rollup.Prepare(t.Context(), narrowed.Set, reading,
			rollup.Options{By: []string{"entity", "account"}, Sum: []string{"net"}})
		if err != nil {
			t.Fatal(err)
		}
		if err := set.ScanFor(t.Context(), reading, all, narrowed.Member(part)); err != nil {
			t.Fatal(err)
		}
		tied, err := all.Finish(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		got := rowsOf(t, part)
		alone, err := tieout.Run(t.Context(), set, reading, tieout.Options{Totals: []string{"debit"}})
		if err != nil {
			t.Fatal(err)
		}
		if fmt.Sprintf("%+v", tied.Proof) != fmt.Sprintf("%+v", alone.Proof) || tied.Totals[0] != alone.Totals[0] {
			t.Errorf("with %d cores the tie-out is\n%+v\nand alone\n%+v", jobs, tied.Proof, alone.Proof)
		}
		want := rowsOf(t, narrowly(t, netOf4000(t), reading))
		if got != want || strings.Contains(got, "corvane") || !strings.Contains(got, "brackenfell 4000") {
			t.Errorf("with %d cores the part comes to\n%s\nwant\n%s", jobs, got, want)
		}
	}
}

// narrowly reads all sources as a request says, for the same summary.
func narrowly(t *testing.T, request *shape.Request, reading source.Reading) *rollup.Job {
	t.Helper()
	set := sourcetest.Shaped(t, "{entity}_{period}", branches(), request)
	job, err := rollup.Prepare(t.Context(), set, reading,
		rollup.Options{By: []string{"entity", "account"}, Sum: []string{"net"}})
	if err != nil {
		t.Fatal(err)
	}
	if err := set.Scan(t.Context(), reading, job.Visitor); err != nil {
		t.Fatal(err)
	}
	return job
}

// rowsOf are the rows of a summary, its proof, and how many findings there are.
func rowsOf(t *testing.T, job *rollup.Job) string {
	t.Helper()
	result, err := job.Finish()
	if err != nil {
		t.Fatal(err)
	}
	defer result.Close()
	var b strings.Builder
	err = result.Each(func(row rollup.Row) error {
		fmt.Fprintln(&b, strings.Join(row.Key, " "), row.Records, row.Sums)
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	fmt.Fprintf(&b, "%+v, %d findings", result.Proof, len(result.Findings))
	return b.String()
}

// A name that no source has is an error, as where all is read in this way.
func TestANarrowedPartNamesWhatIsThere(t *testing.T) {
	set := sourcetest.Set(t, "", map[string]string{"a.csv": "doc,debit\nD1,5\nD2,7\n"})
	if err := set.Look(t.Context(), sourcetest.Reading); err != nil {
		t.Fatal(err)
	}
	where, err := expression.ParseCondition("debits > 1", "")
	if err != nil {
		t.Fatal(err)
	}
	narrowed := set.Narrow(&shape.Request{Where: where})
	part := tieout.Prepare(narrowed.Set, sourcetest.Reading, tieout.Options{})
	err = set.ScanFor(t.Context(), sourcetest.Reading, narrowed.Member(part))
	want := `⟨where⟩: character 1 of "debits > 1": no source has a column "debits"`
	if err == nil || !strings.Contains(err.Error(), want) {
		t.Errorf("the error is %v", err)
	}
}

// What was read as a kind, or computed, for all parts has its plain form there, and is not read once more
// as the source writes it.
func TestWhatAllPartsReadIsNotReadTwice(t *testing.T) {
	files := map[string]string{
		"corvane_2031-01.csv": "account;posted;debit;credit\n4000;03.02.2031;1.234,50;0,00\n" +
			"4100;14.02.2031;0,00;20,25\n" +
			"4000;02.03.2031;7,00;1,00\n",
		"eskerby_2031-01.csv": "account,posted,debit,credit\n4000,2031-02-03,10.50,0.50\n",
	}
	parse := func(text string) *expression.Expression {
		t.Helper()
		e, err := expression.Parse(text)
		if err != nil {
			t.Fatal(err)
		}
		return e
	}
	as := []shape.As{{Column: "posted", Kind: record.Date, Order: date.DayMonthYear},
		{Column: "debit", Kind: record.Amount}}
	base := &shape.Request{As: as, Make: []shape.Make{{Name: "net", Expression: parse("debit - credit")}}}
	where, err := expression.ParseCondition(`net > 5 && posted < date("2031-03-01")`, "")
	if err != nil {
		t.Fatal(err)
	}
	double := shape.Make{Name: "double", Expression: parse("net + debit - credit")}
	own := &shape.Request{Make: []shape.Make{double}, Where: where}
	options := rollup.Options{By: []string{"entity"}, Sum: []string{"double"}}

	set := sourcetest.Shaped(t, "{entity}_{period}", files, base)
	if err := set.Look(t.Context(), sourcetest.Reading); err != nil {
		t.Fatal(err)
	}
	narrowed := set.Narrow(own)
	part, err := rollup.Prepare(t.Context(), narrowed.Set, sourcetest.Reading, options)
	if err != nil {
		t.Fatal(err)
	}
	if err := set.ScanFor(t.Context(), sourcetest.Reading, narrowed.Member(part)); err != nil {
		t.Fatal(err)
	}
	got := rowsOf(t, part)
	want := "corvane 1 [2469.00]\neskerby 1 [20.00]\n" // twice 1,234.50 and 10.00
	if !strings.HasPrefix(got, want) || strings.Contains(got, "Suspense:3") {
		t.Errorf("it comes to\n%s\nwant\n%s", got, want)
	}
}
