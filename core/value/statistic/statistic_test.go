package statistic

import (
	"fmt"
	"maps"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"lastblock/core/record"
	"lastblock/core/value/amount"
)

func summaryOf(column string, records int, decimal byte, values ...string) Summary {
	var m Moments
	for _, v := range values {
		m.Add([]byte(v), decimal, 1)
	}
	return m.Summary(column, records, "")
}

// 2, 4, 4, 4, 5, 5, 7 and 9 have the mean 5 and squared distances that add up to
// 32; of a sample of eight that is the root of 32/7.
func TestSummary(t *testing.T) {
	s := summaryOf("value", 10, '.', "2.00", "4.00", "4", "4.00", "5.00", "5.00", "", "7.00", "9.00", " ")
	got := fmt.Sprintln(s.Kind, s.Count, s.Blank, s.Sum, s.Min, s.Max, s.Mean, s.Deviation, s.Scale, s.Shortest,
		s.Longest)
	if want := "amount 8 2 40.00 2.00 9.00 5.000000 2.138090 6 4 2.00\n"; got != want {
		t.Errorf("summary is %s, want %s", got, want)
	}
}

func TestKindsThatAreNoAmounts(t *testing.T) {
	if s := summaryOf("posted", 2, '.', "2031-02-03", "2031-01-31"); s.Has || s.First != "2031-01-31" ||
		s.Last != "2031-02-03" {
		t.Errorf("dates are %+v", s)
	}
	if s := summaryOf("account", 3, '.', "0100", "200", "für"); s.Has || s.Kind != record.Text || s.Shortest != "200" ||
		s.Longest != "0100" {
		t.Errorf("codes are %+v", s)
	}
	if s := summaryOf("value", 1, ',', "1.234,50"); s.Sum.String() != "1234.50" || s.HasDeviation {
		t.Errorf("one amount is %+v", s)
	}
	if s := summaryOf("value", 0, '.'); s.Has || s.Count != 0 || s.Shortest != "" {
		t.Errorf("nothing is %+v", s)
	}
}

// The oracle works in floating point, which is near enough for such figures. The
// values are added one by one, counted, and in parts, which all must agree.
func TestAgainstFloatingPoint(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 1))
	var single, counted, left, right Moments
	var sum, squares, n float64
	for range 5000 {
		cents, times := r.Int64N(2_000_000_000_000)-1_000_000_000_000, 1+r.IntN(3)
		text := []byte(fmt.Sprintf("%.2f", float64(cents)/100))
		for range times {
			single.Add(text, '.', 1)
			sum += float64(cents) / 100
			squares += float64(cents) / 100 * float64(cents) / 100
			n++
		}
		counted.Add(text, '.', times)
		if r.IntN(2) == 0 {
			left.Add(text, '.', times)
		} else {
			right.Add(text, '.', times)
		}
	}
	left.Merge(&right)
	a, b, c := single.Summary("v", 9, ""), counted.Summary("v", 9, ""), left.Summary("v", 9, "")
	if fmt.Sprint(a) != fmt.Sprint(b) || fmt.Sprint(a) != fmt.Sprint(c) {
		t.Errorf("one by one  %v\ncounted     %v\nin parts    %v", a, b, c)
	}
	var deviation float64
	fmt.Sscan(a.Deviation.String(), &deviation)
	want := math.Sqrt((squares - sum*sum/n) / (n - 1))
	if math.Abs(deviation-want) > want*1e-9 {
		t.Errorf("the deviation is %v, want about %v", deviation, want)
	}
}

func BenchmarkMoments(b *testing.B) {
	var m Moments
	texts := [][]byte{[]byte("1234.50"), []byte("0.00"), []byte("-99.99"), []byte("7")}
	for i := 0; b.Loop(); i++ {
		m.Add(texts[i&3], '.', 3)
	}
}

// decimals is a form of amounts.
type decimals int

func (d decimals) Scale() int { return int(d) }

func (d decimals) Append(dst []byte, code int64) []byte { return amount.New(code, int(d)).Append(dst) }

// Numbers are described as the texts that are made of them, of any sign and length.
func TestAddDecimals(t *testing.T) {
	r := rand.New(rand.NewPCG(2031, 12))
	for _, c := range []struct {
		name string
		next func(i int) int64
	}{
		{"amounts", func(int) int64 { return r.Int64N(2_000_000) - 1_000_000 }},
		{"none below zero", func(int) int64 { return r.Int64N(1_000_000) }},
		{"all below zero", func(int) int64 { return -1 - r.Int64N(1_000_000) }},
		{"of any length", func(int) int64 { return (r.Int64() >> r.IntN(63)) * int64(1-2*r.IntN(2)) }},
		{"the least and the most", func(i int) int64 { return []int64{math.MinInt64, math.MaxInt64}[i%2] }},
		{"one", func(int) int64 { return 7 }},
		{"none", nil},
	} {
		counts := make(map[int64]int64)
		for i := 0; c.next != nil && i < 500; i++ {
			counts[c.next(i)] += 1 + int64(r.IntN(3))
		}
		var numbers []Number
		for _, coefficient := range slices.Sorted(maps.Keys(counts)) {
			numbers = append(numbers, Number{Coefficient: coefficient, N: counts[coefficient]})
		}
		for _, form := range []decimals{0, 2, 18} {
			var got, want Moments
			got.AddDecimals(numbers, form)
			records := 0
			for _, of := range numbers {
				want.Add(form.Append(nil, of.Coefficient), '.', int(of.N))
				records += int(of.N)
			}
			for _, kind := range []record.Kind{"", record.Amount, record.Text} {
				g, w := got.Summary("value", records, kind), want.Summary("value", records, kind)
				if fmt.Sprintf("%+v", g) != fmt.Sprintf("%+v", w) {
					t.Errorf("%s, %d digits behind the point, as %q:\n%+v, want\n%+v", c.name, form, kind, g, w)
				}
			}
			if g, w := got.Code("value"), want.Code("value"); g != w {
				t.Errorf("%s, %d digits behind the point: codes are %q, want %q", c.name, form, g, w)
			}
		}
	}
}
