package intake

import (
	"bytes"
	"strings"

	"lastblock/core/amount"
	"lastblock/core/date"
	"lastblock/core/record"
)

// Kind is what a column holds.
type Kind = record.Kind

// The kinds of columns.
const (
	Text   = record.Text
	Amount = record.Amount
	Date   = record.Date
	Flag   = record.Flag
)

// stats are counts of one column's values, from which its kind follows.
type stats struct {
	filled  int // values that are not blank
	amounts int
	codes   int // of the amounts, those that are digits only and so may be a code
	padded  int // of the codes, those with a leading nought or more digits than money has
	dates   int
	flags   int
	scale   int // the most digits behind the decimal mark of an amount

	clear   [3]int   // dates by order, where that is clear
	first   [2]int32 // earliest date, read day first and month first
	last    [2]int32
	ordered bool // first and last are set
}

// add counts a value.
func (s *stats) add(text []byte, decimal byte) {
	text = bytes.TrimSpace(text)
	if len(text) == 0 {
		return
	}
	s.filled++
	if _, scale, ok := amount.ParsePlain(text, decimal); ok {
		s.addAmount(text, int(scale))
		return
	}
	if isLetter(text[0]) {
		if isFlag(text) {
			s.flags++
			return
		}
		if !mayBeCurrency(text) {
			return
		}
	} else if d, ok := date.Parse(text); ok {
		s.addDate(d)
		return
	}
	if value, err := amount.Parse(text, decimal); err == nil {
		s.addAmount(text, value.Scale())
	}
}

// addAmount counts an amount, and whether it may be a code as well.
func (s *stats) addAmount(text []byte, scale int) {
	s.amounts++
	s.scale = max(s.scale, scale)
	if isDigits(text) {
		s.codes++
		const mostDigits = 11
		if len(text) > 1 && text[0] == '0' || len(text) > mostDigits {
			s.padded++
		}
	}
}

func (s *stats) addDate(d date.Date) {
	s.dates++
	days := [2]int32{int32(d.Days), int32(d.Days)}
	if d.Order == date.Unclear {
		days[1] = int32(d.MonthFirst)
	} else {
		s.clear[d.Order]++
	}
	s.widen(days, days)
}

func (s *stats) widen(first, last [2]int32) {
	if !s.ordered {
		s.first, s.last, s.ordered = first, last, true
		return
	}
	for i := range first {
		s.first[i], s.last[i] = min(s.first[i], first[i]), max(s.last[i], last[i])
	}
}

func (s *stats) merge(o *stats) {
	s.filled += o.filled
	s.amounts += o.amounts
	s.codes += o.codes
	s.padded += o.padded
	s.dates += o.dates
	s.flags += o.flags
	s.scale = max(s.scale, o.scale)
	for i := range s.clear {
		s.clear[i] += o.clear[i]
	}
	if o.ordered {
		s.widen(o.first, o.last)
	}
}

// kind says what the column holds, given its name, and how many of its values
// are something else. A column is of a kind if nine in ten of its values are,
// so that one slip does not hide what it is. Digits alone are a code, and so
// text, where some begin with a nought or are longer than money gets, or where
// the column's name says so.
func (s *stats) kind(name string) (kind Kind, others int) {
	mostly := func(n int) bool { return s.filled > 0 && 10*n >= 9*s.filled }
	switch {
	case mostly(s.flags):
		return Flag, s.filled - s.flags
	case mostly(s.dates):
		return Date, s.filled - s.dates
	case mostly(s.amounts) && s.padded == 0 && !(s.codes == s.amounts && isCodeName(name)):
		return Amount, s.filled - s.amounts
	}
	return Text, 0
}

// isUnclear tells whether the dates can be read in two ways, and none proves
// one.
func (s *stats) isUnclear() bool {
	return s.ordered && s.clear == [3]int{} && (s.first[0] != s.first[1] || s.last[0] != s.last[1])
}

// between returns the earliest and the latest date; ok is false where there is
// none or where the column does not tell the day from the month.
func (s *stats) between() (first, last int, ok bool) {
	reading := 0
	switch {
	case !s.ordered:
		return 0, 0, false
	case s.clear[date.MonthDayYear] > 0 && s.clear[date.DayMonthYear] > 0:
		return 0, 0, false
	case s.clear[date.MonthDayYear] > 0:
		reading = 1
	case s.isUnclear():
		return 0, 0, false
	}
	return int(s.first[reading]), int(s.last[reading]), true
}

func isDigits(text []byte) bool {
	for _, c := range text {
		if c < '0' || c > '9' {
			return false
		}
	}
	return true
}

func isLetter(c byte) bool { return 'a' <= c|0x20 && c|0x20 <= 'z' }

func isFlag(text []byte) bool {
	switch text[0] | 0x20 {
	case 'y':
		return len(text) == 1 || bytes.EqualFold(text, []byte("yes"))
	case 'n':
		return len(text) == 1 || bytes.EqualFold(text, []byte("no"))
	case 't':
		return bytes.EqualFold(text, []byte("true"))
	case 'f':
		return bytes.EqualFold(text, []byte("false"))
	}
	return false
}

// mayBeCurrency tells quickly of most texts that begin with a letter that they
// are no amount with a currency in front: two to five letters and marks, and
// then a digit.
func mayBeCurrency(text []byte) bool {
	const longest = 6
	for i, c := range text[:min(len(text), longest)] {
		if '0' <= c && c <= '9' {
			return i >= 2
		}
	}
	return false
}

// codeWords are parts of names by which columns of codes are called.
var codeWords = map[string]bool{
	"account": true, "acct": true, "konto": true, "code": true, "id": true, "no": true, "nr": true, "number": true,
	"document": true, "doc": true, "line": true, "store": true, "branch": true, "unit": true, "barcode": true,
	"ean": true, "gtin": true, "zip": true, "postcode": true, "phone": true, "year": true, "month": true, "key": true,
	"article": true, "item": true, "customer": true, "supplier": true, "invoice": true, "voucher": true,
}

func isCodeName(name string) bool {
	words := strings.FieldsFunc(strings.ToLower(name), func(r rune) bool { return !('a' <= r && r <= 'z') })
	return len(words) > 0 && (codeWords[words[len(words)-1]] || codeWords[words[0]])
}
