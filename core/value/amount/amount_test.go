package amount

import (
	"errors"
	"fmt"
	"math"
	"math/big"
	"regexp"
	"strconv"
	"strings"
	"testing"
)

func TestParse(t *testing.T) {
	for _, c := range []struct {
		rule string
		text string
		mark byte
		want string // "" for not an amount, "blank" for a blank one
	}{
		{"plain digits", "1234", '.', "1234"},
		{"digits behind the mark are kept as they were written", "1234.50", '.', "1234.50"},
		{"a mark without digits in front", ".5", '.', "0.5"},
		{"a mark without digits behind", "5.", '.', "5"},
		{"a leading minus", "-12.30", '.', "-12.30"},
		{"a leading plus", "+5", '.', "5"},
		{"the minus sign of typography", "−5", '.', "-5"},
		{"thousands marks", "1,234,567.89", '.', "1234567.89"},
		{"parentheses are negative", "(1,234.50)", '.', "-1234.50"},
		{"a trailing minus is negative", "1,234.50-", '.', "-1234.50"},
		{"blanks between thousands", "-1 234.50", '.', "-1234.50"},
		{"no-break spaces between thousands", "1\u00a0234\u202f567", '.', ""},
		{"no-break spaces of one kind", "1\u00a0234\u00a0567", '.', "1234567"},
		{"apostrophes between thousands", "1'234.50", '.', "1234.50"},
		{"a currency sign in front", "€ 1,234.50", '.', "1234.50"},
		{"a currency sign behind the minus", "-$5.00", '.', "-5.00"},
		{"a currency sign within parentheses", "($5.00)", '.', "-5.00"},
		{"three capital letters in front", "EUR 12", '.', "12"},
		{"three capital letters behind", "12.10 CHF", '.', "12.10"},
		{"an abbreviation with a full stop", "Fr. 12.10", '.', "12.10"},
		{"CR is negative", "1,234.50 CR", '.', "-1234.50"},
		{"CR without a blank", "5CR", '.', "-5"},
		{"DR is positive", "7.25 DR", '.', "7.25"},
		{"blanks around", "  8.00\t", '.', "8.00"},
		{"the comma as decimal mark", "1.234,50", ',', "1234.50"},
		{"the comma as decimal mark, without thousands", "1234,5", ',', "1234.5"},
		{"negative with a decimal comma", "(1.234,50)", ',', "-1234.50"},
		{"more than 64 bits", "123456789012345678901234567890.12", '.', "123456789012345678901234567890.12"},
		{"nineteen digits", "9223372036854775808", '.', "9223372036854775808"},
		{"leading zeros", "0007.10", '.', "7.10"},
		{"nothing", "", '.', "blank"},
		{"blanks only", " \u00a0 ", '.', "blank"},
		{"a letter among digits", "12x", '.', ""},
		{"groups of other lengths", "1,23,4.5.6", '.', ""},
		{"a decimal comma where the mark is a point is no thousands mark", "12,50", '.', ""},
		{"thousands behind the decimal mark", "1.234,567", '.', ""},
		{"words", "n/a", '.', ""},
		{"a dash alone is zero", "-", '.', "0"},
		{"with blanks around it, too", " - ", '.', "0"},
		{"an en dash", "–", '.', "0"},
		{"an em dash with a currency", "€ —", '.', "0"},
		{"a dash before a currency", "- EUR", '.', "0"},
		{"an en dash is no minus", "–5", '.', ""},
		{"two dashes", "--", '.', ""},
		{"a dash in parentheses", "(-)", '.', ""},
		{"a plus alone", "+", '.', ""},
		{"a currency alone", "EUR", '.', ""},
		{"CR alone", "CR", '.', ""},
		{"parentheses alone", "()", '.', ""},
		{"a mark alone", ".", '.', ""},
		{"two signs", "--5", '.', ""},
		{"a sign on either side", "-5-", '.', ""},
		{"a minus within parentheses", "(-5)", '.', ""},
		{"CR beside a minus", "-5 CR", '.', ""},
		{"a parenthesis that is not closed", "(5", '.', ""},
		{"a parenthesis that is not opened", "5)", '.', ""},
		{"two currencies", "€ 5 EUR", '.', ""},
		{"four letters", "EURO 5", '.', ""},
		{"small letters", "5 abc", '.', ""},
		{"an exponent, as spreadsheet programs write large figures", "1.2E+12", '.', "1200000000000"},
		{"an exponent without a decimal mark", "1E+06", '.', "1000000"},
		{"a negative exponent", "-2e-04", '.', "-0.0002"},
		{"an exponent without a sign", "1.25E3", '.', "1250"},
		{"an exponent that leaves decimals", "1.2345E+02 EUR", '.', "123.45"},
		{"an exponent behind a decimal comma", "(1,5E+03)", ',', "-1500"},
		{"a code with an E", "12E3", '.', ""},
		{"an exponent of four digits", "1.5E+1000", '.', ""},
		{"the largest exponent", "1E+400", '.', "1" + strings.Repeat("0", 400)},
		{"an exponent beyond any figure", "1.5E+401", '.', ""},
		{"an exponent with a mark", "1.5E+1.5", '.', ""},
		{"an exponent alone", "E+06", '.', ""},
		{"an exponent that is missing", "1.5E+", '.', ""},
		{"thousands and an exponent", "1,234E+06", '.', ""},
		{"mixed thousands marks", "1,234'567", '.', ""},
		{"two digits between a thousands mark and the decimal mark", "1,23.50", '.', ""},
		{"four digits between them", "1,2345.50", '.', ""},
		{"four digits in front of a thousands mark", "1234,567", '.', ""},
		{"two digits behind a thousands mark", "1,234,56", '.', ""},
		{"a thousands mark at the end", "1,234,", '.', ""},
		{"a thousands mark at the start", ",234", '.', ""},
	} {
		t.Run(c.rule, func(t *testing.T) {
			got, err := Parse([]byte(c.text), c.mark)
			switch c.want {
			case "":
				if !errors.Is(err, ErrNotAmount) {
					t.Errorf("Parse(%q) = %v, %v; want it refused", c.text, got, err)
				}
			case "blank":
				if !errors.Is(err, ErrBlank) {
					t.Errorf("Parse(%q) = %v, %v; want it blank", c.text, got, err)
				}
			default:
				if err != nil || got.String() != c.want {
					t.Errorf("Parse(%q) = %v, %v; want %s", c.text, got, err, c.want)
				}
			}
		})
	}
}

func TestMoneyGroupsThousands(t *testing.T) {
	for text, want := range map[string]string{
		"0": "0", "999": "999", "1000": "1,000", "-1000.5": "-1,000.5", "123456": "123,456",
		"12345678901234567890.01": "12,345,678,901,234,567,890.01", "-0.05": "-0.05",
	} {
		a, err := Parse([]byte(text), '.')
		if err != nil || a.Money() != want {
			t.Errorf("%s as money is %q, %v; want %q", text, a.Money(), err, want)
		}
	}
}

func TestSumKeepsEveryDigit(t *testing.T) {
	for _, c := range []struct {
		rule  string
		texts []string
		want  string
	}{
		{"nothing", nil, "0"},
		{"the largest scale is the sum's", []string{"1.5", "2.25", "3"}, "6.75"},
		{"opposite amounts cancel out", []string{"0.10", "0.20", "-0.30"}, "0.00"},
		{"beyond 64 bits upwards", []string{"9223372036854775807", "1"}, "9223372036854775808"},
		{"beyond 64 bits downwards", []string{"-9223372036854775807", "-2"}, "-9223372036854775809"},
		{"beyond 64 bits and back", []string{"9223372036854775807", "9223372036854775807", "-9223372036854775807"},
			"9223372036854775807"},
		{"a scale that 64 bits cannot take", []string{"9000000000000000000", "0.01"}, "9000000000000000000.01"},
		{"a negative sum that takes decimals", []string{"-5", "0.25"}, "-4.75"},
		{"a negative sum whose decimals 64 bits cannot take", []string{"-9000000000000000000", "-0.01"},
			"-9000000000000000000.01"},
		{"the largest sum of 64 bits that takes decimals", []string{"92233720368547758", "0.07"},
			"92233720368547758.07"},
		{"one above it", []string{"92233720368547758", "0.08"}, "92233720368547758.08"},
		{"the smallest", []string{"-92233720368547758", "-0.08"}, "-92233720368547758.08"},
		{"one below it", []string{"-92233720368547758", "-0.09"}, "-92233720368547758.09"},
		{"wide amounts that take decimals", []string{"100000000000000000000", "1", "0.25"}, "100000000000000000001.25"},
		{"wide amounts", []string{"100000000000000000000", "0.5"}, "100000000000000000000.5"},
	} {
		t.Run(c.rule, func(t *testing.T) {
			var sum, front, back Sum
			for i, text := range c.texts {
				a, err := Parse([]byte(text), '.')
				if err != nil {
					t.Fatal(err)
				}
				sum.Add(a)
				if i%2 == 0 {
					front.Add(a)
				} else {
					back.Add(a)
				}
			}
			if got := sum.Amount().String(); got != c.want {
				t.Errorf("sum of %v is %s, want %s", c.texts, got, c.want)
			}
			front.Merge(&back)
			if got := front.Amount().String(); got != c.want {
				t.Errorf("merged sum of %v is %s, want %s", c.texts, got, c.want)
			}
		})
	}
}

func TestCmpIgnoresScale(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want int
	}{
		{"1.5", "1.50", 0}, {"1.5", "1.51", -1}, {"-1", "-2", 1}, {"100000000000000000000", "1", 1}, {"-0.00", "0", 0},
	} {
		a, _ := Parse([]byte(c.a), '.')
		b, _ := Parse([]byte(c.b), '.')
		if got := a.Cmp(b); got != c.want {
			t.Errorf("Cmp(%s, %s) = %d, want %d", c.a, c.b, got, c.want)
		}
	}
}

func TestRoundKeepsWhatHasFewerDigits(t *testing.T) {
	for _, c := range []struct {
		value Amount
		scale int
		want  string
	}{
		{New(15, 1), 3, "1.5"}, {New(15, 1), 1, "1.5"}, {New(15, 1), 0, "2"}, {New(25, 1), 0, "2"},
		{New(-25, 1), 0, "-2"},
		{New(-35, 1), 0, "-4"}, {New(999, 2), 1, "10.0"},
	} {
		if got := c.value.Round(c.scale); got.String() != c.want {
			t.Errorf("%s to %d places is %s, want %s", c.value, c.scale, got, c.want)
		}
	}
}

func TestShareRoundsHalfToEven(t *testing.T) {
	for _, c := range []struct {
		part, whole int64
		scale       int
		want        string
	}{
		{1, 3, 2, "33.33"}, {2, 3, 2, "66.67"}, {1, 8, 1, "12.5"}, {1, 8, 0, "12"}, {3, 8, 0, "38"},
		{-1, 4, 2, "-25.00"}, {-3, 8, 0, "-38"}, {-1, 8, 0, "-12"}, {5, 8, 0, "62"}, {7, 8, 0, "88"},
		{5, 5, 2, "100.00"}, {0, 7, 2, "0.00"}, {1, -4, 1, "-25.0"},
	} {
		got, ok := Share(New(c.part, 2), New(c.whole, 2), c.scale)
		if !ok || got.String() != c.want {
			t.Errorf("Share(%d, %d) = %v, %v; want %s", c.part, c.whole, got, ok, c.want)
		}
	}
	if _, ok := Share(New(1, 0), New(0, 2), 2); ok {
		t.Error("there is a share of zero")
	}
}

func TestDivisibleByNine(t *testing.T) {
	for text, want := range map[string]bool{"0.00": false, "1.80": true, "-54000": true, "0.10": false,
		"900000000000000000000": true} {
		a, _ := Parse([]byte(text), '.')
		if a.DivisibleByNine() != want {
			t.Errorf("DivisibleByNine(%s) = %v", text, !want)
		}
	}
}

func TestNegOfTheSmallestInteger(t *testing.T) {
	if got := New(math.MinInt64, 0).Neg().String(); got != "9223372036854775808" {
		t.Errorf("negated: %s", got)
	}
}

// FuzzParse reads a text, and where it is an amount takes the same value by
// math/big from its digits alone.
func FuzzParse(f *testing.F) {
	for _, seed := range []string{"1,234.50", "(12)", "5-", "€ 3.10", "12 EUR", "7 CR", "999999999999999999.99",
		"1 234 567", "-.5", "1.2E+12", "2,5e-3", "1.E7 EUR"} {
		f.Add(seed, true)
		f.Add(seed, false)
	}
	f.Fuzz(func(t *testing.T, text string, point bool) {
		mark := byte(',')
		if point {
			mark = '.'
		}
		a, err := Parse([]byte(text), mark)
		if err != nil {
			return
		}
		figure, exponent := text, int64(0)
		if e := exponentOf.FindStringSubmatchIndex(text); e != nil {
			figure = text[:e[2]]
			exponent, _ = strconv.ParseInt(text[e[2]+1:e[3]], 10, 64)
		}
		whole, fraction, _ := strings.Cut(figure, string(mark))
		want, ok := new(big.Rat).SetString("0" + digitsOf(whole) + "." + digitsOf(fraction) + "0")
		if !ok {
			t.Fatalf("%q is read as %s and holds no digits", text, a)
		}
		if power := new(big.Int).Exp(big.NewInt(10), big.NewInt(max(exponent, -exponent)), nil); exponent < 0 {
			want.Quo(want, new(big.Rat).SetInt(power))
		} else {
			want.Mul(want, new(big.Rat).SetInt(power))
		}
		got, ok := new(big.Rat).SetString(a.String())
		if !ok {
			t.Fatalf("%q prints as %s", text, a)
		}
		if got.Cmp(want) != 0 && got.Cmp(want.Neg(want)) != 0 {
			t.Fatalf("%q is read as %s, its digits say %s", text, a, want.FloatString(5))
		}
		negative := strings.ContainsAny(text, "-(−") || strings.Contains(strings.ToUpper(text), "CR")
		if got.Sign() < 0 && !negative || got.Sign() > 0 && strings.ContainsAny(text, "(") {
			t.Fatalf("%q is read as %s", text, a)
		}
		again, err := Parse([]byte(a.String()), '.')
		if err != nil || again.String() != a.String() {
			t.Fatalf("%s is read back as %s, %v", a, again, err)
		}
	})
}

// exponentOf finds the exponent of a figure.
var exponentOf = regexp.MustCompile("[0-9.,]([eE][+-]?[0-9]+)")

func digitsOf(s string) string {
	return strings.Map(func(r rune) rune {
		if r < '0' || r > '9' {
			return -1
		}
		return r
	}, s)
}

// FuzzSum adds integers at two scales and compares with math/big.
func FuzzSum(f *testing.F) {
	f.Add(int64(math.MaxInt64), int64(1), int64(-5), uint8(0), uint8(18))
	f.Add(int64(math.MinInt64), int64(-1), int64(7), uint8(3), uint8(2))
	f.Fuzz(func(t *testing.T, a, b, c int64, scaleA, scaleB uint8) {
		sa, sb := int(scaleA%20), int(scaleB%20)
		var sum Sum
		want := new(big.Rat)
		for _, part := range []Amount{New(a, sa), New(b, sb), New(c, sa), New(b, sa)} {
			sum.Add(part)
			value, _ := new(big.Rat).SetString(part.String())
			want.Add(want, value)
		}
		got, ok := new(big.Rat).SetString(sum.Amount().String())
		if !ok || got.Cmp(want) != 0 {
			t.Fatalf("sum is %s, want %s", sum.Amount(), want.FloatString(20))
		}
	})
}

func ExampleSum() {
	var total Sum
	for _, text := range []string{"1,234.50", "(200.25)", "0.1"} {
		a, err := Parse([]byte(text), '.')
		if err != nil {
			fmt.Println(err)
			return
		}
		total.Add(a)
	}
	fmt.Println(total.Amount().Money())
	// Output: 1,034.35
}

func BenchmarkParse(b *testing.B) {
	texts := [][]byte{[]byte("1234.50"), []byte("0.00"), []byte("98765.43"), []byte("-12.00")}
	i := 0
	for b.Loop() {
		if _, err := Parse(texts[i%len(texts)], '.'); err != nil {
			b.Fatal(err)
		}
		i++
	}
}

// The oracle is division of whole numbers of any size.
func TestFloorQuo(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want int64
	}{
		{"1.00", "0.50", 2}, {"0.99", "0.50", 1}, {"-0.01", "0.50", -1}, {"-0.50", "0.50", -1}, {"-0.51", "0.5", -2},
		{"0", "7", 0},
		{"7", "-2", -4}, {"-7", "-2", 3}, {"9223372036854775807", "1", 9223372036854775807},
		{"18446744073709551617", "1", 1}, {"-18446744073709551617", "1", -1}, {"12345678901234567890.02", "0.02", 0},
	} {
		a, errA := Parse([]byte(c.a), '.')
		b, errB := Parse([]byte(c.b), '.')
		if errA != nil || errB != nil {
			t.Fatal(errA, errB)
		}
		whole := new(big.Int).Div(scaled(a, 4), scaled(b, 4))
		if scaled(b, 4).Sign() < 0 {
			whole = new(big.Int).Div(new(big.Int).Neg(scaled(a, 4)), new(big.Int).Neg(scaled(b, 4)))
		}
		low := int64(new(big.Int).And(whole, new(big.Int).SetUint64(math.MaxUint64)).Uint64())
		got, ok := a.FloorQuo(b)
		if !ok || got != low || whole.IsInt64() && got != c.want {
			t.Errorf("%s / %s is %d, want %d", c.a, c.b, got, low)
		}
	}
	if _, ok := New(1, 0).FloorQuo(New(0, 2)); ok {
		t.Error("there is a quotient by zero")
	}
}

// scaled is the coefficient of an amount at a scale.
func scaled(a Amount, scale int) *big.Int {
	coefficient, ok := a.Unscaled(scale)
	if !ok {
		panic(a.String()) // a test's own figure
	}
	return coefficient
}

// Nearly all amounts are read in the fast way; what it leaves out is read in the other one.
func TestParsePlain(t *testing.T) {
	for _, c := range []struct {
		text  string
		coef  int64
		scale int32
		ok    bool
	}{
		{"0", 0, 0, true}, {"9", 9, 0, true}, {"1234567890", 1234567890, 0, true}, {"-19.09", -1909, 2, true},
		{".9", 9, 1, true}, {"5.", 5, 0, true}, {"123456789012345678", 123456789012345678, 0, true},
		{"1234567890123456789", 0, 0, false}, {"", 0, 0, false}, {"-", 0, 0, false}, {".", 0, 0, false},
		{"-.", 0, 0, false},
		{"1,5", 0, 0, false}, {"1.2.3", 0, 0, false}, {"1a", 0, 0, false}, {"1.a", 0, 0, false}, {"+1", 0, 0, false},
		{"1:", 0, 0, false}, {"1/", 0, 0, false}, {" 1", 0, 0, false},
	} {
		coef, scale, ok := ParsePlain([]byte(c.text), '.')
		if ok != c.ok || ok && (coef != c.coef || scale != c.scale) {
			t.Errorf("%q is %d with %d decimals, %v", c.text, coef, scale, ok)
		}
	}
}

// What stands before and behind an amount makes no difference to how it is read.
func FuzzParsePlainAt(f *testing.F) {
	for _, text := range []string{"", "-", "0", "12.50", "-12.50", "12345678.90", "123456789.01", ".50", "-.50", "1.5",
		"12,50", "00000042", "1234567a.00", "12.5a", "--1.00", "1.2.34", "999999999999999999"} {
		f.Add("x,", text, ".")
		f.Add("123456789", text, ",")
		f.Add("-", text, ".")
	}
	f.Fuzz(func(t *testing.T, before, text, mark string) {
		decimal := byte('.')
		if mark == "," {
			decimal = ','
		}
		data := []byte(before + text + "7")
		coef, scale, ok := ParsePlainAt(data, len(before), len(before)+len(text), decimal)
		wantCoef, wantScale, want := ParsePlain([]byte(text), decimal)
		if coef != wantCoef || scale != wantScale || ok != want {
			t.Errorf(
				"%q behind %q is %d, %d, %v; want %d, %d, %v",
				text,
				before,
				coef,
				scale,
				ok,
				wantCoef,
				wantScale,
				want,
			)
		}
	})
}

// The plain form has all digits, a zero before the mark where there is none, and as many behind it as the scale.
func TestPlainForm(t *testing.T) {
	for _, coef := range []int64{0, 1, -1, 7, 10, -10, 99, 100, -12345, math.MaxInt64, math.MinInt64} {
		for _, scale := range []int{0, 1, 2, 5, 18, 19, 20, 23, 24, 25, 40} {
			digits := new(big.Int).Abs(big.NewInt(coef)).String()
			if short := scale + 1 - len(digits); short > 0 {
				digits = strings.Repeat("0", short) + digits
			}
			want := digits[:len(digits)-scale]
			if scale > 0 {
				want += "." + digits[len(digits)-scale:]
			}
			if coef < 0 {
				want = "-" + want
			}
			if got := New(coef, scale).String(); got != want {
				t.Errorf("%d × 10^-%d is %s, want %s", coef, scale, got, want)
			}
		}
	}
}

// A copy of a sum is a sum of its own, also once 64 bits were full.
func TestSumCopies(t *testing.T) {
	var s Sum
	for range 3 {
		s.Add(New(9_000_000_000_000_000_000, 0))
	}
	c := s
	c.Add(New(9_000_000_000_000_000_000, 0))
	s.Add(New(1, 0))
	for want, sum := range map[string]*Sum{"27000000000000000001": &s, "36000000000000000000": &c} {
		if got := sum.Amount().String(); got != want {
			t.Errorf("the sum is %s, want %s", got, want)
		}
	}
}
