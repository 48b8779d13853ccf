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
}

// NewScanner makes a scanner. what is what errors call the file, and truncated
// the error of one that was cut off.
func NewScanner(r io.Reader, what string, truncated error) *Scanner {
	return &Scanner{decoder: xml.NewDecoder(r), what: what, truncated: truncated}
}

// Next returns the next token; it is good until Next is called again. The error
// is io.EOF at the end, the one for a file that was cut off, or another.
func (s *Scanner) Next() (xml.Token, error) {
	token, err := s.decoder.RawToken()
	switch {
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
