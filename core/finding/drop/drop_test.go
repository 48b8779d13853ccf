package drop

import (
	"fmt"
	"math"
	"testing"
)

func TestLines(t *testing.T) {
	var l Lines
	in := map[int]bool{1: true, 63: true, 64: true, 200: true, 5000: true}
	for line := range in {
		l.Add(line)
	}
	for first := range 300 {
		if l.Has(first) != in[first] {
			t.Errorf("line %d is in the set: %v", first, !in[first])
		}
		from, to := -1, -1
		for last := first; last < 300; last++ {
			if in[last] {
				to = last
				if from < 0 {
					from = last
				}
			}
			gotFrom, gotTo, ok := l.Between(first, last)
			if ok != (from >= 0) || ok && (gotFrom != from || gotTo != to) {
				t.Fatalf("of lines %d to %d the set has %d to %d", first, last, gotFrom, gotTo)
			}
		}
	}
	if got := fmt.Sprint(l.Ranges()); got != "[[1 1] [63 64] [200 200] [5000 5000]]" {
		t.Errorf("the stretches are %s", got)
	}
	for _, l := range []*Lines{&l, nil} {
		if _, _, ok := l.Between(5001, math.MaxInt); ok || l.Has(5001) {
			t.Error("there is a line where none is")
		}
	}
}

func TestWhatIsTaken(t *testing.T) {
	var s Set
	if !s.IsEmpty() || !(*Set)(nil).IsEmpty() || (*Set)(nil).Of("a") != nil {
		t.Error("nothing is something")
	}
	mistake, double := Reason{"same-record", "keyed twice"}, Reason{Kind: "overlap"}
	s.File("whole.csv", mistake)
	s.File("whole.csv", double) // the first reason counts
	s.Line("lines.csv", 7, double)
	s.Line("lines.csv", 70_000, double)
	s.Record("records.json", 1, Print{11, 11}, mistake)
	s.Record("records.json", 1, Print{11, 11}, mistake)
	s.Record("records.json", 1, Print{22, 22}, double)
	s.Record("records.json", 9, Print{33, 33}, double)
	var got []string
	ask := func(source string, line int, print uint64) {
		reason, ok := s.Of(source).Takes(line, func() Print { return Print{print, print} })
		got = append(got, fmt.Sprintf("%s%d %d %v %s", source, line, print, ok, reason.Kind))
	}
	ask("whole.csv", 3, 0)
	ask("lines.csv", 7, 0)
	ask("lines.csv", 8, 0)
	ask("lines.csv", 70_000, 0)
	ask("lines.csv", 90_000_000, 0)
	ask("records.json", 1, 11)
	ask("records.json", 1, 22)
	ask("records.json", 1, 11)
	ask("records.json", 1, 11) // the third one is none of the two
	ask("records.json", 9, 34) // another record stands there by now
	want := []string{
		"whole.csv3 0 true same-record", "lines.csv7 0 true overlap", "lines.csv8 0 false ",
		"lines.csv70000 0 true overlap", "lines.csv90000000 0 false ",
		"records.json1 11 true same-record", "records.json1 22 true overlap", "records.json1 11 true same-record",
		"records.json1 11 false ", "records.json9 34 false ",
	}
	if fmt.Sprint(got) != fmt.Sprint(want) {
		t.Errorf("it says\n%q, want\n%q", got, want)
	}
	if reason, ok := s.Of("whole.csv").Whole(); !ok || reason != mistake {
		t.Errorf("the file is left out for %v", reason)
	}
	if _, ok := s.Of("none").Whole(); ok {
		t.Error("a source of which nothing was said is left out")
	}
	s.Of("records.json").Missing(func(line int, reason Reason) {
		if line != 9 || reason != double {
			t.Errorf("line %d is missing", line)
		}
	})
}
