package sheet

import (
	"bytes"
	"errors"
	"fmt"
	"io"
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
	if s.root == nil && s.kind != 0 { // Next has read so far
		first := s.open
		if len(s.from) > 1 {
			first = first[:s.from[1]]
		}
		s.root, s.ended = append([]byte{}, first...), len(first) == 0
		s.open, s.from, s.closes = s.open[:0], s.from[:0], false
	}
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
		s.pos += size
		if s.open, s.from, s.closes = s.open[:0], s.from[:0], false; found {
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
