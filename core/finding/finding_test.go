package finding

import (
	"fmt"
	"math/rand/v2"
	"os"
	"reflect"
	"strings"
	"testing"
)

func TestFindingsStandInTheOrderOfSourcesAndLines(t *testing.T) {
	var a, b List
	a.Add(Finding{Kind: BadValue, Source: "z", Order: 1, Line: 9})
	b.Add(Finding{Kind: NoSource, Source: "gone", Order: End})
	b.Add(Finding{Kind: BadValue, Source: "z", Order: 1, Line: 2})
	a.Add(Finding{Kind: FieldCount, Source: "y", Order: 0, Line: 70})
	a.Merge(&b)
	var got []string
	for _, f := range a.All() {
		got = append(got, fmt.Sprintf("%s %s %d %s", f.Severity, f.Source, f.Line, f.Kind))
	}
	want := []string{"review y 70 field-count", "review z 2 bad-value", "review z 9 bad-value", "stop gone 0 no-source"}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("findings are %q", got)
	}
	if !Stops(a.All()) || Stops(a.All()[:3]) {
		t.Error("only no-source stops")
	}
}

// More findings than are kept must give the same list however they were
// shared out between lists, and must all be counted.
func TestFindingsBeyondTheLimitAreCounted(t *testing.T) {
	const sources, lines = 3, Kept
	lists := make([]List, 4)
	order := rand.New(rand.NewPCG(1, 2)).Perm(sources * lines)
	for i, n := range order {
		lists[i%len(lists)].Add(Finding{Kind: BadValue, Source: fmt.Sprint("s", n/lines), Order: n / lines,
			Line: n%lines + 1, Column: "debit"})
	}
	for i := range lists[1:] {
		lists[0].Merge(&lists[i+1])
	}
	all := lists[0].All()
	if len(all) != Kept+2 {
		t.Fatalf("%d findings, want %d and two that count the rest", len(all), Kept)
	}
	for i, f := range all[:Kept] {
		if f.Source != "s0" || f.Line != i+1 {
			t.Fatalf("finding %d is %+v", i, f)
		}
	}
	for i, f := range all[Kept:] {
		if f.Source != fmt.Sprint("s", i+1) || f.Count != lines || f.Column != "debit" || f.Line != 0 {
			t.Errorf("the rest of source %d is %+v", i+1, f)
		}
	}
	if again := lists[0].All(); !reflect.DeepEqual(all, again) {
		t.Error("asked twice, the list differs")
	}
}

func TestEveryKindHasASeverityAndAParagraph(t *testing.T) {
	doc, err := os.ReadFile("../../docs/findings.md")
	if err != nil {
		t.Fatal(err)
	}
	for _, kind := range Kinds() {
		paragraph := fmt.Sprintf("### %s\n**%s.**", kind, kind.Severity())
		if !strings.Contains(string(doc), paragraph) {
			t.Errorf("docs/findings.md has no paragraph %q", paragraph)
		}
	}
	if headings := strings.Count(string(doc), "\n### "); headings != len(Kinds()) {
		t.Errorf("docs/findings.md has %d paragraphs for %d kinds", headings, len(Kinds()))
	}
}
