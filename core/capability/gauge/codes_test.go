package gauge

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"lastblock/core/value/amount"
	"lastblock/internal/sourcetest"

	"github.com/parquet-go/parquet-go"
)

// booking has columns that come as numbers, and one that does not.
type booking struct {
	Amount int64   `parquet:"amount,decimal(2:18)"`
	Rate   float64 `parquet:"rate"`
	Day    int32   `parquet:"day,date"`
	Units  *int64  `parquet:"units,optional"`
	Text   string  `parquet:"text"`
}

// bookings makes records, as Parquet and as CSV.
func bookings(t *testing.T, r *rand.Rand, n int) (asParquet, asCSV string) {
	t.Helper()
	var rows []booking
	text := strings.Builder{}
	text.WriteString("amount,rate,day,units,text\n")
	for i := range n {
		b := booking{Amount: r.Int64N(40_000) - 20_000, Rate: float64(r.IntN(50)) / 8, Day: 22_000 + int32(r.IntN(40)),
			Text: fmt.Sprintf("text %d", r.IntN(300))}
		if i%97 == 5 {
			b.Rate = math.Copysign(0, -1) // whose text is that of zero
		}
		units := ""
		if r.IntN(4) > 0 {
			b.Units = new(r.Int64N(9))
			units = strconv.FormatInt(*b.Units, 10)
		}
		rows = append(rows, b)
		sign, size := "", b.Amount
		if size < 0 {
			sign, size = "-", -size
		}
		rate := strconv.FormatFloat(math.Abs(b.Rate), 'f', -1, 64)
		fmt.Fprintf(&text, "%s%d.%02d,%s,%s,%s,%s\n", sign, size/100, size%100, rate,
			time.Unix(int64(b.Day)*86400, 0).UTC().Format("2006-01-02"), units, b.Text)
	}
	var out bytes.Buffer
	if err := parquet.Write(&out, rows); err != nil {
		t.Fatal(err)
	}
	return out.String(), text.String()
}

// Values that come as numbers are described as the same ones that come as texts, also where both come together, where
// sources write them in another way, and where they do not fit into memory.
func TestNumbersAreDescribedAsTexts(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 21))
	columnar, text := bookings(t, r, 20_000)
	others, othersText := bookings(t, r, 9_000)
	differently := "amount;rate;day;units;text\n1,5;0,25;2031-01-31;3;text 1\n-199,99;0;2031-02-01;;text 2\n"
	for name, files := range map[string][2]map[string]string{
		"alone":   {{"a.parquet": columnar}, {"a.csv": text}},
		"two":     {{"a.parquet": columnar, "b.parquet": others}, {"a.csv": text, "b.csv": othersText}},
		"beside":  {{"a.parquet": columnar, "b.csv": othersText}, {"a.csv": text, "b.csv": othersText}},
		"before":  {{"b.parquet": columnar, "a.csv": othersText}, {"b.csv": text, "a.csv": othersText}},
		"comma":   {{"a.parquet": columnar, "c.csv": differently}, {"a.csv": text, "c.csv": differently}},
		"nothing": {{"a.parquet": columnar, "c.csv": "amount\n"}, {"a.csv": text, "c.csv": "amount\n"}},
	} {
		for _, memory := range []int64{64 << 20, 1} {
			for _, jobs := range []int{1, 3} {
				reading := sourcetest.Reading
				reading.Memory, reading.Jobs = memory, jobs
				options := Options{Each: true, Frequent: 4}
				got, want := gaugeFiles(t, reading, options, files[0]), gaugeFiles(t, reading, options, files[1])
				if g, w := fmt.Sprintf("%+v", got.Columns), fmt.Sprintf("%+v", want.Columns); g != w {
					t.Errorf("%s with %d bytes, %d goroutines:\n%s, want\n%s", name, memory, jobs, g, w)
				}
				for i := range want.Sources {
					g, w := fmt.Sprintf("%+v", got.Sources[i]), fmt.Sprintf("%+v", want.Sources[i])
					if g != w {
						t.Errorf("%s with %d bytes, source %d:\n%s, want\n%s", name, memory, i, g, w)
					}
				}
			}
		}
	}
}

// A total line far down is none of the records, also where these are counted by their columns; and a column that cannot
// be counted so has all be counted as records.
func TestTotalLinesAmongColumns(t *testing.T) {
	type line struct {
		Text   *string `parquet:"text,optional"`
		Amount int64   `parquet:"amount,decimal(2:18)"`
	}
	type flagged struct {
		line
		Open bool `parquet:"open"`
	}
	var lines []line
	var flags []flagged
	text, flaggedText := strings.Builder{}, strings.Builder{}
	text.WriteString("text,amount\n")
	flaggedText.WriteString("text,amount,open\n")
	add := func(name *string, cents int64) {
		lines = append(lines, line{name, cents})
		flags = append(flags, flagged{lines[len(lines)-1], cents%2 == 0})
		shown := ""
		if name != nil {
			shown = *name
		}
		fmt.Fprintf(&text, "%s,%d.%02d\n", shown, cents/100, cents%100)
		fmt.Fprintf(&flaggedText, "%s,%d.%02d,%t\n", shown, cents/100, cents%100, cents%2 == 0)
	}
	sum := int64(0)
	for i := range int64(30_000) {
		name := new(fmt.Sprintf("unit %d", i%70))
		if i%11 == 0 {
			name = nil
		}
		add(name, i)
		sum += i
	}
	add(new("Total"), sum)
	var columns, all bytes.Buffer
	if err := errors.Join(parquet.Write(&columns, lines), parquet.Write(&all, flags)); err != nil {
		t.Fatal(err)
	}
	for rows, files := range map[int][2]map[string]string{
		30_000: {{"a.parquet": columns.String()}, {"a.csv": text.String()}},
		30_001: {{"a.parquet": all.String()}, {"a.csv": flaggedText.String()}}, // true is no amount
	} {
		got := gaugeFiles(t, sourcetest.Reading, Options{Frequent: 2}, files[0])
		want := gaugeFiles(t, sourcetest.Reading, Options{Frequent: 2}, files[1])
		if got.Rows != rows || want.Rows != got.Rows ||
			fmt.Sprintf("%+v", got.Columns) != fmt.Sprintf("%+v", want.Columns) {
			t.Errorf("%d records are\n%+v, want %d\n%+v", got.Rows, got.Columns, want.Rows, want.Columns)
		}
		if total := got.Columns[0]; total.Blank != 2728 {
			t.Errorf("%d blank texts", total.Blank)
		}
	}
}

// halves is a form of its own.
type halves struct{}

func (halves) Append(dst []byte, code int64) []byte {
	return strconv.AppendFloat(dst, float64(code)/2, 'f', -1, 64)
}

// Codes are counted however often they come, and put together with others.
func TestCodes(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for _, different := range []int64{1, 10, 9_000, math.MaxInt64} {
		want := make(map[int64]int64)
		parts := [2]codes{{form: halves{}}, {form: halves{}}}
		for i := range 30_000 {
			code := r.Int64N(different) - different/2
			want[code]++
			parts[i%2].add(code)
		}
		parts[0].merge(&parts[1])
		if len(parts[0].counted) != len(want) {
			t.Fatalf("%d different codes, want %d", len(parts[0].counted), len(want))
		}
		if !slices.IsSortedFunc(
			parts[0].counted,
			func(a, b number) int { return cmp.Compare(a.Coefficient, b.Coefficient) },
		) {
			t.Error("codes are not in order")
		}
		for _, of := range parts[0].counted {
			if want[of.Coefficient] != of.N {
				t.Fatalf("%d comes %d times, want %d", of.Coefficient, of.N, want[of.Coefficient])
			}
		}
	}
}

// cents is a form of amounts.
type cents struct{}

func (cents) Append(dst []byte, code int64) []byte { return amount.New(code, 2).Append(dst) }
func (cents) Scale() int                           { return 2 }

// Codes of several goroutines are described by ranges, in which each comes once, and as the texts of them are.
func TestCodesInRanges(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 11))
	for _, different := range []int64{5, 30_000, 400_000} {
		parts, texts := make([]*gatherer, 3), newGatherer(1<<30)
		for i := range parts {
			parts[i] = newGatherer(1 << 30)
			parts[i].columns[parts[i].dictionary("amount", 0)].codes.form = cents{}
		}
		at := texts.dictionary("amount", 0)
		for range 150_000 {
			part := parts[r.IntN(len(parts))]
			code := r.Int64N(different) - different/3
			part.columns[0].codes.add(code)
			part.rows++
			texts.columns[at].texts.Add(cents{}.Append(nil, code), 1)
			texts.rows++
		}
		columns := []asked{{name: "amount"}}
		last, n := int64(math.MinInt64), 0
		for _, s := range sharesOf(parts, columns) {
			for _, of := range s.allCodes() {
				if of.Coefficient <= last {
					t.Fatalf("code %d of range %d follows %d", of.Coefficient, s.index, last)
				}
				last = of.Coefficient
				n++
			}
		}
		if n != texts.columns[at].texts.Len() {
			t.Errorf("%d codes, want %d", n, texts.columns[at].texts.Len())
		}
		got, err := describe(parts, columns, 1<<30, 5)
		if err != nil {
			t.Fatal(err)
		}
		want, err := describe([]*gatherer{texts}, columns, 1<<30, 5)
		if err != nil {
			t.Fatal(err)
		}
		if g, w := fmt.Sprintf("%+v", got), fmt.Sprintf("%+v", want); g != w {
			t.Errorf("of %d codes there is\n%s, want\n%s", different, g, w)
		}
	}
}
