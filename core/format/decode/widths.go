package decode

import (
	"bufio"
	"bytes"
	"errors"
	"io"
	"unicode/utf8"
)

// Widths reads text whose columns have fixed widths, with a tab between fields, without
// the blanks around them, and in quotes as in RFC 4180 where a field holds a tab or a quote.
// A line keeps its place; one that only rules off the table becomes a blank one.
type Widths struct {
	source *bufio.Reader
	widths []int
	found  bool
	limit  int
	line   []byte
	out    []byte // of the line, and from taken on not yet handed out
	taken  int
	err    error
}

// ErrLineTooLong is a line of more bytes than a record may have.
var ErrLineTooLong = errors.New("a line is longer than a record may be; the file is damaged, or no table")

// NewWidths makes a Widths of r, in which each column has so many characters; text behind
// the last one is one field more. Where found is set the widths were worked out from the
// first lines: then a last width of 0 takes the rest of the line, and a line of which a text
// fills the gap before the next column becomes a single field, so that it is no record. A line
// may have limit bytes.
func NewWidths(r io.Reader, widths []int, found bool, limit int) *Widths {
	return &Widths{source: bufio.NewReaderSize(r, 64<<10), widths: widths, found: found, limit: limit}
}

// Read reads text with tabs.
func (w *Widths) Read(p []byte) (int, error) {
	for w.taken == len(w.out) {
		if w.err != nil {
			return 0, w.err
		}
		w.out, w.taken = w.out[:0], 0
		w.err = w.next()
	}
	n := copy(p, w.out[w.taken:])
	w.taken += n
	return n, nil
}

// next reads a line and writes its fields.
func (w *Widths) next() error {
	w.line = w.line[:0]
	end, err := w.readLine()
	if len(bytes.Trim(w.line, " \t")) > 0 && !IsRule(w.line) {
		w.fields()
	}
	w.out = append(w.out, end...)
	return err
}

// readLine reads up to a line end, LF, CR LF or CR, and returns it.
func (w *Widths) readLine() (end string, err error) {
	for {
		c, err := w.source.ReadByte()
		switch {
		case err != nil:
			return "", err
		case c == '\n':
			return "\n", nil
		case c == '\r':
			next, err := w.source.Peek(1)
			if err != nil || next[0] != '\n' {
				return "\r", nil // what went wrong comes again with the next byte
			}
			_, err = w.source.Discard(1)
			return "\r\n", err
		case len(w.line) == w.limit:
			return "", ErrLineTooLong
		}
		w.line = append(w.line, c)
	}
}

// IsRule tells whether a line only rules off what stands above it: dashes and the like.
func IsRule(line []byte) bool {
	const least = 3
	return len(line) >= least && len(bytes.Trim(line, "-=_+| \t")) == 0 && bytes.ContainsAny(line, "-=_")
}

// fields appends the fields of the line.
func (w *Widths) fields() {
	from := len(w.out)
	rest := w.line
	for i, width := range w.widths {
		if i > 0 {
			w.out = append(w.out, '\t')
		}
		at := len(rest)
		if width > 0 {
			at = offset(rest, width)
		}
		if w.found && 0 < at && at < len(rest) && rest[at-1] != ' ' && rest[at-1] != '\t' {
			w.out = appendQuoted(w.out[:from], w.line)
			return
		}
		w.out = appendQuoted(w.out, rest[:at])
		rest = rest[at:]
	}
	if len(bytes.TrimSpace(rest)) > 0 {
		w.out = appendQuoted(append(w.out, '\t'), rest)
	}
}

// offset is behind how many bytes some characters end.
func offset(text []byte, characters int) int {
	at := 0
	for ; characters > 0 && at < len(text); characters-- {
		_, size := utf8.DecodeRune(text[at:])
		at += size
	}
	return at
}

// appendQuoted appends a field without the blanks around it.
func appendQuoted(dst, text []byte) []byte {
	text = bytes.TrimSpace(text)
	if !bytes.ContainsAny(text, "\t\"") {
		return append(dst, text...)
	}
	dst = append(dst, '"')
	dst = append(dst, bytes.ReplaceAll(text, []byte{'"'}, []byte{'"', '"'})...)
	return append(dst, '"')
}
