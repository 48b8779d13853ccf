package tally

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"lastblock/core/finding"
	"lastblock/core/finding/decision"
	"lastblock/core/finding/drop"
	"lastblock/core/finding/suspense"
	"lastblock/core/source"
	"lastblock/core/value/equality"
	"lastblock/internal/sourcetest"
)

// counting hands on what can be used and counts it.
type counting struct {
	*Visitor
	used *int
}

func (c *counting) Batch(b *source.Batch) error {
	err := c.Visitor.Batch(b)
	*c.used += c.Usable(b)
	return err
}

func tallied(t *testing.T, set *source.Set, options Options) (*Tally, int) {
	t.Helper()
	tally, used := New(set, options), 0
	if err := tally.LookForTwins(context.Background(), 2); err != nil {
		t.Fatal(err)
	}
	err := set.Scan(context.Background(), source.Reading{Jobs: 1, Memory: 1 << 28},
		func() source.Visitor { return &counting{tally.Visitor(), &used} })
	if err == nil {
		err = tally.Finish()
	}
	if err != nil {
		t.Fatal(err)
	}
	return tally, used
}

// printOf is the fingerprint of a record by its texts.
func printOf(columns, texts []string) string {
	var p equality.Print
	for i, column := range columns {
		p.Add(column, []byte(texts[i]), '.')
	}
	return fmt.Sprintf("%016x", p.Sum())
}

// What was decided is left out as long as it is what it was, and named in the
// proof; what is not, is told.
func TestWhatIsLeftOut(t *testing.T) {
	files := map[string]string{
		"a.csv": "doc,amount\nD1,10.00\nD2,20.00\nD2,20.00\nD3,thirty\n",
		"b.csv": "doc,amount\nD1,1.00\nD9,9.00\n",
		"c.csv": "doc,amount\nD7,7.00\n",
	}
	set := sourcetest.Set(t, "", files)
	print := func(index int) string {
		p, err := set.FilePrint(index)
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
	columns := []string{"doc", "amount"}
	twice := decision.Dropped{Source: "a.csv", Line: 4, Print: printOf(columns, []string{"D2", "20"})}
	log := &decision.Log{}
	decide := func(id string, verdict decision.Verdict, dropped ...decision.Dropped) {
		log.Add(decision.Decision{
			Time: time.Date(2031, 4, 3, 0, 0, 0, 0, time.UTC), User: "ada", Verdict: verdict, Reason: "because", ID: id,
			Kind: finding.SameRecord, Dropped: dropped,
		})
	}
	decide("1", decision.Drop, twice)
	decide("2", decision.Drop, decision.Dropped{Source: "b.csv", Print: print(1)})
	decide("3", decision.Drop, decision.Dropped{Source: "c.csv", Print: "other bytes"})
	decide("4", decision.Drop, decision.Dropped{Source: "a.csv", Line: 2,
		Print: printOf(columns, []string{"D1", "11"})})
	decide("5", decision.Drop, decision.Dropped{Source: "gone.csv", Print: "x"})
	decide("6", decision.Drop, decision.Dropped{Source: "a.csv", Line: 3, Print: twice.Print})
	decide("6", decision.Reopen)
	set2, err := Decided(set, log)
	if err != nil {
		t.Fatal(err)
	}
	var out strings.Builder
	file, err := suspense.New(&out, false)
	if err != nil {
		t.Fatal(err)
	}
	tally, used := tallied(t, set, Options{Amounts: []string{"amount"}, Drop: set2, Both: true, Suspense: file})
	tally.Proof.Used = used
	tally.Proof.Totals[0].Used = tally.Proof.Totals[0].Used.Add(tally.Sources[0].Totals[0].Amount()).Add(
		tally.Sources[2].Totals[0].Amount())
	if err := tally.Proof.Check(); err != nil {
		t.Error(err)
	}
	if got := fmt.Sprint(tally.Proof.Count); got != "{7 3 1 3}" {
		t.Errorf("read, used, suspense and dropped are %s", got)
	}
	if got := fmt.Sprint(tally.Proof.Left); got != "[{a.csv  1 [20.00] same-record because, ada on 2031-04-03} "+
		"{b.csv  2 [10.00] same-record because, ada on 2031-04-03}]" {
		t.Errorf("left out is %s", got)
	}
	var lapsed []string
	for _, f := range tally.Findings.All() {
		if f.Kind == finding.LapsedDrop {
			lapsed = append(lapsed, fmt.Sprint(f.Source, ":", f.Line))
		}
	}
	if got := fmt.Sprint(lapsed); got != "[a.csv:2 c.csv:0]" {
		t.Errorf("what is not what it was is %s", got)
	}
	want := suspense.Header + "same-record,,,\"D2,20.00\",a.csv,4\nbad-value,amount,thirty,\"D3,thirty\",a.csv,5\n" +
		"same-record,,,\"D1,1.00\",b.csv,2\nsame-record,,,\"D9,9.00\",b.csv,3\n"
	if out.String() != want {
		t.Errorf("set aside is\n%s, want\n%s", out.String(), want)
	}
}

// Twins are told once, with what is counted twice, unless they were left out or
// hold no records.
func TestTwinsAreTold(t *testing.T) {
	text := "doc,amount\nD1,10.00\nD2,20.50\n"
	set := sourcetest.Set(t, "", map[string]string{"a.csv": text, "b.csv": text, "c.csv": text,
		"bare1.csv": "doc,amount\n", "bare2.csv": "doc,amount\n"})
	tell := func(left *drop.Set) string {
		tally, _ := tallied(t, set, Options{Amounts: []string{"amount"}, Drop: left})
		var told []string
		for _, f := range tally.Findings.All() {
			if f.Kind == finding.SameFile {
				told = append(told, fmt.Sprint(f.Source, " ", len(f.Places), " ", f.Count, " ", f.Amount, " ",
					f.Message))
			}
		}
		return strings.Join(told, "\n")
	}
	if got, want := tell(nil), "a.csv 3 4 61.00 b.csv and c.csv hold the same bytes; 4 records with amount 61.00 "+
		"are counted twice"; got != want {
		t.Errorf("it tells %q, want %q", got, want)
	}
	left := new(drop.Set)
	left.File("b.csv", drop.Reason{Kind: finding.SameFile, Text: "sent twice"})
	if got := tell(left); !strings.HasPrefix(got, "a.csv 2 2 30.50 c.csv holds") {
		t.Errorf("with one left out it tells %q", got)
	}
	left.File("a.csv", drop.Reason{Kind: finding.SameFile, Text: "sent twice"})
	if got := tell(left); got != "" {
		t.Errorf("with two left out it tells %q", got)
	}
}

// A finding about the same files has the same id, whatever totals are asked for, so
// that one decision holds everywhere.
func TestTheIdOfTwinsDoesNotDependOnTotals(t *testing.T) {
	text := "doc,amount\nD1,10.00\n"
	set := sourcetest.Set(t, "", map[string]string{"a.csv": text, "b.csv": text})
	known := ""
	for _, amounts := range [][]string{nil, {"amount"}} {
		tally, _ := tallied(t, set, Options{Amounts: amounts})
		f := tally.Findings.All()[0]
		if key := f.ID + f.State; known == "" {
			known = key
		} else if key != known {
			t.Errorf("the id and state are %s and %s", known, key)
		}
	}
}
