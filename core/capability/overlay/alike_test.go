package overlay

import (
	"fmt"
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"

	"lastblock/core/value/amount"
	"lastblock/internal/sourcetest"
)

// What eight digits at a time come to is what the standard library reads.
func FuzzDigits(f *testing.F) {
	for _, text := range []string{"", "0", "7,", "12345678", "123456789,5", "1234567.89,4", "99999999,", "00000000",
		"0000001\x00",
		"12345678901234x", "/1234567", ":1234567", "1234567:", "\xb0\xb1234567", "123 4567"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		want := text[:len(text)-len(strings.TrimLeft(text, "0123456789"))]
		value, n := digits([]byte(text))
		if n != len(want) {
			t.Fatalf("%q begins with %d digits, and %d were read", text, len(want), n)
		}
		const most = 15
		if number, err := strconv.ParseInt(want, 10, 64); err == nil && n <= most && value != number {
			t.Errorf("%q begins with %d, and %d was read", text, number, value)
		}
	})
}

// Forms that look alike are read by the pattern of the one before, and those that differ in whatever way are not: the
// sums are what was planted.
func TestFormsThatLookAlike(t *testing.T) {
	used := 0
	for seed := range uint64(30) {
		random := rand.New(rand.NewPCG(seed, 23))
		const lines, columns, forms = 5, 4, 40
		end := []string{"\n", "\r\n"}[seed%2]
		files := make(map[string]string)
		var sums [lines][columns]int64 // in thousandths
		var counts [lines][columns]int
		for f := range forms {
			var b strings.Builder
			fmt.Fprintf(&b, "Company,Branch %d,,,%s", f, end)
			b.WriteString("Line,Q1,Q2,Q3,Q4" + end)
			oddLine, oddColumn, odd := random.IntN(lines), random.IntN(columns), random.IntN(40)
			for l := range lines {
				label := fmt.Sprintf("Cost %c", 'A'+l)
				if odd == 0 && l == oddLine {
					label = `"` + label + `"`
				}
				b.WriteString(label)
				for c := range columns {
					text, value, counted := plantedFigure(random, odd, l == oddLine && c == oddColumn, f < 2)
					b.WriteString("," + text)
					if counted {
						sums[l][c] += value
						counts[l][c]++
					}
				}
				if l < lines-1 || odd != 1 {
					b.WriteString(end)
				}
			}
			files[fmt.Sprintf("f%02d.csv", f)] = b.String()
		}
		set := sourcetest.Set(t, "", files)
		for _, jobs := range []int{1, 3} {
			reading := sourcetest.Reading
			reading.Jobs = jobs
			r, err := Run(t.Context(), set, reading, Options{})
			if err != nil {
				t.Fatal(err)
			}
			for _, w := range r.run.workers {
				used += w.alike
			}
			b := &r.Blocks[0]
			for l := range lines {
				for c := range columns {
					f := b.At(l, c)
					if want := amount.New(sums[l][c], 3); f.Amount.Cmp(want) != 0 || f.From != counts[l][c] {
						t.Errorf("seed %d, %d jobs: line %d column %d is %s of %d, want %s of %d", seed, jobs, l, c,
							f.Amount, f.From,
							want, counts[l][c])
					}
				}
			}
			if err := r.Close(); err != nil {
				t.Error(err)
			}
		}
	}
	if used < 500 {
		t.Errorf("%d forms were read by a pattern", used)
	}
}

// plantedFigure makes up a figure, in thousandths, and how it is written; an odd one in a way of its own. counted says
// that it is an amount.
func plantedFigure(random *rand.Rand, odd int, isOdd, isWhole bool) (text string, value int64, counted bool) {
	value = random.Int64N(10_000_000) - 2_000_000
	value -= value % 10
	sign, size := "", value
	if value < 0 {
		sign, size = "-", -value
	}
	text = fmt.Sprintf("%s%d.%02d", sign, size/1000, size/10%100)
	switch {
	case isOdd && odd == 2:
		return "n/a", 0, false
	case isOdd && odd == 3:
		return `"` + text + `"`, value, true
	case isOdd && odd == 4:
		return fmt.Sprintf("%s%d", sign, size/1000), value - value%1000, true
	case isOdd && odd == 5:
		return "12%", 0, false
	case isOdd && odd == 6:
		return "0417", 0, false
	case isOdd && odd == 7:
		return text + "0", value, true // three digits, which other figures tell from thousands
	case isOdd && odd == 8:
		return " " + text + " ", value, true
	case isOdd && odd == 9:
		return "-", 0, true
	case !isWhole && random.IntN(15) == 0:
		return "", 0, false
	}
	return text, value, true
}
