package equality

import (
	"strings"
	"testing"

	"lastblock/core/value/amount"
)

func TestPlainForms(t *testing.T) {
	for _, c := range []struct {
		rule, text string
		decimal    byte
		want       string
	}{
		{"zeros behind the mark say nothing", "1234.50", '.', "1234.5"},
		{"nor does a mark with nothing behind it", "7.00", '.', "7"},
		{"zeros before the mark do", "700", '.', "700"},
		{"a decimal comma is a mark", "1234,50", ',', "1234.5"},
		{"thousands are grouped", "1.234,50", ',', "1234.5"},
		{"a trailing minus is negative", "1,234.50-", '.', "-1234.5"},
		{"minus zero is zero", "-0.00", '.', "0"},
		{"with a currency it is no bare amount", "EUR 5.10", '.', "EUR 5.10"},
		{"nor with its sign", "€5.10", '.', "€5.10"},
		{"letters before digits are a code", "INV-12", '.', "INV-12"},
		{"blanks group thousands", "1 234 567.80", '.', "1234567.8"},
		{"twenty-three digits stay exact", "12345678901234567890123.10", '.', "12345678901234567890123.1"},
		{"a leading zero makes a code", "0417", '.', "0417"},
		{"a day by its name of a month", "31 Jan 2031", '.', "2031-01-31"},
		{"which may stand in front", "Jan-31-2031", '.', "2031-01-31"},
		{"a day with points", "31.01.2031", ',', "2031-01-31"},
		{"a day that may be two stays a text", "01/02/2031", '.', "01/02/2031"},
		{"a time is no day", "2031-01-31 09:00", '.', "2031-01-31 09:00"},
		{"blanks alone are blank", " \t", '.', ""},
		{"a text keeps its blanks", " Day  pass ", '.', " Day  pass "},
		{"an exponent is written out", "1E+06", '.', "1000000"},
		{"one below zero, too", "2.50e-04", '.', "0.00025"},
		{"a negative figure with an exponent", "-1.25E+03", '.', "-1250"},
		{"an exponent behind a decimal comma", "1,25E+03", ',', "1250"},
		{"two digits before the exponent are a code", "10E-02", '.', "10E-02"},
		{"a code with an E is a text", "12E3", '.', "12E3"},
		{"a currency beside an exponent is one still", "1E+06 EUR", '.', "1E+06 EUR"},
		{"a dash is a text, as nobody knows of which column", "-", '.', "-"},
		{"a document is a text", "D00417", '.', "D00417"},
	} {
		if got := string(Append([]byte("x"), []byte(c.text), c.decimal)); got != "x"+c.want {
			t.Errorf("%s: %q means %q", c.rule, c.text, got[1:])
		}
	}
}

func TestLoose(t *testing.T) {
	for _, c := range []struct{ words, text, want string }{
		{"", " A-0 1", " A-0 1"},
		{"blanks", " A\u00a0 1\t", "A1"},
		{"case", "DéJÀ Straße", "déjà straße"},
		{"zeros", "00417", "417"},
		{"zeros", "A007", "A007"},
		{"zeros", "000", "0"},
		{"punctuation", "INV-10/45.2", "INV10452"},
		{"punctuation", "--", "--"},
		{"blanks,zeros", " 00 417", "417"},
		{"blanks,case,zeros,punctuation", "-00 a/B 7", "ab7"},
	} {
		var words []string
		if c.words != "" {
			words = strings.Split(c.words, ",")
		}
		loose, err := ParseLoose(words)
		if err != nil {
			t.Fatal(err)
		}
		if got := string(loose.Append(nil, []byte(c.text))); got != c.want {
			t.Errorf("%q without %s is %q, want %q", c.text, c.words, got, c.want)
		}
		if loose.String() != c.words {
			t.Errorf("%q prints as %q", c.words, loose)
		}
	}
	if _, err := ParseLoose([]string{"case", "spaces"}); err == nil || !strings.Contains(err.Error(), `"spaces"`) {
		t.Errorf("the error is %v", err)
	}
}

// A record keeps its fingerprint in another dress, and gets another one when
// anything in it changes.
func TestPrint(t *testing.T) {
	of := func(fields ...string) uint64 {
		var p Print
		for i := 0; i < len(fields); i += 2 {
			p.Add(fields[i], []byte(fields[i+1]), '.')
		}
		return p.Sum()
	}
	base := of("document", "D1", "debit", "1,234.50")
	for _, c := range []struct {
		rule string
		got  uint64
		same bool
	}{
		{"another order", of("debit", "1234.5", "document", "D1"), true},
		{"a blank column more", of("document", "D1", "debit", "1234.5", "season", " "), true},
		{"another amount", of("document", "D1", "debit", "1234.51"), false},
		{"the value in another column", of("document", "D1", "credit", "1234.5"), false},
		{"a value more", of("document", "D1", "debit", "1234.5", "season", "winter"), false},
	} {
		if (c.got == base) != c.same {
			t.Errorf("%s: it is the same: %v", c.rule, c.got == base)
		}
	}
}

// FuzzAppend compares what values mean with what the amounts are: two values mean
// the same exactly where both are bare amounts that are equal, or their texts are.
// The plain form of anything is its own.
func FuzzAppend(f *testing.F) {
	f.Add("1,234.50", "1234.5")
	f.Add("0100", "100")
	f.Add("(7)", "-7.000")
	f.Add("99999999999999999999", "1e5")
	f.Add("-0", "0.00")
	f.Add("-", "0")
	f.Fuzz(func(t *testing.T, a, b string) {
		x, y := []byte(strings.TrimSpace(a)), []byte(strings.TrimSpace(b))
		plain := Append(nil, x, '.')
		same := string(plain) == string(Append(nil, y, '.'))
		left, errLeft := amount.Parse(x, '.')
		right, errRight := amount.Parse(y, '.')
		bothTell := !amount.IsDash(x) && !amount.IsDash(y) // a dash is a text here
		switch {
		case bothTell && errLeft == nil && errRight == nil && !IsCode(x) && !IsCode(y) && isBare(x) && isBare(y):
			if same != (left.Cmp(right) == 0) {
				t.Errorf("%q and %q mean the same: %v", a, b, same)
			}
		case string(x) == string(y) && !same:
			t.Errorf("%q does not mean itself", a)
		}
		if again := Append(nil, plain, '.'); string(again) != string(plain) {
			t.Errorf("%q becomes %q, and that %q", x, plain, again)
		}
	})
}

func BenchmarkAppend(b *testing.B) {
	fields := [][]byte{[]byte("D00012345"), []byte("3"), []byte("2031-02-17"), []byte("4120"), []byte("Corvane"),
		[]byte("1234.50"), []byte("0.00")}
	size := 0
	for _, f := range fields {
		size += len(f)
	}
	b.SetBytes(int64(size))
	var room []byte
	for b.Loop() {
		room = room[:0]
		for _, f := range fields {
			room = Append(room, f, '.')
		}
	}
}
