package json

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math/bits"

	"lastblock/core/format/delimited"
)

// SyntaxError is a text that is no JSON.
type SyntaxError struct {
	Line     int
	Found    string // "" for the end of the text
	Expected string
}

func (e *SyntaxError) Error() string {
	if e.Found == "" {
		return fmt.Sprintf("line %d: the JSON ends where %s is expected; the file was cut off, ask for it again",
			e.Line, e.Expected)
	}
	return fmt.Sprintf("line %d: %s stands where JSON has %s", e.Line, e.Found, e.Expected)
}

// mostDepth is how deep values may lie within one another.
const mostDepth = 1000

// lexer walks through JSON that is read bit by bit. Nothing of what it has
// passed stays in memory.
type lexer struct {
	source io.Reader
	buffer []byte
	at     int   // in buffer
	base   int64 // offset of buffer in the text
	line   int   // on which buffer[lined] stands
	lined  int
	ended  bool
}

// A lexer begins with a small buffer, as there may be a hundred thousand small
// files, and has a large one once it has had to read on.
const (
	firstBuffer = 4 << 10
	usualBuffer = 256 << 10
)

func newLexer(source io.Reader) *lexer {
	return &lexer{source: source, buffer: make([]byte, 0, firstBuffer), line: 1}
}

// more reads on; false at the end of the text.
func (l *lexer) more() (bool, error) {
	if l.ended {
		return false, nil
	}
	l.lineNow()
	l.base += int64(l.at)
	n := copy(l.buffer, l.buffer[l.at:])
	l.buffer, l.at, l.lined = l.buffer[:n], 0, 0
	if n >= delimited.MaxRecord {
		return false, &delimited.TooLongError{Line: l.line, Limit: delimited.MaxRecord}
	}
	if size := cap(l.buffer); n == size || size < usualBuffer && l.base > 0 {
		grown := make([]byte, n, max(2*size, min(usualBuffer, 8*size)))
		copy(grown, l.buffer)
		l.buffer = grown
	}
	read, err := io.ReadAtLeast(l.source, l.buffer[n:cap(l.buffer)], 1)
	l.buffer = l.buffer[:n+read]
	switch {
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		l.ended = true
	case err != nil:
		return false, err
	}
	return read > 0, nil
}

// offset is where the lexer stands in the text, and lineNow on which line.
func (l *lexer) offset() int64 { return l.base + int64(l.at) }

func (l *lexer) lineNow() int {
	if l.at >= l.lined {
		l.line += bytes.Count(l.buffer[l.lined:l.at], []byte{'\n'})
	} else {
		l.line -= bytes.Count(l.buffer[l.at:l.lined], []byte{'\n'})
	}
	l.lined = l.at
	return l.line
}

// peek passes blanks and returns the next byte, 0 at the end.
func (l *lexer) peek() (byte, error) {
	for {
		for l.at < len(l.buffer) {
			switch c := l.buffer[l.at]; c {
			case ' ', '\t', '\n', '\r':
				l.at++
			default:
				return c, nil
			}
		}
		if more, err := l.more(); !more || err != nil {
			return 0, err
		}
	}
}

// expect passes blanks and one byte, which must be c.
func (l *lexer) expect(c byte, what string) error {
	found, err := l.peek()
	if err != nil {
		return err
	}
	if found != c {
		return l.fail(what)
	}
	l.at++
	return nil
}

// fail is the error of what stands here.
func (l *lexer) fail(expected string) error {
	e := &SyntaxError{Line: l.lineNow(), Expected: expected}
	if l.at < len(l.buffer) {
		e.Found = fmt.Sprintf("%q", l.buffer[l.at:min(l.at+1, len(l.buffer))])
	}
	return e
}

// skip passes the next value, however long it is.
func (l *lexer) skip() error {
	c, err := l.peek()
	if err != nil {
		return err
	}
	if c == '{' || c == '[' {
		return l.skipNested()
	}
	_, err = l.value()
	return err
}

// skipNested passes an object or array bit by bit.
func (l *lexer) skipNested() error {
	depth := 0
	for {
		c, err := l.peek()
		if err != nil {
			return err
		}
		switch c {
		case '{', '[':
			if depth++; depth > mostDepth {
				return l.fail(fmt.Sprintf("no more than %d values within one another", mostDepth))
			}
			l.at++
		case '}', ']':
			l.at++
			if depth--; depth == 0 {
				return nil
			}
		case ',', ':':
			l.at++
		case 0:
			return l.fail("the end of a value")
		default:
			if _, err := l.value(); err != nil {
				return err
			}
		}
	}
}

// value passes the next value and returns it; it is good until the lexer goes
// on.
func (l *lexer) value() ([]byte, error) {
	if _, err := l.peek(); err != nil {
		return nil, err
	}
	for {
		end, state := skipValue(l.buffer, l.at)
		switch {
		case state == whole && (end < len(l.buffer) || l.ended):
			value := l.buffer[l.at:end]
			l.at = end
			return value, nil
		case state == broken:
			l.at = end
			return nil, l.fail("a value")
		}
		more, err := l.more()
		if err != nil {
			return nil, err
		}
		if !more && state != whole {
			l.at = len(l.buffer)
			return nil, l.fail("the end of a value")
		}
	}
}

// restOfLine makes sure that all of the line stands in the buffer, and returns
// where it ends, with its line end if it has one.
func (l *lexer) restOfLine() (end int, err error) {
	for {
		if i := bytes.IndexByte(l.buffer[l.at:], '\n'); i >= 0 {
			return l.at + i + 1, nil
		}
		if more, err := l.more(); err != nil {
			return 0, err
		} else if !more {
			return len(l.buffer), nil
		}
	}
}

// key reads a key and its colon into dst.
func (l *lexer) key(dst []byte) ([]byte, error) {
	if c, err := l.peek(); err != nil || c != '"' {
		if err != nil {
			return dst, err
		}
		return dst, l.fail("a key in quotes")
	}
	for {
		end, escaped, ok := stringEnd(l.buffer, l.at+1)
		if ok {
			text := l.buffer[l.at+1 : end]
			l.at = end + 1
			if escaped {
				dst = unescape(dst, text)
			} else {
				dst = append(dst, text...)
			}
			return dst, l.expect(':', "a colon")
		}
		more, err := l.more()
		if err != nil {
			return dst, err
		}
		if !more {
			l.at = len(l.buffer)
			return dst, l.fail("the end of a key")
		}
	}
}

// each calls f at each value of the object or array that begins here: with its
// key, or with nil and its number.
func (l *lexer) each(f func(key []byte, index int) error) error {
	open, err := l.peek()
	if err != nil {
		return err
	}
	l.at++
	closing := byte('}')
	if open == '[' {
		closing = ']'
	}
	var key []byte
	for i := 0; ; i++ {
		c, err := l.peek()
		if err != nil {
			return err
		}
		if c == closing && i == 0 {
			l.at++
			return nil
		}
		if open == '{' {
			if key, err = l.key(key[:0]); err != nil {
				return err
			}
		}
		if _, err = l.peek(); err != nil {
			return err
		}
		if err := f(key, i); err != nil {
			return err
		}
		if c, err = l.peek(); err != nil {
			return err
		}
		switch c {
		case ',':
			l.at++
		case closing:
			l.at++
			return nil
		default:
			return l.fail(fmt.Sprintf("a comma or %q", closing))
		}
	}
}

// state tells how far a value goes.
type state uint8

const (
	whole   state = iota
	partial       // not all of it is there
	broken        // it is none
)

// skipValue returns the end of the value that begins at data[at]; where it is
// broken, what is wrong there.
func skipValue(data []byte, at int) (end int, s state) {
	if at >= len(data) {
		return at, partial
	}
	switch c := data[at]; {
	case c == '"':
		end, _, ok := stringEnd(data, at+1)
		if !ok {
			return at, partial
		}
		return end + 1, whole
	case c == '{' || c == '[':
		return skipNested(data, at)
	}
	end = at
	for end < len(data) && isScalar(data[end]) {
		end++
	}
	if end == len(data) {
		return end, whole // more of it may follow
	}
	if !isLiteral(data[at:end]) {
		return at, broken
	}
	return end, whole
}

// skipNested passes an object or array by its brackets alone.
func skipNested(data []byte, at int) (end int, s state) {
	depth := 0
	for at < len(data) {
		switch data[at] {
		case '{', '[':
			if depth++; depth > mostDepth {
				return at, broken
			}
		case '}', ']':
			if depth--; depth == 0 {
				return at + 1, whole
			}
		case '"':
			end, _, ok := stringEnd(data, at+1)
			if !ok {
				return at, partial
			}
			at = end
		}
		at++
	}
	return at, partial
}

// stringEnd returns where the closing quote stands, given where the text
// begins, and whether the text has escapes.
//
// Eight bytes are looked at at once: exclusive or with a quote leaves a zero
// where one stands, and subtracting one from each byte sets the high bit of the
// first zero, and of none before it.
func stringEnd(data []byte, at int) (end int, escaped, ok bool) {
	const (
		ones        = 0x0101010101010101
		highBits    = 0x8080808080808080
		quotes      = ones * '"'
		backslashes = ones * '\\'
	)
	i := at
	for i+8 <= len(data) {
		word := binary.LittleEndian.Uint64(data[i:])
		q, b := word^quotes, word^backslashes
		found := ((q - ones) &^ q & highBits) | ((b - ones) &^ b & highBits)
		if found == 0 {
			i += 8
			continue
		}
		i += bits.TrailingZeros64(found) >> 3
		if data[i] == '"' {
			return i, escaped, true
		}
		escaped = true
		i += 2
	}
	for ; i < len(data); i++ {
		switch data[i] {
		case '"':
			return i, escaped, true
		case '\\':
			escaped = true
			i++
		}
	}
	return 0, escaped, false
}

func isScalar(c byte) bool {
	return '0' <= c && c <= '9' || 'a' <= c && c <= 'z' || c == '-' || c == '+' || c == '.' || c == 'E'
}

// isLiteral tells whether a text is a number, true, false or null.
func isLiteral(text []byte) bool {
	switch string(text) {
	case "true", "false", "null":
		return true
	}
	return isNumber(text)
}

// isNumber tells whether a text is a number of RFC 8259.
func isNumber(text []byte) bool {
	i := 0
	digits := func() bool {
		start := i
		for i < len(text) && '0' <= text[i] && text[i] <= '9' {
			i++
		}
		return i > start
	}
	if i < len(text) && text[i] == '-' {
		i++
	}
	first := i
	if !digits() || text[first] == '0' && i > first+1 {
		return false
	}
	if i < len(text) && text[i] == '.' {
		if i++; !digits() {
			return false
		}
	}
	if i < len(text) && text[i]|0x20 == 'e' {
		if i++; i < len(text) && (text[i] == '-' || text[i] == '+') {
			i++
		}
		if !digits() {
			return false
		}
	}
	return i == len(text)
}
