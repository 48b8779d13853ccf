// Package show decides how results look: tables and lists on a terminal, CSV,
// JSON, progress, and files that appear whole or not at all. It computes
// nothing.
package show

import (
	"io"
	"os"

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

// Write writes p. After an error nothing more is written.
func (s *Screen) Write(p []byte) (int, error) {
	if s.err != nil {
		return 0, s.err
	}
	n, err := s.writer.Write(p)
	s.err = err
	return n, err
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
