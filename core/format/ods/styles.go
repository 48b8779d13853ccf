package ods

import (
	"errors"
	"io"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/format/sheet"
)

// styles are those of a document, as far as they tell what a number is: which formats there
// are, and of which format the cells of a style are.
type styles struct {
	hidden  map[string]bool      // styles of sheets that are not shown
	cells   map[string]cellStyle // by name
	formats map[string]*format   // by name

	name string  // of the style that is being read
	open *format // that is being read; nil for none
	text bool    // a text of it is being read
	at   int     // how many digits stand behind the text
}

// cellStyle is what a style of cells says, or leaves to its parent.
type cellStyle struct{ parent, format string }

// format is what a number format (ISO/IEC 26300-1, 16.27) makes of a number.
type format struct {
	code  string // pattern of a code, "" where it is none
	words bool   // it shows a text in place of the number
	ratio bool   // a percentage or a fraction
	first string // format of the first condition, which is that of positive numbers; "" for none

	figure   bool // a number stands in it
	ordinary bool // with decimals, marks of thousands, or as a fraction
	digits   int  // that are shown at least
	pattern  []byte
}

// formatElements are the elements that are number formats of numbers. Dates and times have
// a type of their own.
var formatElements = []string{"number-style", "currency-style", "percentage-style", "text-style", "boolean-style"}

// commonStyles reads the styles that do not stand beside the sheets.
func (b *Book) commonStyles() (*styles, error) {
	s := &styles{hidden: make(map[string]bool), cells: make(map[string]cellStyle), formats: make(map[string]*format)}
	if b.styles == nil {
		return s, nil
	}
	part, err := openPart(b.styles)
	if err != nil {
		return nil, err
	}
	defer part.Close()
	for scanner := b.newScanner(part); ; {
		kind, err := scanner.Next()
		if errors.Is(err, io.EOF) {
			return s, nil
		}
		if err != nil {
			return nil, err
		}
		s.read(kind, scanner)
	}
}

// read takes in the next token of a part.
func (s *styles) read(kind sheet.Kind, from *sheet.Scanner) {
	switch kind {
	case sheet.Start:
		s.start(from)
	case sheet.Chars:
		if s.text {
			s.open.insert(string(from.Text()), s.at)
		}
	case sheet.End:
		switch name := string(from.Name()); {
		case name == "text" || name == "embedded-text":
			s.text = false
		case s.open != nil && slices.Contains(formatElements, name):
			s.open.finish()
			s.open = nil
		}
	}
}

func (s *styles) start(from *sheet.Scanner) {
	name := string(from.Name())
	attribute := func(name string) string { return string(from.Attribute(name)) }
	switch {
	case name == "style":
		s.name = attribute("name")
		if attribute("family") == "table-cell" {
			s.cells[s.name] = cellStyle{attribute("parent-style-name"),
				attribute("data-style-name")}
		}
	case name == "table-properties":
		s.hidden[s.name] = s.hidden[s.name] || attribute("display") == "false"
	case slices.Contains(formatElements, name):
		s.open = new(format)
		s.open.ordinary, s.open.ratio = name != "number-style", name == "percentage-style"
		s.formats[attribute("name")] = s.open
	case s.open == nil:
	case name == "number":
		s.open.number(attribute)
	case name == "scientific-number" || name == "fraction" || name == "boolean":
		s.open.figure, s.open.ordinary = true, true
		s.open.ratio = s.open.ratio || name == "fraction"
	case name == "text":
		s.text, s.at = true, 0
	case name == "embedded-text":
		position, err := strconv.Atoi(attribute("position"))
		s.text, s.at = err == nil, position
	case name == "map" && s.open.first == "":
		s.open.first = attribute("apply-style-name")
	}
}

// number takes in how a number is shown.
func (f *format) number(attribute func(name string) string) {
	const most = 400
	atLeast, _ := strconv.Atoi(attribute("min-integer-digits")) // 0 where it does not say
	decimals := attribute("decimal-places")
	f.figure, f.digits = true, max(0, min(atLeast, most))
	f.ordinary = f.ordinary || decimals != "" && decimals != "0" || attribute("grouping") == "true" ||
		attribute("display-factor") != ""
	f.pattern = append(f.pattern, strings.Repeat("0", f.digits)...)
}

// insert puts a text before the last digits of the pattern, or behind all of it.
func (f *format) insert(text string, digits int) {
	at := len(f.pattern)
	for ; digits > 0 && at > 0; at-- {
		if f.pattern[at-1] == '0' {
			digits--
		}
	}
	f.pattern = slices.Insert(f.pattern, at, []byte(text)...)
}

// finish draws the conclusions when all of a format was read. A code has two digits at the
// least, which is how the format of a workbook is read, too.
func (f *format) finish() {
	f.words = !f.figure && len(f.pattern) > 0
	if f.figure && !f.ordinary && f.digits >= 2 && !slices.Contains(f.pattern, '\n') {
		f.code = string(f.pattern)
	}
	f.pattern = nil
}

// formatOf is the format of the cells of a style, nil where none is said.
func (s *styles) formatOf(style string) *format {
	const deepest = 32 // styles one from another; a circle ends here
	for range deepest {
		cell, ok := s.cells[style]
		if !ok {
			return nil
		}
		f := s.formats[cell.format]
		if f != nil && f.first != "" && s.formats[f.first] != nil {
			f = s.formats[f.first]
		}
		if f != nil {
			return f
		}
		style = cell.parent
	}
	return nil
}
