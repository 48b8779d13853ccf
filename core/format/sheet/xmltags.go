package sheet

import (
	"bytes"
	"fmt"
	"unicode"
	"unicode/utf8"
)

// token reads the token that b begins with: its kind, 0 for one that is passed over, and its size. The error is
// errMore or a malformedError.
func (s *Scanner) token(b []byte) (kind Kind, size int, err error) {
	if len(b) == 0 {
		return 0, 0, errMore
	}
	if b[0] != '<' {
		return s.chars(b)
	}
	if len(b) < 2 {
		return 0, 0, errMore
	}
	switch b[1] {
	case '/':
		return s.endTag(b)
	case '?':
		return instruction(b)
	case '!':
		return s.declaration(b)
	}
	return s.startTag(b)
}

// classes of bytes.
const (
	plain  = 0
	named  = 1 << iota // may stand in a name
	begins             // may begin one
	parts              // parts a prefix from a name
	odd                // is looked at more closely in a text: a reference, an end of a line, other than ASCII
)

var classes = func() (c [256]byte) {
	for i := range c {
		b := byte(i)
		switch {
		case 'a' <= b|0x20 && b|0x20 <= 'z', b == '_', b == ':', b >= utf8.RuneSelf:
			c[i] = named | begins
		case '0' <= b && b <= '9', b == '-', b == '.':
			c[i] = named
		}
		if b == ':' {
			c[i] |= parts
		}
		if b == '&' || b == '\r' || b == ']' || b >= utf8.RuneSelf || b < ' ' && b != '\t' && b != '\n' {
			c[i] |= odd
		}
	}
	return c
}()

// readName reads a name and its prefix; size is that of both together.
func readName(b []byte) (space, name []byte, size int, err error) {
	i, seen := 0, byte(0)
	for i < len(b) {
		class := classes[b[i]]
		if class&named == 0 {
			break
		}
		seen |= class
		i++
	}
	switch {
	case i == len(b):
		return nil, nil, 0, errMore
	case i == 0:
		return nil, nil, 0, malformedError("a name is missing")
	case classes[b[0]]&begins == 0 || seen&odd != 0 && !isName(b[:i]):
		return nil, nil, 0, malformedError("a name that is none")
	case seen&parts == 0:
		return nil, b[:i], i, nil
	}
	colon := bytes.IndexByte(b[:i], ':')
	switch {
	case bytes.IndexByte(b[colon+1:i], ':') >= 0:
		return nil, nil, 0, malformedError("a name with two colons")
	case colon == 0 || colon == i-1:
		return nil, b[:i], i, nil
	}
	return b[:colon], b[colon+1 : i], i, nil
}

// isName tells whether a text with other letters than those of ASCII is a name.
func isName(b []byte) bool {
	for i := 0; i < len(b); {
		r, size := utf8.DecodeRune(b[i:])
		if r == utf8.RuneError && size == 1 || r >= utf8.RuneSelf && !unicode.IsLetter(r) && (i == 0 ||
			!unicode.In(r, unicode.N, unicode.M)) && r != 0xb7 {
			return false
		}
		i += size
	}
	return true
}

func skipSpace(b []byte, i int) int {
	for i < len(b) && (b[i] == ' ' || b[i] == '\n' || b[i] == '\t' || b[i] == '\r') {
		i++
	}
	return i
}

// startTag reads the begin of an element.
func (s *Scanner) startTag(b []byte) (Kind, int, error) {
	space, name, size, err := readName(b[1:])
	if err != nil {
		return 0, 0, err
	}
	full := b[1 : 1+size]
	s.attributes, s.scratch = s.attributes[:0], s.scratch[:0]
	for i := 1 + size; ; {
		i = skipSpace(b, i)
		if i >= len(b) {
			return 0, 0, errMore
		}
		switch b[i] {
		case '>':
			s.space, s.name = space, name
			s.from = append(s.from, len(s.open))
			s.open = append(s.open, full...)
			return Start, i + 1, nil
		case '/':
			if i+1 == len(b) {
				return 0, 0, errMore
			}
			if b[i+1] != '>' {
				return 0, 0, malformedError("a tag with / in it")
			}
			s.space, s.name, s.closes = space, name, true
			return Start, i + 2, nil
		}
		var a Attribute
		if a.Space, a.Name, size, err = readName(b[i:]); err != nil {
			return 0, 0, err
		}
		if i = skipSpace(b, i+size); i >= len(b) {
			return 0, 0, errMore
		}
		if b[i] != '=' {
			return 0, 0, malformedError("an attribute without a value")
		}
		if i = skipSpace(b, i+1); i >= len(b) {
			return 0, 0, errMore
		}
		quote := b[i]
		if quote != '"' && quote != '\'' {
			return 0, 0, malformedError("a value without quotes")
		}
		if a.Value, size, err = s.value(b[i+1:], quote); err != nil {
			return 0, 0, err
		}
		s.attributes = append(s.attributes, a)
		i += size + 2
	}
}

// value reads the value of an attribute up to its quote.
func (s *Scanner) value(b []byte, quote byte) (value []byte, size int, err error) {
	seen := byte(0)
	for i, c := range b {
		switch c {
		case quote:
			if seen&odd == 0 {
				return b[:i], i, nil
			}
			value, err = s.decode(b[:i], false)
			return value, i, err
		case '<':
			return nil, 0, malformedError("a < in a value")
		}
		seen |= classes[c]
	}
	return nil, 0, errMore
}

// endTag reads the end of an element, which has to be the one that was opened last.
func (s *Scanner) endTag(b []byte) (Kind, int, error) {
	space, name, size, err := readName(b[2:])
	if err != nil {
		return 0, 0, err
	}
	i := skipSpace(b, 2+size)
	switch {
	case i >= len(b):
		return 0, 0, errMore
	case b[i] != '>':
		return 0, 0, malformedError("an end of an element with something in it")
	case len(s.from) == 0:
		return 0, 0, malformedError("an end of an element that was not opened")
	}
	from := s.from[len(s.from)-1]
	if string(s.open[from:]) != string(b[2:2+size]) {
		return 0, 0, malformedError(fmt.Sprintf("element <%.40s> is closed by </%.40s>", s.open[from:], b[2:2+size]))
	}
	s.open, s.from = s.open[:from], s.from[:len(s.from)-1]
	s.space, s.name, s.attributes = space, name, s.attributes[:0]
	return End, i + 1, nil
}
