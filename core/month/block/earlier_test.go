package block

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"lastblock/core/value/amount"

	"github.com/klauspost/compress/zstd"
)

// figuresOf are the figures of a block as lines, without those of groups of which a source is not known.
func figuresOf(t *testing.T, c *Chain, e *Entry, isWanted func(string) bool) (lines []string) {
	t.Helper()
	err := c.Figures(e, isWanted, func(f *Figure) error {
		lines = append(lines, fmt.Sprint(f.Kind, " ", f.Result, " ", f.Source, " ", f.Group, " ", f.Rows, " ",
			f.Totals))
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	slices.Sort(lines)
	return lines
}

// What is as an earlier block has it is left to that one, and a block shows all of it; what differs is written.
func TestFiguresThatStandInEarlierBlocks(t *testing.T) {
	_, c := closed(t)
	if err := os.MkdirAll(c.Folder, 0o755); err != nil {
		t.Fatal(err)
	}
	months := [][]given{
		{{"a", "4000", "5.50"}, {"b", "4000", "2"}, {"b", "4100", "7"}},
		{{"a", "4000", "5.50"}, {"b", "4000", "2"}, {"b", "4100", "7"}, {"c", "4000", "1"}},
		{{"a", "4000", "5.51"}, {"b", "4000", "2"}, {"b", "4100", "7"}, {"c", "4000", "1"}},
		{{"a", "4000", "5.50"}, {"b", "4000", "2"}, {"b", "4100", "7"}},
		{{"a", "4000", "5.51"}, {"b", "4100", "7"}, {"c", "4000", "1"}},
	}
	earlier := []string{"", "1:3/3", "1:3/2 2:1/1", "1:3/2", "1:3/1 2:1/1"}
	own := []string{"x a b", "c", "", "", ""}
	for m, month := range months {
		e := sealFigures(t, c, fmt.Sprintf("2031-%02d", m+1), month)
		var of, names []string
		for _, k := range e.Earlier {
			of = append(of, fmt.Sprintf("%d:%d/%d", k.Number, k.Sources, k.Figures))
		}
		for i := range e.Sources {
			names = append(names, e.Sources[i].Source)
		}
		if got := strings.Join(of, " "); got != earlier[m] || strings.Join(names, " ") != own[m] {
			t.Errorf("block %d has %v itself and stands on %s, want %s and %s", m+1, names, got, own[m], earlier[m])
		}
	}
	read, err := Read(c.Folder, "lastblock.toml")
	if err != nil {
		t.Fatal(err)
	}
	for m, month := range months {
		e := &read.Entries[m]
		want := []string{"given 1 x [] 1 [999]"}
		groups := make(map[string]float64)
		rows := make(map[string]int)
		for i, g := range month {
			if i == 0 || month[i-1].source != g.source {
				want = append(want, fmt.Sprintf("given 2 %s [] 1 [0 1]", g.source))
			}
			want = append(want, fmt.Sprintf("within 2 %s [%s U1] 2 [%s 1]", g.source, g.account, g.amount))
			v, err := strconv.ParseFloat(g.amount, 64)
			if err != nil {
				t.Fatal(err)
			}
			groups[g.account] += v
			rows[g.account]++
		}
		got := figuresOf(t, read, e, nil)
		for account, n := range rows {
			at := slices.IndexFunc(got, func(line string) bool {
				return strings.HasPrefix(line, fmt.Sprintf("group 2  [%s U1] %d ", account, 2*n))
			})
			var sum float64
			if at >= 0 {
				fmt.Sscanf(got[at][strings.LastIndex(got[at], "[")+1:], "%g", &sum)
				got = slices.Delete(got, at, at+1)
			}
			if diff := sum - groups[account]; at < 0 || diff > 1e-9 || diff < -1e-9 {
				t.Errorf("block %d: %s comes to %v, want %v", m+1, account, sum, groups[account])
			}
		}
		if slices.Sort(want); !slices.Equal(got, want) {
			t.Errorf("block %d has\n%s\nwant\n%s", m+1, strings.Join(got, "\n"), strings.Join(want, "\n"))
		}
		sources, err := read.Sources(e)
		if err != nil || len(sources) != e.SourceCount || e.SourceCount != len(slices.Compact(sourcesIn(month)))+1 {
			t.Errorf("%v: block %d has %d sources", err, m+1, len(sources))
		}
		// Of some sources alone there is what all would say of them, and of groups what is asked for.
		isB := func(source string) bool { return source == "b" }
		var some []string
		known, err := read.Given(e, isB, func(f *Figure) error {
			some = append(some, fmt.Sprint(f.Kind, f.Group, f.Totals))
			return nil
		})
		if err != nil || !known[2] || known[1] || len(some) != 1+len(slices.DeleteFunc(slices.Clone(month),
			func(g given) bool { return g.source != "b" })) {
			t.Errorf("%v: block %d says of b %v, and knows %v", err, m+1, some, known)
		}
		asked := &Groups{Result: 2, Columns: []int{0}, Sums: make(map[string][]amount.Amount)}
		asked.Keys = map[string]bool{asked.Key([]string{"4100"}): true}
		if err := read.SumGroups(e, []*Groups{asked}); err != nil || len(asked.Sums) != 1 ||
			asked.Sums[asked.Key([]string{"4100"})][0].String() != "7" {
			t.Errorf("%v: block %d sums up %v", err, m+1, asked.Sums)
		}
	}
	if err := os.Remove(filepath.Join(c.Folder, read.Entries[1].Figures.Name)); err != nil {
		t.Fatal(err)
	}
	lost := new(LostError)
	if err := read.Figures(&read.Entries[2], nil, func(*Figure) error { return nil }); !errors.As(err, &lost) ||
		lost.In != 2 || lost.Number != 3 || lost.Sources != 1 || lost.Of != 4 {
		t.Errorf("of figures that are gone: %v", err)
	}
	figuresOf(t, read, &read.Entries[3], nil) // which does not stand on them
}

func sourcesIn(all []given) (names []string) {
	for _, g := range all {
		names = append(names, g.source)
	}
	return names
}

// Members, columns and kinds of lines that this version does not know are left alone.
func TestUnknownMembers(t *testing.T) {
	folder, c := closed(t)
	if err := os.MkdirAll(c.Folder, 0o755); err != nil {
		t.Fatal(err)
	}
	e := sealFigures(t, c, "2031-01", []given{{"a", "4000", "5.50"}})
	file, err := os.Open(filepath.Join(folder, e.Figures.Name))
	if err != nil {
		t.Fatal(err)
	}
	unpacked, err := zstd.NewReader(file)
	if err != nil {
		t.Fatal(err)
	}
	text, err := io.ReadAll(unpacked)
	if err = errors.Join(err, file.Close()); err != nil {
		t.Fatal(err)
	}
	var lines []string
	for i, line := range strings.Split(strings.TrimSpace(string(text)), "\n") {
		lines = append(lines, line+[]string{",colour", ",red"}[min(i, 1)])
	}
	another := "forecast" + strings.Repeat(",", strings.Count(lines[0], ","))
	of := e.Block
	of.Figures = packed(t, c, e.Figures.Name, func(w io.Writer) {
		fmt.Fprintf(w, "%s\n%s\n%s\n", lines[0], another, strings.Join(lines[1:], "\n"))
	})
	all, err := of.members()
	if err != nil {
		t.Fatal(err)
	}
	all["forecast"] = []byte(`{"by":"anna"}`)
	delete(all, bodyMember)
	all[bodyMember] = strconv.AppendQuote(nil, SealOf(all.object()))
	if err := os.WriteFile(filepath.Join(folder, e.File), all.object(), 0o644); err != nil {
		t.Fatal(err)
	}
	read, err := Read(folder, "lastblock.toml")
	if err != nil {
		t.Fatal(err)
	}
	want := "[given 1 x [] 1 [999] given 2 a [] 1 [0 1] group 2  [4000 U1] 2 [5.50 1] within 2 a [4000 U1] 2 [5.50 1]]"
	if got := fmt.Sprint(figuresOf(t, read, read.Last(), nil)); got != want {
		t.Errorf("its figures are %s, want %s", got, want)
	}
	if next := sealFigures(t, read, "2031-02", []given{{"a", "4000", "5.50"}}); len(next.Sources) != 0 {
		t.Errorf("the next block has %+v itself", next.Sources)
	}
}
