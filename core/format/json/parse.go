package json

import (
	"bytes"
	"slices"
	"unicode/utf16"
	"unicode/utf8"

	"lastblock/core/format/delimited"
	"lastblock/core/value/amount"
)

// node is a key at its place among keys that lie within one another; what
// stands under it is a column, or has keys of its own, or both.
type node struct {
	key    string
	column int // -1 for none
	kids   []*node
	byKey  map[string]*node
}

func newNode(key string) *node { return &node{key: key, column: -1, byKey: make(map[string]*node)} }

// kid returns the node of a key, which is mostly the one behind the last.
func (n *node) kid(key []byte, next int) (kid *node, at int) {
	if next < len(n.kids) && n.kids[next].key == string(key) {
		return n.kids[next], next
	}
	kid = n.byKey[string(key)]
	if kid == nil {
		return nil, next
	}
	for i, k := range n.kids {
		if k == kid {
			return kid, i
		}
	}
	return kid, next
}

// value is what an object has for a column.
type value struct {
	text []byte
	set  bool
	bare bool // a number, true or false
}

// parser turns objects into the texts of their columns.
type parser struct {
	root    *node
	values  []value
	filled  []int  // columns of which there are values, in order but for those of keys in another order
	arena   []byte // texts that had escapes
	data    []byte
	keyText []byte
	twice   int // column that an object has twice, -1 for none
}

// object parses the object at data[at] into values; false where it is none.
func (p *parser) object(data []byte, at int) (end int, ok bool) {
	for _, column := range p.filled {
		p.values[column] = value{}
	}
	p.filled = p.filled[:0]
	p.arena, p.twice = p.arena[:0], -1
	p.data = data
	return p.fields(p.root, at, 0)
}

func (p *parser) blanks(at int) int { return passBlanks(p.data, at) }

func passBlanks(data []byte, at int) int {
	for at < len(data) {
		switch data[at] {
		case ' ', '\t', '\n', '\r':
			at++
		default:
			return at
		}
	}
	return at
}

// is tells whether a byte stands somewhere.
func (p *parser) is(at int, c byte) bool { return at < len(p.data) && p.data[at] == c }

func (p *parser) fields(n *node, at, depth int) (end int, ok bool) {
	if !p.is(at, '{') || depth > mostDepth {
		return at, false
	}
	at = p.blanks(at + 1)
	if p.is(at, '}') {
		return at + 1, true
	}
	for next := 0; ; next++ {
		if !p.is(at, '"') {
			return at, false
		}
		closing, escaped, ok := stringEnd(p.data, at+1)
		if !ok {
			return at, false
		}
		key := p.data[at+1 : closing]
		if escaped {
			p.keyText = unescape(p.keyText[:0], key)
			key = p.keyText
		}
		kid, found := n.kid(key, next)
		next = found
		if at = p.blanks(closing + 1); !p.is(at, ':') || kid == nil {
			return at, false
		}
		at = p.blanks(at + 1)
		if p.is(at, '{') && len(kid.kids) > 0 {
			at, ok = p.fields(kid, at, depth+1)
		} else {
			at, ok = p.value(kid, at)
		}
		if !ok {
			return at, false
		}
		at = p.blanks(at)
		switch {
		case p.is(at, '}'):
			return at + 1, true
		case !p.is(at, ','):
			return at, false
		}
		at = p.blanks(at + 1)
	}
}

// value reads what stands under a key.
func (p *parser) value(n *node, at int) (end int, ok bool) {
	if at >= len(p.data) {
		return at, false
	}
	var text []byte
	bare := false
	switch c := p.data[at]; {
	case c == '"':
		closing, escaped, ok := stringEnd(p.data, at+1)
		if !ok {
			return at, false
		}
		text, end = p.data[at+1:closing], closing+1
		if escaped {
			start := len(p.arena)
			p.arena = unescape(p.arena, text)
			text = p.arena[start:len(p.arena):len(p.arena)]
		}
	case c == '{' || c == '[':
		var s state
		if end, s = skipNested(p.data, at); s != whole {
			return at, false
		}
		text = p.data[at:end]
		if c == '{' && len(bytes.TrimSpace(text[1:len(text)-1])) == 0 {
			text = nil // an object without anything
		}
	default:
		end = at
		for end < len(p.data) && isScalar(p.data[end]) {
			end++
		}
		text, bare = p.data[at:end], true
		if !isLiteral(text) {
			return at, false
		}
		if string(text) == "null" {
			text = nil
		}
	}
	if n.column < 0 {
		return end, len(text) == 0 // only a blank can have been passed over when keys were gathered
	}
	v := &p.values[n.column]
	if v.set {
		p.twice = n.column
	} else {
		p.filled = append(p.filled, n.column)
	}
	v.text, v.set, v.bare = text, true, bare
	return end, true
}

// appendRecord appends the values as a line of delimited text, and to bounds where its fields end. It tells whether
// none of them is in quotes.
func (p *parser) appendRecord(dst []byte, bounds []uint32) (line []byte, ends []uint32, plain bool) {
	bounds, plain = append(bounds, uint32(len(dst))-1), true
	if !slices.IsSorted(p.filled) {
		slices.Sort(p.filled)
	}
	next := 0
	for _, column := range p.filled {
		dst, bounds = appendBlanks(dst, bounds, next, column)
		if column > 0 {
			dst = append(dst, ',')
		}
		text := p.values[column].text
		if p.values[column].bare {
			dst = amount.AppendPlain(dst, text, 0)
		} else {
			from := len(dst)
			dst = delimited.AppendField(dst, text, ',')
			plain = plain && len(dst)-from == len(text)
		}
		bounds, next = append(bounds, uint32(len(dst))), column+1
	}
	dst, bounds = appendBlanks(dst, bounds, next, len(p.values))
	return append(dst, '\n'), bounds, plain
}

// appendBlanks appends blank fields, from one column up to another one: of thousands of keys most records have few.
func appendBlanks(dst []byte, bounds []uint32, from, to int) ([]byte, []uint32) {
	if from == to {
		return dst, bounds
	}
	if from == 0 {
		bounds, from = append(bounds, uint32(len(dst))), 1
	}
	n, at := to-from, len(dst)
	dst, bounds = slices.Grow(dst, n), slices.Grow(bounds, n)
	dst = dst[:at+n]
	for i := range dst[at:] {
		dst[at+i] = ','
	}
	first := len(bounds)
	bounds = bounds[:first+n]
	for i := range bounds[first:] {
		bounds[first+i] = uint32(at + i + 1)
	}
	return dst, bounds
}

// unescape appends the text of a JSON string.
func unescape(dst, text []byte) []byte {
	for i := 0; i < len(text); i++ {
		if text[i] != '\\' || i+1 == len(text) {
			dst = append(dst, text[i])
			continue
		}
		i++
		switch c := text[i]; c {
		case 'n':
			dst = append(dst, '\n')
		case 't':
			dst = append(dst, '\t')
		case 'r':
			dst = append(dst, '\r')
		case 'b':
			dst = append(dst, '\b')
		case 'f':
			dst = append(dst, '\f')
		case 'u':
			r, ok := hex4(text[i+1:])
			if !ok {
				dst = append(dst, '\\', 'u')
				continue
			}
			i += 4
			if utf16.IsSurrogate(r) && i+2 < len(text) && text[i+1] == '\\' && text[i+2] == 'u' {
				if low, ok := hex4(text[i+3:]); ok {
					if whole := utf16.DecodeRune(r, low); whole != utf8.RuneError {
						r = whole
						i += 6
					}
				}
			}
			dst = utf8.AppendRune(dst, r)
		default:
			dst = append(dst, c)
		}
	}
	return dst
}

func hex4(text []byte) (r rune, ok bool) {
	if len(text) < 4 {
		return 0, false
	}
	for _, c := range text[:4] {
		r <<= 4
		switch {
		case '0' <= c && c <= '9':
			r |= rune(c - '0')
		case 'a' <= c|0x20 && c|0x20 <= 'f':
			r |= rune(c|0x20-'a') + 10
		default:
			return 0, false
		}
	}
	return r, true
}
