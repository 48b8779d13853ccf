// Package kind finds out what a column holds from its values: amounts, dates,
// flags, or texts, of which codes that look like numbers are the most dangerous
// to mistake.
package kind

import (
	"bytes"
	"fmt"
	"strings"

	"lastblock/core/record"
	"lastblock/core/value/amount"
	"lastblock/core/value/date"
)

// Evidence are counts of one column's values, from which its kind follows. The
// zero value is ready.
type Evidence struct {
	Filled  int    // values that are not blank
	Scale   int    // the most digits behind the decimal mark of an amount
	amounts int    // with figures
	dashes  int    // that are zero in a column of amounts
	codes   int    // of the amounts, those that are digits only, or have an exponent, and so may be a code
	powers  int    // of the codes, those with an exponent
	padded  int    // of the codes, those with a leading zero
	long    int    // of the codes, those with more digits than money mostly has
	digits  [2]int // of the codes of digits only: how many digits the shortest and the longest have
	dates   int
	flags   int

	clear   [3]int   // dates by order, where that is clear
	first   [2]int32 // earliest date, read day first and month first
	last    [2]int32
	ordered bool // first and last are set
}

// Trimmed is bytes.TrimSpace, quickly where there is nothing to be trimmed.
func Trimmed(text []byte) []byte {
	const firstOfSeveral = 0x80
	n := len(text)
	if n > 0 && ' ' < text[0] && text[0] < firstOfSeveral && ' ' < text[n-1] && text[n-1] < firstOfSeveral {
		return text
	}
	return bytes.TrimSpace(text)
}

// Add takes in a value that stands n times in the column.
func (s *Evidence) Add(text []byte, decimal byte, n int) {
	text = Trimmed(text)
	if len(text) == 0 {
		return
	}
	if _, scale, ok := amount.ParsePlain(text, decimal); ok {
		s.AddPlain(text, int(scale), n)
		return
	}
	s.Filled += n
	if isLetter(text[0]) && isFlag(text) {
		s.flags += n
		return
	}
	if MayBeDate(text) {
		if d, ok := date.Parse(text); ok {
			s.addDate(d, n)
			return
		}
	}
	if !MayBeAmount(text) {
		return
	}
	switch value, err := amount.Parse(text, decimal); {
	case err != nil:
	case amount.IsDash(text):
		s.dashes += n
	default:
		s.addAmount(text, value.Scale(), n)
	}
}

// AddPlain is Add for a text without blanks around it that amount.ParsePlain has
// read, with the scale that it has found.
func (s *Evidence) AddPlain(text []byte, scale, n int) {
	s.Filled += n
	s.addAmount(text, scale, n)
}

// MayBeAmount tells quickly of most texts that begin with a letter that they are
// no amount.
func MayBeAmount(text []byte) bool {
	return len(text) > 0 && (!isLetter(text[0]) || mayBeCurrency(text))
}

// MayBeDate tells quickly of most texts that begin with a letter that they are
// no date: they do not begin like the name of a month.
func MayBeDate(text []byte) bool {
	return len(text) > 0 && (!isLetter(text[0]) || len(text) > 3 && beginsMonth(text[0], text[1], text[2]))
}

// beginsMonth tells whether letters are the first three of an English month.
func beginsMonth(a, b, c byte) bool {
	switch uint32(a|0x20)<<16 | uint32(b|0x20)<<8 | uint32(c|0x20) {
	case 'j'<<16 | 'a'<<8 | 'n', 'f'<<16 | 'e'<<8 | 'b', 'm'<<16 | 'a'<<8 | 'r', 'a'<<16 | 'p'<<8 | 'r',
		'm'<<16 | 'a'<<8 | 'y', 'j'<<16 | 'u'<<8 | 'n', 'j'<<16 | 'u'<<8 | 'l', 'a'<<16 | 'u'<<8 | 'g',
		's'<<16 | 'e'<<8 | 'p', 'o'<<16 | 'c'<<8 | 't', 'n'<<16 | 'o'<<8 | 'v', 'd'<<16 | 'e'<<8 | 'c':
		return true
	}
	return false
}

// addAmount counts an amount, and whether it may be a code as well.
func (s *Evidence) addAmount(text []byte, scale, n int) {
	s.amounts += n
	s.Scale = max(s.Scale, scale)
	if isDigits(text) {
		s.codes += n
		if len(text) > 1 && text[0] == '0' {
			s.padded += n
		}
		const mostly = 11
		if len(text) > mostly {
			s.long += n
		}
		s.spread([2]int{len(text), len(text)})
	} else if text[len(text)-1]-'0' <= 9 && text[0]-'0' <= 9 &&
		(bytes.IndexByte(text, 'E') >= 0 || bytes.IndexByte(text, 'e') >= 0) {
		s.codes += n
		s.powers += n
	}
}

// spread widens what is known of lengths.
func (s *Evidence) spread(digits [2]int) {
	if s.digits[0] == 0 || digits[0] < s.digits[0] {
		s.digits[0] = digits[0]
	}
	s.digits[1] = max(s.digits[1], digits[1])
}

func (s *Evidence) addDate(d date.Date, n int) {
	s.dates += n
	days := [2]int32{int32(d.Days), int32(d.Days)}
	if d.Order == date.Unclear {
		days[1] = int32(d.MonthFirst)
	} else if !d.Either {
		s.clear[d.Order] += n
	}
	s.widen(days, days)
}

func (s *Evidence) widen(first, last [2]int32) {
	if !s.ordered {
		s.first, s.last, s.ordered = first, last, true
		return
	}
	for i := range first {
		s.first[i], s.last[i] = min(s.first[i], first[i]), max(s.last[i], last[i])
	}
}

// Merge takes in what others have gathered.
func (s *Evidence) Merge(o *Evidence) {
	s.Filled += o.Filled
	s.amounts += o.amounts
	s.dashes += o.dashes
	s.codes += o.codes
	s.powers += o.powers
	s.padded += o.padded
	s.long += o.long
	if o.digits[0] > 0 {
		s.spread(o.digits)
	}
	s.dates += o.dates
	s.flags += o.flags
	s.Scale = max(s.Scale, o.Scale)
	for i := range s.clear {
		s.clear[i] += o.clear[i]
	}
	if o.ordered {
		s.widen(o.first, o.last)
	}
}

// Kind says what the column holds, given its name, and how many of its values
// are something else. A column is of a kind if nine in ten of its values are,
// so that one slip does not hide what it is. Figures are codes, and so text, for
// the reasons that Code gives.
func (s *Evidence) Kind(name string) (kind record.Kind, others int) {
	switch {
	case s.mostly(s.flags):
		return record.Flag, s.Filled - s.flags
	case s.mostly(s.dates):
		return record.Date, s.Filled - s.dates
	case s.figures() && s.Code(name) == "":
		return record.Amount, s.Filled - s.amounts - s.dashes
	}
	return record.Text, 0
}

// HasDashes tells whether the column is one of amounts in which dashes stand for zero.
func (s *Evidence) HasDashes(name string) bool {
	kind, _ := s.Kind(name)
	return s.dashes > 0 && kind == record.Amount
}

// figures tells whether nine in ten values are figures, dashes left out of account.
func (s *Evidence) figures() bool { return s.amounts > 0 && 10*s.amounts >= 9*(s.Filled-s.dashes) }

func (s *Evidence) mostly(n int) bool { return s.Filled > 0 && 10*n >= 9*s.Filled }

// Code says why a column of figures holds codes, and no amounts; "" where it does not, or
// where it holds no figures. Figures are codes where some have leading zeros; where all
// are of one length, of twelve digits or more; where the column's name says so; and where
// all have an exponent, as bar codes have that were taken for numbers.
func (s *Evidence) Code(name string) string {
	switch {
	case !s.figures():
		return ""
	case s.padded > 0:
		return "codes, as some have leading zeros"
	case s.powers == s.amounts:
		return "codes that were taken for numbers, as all have an exponent"
	case s.codes < s.amounts:
		return ""
	case s.long > 0 && s.powers == 0 && s.digits[0] == s.digits[1]:
		return fmt.Sprintf("codes, as all have %d digits", s.digits[0])
	case IsCodeName(name):
		return "codes, by the name"
	}
	return ""
}

// KindAs is Kind for a column of which it was said what it holds; "" says nothing.
func (s *Evidence) KindAs(name string, asked record.Kind) (kind record.Kind, others int) {
	switch asked {
	case record.Amount:
		return asked, s.Filled - s.amounts - s.dashes
	case record.Date:
		return asked, s.Filled - s.dates
	case record.Flag, record.Text:
		return asked, 0 // what is no flag was refused
	}
	return s.Kind(name)
}

// IsUnclear tells whether the dates can be read in two ways, and none proves
// one.
func (s *Evidence) IsUnclear() bool {
	return s.ordered && s.clear == [3]int{} && (s.first[0] != s.first[1] || s.last[0] != s.last[1])
}

// Between returns the earliest and the latest date; ok is false where there is
// none or where the column does not tell the day from the month.
func (s *Evidence) Between() (first, last int, ok bool) {
	reading := 0
	switch {
	case !s.ordered:
		return 0, 0, false
	case s.clear[date.MonthDayYear] > 0 && s.clear[date.DayMonthYear] > 0:
		return 0, 0, false
	case s.clear[date.MonthDayYear] > 0:
		reading = 1
	case s.IsUnclear():
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
// are no amount with a currency in front: at most three letters, marks and a
// blank, which may be one of three bytes, and then a digit.
func mayBeCurrency(text []byte) bool {
	const longest, letters = len("SFr.\u202f(0"), 3
	if len(text) > letters && isLetter(text[letters]) && isLetter(text[1]) && isLetter(text[2]) {
		return false // a word, as Pass 4
	}
	for i, c := range text[:min(len(text), longest)] {
		if '0' <= c && c <= '9' {
			return i >= 2
		}
	}
	return false
}

// codeWords are parts of names by which columns of codes are called.
var codeWords = map[string]bool{
	"account": true, "acct": true, "konto": true, "beleg": true, "zeile": true, "nummer": true, "filiale": true,
	"code": true, "id": true, "no": true, "nr": true, "number": true,
	"document": true, "doc": true, "line": true, "store": true, "branch": true, "unit": true, "barcode": true,
	"ean": true, "gtin": true, "zip": true, "postcode": true, "phone": true, "year": true, "month": true, "key": true,
	"article": true, "item": true, "customer": true, "supplier": true, "invoice": true, "voucher": true,
}

// IsCodeName tells whether a column's name is that of a code: it is a word for one, as
// account, or ends in one, as Document No. An Account balance is none.
func IsCodeName(name string) bool {
	words := strings.FieldsFunc(strings.ToLower(name), func(r rune) bool { return !('a' <= r && r <= 'z') })
	return len(words) > 0 && codeWords[words[len(words)-1]]
}

// AppendPlain appends the plain form that a value has in a column of a kind: an amount
// with a decimal point, a date as in ISO 8601, a flag as true or false. ok is false
// where it is not of the kind, or a date that can be read in two ways.
func AppendPlain(dst, text []byte, kind record.Kind, decimal byte) (plain []byte, ok bool) {
	switch kind {
	case record.Amount:
		value, err := amount.Parse(text, decimal)
		return value.Append(dst), err == nil
	case record.Date:
		day, isDate := date.Parse(bytes.TrimSpace(text))
		return date.Append(dst, day.Days), isDate && day.Order != date.Unclear
	case record.Flag:
		switch string(bytes.ToLower(bytes.TrimSpace(text))) {
		case "true", "yes", "y":
			return append(dst, "true"...), true
		case "false", "no", "n":
			return append(dst, "false"...), true
		}
	}
	return dst, false
}
