package expression

import (
	"bytes"
	"cmp"
	"strconv"

	"lastblock/core/record"
	"lastblock/core/value/amount"
	"lastblock/core/value/date"
	"lastblock/core/value/period"
	"lastblock/core/value/spelling"
)

// kind is what a value is.
type kind uint8

const (
	blankKind  kind = iota // nothing: a column without anything, and what is calculated from such
	columnKind             // the text of a column, which may be read as something else
	textKind
	numberKind
	dateKind
	flagKind
	listKind
)

func (k kind) String() string {
	return [...]string{"nothing", "a column", "a text", "a number", "a date", "true or false", "a list"}[k]
}

// value is a result on the way.
type value struct {
	kind    kind
	column  string // of a column
	word    string // of names of sources, that the column is; "" for none
	text    []byte // of a text or a column
	decimal byte   // the decimal mark of amounts in it, 0 for the point
	order   date.Order
	number  amount.Amount
	days    int
	flag    bool
	list    []value
}

func (v *value) isBlank() bool {
	return v.kind == blankKind || v.kind == columnKind && len(bytes.TrimSpace(v.text)) == 0
}

func (v *value) fail(wanted string) error {
	return &ValueError{Column: v.column, Found: string(v.append(nil)), Wanted: wanted}
}

// asNumber reads a value as an amount; a blank one is asked for before.
func (v *value) asNumber() (amount.Amount, error) {
	switch v.kind {
	case numberKind:
		return v.number, nil
	case columnKind, textKind:
		decimal := v.decimal
		if decimal == 0 {
			decimal = '.'
		}
		if n, err := amount.Parse(v.text, decimal); err == nil {
			return n, nil
		}
	}
	return amount.Amount{}, v.fail("an amount")
}

// asDate reads a value as a date; where the day and the month could be either
// and the order is not known, the day comes first.
func (v *value) asDate() (int, error) {
	switch v.kind {
	case dateKind:
		return v.days, nil
	case columnKind, textKind:
		text := bytes.TrimSpace(v.text)
		if v.kind == columnKind && v.order != date.Unclear {
			if days, ok := date.ParseFull(text, v.order); ok {
				return days, nil
			}
		} else if d, ok := date.Parse(text); ok {
			return d.Days, nil
		}
	}
	return 0, v.fail("a date")
}

func (v *value) asFlag() (bool, error) {
	switch v.kind {
	case flagKind:
		return v.flag, nil
	case blankKind:
		return false, nil
	case columnKind:
		text := string(bytes.ToLower(bytes.TrimSpace(v.text)))
		switch text {
		case "true", "yes", "y", "1":
			return true, nil
		case "false", "no", "n", "0", "":
			return false, nil
		}
	}
	return false, v.fail("true or false")
}

// Value is what an expression comes to for one record.
type Value struct{ value }

// Append appends the value as a text: an amount as a plain decimal, a date by ISO
// 8601, a text as it is.
func (v *Value) Append(dst []byte) []byte { return v.append(dst) }

// as reads a value as a kind. A blank stays one, and so does a text that is to be text.
func (v *value) as(kind record.Kind) (value, error) {
	if v.isBlank() {
		return value{kind: blankKind}, nil
	}
	var err error
	switch kind {
	case record.Amount:
		read := value{kind: numberKind}
		read.number, err = v.asNumber()
		return read, err
	case record.Date:
		read := value{kind: dateKind}
		read.days, err = v.asDate()
		return read, err
	case record.Flag:
		read := value{kind: flagKind}
		read.flag, err = v.asFlag()
		return read, err
	}
	return *v, nil
}

// asText is the value as a text.
func (v *value) asText() []byte {
	if v.kind == textKind || v.kind == columnKind {
		return v.text
	}
	return v.append(nil)
}

// append appends the value as a text.
func (v *value) append(dst []byte) []byte {
	switch v.kind {
	case columnKind, textKind:
		return append(dst, v.text...)
	case numberKind:
		return v.number.Append(dst)
	case dateKind:
		return append(dst, date.String(v.days)...)
	case flagKind:
		return strconv.AppendBool(dst, v.flag)
	}
	return dst
}

// wordOf is the word of names that two values are compared as, "" where neither is one: entities are compared in
// whatever spelling, and periods as such.
func wordOf(a, b *value) string {
	word, other := a.word, b
	if word == "" {
		word, other = b.word, a
	}
	isNumber := other.kind == numberKind && word != spelling.PeriodWord
	if isNumber || other.kind == dateKind || other.kind == flagKind {
		return ""
	}
	return word
}

// equal compares two values: as numbers or dates if one of them is, else as
// texts.
func equal(a, b *value) (bool, error) {
	if word := wordOf(a, b); word != "" {
		return spelling.Same(word, string(a.asText()), string(b.asText())), nil
	}
	switch {
	case a.kind == numberKind || b.kind == numberKind:
		if a.isBlank() || b.isBlank() {
			return a.isBlank() && b.isBlank(), nil
		}
		x, err := a.asNumber()
		if err != nil {
			return false, err
		}
		y, err := b.asNumber()
		return x.Cmp(y) == 0, err
	case a.kind == dateKind || b.kind == dateKind:
		if a.isBlank() || b.isBlank() {
			return a.isBlank() && b.isBlank(), nil
		}
		x, err := a.asDate()
		if err != nil {
			return false, err
		}
		y, err := b.asDate()
		return x == y, err
	case a.kind == flagKind || b.kind == flagKind:
		x, err := a.asFlag()
		if err != nil {
			return false, err
		}
		y, err := b.asFlag()
		return x == y, err
	}
	x, y := a.asText(), b.asText()
	return bytes.Equal(x, y) || a.isNothing() && b.isNothing(), nil
}

// isNothing tells whether a value says nothing: a blank, a field of blanks alone, or the text "".
func (v *value) isNothing() bool { return v.isBlank() || v.kind == textKind && len(v.text) == 0 }

// order compares two values that both are there: as dates if one of them is, as
// texts if one of them is written in the expression, else as numbers.
func order(a, b *value) (int, error) {
	if wordOf(a, b) == spelling.PeriodWord {
		x, isX := period.Parse(string(a.asText()))
		y, isY := period.Parse(string(b.asText()))
		if isX && isY {
			return cmp.Or(x.First-y.First, x.Last()-y.Last()), nil
		}
	}
	switch {
	case a.kind == dateKind || b.kind == dateKind:
		x, err := a.asDate()
		if err != nil {
			return 0, err
		}
		y, err := b.asDate()
		return x - y, err
	case a.kind == textKind || b.kind == textKind:
		return bytes.Compare(a.append(nil), b.append(nil)), nil
	case a.kind == columnKind && b.kind == columnKind:
		x, errX := a.asDate()
		y, errY := b.asDate()
		if errX == nil && errY == nil {
			return x - y, nil
		}
	}
	x, err := a.asNumber()
	if err != nil {
		return 0, err
	}
	y, err := b.asNumber()
	return x.Cmp(y), err
}
