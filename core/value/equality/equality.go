// Package equality says when two values mean the same: amounts that are equal,
// dates that are the same day, and else texts that are the same, however the
// branches wrote them. Prove and doubles compare by it.
package equality

import (
	"bytes"
	"unicode"

	"lastblock/core/value/amount"
	"lastblock/core/value/date"
	"lastblock/core/value/kind"
)

// Append appends the plain form of a value, see Of.
func Append(dst, text []byte, decimal byte) []byte {
	if plain, ok := within(text, decimal); ok {
		return append(dst, plain...)
	}
	return appendSlowly(dst, text, decimal)
}

// Of returns the plain form of a value: of an amount without the zeros at the
// end of its decimals, of a date that is clear and has no time the day as in ISO
// 8601, and of anything else the text as it is. Two values mean the same where
// their plain forms are the same bytes. Digits with a leading zero are a code,
// an amount with a currency or another word beside it is a text, a dash, which is zero only
// in a column of amounts, is one too, and nothing but blanks is blank. decimal is the decimal mark of amounts.
// What is not within the text is put into *room.
//
//	1.234,50  (',')     1234.5
//	31 Jan 2031         2031-01-31
//	0417                0417
func Of(text []byte, decimal byte, room *[]byte) []byte {
	if plain, ok := within(text, decimal); ok {
		return plain
	}
	*room = appendSlowly((*room)[:0], text, decimal)
	return *room
}

// within finds the plain form of most values within their texts.
func within(text []byte, decimal byte) (plain []byte, ok bool) {
	if len(text) == 0 {
		return nil, true
	}
	if text[0]-'0' <= 9 {
		if isISODay(text) {
			return text, true
		}
		return figures(text, decimal)
	}
	return text, isLetter(text[0]) && !kind.MayBeAmount(text) && !kind.MayBeDate(text) && text[len(text)-1] > ' '
}

// figures reads digits with at most one decimal point among them.
func figures(text []byte, decimal byte) (plain []byte, ok bool) {
	i := 1
	for i < len(text) && text[i]-'0' <= 9 {
		i++
	}
	if i == len(text) {
		return text, true // an amount, or with a leading zero a code
	}
	if i > 1 && text[0] == '0' {
		return nil, false
	}
	if text[i] != decimal || decimal != '.' {
		return nil, false
	}
	end := i // behind the last digit other than zero
	for i++; i < len(text); i++ {
		digit := text[i] - '0'
		if digit > 9 {
			return nil, false
		}
		if digit > 0 {
			end = i + 1
		}
	}
	return text[:end], true
}

// isISODay tells quickly what has the shape of a day as in ISO 8601; whether
// there is such a day makes no difference to what it means.
func isISODay(text []byte) bool {
	const shape = "0000-00-00"
	if len(text) != len(shape) || text[4] != '-' || text[7] != '-' {
		return false
	}
	for i := range len(shape) {
		if i != 4 && i != 7 && text[i]-'0' > 9 {
			return false
		}
	}
	return true
}

func appendSlowly(dst, text []byte, decimal byte) []byte {
	trimmed := bytes.TrimSpace(text)
	if len(trimmed) == 0 {
		return dst
	}
	if !IsCode(trimmed) && isBare(trimmed) && !amount.IsDash(trimmed) {
		if value, err := amount.Parse(trimmed, decimal); err == nil {
			return value.Reduce().Append(dst)
		}
	}
	if day, ok := Day(trimmed); ok {
		return date.Append(dst, day)
	}
	return append(dst, text...)
}

// isBare tells that there is no letter and no sign of a currency, which would get
// lost in an amount: EUR 5 and CHF 5 do not mean the same, nor do INV5 and 5. The E of an
// exponent does not get lost, where one digit stands before the mark, as programs write it:
// 10E-02 is a code.
func isBare(text []byte) bool {
	figure := bytes.TrimPrefix(text, []byte("-"))
	if e := bytes.IndexAny(figure, "eE"); e > 0 && figure[0]-'0' <= 9 &&
		(e == 1 || figure[1] == '.' || figure[1] == ',') && figure[len(figure)-1]-'0' <= 9 {
		text = append(figure[:e:e], figure[e+1:]...)
	}
	return bytes.IndexFunc(text, func(r rune) bool { return unicode.IsLetter(r) || unicode.Is(unicode.Sc, r) }) < 0
}

// Day reads a text as a day, in days since 1970-01-01, where it is clear which
// one it is, and it has no time.
func Day(text []byte) (int, bool) {
	if !kind.MayBeDate(text) || bytes.IndexByte(text, ':') >= 0 {
		return 0, false
	}
	d, ok := date.Parse(text)
	return d.Days, ok && d.Order != date.Unclear
}

// IsCode tells digits with a leading zero from amounts.
func IsCode(text []byte) bool {
	return len(text) > 1 && text[0] == '0' && '0' <= text[1] && text[1] <= '9'
}

func isLetter(c byte) bool { return 'a' <= c|0x20 && c|0x20 <= 'z' }
