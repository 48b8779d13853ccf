package delimited

import (
	"bytes"

	"lastblock/core/amount"
)

// AppendField appends a field as RFC 4180 writes it: in quotes only where it
// holds the delimiter, a quote or a line break.
func AppendField(dst, text []byte, delimiter byte) []byte {
	if bytes.IndexByte(text, delimiter) < 0 && bytes.IndexByte(text, '"') < 0 && bytes.IndexByte(text, '\n') < 0 && bytes.IndexByte(text, '\r') < 0 {
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
