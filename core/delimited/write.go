package delimited

import "bytes"

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
