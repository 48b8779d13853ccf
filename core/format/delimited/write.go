package delimited

import (
	"bytes"

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

// IsAsWritten tells whether AppendRecord would write a record of a regular batch as it was sent: no field is in quotes
// that need not be.
func IsAsWritten(b *record.Batch, row int, delimiter byte) bool {
	bounds := b.RecordBounds(row)
	for i, end := range bounds[1:] {
		start := bounds[i] + 1
		if start < end && b.Data[start] == '"' && !needsQuotes(b.Data[start+1:end-1], delimiter) {
			return false
		}
	}
	return true
}

// needsQuotes tells whether a field has to stand in quotes. Most fields are short, and
// gone through byte by byte in less time than it takes to look for one byte four times.
func needsQuotes(text []byte, delimiter byte) bool {
	const short = 48
	if len(text) > short {
		return bytes.IndexByte(text, delimiter) >= 0 || bytes.IndexByte(text, '"') >= 0 ||
			bytes.IndexByte(text, '\n') >= 0 || bytes.IndexByte(text, '\r') >= 0
	}
	for _, c := range text {
		if c == delimiter || c == '"' || c == '\n' || c == '\r' {
			return true
		}
	}
	return false
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
		dst = AppendField(dst, text, delimiter)
	}
	return append(dst, '\n')
}
