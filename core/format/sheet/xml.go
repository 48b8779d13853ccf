package sheet

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Kind is what a token is.
type Kind byte

// The kinds of tokens.
const (
	Start Kind = iota + 1 // of an element; one that is empty is followed by its End
	End
	Chars
)

// Scanner reads the tokens of a part of a workbook: XML 1.0 (fifth edition) in UTF-8, as far as parts of workbooks are
// written in it. It is as strict as encoding/xml about what is well formed: names, attributes, references, characters,
// and that elements are nested and closed. Comments, instructions and declarations are passed over.
//
// The scanner holds a token whole, so that nothing of it is copied but what holds references or line ends. What a
// token gives is good until Next is called again.
type Scanner struct {
	r         io.Reader
	what      string
	truncated error
	limit     int

	buf      []byte
	pos, end int // what is left of buf
	err      error

	kind       Kind
	space      []byte
	name       []byte
	attributes []Attribute
	text       []byte
	scratch    []byte // texts in which something was written otherwise
	closes     bool   // the element of the last Start is empty

	open []byte // the names of the elements that are open, one behind another
	from []int  // where each of them begins

	root  []byte // of Find: the name of the first element
	ended bool   // the last tag was its end
}

// Attribute is an attribute of an element.
type Attribute struct{ Space, Name, Value []byte }

// TooLongError is a cell, or a row, that is longer than Limit bytes.
type TooLongError struct{ Limit int }

func (e *TooLongError) Error() string {
	return fmt.Sprintf("a cell, or a row, is longer than %d MB, which no record may be; the file is damaged, or "+
		"raise ⟨memory⟩", e.Limit>>20)
}

// readSize is how much is read at a time.
const readSize = 16 << 10

// NewScanner makes a scanner. what is what errors call the file, truncated the error of
// one that was cut off, and limit how many bytes a token may have.
func NewScanner(r io.Reader, what string, truncated error, limit int) *Scanner {
	return &Scanner{r: r, what: what, truncated: truncated, limit: limit}
}

// Limit is how many bytes a token, a cell or a row may have.
func (s *Scanner) Limit() int { return s.limit }

// Check makes sure that a cell or a row that is put together is no longer than it may be.
func (s *Scanner) Check(length int) error {
	if length > s.limit {
		return &TooLongError{s.limit}
	}
	return nil
}

// Name is the name of the element of a Start or an End, without its prefix.
func (s *Scanner) Name() []byte { return s.name }

// Text is that of Chars.
func (s *Scanner) Text() []byte { return s.text }

// Attributes are those of a Start, in their order.
func (s *Scanner) Attributes() []Attribute { return s.attributes }

// Attribute is the value of an attribute of a Start, nil where it has none of this name.
func (s *Scanner) Attribute(name string) []byte {
	for i := range s.attributes {
		if string(s.attributes[i].Name) == name {
			return s.attributes[i].Value
		}
	}
	return nil
}

// Rest is what was read and not yet scanned, for a caller that knows how to read some of it: whole elements, of which
// Skip then tells the length. It is nil where the end of an empty element is still to be told.
func (s *Scanner) Rest() []byte {
	if s.closes {
		return nil
	}
	return s.buf[s.pos:s.end]
}

// Skip passes over some of Rest.
func (s *Scanner) Skip(n int) { s.pos += n }

// errMore says that a token goes on behind what was read.
var errMore = errors.New("more")

// malformedError is XML that is not well formed.
type malformedError string

func (e malformedError) Error() string { return string(e) }

// Next reads the next token. The error is io.EOF at the end, the one for a file that was cut off, a *TooLongError, or
// another.
func (s *Scanner) Next() (Kind, error) {
	if s.closes {
		s.closes, s.kind, s.attributes = false, End, s.attributes[:0]
		return End, nil
	}
	for {
		kind, size, err := s.token(s.buf[s.pos:s.end])
		switch {
		case err == errMore:
			if err := s.more(); err != nil {
				return 0, err
			}
			continue
		case err != nil:
			return 0, s.malformed(err)
		case size > s.limit:
			return 0, &TooLongError{s.limit}
		}
		if s.pos += size; kind != 0 {
			s.kind = kind
			return kind, nil
		}
	}
}

// malformed says that the file is no XML.
func (s *Scanner) malformed(err error) error {
	var not malformedError
	if !errors.As(err, &not) {
		return err
	}
	return fmt.Errorf("this %s cannot be read further (XML syntax error: %w); it is damaged, ask for it again",
		s.what, err)
}

// Find goes on to the next Start of an element that isWanted by its name. What lies before it is not looked at, but
// for whether the file ends with its first element; so a file that is not well formed may not be known to be, and
// Next cannot be called any more. The error is that of Next.
func (s *Scanner) Find(isWanted func(name []byte) bool) error {
	for {
		n := bytes.IndexByte(s.buf[s.pos:s.end], '<')
		if n < 0 {
			s.pos = s.end
			err := s.more()
			if errors.Is(err, io.EOF) && !s.ended {
				err = s.truncated
			}
			if err != nil {
				return err
			}
			continue
		}
		s.pos += n
		found, size, err := s.find(s.buf[s.pos:s.end], isWanted)
		if err == errMore {
			if err = s.more(); err == nil {
				continue
			}
		}
		if err != nil {
			return s.malformed(err)
		}
		if s.pos += size; found {
			s.open, s.from, s.closes = s.open[:0], s.from[:0], false
			return nil
		}
	}
}

// find looks at the tag that b begins with, and returns how much of it need not be looked at again.
func (s *Scanner) find(b []byte, isWanted func(name []byte) bool) (found bool, size int, err error) {
	if len(b) < 2 {
		return false, 0, errMore
	}
	switch b[1] {
	case '/':
		n := len(s.root) + 2
		if len(b) <= n {
			return false, 0, errMore
		}
		s.ended = string(b[2:n]) == string(s.root) && classes[b[n]]&named == 0
		return false, 2, nil
	case '?':
		return false, 2, nil
	case '!':
		_, size, err = s.declaration(b)
		return false, size, err
	}
	_, name, n, err := readName(b[1:])
	isFirst := err == nil && s.root == nil
	found = err == nil && isWanted(name)
	if !isFirst && !found {
		return false, 2, err
	}
	if _, size, err = s.startTag(b); err == nil && isFirst {
		s.root, s.ended = bytes.Clone(b[1:1+n]), s.closes
	}
	return found && err == nil, size, err
}

// more reads more behind what is left.
func (s *Scanner) more() error {
	if s.err == nil && s.end-s.pos > s.limit {
		return &TooLongError{s.limit}
	}
	if s.err == nil {
		if s.pos > 0 {
			copy(s.buf, s.buf[s.pos:s.end])
			s.pos, s.end = 0, s.end-s.pos
		}
		if len(s.buf)-s.end < readSize {
			grown := make([]byte, max(2*readSize, 2*len(s.buf)))
			copy(grown, s.buf[:s.end])
			s.buf = grown
		}
		n := 0
		n, s.err = s.r.Read(s.buf[s.end:])
		if s.end += n; n > 0 || s.err == nil || errors.Is(s.err, io.EOF) && s.pos < s.end {
			return nil // what is left may be a text, which now has its end
		}
	}
	var tooLong *TooLongError
	switch {
	case errors.As(s.err, &tooLong):
		return tooLong
	case errors.Is(s.err, io.EOF) && s.pos == s.end && len(s.from) == 0:
		return io.EOF
	case errors.Is(s.err, io.EOF), errors.Is(s.err, io.ErrUnexpectedEOF):
		return s.truncated
	}
	return fmt.Errorf("this %s cannot be read further (%w); it is damaged, ask for it again", s.what, s.err)
}

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

// chars reads a text up to the next tag, or the end.
func (s *Scanner) chars(b []byte) (Kind, int, error) {
	n := bytes.IndexByte(b, '<')
	if n < 0 {
		if !errors.Is(s.err, io.EOF) {
			return 0, 0, errMore
		}
		if n = len(b); len(s.from) > 0 {
			return 0, 0, errMore // which is not there
		}
	}
	seen := byte(0)
	for _, c := range b[:n] {
		seen |= classes[c]
	}
	if s.text = b[:n]; seen&odd == 0 {
		return Chars, n, nil
	}
	if bytes.Contains(b[:n], []byte("]]>")) {
		return 0, 0, malformedError("]]> outside of CDATA")
	}
	s.scratch = s.scratch[:0]
	var err error
	s.text, err = s.decode(b[:n], false)
	return Chars, n, err
}

// decode writes a text with its references and line ends as they are meant, and makes sure that it holds characters of
// XML alone. In CDATA there are no references.
func (s *Scanner) decode(b []byte, cdata bool) ([]byte, error) {
	from := len(s.scratch)
	for i := 0; i < len(b); {
		switch c := b[i]; {
		case c == '&' && !cdata:
			end := bytes.IndexByte(b[i:], ';')
			if end < 0 {
				return nil, malformedError("a reference without its end")
			}
			r, ok := reference(b[i+1 : i+end])
			if !ok {
				return nil, malformedError(fmt.Sprintf("an unknown reference &%.40s;", b[i+1:i+end]))
			}
			s.scratch = utf8.AppendRune(s.scratch, r)
			i += end + 1
		case c == '\r':
			s.scratch = append(s.scratch, '\n')
			if i++; i < len(b) && b[i] == '\n' {
				i++
			}
		case c < utf8.RuneSelf:
			if !isCharacter(rune(c)) {
				return nil, malformedError("a character that no XML holds")
			}
			s.scratch = append(s.scratch, c)
			i++
		default:
			r, size := utf8.DecodeRune(b[i:])
			if r == utf8.RuneError && size == 1 {
				return nil, malformedError("bytes that are no UTF-8")
			}
			if !isCharacter(r) {
				return nil, malformedError("a character that no XML holds")
			}
			s.scratch = append(s.scratch, b[i:i+size]...)
			i += size
		}
	}
	return s.scratch[from:len(s.scratch):len(s.scratch)], nil
}

// reference is the character that a reference stands for.
func reference(b []byte) (r rune, ok bool) {
	switch string(b) {
	case "amp":
		return '&', true
	case "lt":
		return '<', true
	case "gt":
		return '>', true
	case "quot":
		return '"', true
	case "apos":
		return '\'', true
	}
	if len(b) < 2 || b[0] != '#' {
		return 0, false
	}
	base, digits := rune(10), b[1:]
	if digits[0] == 'x' {
		if base, digits = 16, digits[1:]; len(digits) == 0 {
			return 0, false
		}
	}
	for _, c := range digits {
		d := rune(strings.IndexByte("0123456789abcdef", c|0x20))
		if c <= '9' {
			d = rune(c) - '0'
		}
		if d < 0 || d >= base {
			return 0, false
		}
		if r = r*base + d; r > unicode.MaxRune {
			return 0, false
		}
	}
	if !utf8.ValidRune(r) {
		r = utf8.RuneError
	}
	return r, isCharacter(r)
}

// isCharacter tells whether XML may hold a character (2.2 Characters).
func isCharacter(r rune) bool {
	return r == '\t' || r == '\n' || r == '\r' || ' ' <= r && r <= 0xd7ff || 0xe000 <= r && r <= 0xfffd ||
		0x10000 <= r && r <= unicode.MaxRune
}

// instruction passes over <?target ...?>. A declaration of XML has to say version 1.0, and UTF-8 where it says an
// encoding.
func instruction(b []byte) (Kind, int, error) {
	_, _, size, err := readName(b[2:])
	if err != nil {
		return 0, 0, err
	}
	target := b[2 : 2+size]
	n := bytes.Index(b[2+size:], []byte("?>"))
	if n < 0 {
		return 0, 0, errMore
	}
	if string(target) == "xml" {
		said := string(b[2+size : 2+size+n])
		if v := pseudo(said, "version"); v != "" && v != "1.0" {
			return 0, 0, malformedError("XML of version " + v)
		}
		if e := pseudo(said, "encoding"); e != "" && !strings.EqualFold(e, "utf-8") {
			return 0, 0, malformedError("XML in the encoding " + e + ", where UTF-8 is needed")
		}
	}
	return 0, 2 + size + n + 2, nil
}

// pseudo is what a declaration says of a name, "" for nothing.
func pseudo(said, name string) string {
	for at := strings.Index(said, name); at >= 0; at = strings.Index(said, name) {
		before, rest := said[:at], strings.TrimLeft(said[at+len(name):], " \t\r\n")
		said = said[at+len(name):]
		if before != "" && !strings.ContainsAny(before[len(before)-1:], " \t\r\n") || !strings.HasPrefix(rest, "=") {
			continue
		}
		rest = strings.TrimLeft(rest[1:], " \t\r\n")
		if rest == "" || rest[0] != '"' && rest[0] != '\'' {
			return ""
		}
		value, _, _ := strings.Cut(rest[1:], rest[:1])
		return value
	}
	return ""
}

// declaration passes over comments and declarations, and reads CDATA as a text.
func (s *Scanner) declaration(b []byte) (Kind, int, error) {
	const comment, cdata = "<!--", "<![CDATA["
	switch {
	case len(b) < len(cdata) && (strings.HasPrefix(cdata, string(b)) || strings.HasPrefix(comment, string(b))):
		return 0, 0, errMore
	case bytes.HasPrefix(b, []byte(comment)):
		n := bytes.Index(b[len(comment):], []byte("--"))
		if n < 0 || len(comment)+n+2 == len(b) {
			return 0, 0, errMore
		}
		if b[len(comment)+n+2] != '>' {
			return 0, 0, malformedError("a -- in a comment")
		}
		return 0, len(comment) + n + 3, nil
	case bytes.HasPrefix(b, []byte("<!-")), bytes.HasPrefix(b, []byte("<![")) && !bytes.HasPrefix(b, []byte(cdata)):
		return 0, 0, malformedError("a declaration that is none")
	case bytes.HasPrefix(b, []byte(cdata)):
		n := bytes.Index(b[len(cdata):], []byte("]]>"))
		if n < 0 {
			return 0, 0, errMore
		}
		s.scratch = s.scratch[:0]
		var err error
		s.text, err = s.decode(b[len(cdata):len(cdata)+n], true)
		return Chars, len(cdata) + n + 3, err
	}
	return directive(b)
}

// directive passes over <!DOCTYPE ...> and the like, with what is nested and quoted in it. Parts of workbooks have
// none.
func directive(b []byte) (Kind, int, error) {
	depth, quote := 0, byte(0)
	for i := 2; i < len(b); i++ {
		switch c := b[i]; {
		case quote != 0:
			if c == quote {
				quote = 0
			}
		case c == '"' || c == '\'':
			quote = c
		case c == '>' && depth == 0:
			return 0, i + 1, nil
		case c == '>':
			depth--
		case c == '<':
			if bytes.HasPrefix(b[i:], []byte("<!--")) {
				n := bytes.Index(b[i+4:], []byte("-->"))
				if n < 0 {
					return 0, 0, errMore
				}
				i += 4 + n + 2
				continue
			}
			depth++
		}
	}
	return 0, 0, errMore
}
