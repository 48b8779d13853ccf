package amount

import (
	"bytes"
	"encoding/binary"
	"errors"
	"math/big"
	"unicode"
	"unicode/utf8"
)

// ErrBlank is returned for a text that holds nothing but blanks. A blank
// amount is not zero; the caller counts it as blank.
var ErrBlank = errors.New("blank")

// ErrNotAmount is returned for a text that is no amount.
var ErrNotAmount = errors.New("not an amount")

// maxDigits bounds the work one text can cause; no ledger comes near it.
const maxDigits = 4096

// Parse reads an amount as branches write it, exactly:
//
//	1234.5   1,234.50   (1,234.50)   1,234.50-   -1 234.50   +5
//	€ 1,234.50   EUR 12   12 EUR   1,234.50 CR   12 DR
//	1.25E+06   2e-04   1.0E7
//
// decimal is the decimal mark, '.' or ','; the other one is then a thousands
// mark, beside blanks and apostrophes. Thousands stand in groups of three, all
// with the same mark, or the text is refused: with the decimal mark '.' the
// text 12,50 is not twelve hundred and fifty. An exponent has a sign or a decimal
// mark before it, since 12E3 is a code more often than not. Parentheses, a minus on either
// side and CR make an amount negative; only one of them may stand. A currency
// is a sign (Unicode class Sc), three capital letters as in ISO 4217, or one
// of a few usual abbreviations. A dash alone, or with a currency, is how formats of money
// show zero, and is zero here: whoever only guesses what a text is asks IsDash first.
//
// The error is ErrBlank or ErrNotAmount.
func Parse(text []byte, decimal byte) (Amount, error) {
	coef, scale, ok := ParsePlain(text, decimal)
	if ok {
		return Amount{coef: coef, scale: scale}, nil
	}
	return parseMarked(text, decimal)
}

// ParsePlain reads [-]digits[mark digits] of at most 18 digits, which is what
// nearly every amount of a large file looks like, and returns coefficient and
// scale. What it does not read may still be an amount to Parse.
func ParsePlain(text []byte, decimal byte) (coef int64, scale int32, ok bool) {
	n := len(text)
	if n == 0 || n > 18 {
		return 0, 0, false
	}
	i := 0
	if text[0] == '-' {
		i = 1
	}
	withoutDigit := i // the length a text of marks alone would have
	for i < n {
		digit := text[i] - '0'
		if digit > 9 {
			break
		}
		coef = coef*10 + int64(digit)
		i++
	}
	if i < n {
		if text[i] != decimal {
			return 0, 0, false
		}
		i++
		scale = int32(n - i)
		for i < n {
			digit := text[i] - '0'
			if digit > 9 {
				return 0, 0, false
			}
			coef = coef*10 + int64(digit)
			i++
		}
		withoutDigit++
	}
	if n == withoutDigit {
		return 0, 0, false
	}
	if text[0] == '-' {
		coef = -coef
	}
	return coef, scale, true
}

// ParsePlainAt is ParsePlain of data[from:to]. It reads most amounts in one go, for which it looks at what stands
// before them.
func ParsePlainAt(data []byte, from, to int, decimal byte) (coef int64, scale int32, ok bool) {
	const cents = 3 // a mark and two digits
	start := from
	if from < to && data[from] == '-' {
		start++
	}
	end := to
	if to-start > cents && data[to-cents] == decimal {
		end -= cents
	}
	if n := end - start; 0 < n && n <= 8 && end >= 8 {
		if units, ok := eightDigits(data[end-8:end], n); ok {
			coef = units
			if end < to {
				tens, ones := data[to-2]-'0', data[to-1]-'0'
				if tens > 9 || ones > 9 {
					return 0, 0, false
				}
				coef, scale = coef*100+int64(tens)*10+int64(ones), 2
			}
			if start > from {
				coef = -coef
			}
			return coef, scale, true
		}
	}
	return ParsePlain(data[from:to], decimal)
}

// eightDigits reads the last n of eight bytes as a whole number; ok says that they are digits.
func eightDigits(text []byte, n int) (number int64, ok bool) {
	const zeros = 0x3030303030303030
	unread := 64 - 8*n // bits
	word := (binary.LittleEndian.Uint64(text) ^ zeros) >> unread << unread
	if (word|(word+0x0606060606060606))&0xf0f0f0f0f0f0f0f0 != 0 {
		return 0, false
	}
	// Neighbours are put together: into four numbers of two digits, then two of four, then one.
	word = word*10 + word>>8
	word = (word&0x000000ff000000ff*(100+1000000<<32) + word>>16&0x000000ff000000ff*(1+10000<<32)) >> 32
	return int64(word), true
}

// parseMarked strips what stands around the figure, then reads the figure.
func parseMarked(text []byte, decimal byte) (Amount, error) {
	p := around{rest: text}
	p.trimBlanks()
	if len(p.rest) == 0 {
		return Amount{}, ErrBlank
	}
	for p.stripFront() || p.stripBack() {
		p.trimBlanks()
	}
	switch {
	case p.opened != p.closed:
		return Amount{}, ErrNotAmount
	case len(p.rest) == 0 && p.dash, !p.signed && isLongDash(p.rest):
		return Amount{}, nil
	}
	a, ok := parseFigure(p.rest, decimal)
	if !ok {
		return Amount{}, ErrNotAmount
	}
	if p.negative || p.opened {
		a = a.Neg()
	}
	return a, nil
}

// around is what may stand before and behind a figure, each thing once.
type around struct {
	rest           []byte
	signed         bool // a sign, a parenthesis, CR or DR was seen
	negative       bool
	dash           bool // the sign is a dash
	opened, closed bool
	currency       bool
}

func (p *around) stripFront() bool {
	r, size := utf8.DecodeRune(p.rest)
	switch {
	case size == 0:
		return false
	case r == '(':
		if p.opened || p.signed {
			return false
		}
		p.opened, p.signed = true, true
	case !p.mark(r):
		return p.letters(letterPrefix(p.rest), bytes.TrimPrefix)
	}
	p.rest = p.rest[size:]
	return true
}

func (p *around) stripBack() bool {
	r, size := utf8.DecodeLastRune(p.rest)
	switch {
	case size == 0:
		return false
	case r == ')':
		if p.closed {
			return false
		}
		p.closed = true
	case !p.mark(r):
		word := letterSuffix(p.rest)
		switch string(word) {
		case "CR", "Cr", "cr", "DR", "Dr", "dr":
			if !p.sign(word[0] == 'C' || word[0] == 'c') {
				return false
			}
			p.rest = bytes.TrimSuffix(p.rest, word)
			return true
		}
		return p.letters(word, bytes.TrimSuffix)
	}
	p.rest = p.rest[:len(p.rest)-size]
	return true
}

// mark notes a sign or a currency sign, which may stand on either side.
func (p *around) mark(r rune) bool {
	switch {
	case r == '-' || r == '−' || r == '+':
		fresh := p.sign(r != '+')
		p.dash = p.dash || fresh && r != '+'
		return fresh
	case !p.currency && unicode.Is(unicode.Sc, r):
		p.currency = true
		return true
	}
	return false
}

// isLongDash knows the dashes that are no minus.
func isLongDash(text []byte) bool { return string(text) == "–" || string(text) == "—" }

// IsDash tells whether a text is a dash, with or without a currency, which Parse reads as
// zero. In a column of amounts it is one; elsewhere it stands for nothing.
func IsDash(text []byte) bool {
	const longest = 24       // a few blanks, a currency and a dash
	const firstByte = '\xe2' // of the dashes that are not ASCII
	if len(text) > longest || bytes.IndexByte(text, '-') < 0 && bytes.IndexByte(text, firstByte) < 0 ||
		bytes.ContainsAny(text, "0123456789") {
		return false
	}
	_, err := parseMarked(text, '.')
	return err == nil
}

// sign notes a sign, unless there was one before.
func (p *around) sign(negative bool) bool {
	if p.signed {
		return false
	}
	p.signed, p.negative = true, negative
	return true
}

// letters takes a currency's letters off one end.
func (p *around) letters(word []byte, trim func(s, cutset []byte) []byte) bool {
	if p.currency || !isCurrency(word) {
		return false
	}
	p.currency = true
	p.rest = trim(p.rest, word)
	return true
}

func isCurrency(word []byte) bool {
	switch string(word) {
	case "kr", "kr.", "Kr", "Fr", "Fr.", "SFr", "SFr.", "zł", "Kč", "Ft", "lei", "Rs", "Rs.":
		return true
	}
	if len(word) != 3 {
		return false
	}
	for _, c := range word {
		if c < 'A' || c > 'Z' {
			return false
		}
	}
	return true
}

// letterPrefix returns the letters, and a full stop right behind them, that
// text begins with.
func letterPrefix(text []byte) []byte {
	i := 0
	for i < len(text) {
		r, size := utf8.DecodeRune(text[i:])
		if !unicode.IsLetter(r) {
			break
		}
		i += size
	}
	if 0 < i && i < len(text) && text[i] == '.' {
		i++
	}
	return text[:i]
}

// letterSuffix is letterPrefix for the other end.
func letterSuffix(text []byte) []byte {
	end := len(text)
	i := end
	if i > 0 && text[i-1] == '.' {
		i--
	}
	letters := i
	for i > 0 {
		r, size := utf8.DecodeLastRune(text[:i])
		if !unicode.IsLetter(r) {
			break
		}
		i -= size
	}
	if i == letters {
		return nil
	}
	return text[i:end]
}

func (p *around) trimBlanks() {
	for {
		r, size := utf8.DecodeRune(p.rest)
		if size == 0 || !isBlank(r) {
			break
		}
		p.rest = p.rest[size:]
	}
	for {
		r, size := utf8.DecodeLastRune(p.rest)
		if size == 0 || !isBlank(r) {
			break
		}
		p.rest = p.rest[:len(p.rest)-size]
	}
}

// isBlank knows the blanks that stand in and around figures: the plain ones,
// the no-break space, the figure space, and the thin spaces that some systems
// set between thousands.
func isBlank(r rune) bool {
	switch r {
	case ' ', '\t', '\r', '\n', 0xA0, 0x2007, 0x2009, 0x202F:
		return true
	}
	return false
}

// parseFigure reads digits with thousands marks and a decimal mark.
func parseFigure(text []byte, decimal byte) (Amount, bool) {
	if len(text) > 2*maxDigits {
		return Amount{}, false
	}
	var (
		digits  = make([]byte, 0, len(text))
		mark    rune // the thousands mark in use
		group   int  // digits since the last thousands mark
		pointed bool
		scale   int32
	)
	for i := 0; i < len(text); {
		r, size := utf8.DecodeRune(text[i:])
		i += size
		switch {
		case '0' <= r && r <= '9':
			digits = append(digits, byte(r))
			group++
			if pointed {
				scale++
			}
		case r == rune(decimal):
			if pointed || mark != 0 && group != 3 {
				return Amount{}, false
			}
			pointed = true
		case isThousandsMark(r, decimal):
			firstGroup := mark == 0 && 1 <= group && group <= 3
			nextGroup := mark == r && group == 3
			if pointed || !firstGroup && !nextGroup {
				return Amount{}, false
			}
			mark, group = r, 0
		case r == 'E' || r == 'e':
			exponent, ok := parseExponent(text[i:], pointed)
			if !ok || mark != 0 || len(digits) == 0 {
				return Amount{}, false
			}
			if scale -= exponent; scale < 0 {
				digits, scale = append(digits, bytes.Repeat([]byte{'0'}, int(-scale))...), 0
			}
			i = len(text)
		default:
			return Amount{}, false
		}
	}
	if len(digits) == 0 || len(digits) > maxDigits || mark != 0 && !pointed && group != 3 {
		return Amount{}, false
	}
	coefficient, ok := new(big.Int).SetString(string(digits), 10)
	if !ok {
		return Amount{}, false
	}
	return fromBig(coefficient, scale), true
}

// parseExponent reads what stands behind the E: one to three digits, with a sign in front
// unless there was a decimal mark.
func parseExponent(text []byte, pointed bool) (exponent int32, ok bool) {
	const most = 400 // beyond any figure that a program writes
	sign := int32(1)
	if len(text) > 0 && (text[0] == '+' || text[0] == '-') {
		if text[0] == '-' {
			sign = -1
		}
		text, pointed = text[1:], true
	}
	if !pointed || len(text) == 0 || len(text) > 3 {
		return 0, false
	}
	for _, c := range text {
		if c < '0' || c > '9' {
			return 0, false
		}
		exponent = 10*exponent + int32(c-'0')
	}
	return sign * exponent, exponent <= most
}

func isThousandsMark(r rune, decimal byte) bool {
	switch r {
	case '.', ',':
		return r != rune(decimal)
	case '\'', '’':
		return true
	case '\r', '\n', '\t':
		return false
	}
	return isBlank(r)
}
