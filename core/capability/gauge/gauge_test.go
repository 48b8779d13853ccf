package gauge

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"

	"lastblock/core/source"
	"lastblock/internal/sourcetest"
)

func gaugeFiles(t *testing.T, reading source.Reading, options Options, files map[string]string) *Result {
	t.Helper()
	set := sourcetest.Set(t, "", files)
	r, err := Run(context.Background(), set, reading, options)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// Of 1, 2, 3, 4 the quartiles stand at the places 0.75, 1.5 and 2.25 from the
// first: 1.75, 2.5 and 3.25. Of five values they are values themselves.
func TestQuartiles(t *testing.T) {
	for values, want := range map[string]string{
		"1 2 3 4":                       "1.75 2.5 3.25",
		"4 1 3 2 5":                     "2 3 4",
		"7":                             "7 7 7",
		"1 1 1 10":                      "1 1 3.25",
		"0.50 0.25":                     "0.3125 0.375 0.4375",
		"-4 -1":                         "-3.25 -2.5 -1.75",
		"(2.00) 1e 2 2 2 2 2 2 2 2 2 2": "2.00 2.00 2.00", // one that is no amount
	} {
		r := gaugeFiles(t, sourcetest.Reading, Options{},
			map[string]string{"a.csv": "value,x\n" + strings.Join(strings.Fields(values), ",\n") + ",\n"})
		c := r.Columns[0]
		if got := fmt.Sprintf("%s %s %s", c.Q1, c.Median, c.Q3); got != want {
			t.Errorf("of %s the quartiles are %s, want %s", values, got, want)
		}
	}
}

// The same value in different dress is one value, whatever the decimal mark of
// its source; the same text is one text.
func TestDistinct(t *testing.T) {
	r := gaugeFiles(t, sourcetest.Reading, Options{Frequent: 2}, map[string]string{
		"a.csv": "value,name\n1.50,A\n1.5,B\n\"1,500.00\",A\n",
		"b.csv": "value;name\n1,50;A\n1.500,00;\n2,25;C\n",
		"c.csv": "other\nx\n",
	})
	value, name, other := r.Columns[0], r.Columns[1], r.Columns[2]
	if value.Distinct != 3 || value.Count != 6 || value.Blank != 1 || value.Sum.String() != "3006.75" ||
		fmt.Sprint(value.Frequent) != "[{1.50 3} {1500.00 2}]" {
		t.Errorf("values are %+v", value)
	}
	if name.Distinct != 3 || name.Blank != 2 || fmt.Sprint(name.Frequent) != "[{A 3} {B 1}]" {
		t.Errorf("names are %+v", name)
	}
	if other.Count != 1 || other.Blank != 6 {
		t.Errorf("a column of one source is %+v", other)
	}
}

// The oracle sorts everything in memory. With little memory nearly all of it
// goes through temporary files.
func TestAgainstAllInMemory(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 9))
	files := make(map[string]string)
	var cents []int
	names := make(map[string]int)
	for f := range 3 {
		var b strings.Builder
		b.WriteString("amount,name\n")
		for range 12_000 {
			c, n := r.IntN(1_000_000)-300_000, fmt.Sprintf("name %d", r.IntN(20_000))
			cents = append(cents, c)
			names[n]++
			fmt.Fprintf(&b, "%.2f,%s\n", float64(c)/100, n)
		}
		files[fmt.Sprintf("f%d.csv", f)] = b.String()
	}
	slices.Sort(cents)
	quartile := func(q int) string { // in hundredths of a hundredth
		at := (len(cents) - 1) * q
		below, above := cents[at/4], cents[min(at/4+1, len(cents)-1)]
		return fmt.Sprintf("%.4f", float64(below*100+(above-below)*25*(at%4))/10_000)
	}
	most := 0
	for _, n := range names {
		most = max(most, n)
	}
	for rule, reading := range map[string]source.Reading{
		"in memory":        sourcetest.Reading,
		"through files":    {Jobs: 4, Memory: 1 << 20},
		"by one goroutine": {Jobs: 1, Memory: 1 << 20},
	} {
		for _, each := range []bool{false, true} {
			result := gaugeFiles(t, reading, Options{Each: each, Frequent: 1}, files)
			a, n := result.Columns[0], result.Columns[1]
			if a.Distinct != len(slices.Compact(slices.Clone(cents))) || n.Distinct != len(names) ||
				n.Frequent[0].Count != most {
				t.Errorf("%s: %d and %d different values, the most frequent %d times", rule, a.Distinct, n.Distinct,
					n.Frequent[0].Count)
			}
			for i, got := range []string{a.Q1.String(), a.Median.String(), a.Q3.String()} {
				want, _ := strconv.ParseFloat(quartile(i+1), 64)
				if value, _ := strconv.ParseFloat(got, 64); value != want {
					t.Errorf("%s: quartile %d is %s, want %v", rule, i+1, got, want)
				}
			}
			if !each {
				continue
			}
			rows, sum := 0, 0
			for _, s := range result.Sources {
				rows += s.Rows
				cents, _ := strconv.Atoi(strings.Replace(s.Columns[0].Sum.String(), ".", "", 1))
				sum += cents
			}
			all, _ := strconv.Atoi(strings.Replace(a.Sum.String(), ".", "", 1))
			if rows != len(cents) || sum != all {
				t.Errorf("%s: the sources have %d records and %d together, want %d and %d", rule, rows, sum, len(cents),
					all)
			}
		}
	}
}
