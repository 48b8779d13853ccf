// Package show decides how results look: tables and lists on a terminal, CSV,
// JSON, progress, and files that appear whole or not at all. It computes
// nothing.
package show

import (
	"bytes"
	"io"
	"os"
	"regexp"
	"unicode/utf8"

	"github.com/jedib0t/go-pretty/v6/text"
	"golang.org/x/term"
)

// Screen is where something is printed, and what it can do.
//
// It remembers the first error in writing, so that those who print line by line
// need not look at each.
type Screen struct {
	writer   io.Writer
	err      error
	Terminal bool
	Width    int  // in columns; 0 where lines may be of any length
	Colour   bool // bold and colours may be used

	tail []byte // the beginning of a character, to be written with the rest of it
}

// NewScreen finds out what a writer can do. Only a terminal has a width and
// colours, and none where NO_COLOR is set.
func NewScreen(w io.Writer) *Screen {
	s := &Screen{writer: w}
	if other, ok := w.(*Screen); ok {
		w = other.writer
	}
	file, ok := w.(*os.File)
	if !ok || !term.IsTerminal(int(file.Fd())) {
		return s
	}
	const usual = 80
	s.Terminal, s.Width = true, usual
	if width, _, err := term.GetSize(int(file.Fd())); err == nil && width > 0 {
		s.Width = width
	}
	_, noColour := os.LookupEnv("NO_COLOR")
	s.Colour = !noColour && os.Getenv("TERM") != "dumb"
	return s
}

// Write writes p. After an error nothing more is written. On a terminal it is the one way
// out of all text: what would move the cursor or turn the direction of writing, wherever
// it comes from, is made visible; only colours go through. What is written to a pipe or a
// file stays as it is.
func (s *Screen) Write(p []byte) (int, error) {
	if !s.Terminal {
		return len(p), s.raw(p)
	}
	text := append(s.tail, p...)
	whole := len(text)
	for back := 1; back < utf8.UTFMax && back <= len(text); back++ {
		if utf8.RuneStart(text[len(text)-back]) {
			if !utf8.FullRune(text[len(text)-back:]) {
				whole = len(text) - back
			}
			break
		}
	}
	out := tame(text[:whole])
	s.tail = bytes.Clone(text[whole:])
	return len(p), s.raw(out)
}

// raw writes p as it is.
func (s *Screen) raw(p []byte) error {
	if s.err != nil {
		return s.err
	}
	_, s.err = s.writer.Write(p)
	return s.err
}

// colours are the sequences that set colours and weights (ECMA-48, SGR).
var colours = regexp.MustCompile(`^\x1b\[[0-9;]*m`)

// tame makes everything visible in a text that is not printed, but for the ends of lines,
// tabs and colours.
func tame(text []byte) []byte {
	if bytes.IndexFunc(text, func(r rune) bool { return r != '\n' && isControl(r) }) < 0 {
		return text
	}
	var out []byte
	for len(text) > 0 {
		if sequence := colours.Find(text); sequence != nil {
			out, text = append(out, sequence...), text[len(sequence):]
			continue
		}
		r, size := utf8.DecodeRune(text)
		switch {
		case r == '\n' || r == '\t' || !isControl(r):
			out = append(out, text[:size]...)
		default:
			out = append(out, Visible(string(r))...)
		}
		text = text[size:]
	}
	return out
}

// Err returns the first error in writing.
func (s *Screen) Err() error { return s.err }

// paint sets a text in colours, where there are any.
func (s *Screen) paint(what string, colours ...text.Color) string {
	if !s.Colour {
		return what
	}
	return text.Colors(colours).Sprint(what)
}

// Bold sets a text in bold, where that can be.
func (s *Screen) Bold(what string) string { return s.paint(what, text.Bold) }

// Faint sets a text back.
func (s *Screen) Faint(what string) string { return s.paint(what, text.Faint) }
