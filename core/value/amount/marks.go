package amount

import "bytes"

// Marks gathers from amounts which decimal mark their writer uses. The zero
// value is ready.
type Marks struct {
	Point   int // amounts that prove the point, as 1,234.50 and 12.5 do
	Comma   int // amounts that prove the comma, as 1.234,50 and 12,5 do
	Unclear int // amounts that could be both, as 1.234 and 1,234 are
}

// Decimal returns the decimal mark, and whether it is proven: by some amounts,
// and by more than prove the other one.
func (m *Marks) Decimal() (mark byte, proven bool) {
	if m.Comma > m.Point {
		return ',', true
	}
	return '.', m.Point > m.Comma
}

// Merge adds what others have gathered.
func (m *Marks) Merge(o Marks) {
	m.Point += o.Point
	m.Comma += o.Comma
	m.Unclear += o.Unclear
}

// Add takes an amount into account; what is none is passed over.
//
// A figure that has both marks has the decimal mark last. A mark that stands
// twice parts thousands. A mark that stands once is the decimal mark, unless
// three digits follow it and one to three, the first not a zero, precede it:
// then it may be either.
func (m *Marks) Add(text []byte) {
	point, comma := bytes.IndexByte(text, '.'), bytes.IndexByte(text, ',')
	if point < 0 && comma < 0 || m.addPlain(text, max(point, comma), comma > point) {
		return
	}
	_, errPoint := Parse(text, '.')
	_, errComma := Parse(text, ',')
	switch {
	case errPoint != nil && errComma != nil:
	case errComma != nil:
		m.Point++
	case errPoint != nil:
		m.Comma++
	case point >= 0 && leadsWithZero(text, point):
		m.Point++
	case comma >= 0 && leadsWithZero(text, comma):
		m.Comma++
	default:
		m.Unclear++
	}
}

// addPlain takes quickly what nearly all amounts are: digits, one mark, and
// behind it digits that are not three.
func (m *Marks) addPlain(text []byte, mark int, comma bool) bool {
	const group = 3
	if decimals := len(text) - mark - 1; decimals == group || decimals == 0 || mark == 0 {
		return false
	}
	for i, c := range text {
		if i != mark && (c < '0' || c > '9') {
			return false
		}
	}
	if comma {
		m.Comma++
	} else {
		m.Point++
	}
	return true
}

// leadsWithZero tells whether the figure before a mark is a single zero, or
// nothing: nobody writes thousands like that.
func leadsWithZero(text []byte, mark int) bool {
	digits := 0
	for i := mark - 1; i >= 0 && '0' <= text[i] && text[i] <= '9'; i-- {
		digits++
	}
	return digits == 0 || digits == 1 && text[mark-1] == '0'
}
