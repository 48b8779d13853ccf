package rollup

import (
	"context"
	"fmt"
	"math/rand/v2"
	"reflect"
	"strings"
	"testing"

	"lastblock/core/source"
	"lastblock/internal/sourcetest"
)

// What sources gave by group is what a summary by source and group says, whether memory holds it or not.
func TestFiguresBySource(t *testing.T) {
	r := rand.New(rand.NewPCG(17, 18))
	files, lines := make(map[string]string), make(map[string]Lines)
	for i := range 30 {
		var text strings.Builder
		text.WriteString("account,unit,debit\n")
		rows := r.IntN(400)
		if i == 7 {
			rows = 300_000 // which several goroutines read
		}
		for row := range rows {
			account, unit := 4000+r.IntN(60), r.IntN(3)
			fmt.Fprintf(&text, "%d,U%d,%d.%02d\n", account, unit, r.IntN(1000)-300, r.IntN(100))
			key := fmt.Sprintf("e%d_2031-01.csv %d U%d", i, account, unit)
			if lines[key].First == 0 {
				lines[key] = Lines{First: row + 2}
			}
			lines[key] = Lines{lines[key].First, row + 2}
		}
		files[fmt.Sprintf("e%d_2031-01.csv", i)] = text.String()
	}
	set := func() *source.Set { return sourcetest.Set(t, "{entity}_{period}", files) }
	whole, err := Run(context.Background(), set(), sourcetest.Reading,
		Options{By: []string{"source", "account", "unit"}, Sum: []string{"debit"}})
	if err != nil {
		t.Fatal(err)
	}
	rows, err := whole.Rows()
	if err != nil {
		t.Fatal(err)
	}
	want := make(map[string]string)
	groups, records := make(map[string]int), make(map[string]int)
	for _, row := range rows {
		want[strings.Join(row.Key, " ")] = fmt.Sprint(row.Records, row.Sums[0], lines[strings.Join(row.Key, " ")])
		groups[row.Key[0]]++
		records[row.Key[0]] += row.Records
	}
	for _, c := range []struct {
		reading source.Reading
		across  string
	}{
		{source.Reading{Memory: 1 << 30, Jobs: 1}, ""}, {source.Reading{Memory: 1 << 30, Jobs: 4}, ""},
		{source.Reading{Memory: 1 << 18, Jobs: 3}, ""}, {source.Reading{Memory: 1 << 30, Jobs: 4}, "unit"},
	} {
		in, by := set(), []string{"account", "unit"}
		if c.across != "" {
			by = by[:1]
		}
		got, err := Run(context.Background(), in, c.reading,
			Options{By: by, Sum: []string{"debit"}, Across: c.across, BySource: true})
		if err != nil {
			t.Fatal(err)
		}
		seen := make(map[string]string)
		if err := got.EachOfSource(nil, func(index int, row Row) error {
			key := in.Sources[index].Name + " " + strings.Join(row.Key, " ")
			seen[key] = fmt.Sprint(row.Records, row.Sums[0], row.Lines)
			return nil
		}); err != nil {
			t.Fatal(err)
		}
		kept := 0
		for key, figure := range want {
			name, _, _ := strings.Cut(key, " ")
			if n := records[name]; groups[name] > 100 && groups[name] > n/4 {
				continue // it says no more than its records do
			}
			if kept++; seen[key] != figure {
				t.Fatalf("%+v: %s is %s, want %s", c, key, seen[key], figure)
			}
		}
		if len(seen) != kept || kept == len(want) {
			t.Errorf("%+v: %d figures are given, want %d of %d", c, len(seen), kept, len(want))
		}
		total := 0
		for i := range in.Sources {
			n := got.Sources[i].Used
			if total += n; n != records[in.Sources[i].Name] {
				t.Errorf("%+v: source %d gave %d records", c, i, n)
			}
		}
		if total != got.Total.Records || !reflect.DeepEqual(got.Total.Sums, whole.Total.Sums) {
			t.Errorf("%+v: the total is %v", c, got.Total)
		}
		if err := got.Close(); err != nil {
			t.Error(err)
		}
	}
	if err := whole.Close(); err != nil {
		t.Error(err)
	}
}
