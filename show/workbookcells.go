package show

import (
	"bytes"
	"fmt"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"lastblock/core/record"
	"lastblock/core/source"
)

// cellColumn is a column of a sheet: how its cells are called and shown (ISO/IEC 29500-1, 18.3.1.4).
type cellColumn struct {
	Cells
	letters string // A, B, …
	style   string // the number of its style
}

// check makes sure that a cell can hold a text.
func (c *cellColumn) check(text []byte) error {
	if len(text) > cellLength && utf8.RuneCount(text) > cellLength {
		return fmt.Errorf("column %q has a text of %d characters, and a cell of a workbook holds %d; write "+
			".csv or .parquet", c.Name, utf8.RuneCount(text), cellLength)
	}
	return nil
}

// width is how many characters a cell shows.
func (c *cellColumn) width(text []byte, kind record.Kind) int {
	switch {
	case isNumber(text, kind):
		point := bytes.IndexByte(text, '.')
		if point < 0 {
			point = len(text)
		}
		length := point + len(".00")
		return length + length/3
	case kind == record.Flag:
		return 0
	case bytes.HasPrefix(text, []byte(source.VerdictLabel)):
		return 0 // which runs over into the columns beside it
	}
	return utf8.RuneCount(text)
}

// isNumber tells whether a text becomes a number, which a workbook keeps with so many digits.
func isNumber(text []byte, kind record.Kind) bool {
	return kind == record.Amount && len(text) > 0 && digitsOf(text) <= mostDigits
}

func digitsOf(text []byte) int {
	n := 0
	for _, c := range text {
		if '0' <= c && c <= '9' && (n > 0 || c != '0') {
			n++
		}
	}
	return n
}

// append appends the cell of a row, nothing where there is none. A number keeps its digits, or where a workbook has not
// so many of them becomes a text that does.
func (c *cellColumn) append(dst []byte, row, text []byte, kind record.Kind) []byte {
	if len(text) == 0 && (text == nil || !c.Blank) {
		return dst
	}
	dst = append(append(append(dst, `<c r="`...), c.letters...), row...)
	dst = append(append(append(dst, `" s="`...), c.style...), '"')
	switch {
	case isNumber(text, kind):
		dst = append(dst, `><v>`...)
		return append(appendNumber(dst, text), `</v></c>`...)
	case kind == record.Date:
		if day, ok := dayOf(text); ok {
			dst = append(dst, `><v>`...)
			return append(strconv.AppendInt(dst, int64(day), 10), `</v></c>`...)
		}
	case kind == record.Flag:
		value := `t="b"><v>0</v></c>`
		if string(text) == "true" {
			value = `t="b"><v>1</v></c>`
		}
		return append(append(dst, ' '), value...)
	}
	dst = append(dst, ` t="inlineStr"><is><t`...)
	if len(text) > 0 && (text[0] <= ' ' || text[len(text)-1] <= ' ' || bytes.IndexByte(text, '\n') >= 0) {
		dst = append(dst, ` xml:space="preserve"`...)
	}
	return append(appendXMLText(append(dst, '>'), text), `</t></is></c>`...)
}

// appendNumber appends a plain number without zeros at the end of its decimals.
func appendNumber(dst, text []byte) []byte {
	if bytes.IndexByte(text, '.') >= 0 {
		text = bytes.TrimRight(text, "0")
		text = bytes.TrimSuffix(text, []byte{'.'})
	}
	if len(text) == 0 || string(text) == "-" || string(text) == "-0" {
		return append(dst, '0')
	}
	return append(dst, text...)
}

// dayOf is the number by which a workbook knows a day, written by ISO 8601: that of days since 1899-12-31, after
// February 1900 one more (ISO/IEC 29500-1, 18.17.4.1). Days before 1900 have none.
func dayOf(text []byte) (int, bool) {
	const secondsOfDay, lastOfFebruary = 86400, 59
	day, err := time.Parse(time.DateOnly, string(text))
	if err != nil || day.Year() < 1900 {
		return 0, false
	}
	n := int((day.Unix() - time.Date(1899, time.December, 31, 0, 0, 0, 0, time.UTC).Unix()) / secondsOfDay)
	if n > lastOfFebruary {
		n++
	}
	return n, true
}

// plainBytes are those that stand for themselves in the text of a cell.
var plainBytes = func() (plain [256]bool) {
	for c := ' '; c < utf8.RuneSelf; c++ {
		plain[c] = !strings.ContainsRune("<>&_\x7f", c)
	}
	plain['\n'], plain['\t'] = true, true
	return plain
}()

// appendXMLText appends a text as the content of a cell. Characters that XML cannot hold are written as _x000B_, and a
// text that looks so as _x005F_x000B_ (ISO/IEC 29500-1, 22.9.2.19); bytes that are no UTF-8 become U+FFFD.
func appendXMLText(dst, text []byte) []byte {
	from := 0
	for i := 0; i < len(text); {
		if plainBytes[text[i]] {
			i++
			continue
		}
		dst = append(dst, text[from:i]...)
		r, size := utf8.DecodeRune(text[i:])
		switch {
		case r == '<':
			dst = append(dst, "&lt;"...)
		case r == '>':
			dst = append(dst, "&gt;"...)
		case r == '&':
			dst = append(dst, "&amp;"...)
		case r == '_' && looksEscaped(text[i:]):
			dst = append(dst, "_x005F_"...)
		case r < ' ' || r == 0xfffe || r == 0xffff:
			dst = fmt.Appendf(dst, "_x%04X_", r)
		default:
			dst = utf8.AppendRune(dst, r)
		}
		i += size
		from = i
	}
	return append(dst, text[from:]...)
}

// looksEscaped tells whether a text begins like _x000B_.
func looksEscaped(text []byte) bool {
	const length = len("_x000B_")
	if len(text) < length || text[1] != 'x' || text[length-1] != '_' {
		return false
	}
	for _, c := range text[2 : length-1] {
		if !('0' <= c && c <= '9' || 'a' <= c|0x20 && c|0x20 <= 'f') {
			return false
		}
	}
	return true
}
