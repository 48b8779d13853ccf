package sheet

import (
	"encoding/xml"
	"errors"
	"fmt"
	"io"
)

// Scanner reads the tokens of a part of a workbook. encoding/xml without its
// checks of nesting is twice as fast; a part that was cut off is noticed by the
// elements that are still open at its end.
type Scanner struct {
	decoder   *xml.Decoder
	depth     int
	what      string
	truncated error
	bounded   *bounded
}

// TooLongError is a cell, or a row, that is longer than Limit bytes.
type TooLongError struct{ Limit int }

func (e *TooLongError) Error() string {
	return fmt.Sprintf("a cell, or a row, is longer than %d MB, which no record may be; the file is damaged, or "+
		"raise ⟨memory⟩", e.Limit>>20)
}

// bounded ends reading where one token takes more than a limit.
type bounded struct {
	io.Reader
	limit, read int
}

func (b *bounded) Read(p []byte) (int, error) {
	if b.read > b.limit {
		return 0, &TooLongError{b.limit}
	}
	n, err := b.Reader.Read(p)
	b.read += n
	return n, err
}

// NewScanner makes a scanner. what is what errors call the file, truncated the error of
// one that was cut off, and limit how many bytes a token may have.
func NewScanner(r io.Reader, what string, truncated error, limit int) *Scanner {
	b := &bounded{Reader: r, limit: limit}
	return &Scanner{decoder: xml.NewDecoder(b), what: what, truncated: truncated, bounded: b}
}

// Limit is how many bytes a token, a cell or a row may have.
func (s *Scanner) Limit() int { return s.bounded.limit }

// Check makes sure that a cell or a row that is put together is no longer than it may be.
func (s *Scanner) Check(length int) error {
	if length > s.bounded.limit {
		return &TooLongError{s.bounded.limit}
	}
	return nil
}

// Next returns the next token; it is good until Next is called again. The error
// is io.EOF at the end, the one for a file that was cut off, or another.
func (s *Scanner) Next() (xml.Token, error) {
	s.bounded.read = 0
	token, err := s.decoder.RawToken()
	var tooLong *TooLongError
	switch {
	case errors.As(err, &tooLong):
		return nil, tooLong
	case errors.Is(err, io.EOF) && s.depth == 0:
		return nil, io.EOF
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		return nil, s.truncated
	case err != nil:
		return nil, fmt.Errorf("this %s cannot be read further (%w); it is damaged, ask for it again", s.what, err)
	}
	switch token.(type) {
	case xml.StartElement:
		s.depth++
	case xml.EndElement:
		s.depth--
	}
	return token, nil
}

// Attribute returns an attribute of an element, "" where it has none of this
// name.
func Attribute(start xml.StartElement, name string) string {
	for i := range start.Attr {
		if start.Attr[i].Name.Local == name {
			return start.Attr[i].Value
		}
	}
	return ""
}
