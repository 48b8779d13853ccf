package delimited

import (
	"bytes"
	"encoding/binary"

	"lastblock/core/record"
	"lastblock/core/value/amount"
)

// AppendField appends a field as RFC 4180 writes it: in quotes only where it
// holds the delimiter, a quote or a line break.
func AppendField(dst, text []byte, delimiter byte) []byte {
	if !needsQuotes(text, delimiter) {
		return append(dst, text...)
	}
	dst = append(dst, '"')
	for {
		i := bytes.IndexByte(text, '"')
		if i < 0 {
			break
		}
		dst = append(append(dst, text[:i+1]...), '"')
		text = text[i+1:]
	}
	return append(append(dst, text...), '"')
}

// CloseField makes a field of the text that dst ends with, from a place on; room is for texts that get quotes.
func CloseField(dst []byte, from int, delimiter byte, room *[]byte) []byte {
	if !needsQuotes(dst[from:], delimiter) {
		return dst
	}
	*room = append((*room)[:0], dst[from:]...)
	return AppendField(dst[:from], *room, delimiter)
}

// IsAsWritten tells whether AppendRecord would write a record of a regular batch, whose delimiter is given, as it was
// sent: no field is in quotes that need not be.
func IsAsWritten(b *record.Batch, row int, delimiter byte) bool {
	if b.Needed {
		return true
	}
	bounds := b.RecordBounds(row)
	for i, end := range bounds[1:] {
		start := bounds[i] + 1
		if start < end && b.Data[start] == '"' && !needsQuotes(b.Data[start+1:end-1], delimiter) {
			return false
		}
	}
	return true
}

// needsQuotes tells whether a field has to stand in quotes. Most fields are short, and gone through in words of eight
// bytes in less time than it takes to look for one byte four times.
func needsQuotes(text []byte, delimiter byte) bool {
	const short, word, half = 64, 8, 4
	switch n := len(text); {
	case n > short:
		return bytes.IndexByte(text, delimiter) >= 0 || bytes.IndexByte(text, '"') >= 0 ||
			bytes.IndexByte(text, '\n') >= 0 || bytes.IndexByte(text, '\r') >= 0
	case n >= word:
		delimiters := ones * uint64(delimiter)
		for rest := text; len(rest) > word; rest = rest[word:] {
			if holdsSpecial(binary.LittleEndian.Uint64(rest), delimiters) {
				return true
			}
		}
		return holdsSpecial(binary.LittleEndian.Uint64(text[n-word:]), delimiters) // some bytes again
	case n >= half:
		return holdsSpecial(uint64(binary.LittleEndian.Uint32(text))|
			uint64(binary.LittleEndian.Uint32(text[n-half:]))<<32, ones*uint64(delimiter))
	}
	for _, c := range text {
		if c == delimiter || c == '"' || c == '\n' || c == '\r' {
			return true
		}
	}
	return false
}

const ones, topBits = 0x0101010101010101, 0x8080808080808080

// holdsSpecial tells whether one of eight bytes is the delimiter, a quote, or of a line end.
func holdsSpecial(bytes, delimiters uint64) bool {
	// A byte is zero where subtracting one sets its topmost bit and it was not set before; bytes above the first zero
	// may look so, too, which makes no difference here.
	zeros := func(v uint64) uint64 { return (v - ones) &^ v }
	return (zeros(bytes^delimiters)|zeros(bytes^ones*'"')|zeros(bytes^ones*'\n')|zeros(bytes^ones*'\r'))&topBits != 0
}

// Shield puts an apostrophe before a text that a spreadsheet would run as a
// formula; amounts with a sign are none. The result may lie in *scratch.
func Shield(text []byte, scratch *[]byte) []byte {
	if len(text) == 0 {
		return text
	}
	switch text[0] {
	case '-', '+':
		if _, err := amount.Parse(text, '.'); err == nil {
			return text
		}
		if _, err := amount.Parse(text, ','); err == nil {
			return text
		}
	case '=', '@', '\t', '\r':
	default:
		return text
	}
	*scratch = append(append((*scratch)[:0], '\''), text...)
	return *scratch
}

// Unshield takes the apostrophe off again that Shield has put before a text.
func Unshield(text string) string {
	if len(text) < 2 || text[0] != '\'' {
		return text
	}
	var scratch []byte
	if string(Shield([]byte(text[1:]), &scratch)) == text {
		return text[1:]
	}
	return text
}

// AppendRecord appends a record and a line feed. A record of one blank field is
// written in quotes, since a blank line would be no record.
func AppendRecord(dst []byte, texts [][]byte, delimiter byte) []byte {
	if len(texts) == 1 && len(bytes.TrimRight(texts[0], "\r")) == 0 {
		return append(append(append(dst, '"'), texts[0]...), '"', '\n')
	}
	for i, text := range texts {
		if i > 0 {
			dst = append(dst, delimiter)
		}
		if len(text) > 0 {
			dst = AppendField(dst, text, delimiter)
		}
	}
	return append(dst, '\n')
}
