package xlsx

import "lastblock/core/format/sheet"

// quickCell is a cell in the spelling that nearly all programs write: <c r="A1" s="2" t="s"><v>7</v></c>, with any of
// the three attributes, an inline text in place of the value, or nothing. What is spelled otherwise is for the scanner.
type quickCell struct {
	reference, style, kind []byte
	raw                    []byte
	stored                 bool // there is a value, be it blank
}

// read reads the cell that b begins with, and returns how long it is; 0 where it is spelled otherwise, or b ends
// before it does.
func (q *quickCell) read(b []byte) int {
	const begin, least = "<c", len(`<c/>`)
	if len(b) < least || b[0] != '<' || b[1] != 'c' {
		return 0
	}
	*q = quickCell{}
	i := len(begin)
	for i+4 < len(b) && b[i] == ' ' && b[i+2] == '=' && b[i+3] == '"' {
		var to *[]byte
		switch b[i+1] {
		case 'r':
			to = &q.reference
		case 's':
			to = &q.style
		case 't':
			to = &q.kind
		default:
			return 0
		}
		from := i + 4
		end := sheet.PlainEnd(b, from)
		if end >= len(b) || b[end] != '"' || *to != nil {
			return 0
		}
		*to, i = b[from:end:end], end+1
	}
	if i+1 >= len(b) {
		return 0
	}
	switch {
	case b[i] == '/' && b[i+1] == '>':
		return i + 2
	case b[i] != '>':
		return 0
	}
	i++
	if n := q.content(b[i:], "<v>", "</v></c>"); n > 0 {
		q.stored = true
		return i + n
	}
	if n := q.content(b[i:], "<is><t>", "</t></is></c>"); n > 0 {
		return i + n
	}
	return 0
}

// quickText is the shared text that b begins with, in its usual spelling: <si><t>text</t></si>. n is how long it is, 0
// where it is spelled otherwise, or b ends before it does.
func quickText(b []byte) (text []byte, n int) {
	const kept = `<si><t xml:space="preserve">` // with its blanks
	var q quickCell
	if n = q.content(b, "<si><t>", "</t></si>"); n == 0 {
		n = q.content(b, kept, "</t></si>")
	}
	return q.raw, n
}

// content reads a plain text between a begin and an end.
func (q *quickCell) content(b []byte, begin, end string) int {
	if len(b) < len(begin) || string(b[:len(begin)]) != begin {
		return 0
	}
	to := sheet.PlainEnd(b, len(begin))
	if len(b)-to < len(end) || string(b[to:to+len(end)]) != end {
		return 0
	}
	q.raw = b[len(begin):to:to]
	return to + len(end)
}
