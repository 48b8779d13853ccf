package ods

import (
	"errors"
	"io"
	"strings"

	"lastblock/core/format/sheet"
)

// survey is what a document was seen to consist of, as far as it was gone through: the names of its sheets, which of
// them hold something, and what areas have names.
type survey struct {
	part    io.ReadCloser // nil before the begin, and where it is another's
	scanner *sheet.Scanner
	ended   bool
	err     error

	names  []string
	filled map[string]bool // sheets in which some cell holds something
	tables []sheet.Table
}

// toTheEnd is enough of a survey only where all is known.
func toTheEnd() bool { return false }

// look goes on with the survey of the document until that is enough, or all.
func (b *Book) look(enough func() bool) error {
	s := &b.survey
	if s.scanner == nil && s.err == nil {
		if s.part, s.err = b.openContent(); s.err == nil {
			s.scanner = b.newScanner(s.part)
		}
	}
	if s.goOn(enough); s.ended && s.err == nil && len(s.names) == 0 {
		s.err = errors.New("this OpenDocument file has no sheet")
	}
	return s.err
}

// close lets go of the document, as far as the survey has opened it.
func (s *survey) close() {
	if s.part != nil {
		s.part.Close()
		s.part = nil
	}
}

// goOn goes on until that is enough, or to the end of the document.
func (s *survey) goOn(enough func() bool) {
	for s.err == nil && !s.ended && !enough() {
		switch s.err = s.scanner.Find(s.isWanted); {
		case errors.Is(s.err, io.EOF):
			s.ended, s.err = true, nil
			s.close()
		case s.err == nil:
			s.note()
		}
	}
}

// sheet is the name of the sheet that is gone through, "" before the first one.
func (s *survey) sheet() string {
	if len(s.names) == 0 {
		return ""
	}
	return s.names[len(s.names)-1]
}

// isWanted tells whether an element is to be looked at.
func (s *survey) isWanted(element []byte) bool {
	switch string(element) {
	case "table", "named-range", "database-range":
		return true
	case "table-cell":
		return !s.filled[s.sheet()]
	}
	return false
}

// note takes in the element that was found.
func (s *survey) note() {
	from := s.scanner
	switch string(from.Name()) {
	case "table":
		s.names = append(s.names, string(from.Attribute("name")))
	case "table-cell":
		if len(from.Attribute("value-type")) > 0 {
			if s.filled == nil {
				s.filled = make(map[string]bool)
			}
			s.filled[s.sheet()] = true
		}
	case "named-range":
		s.addTable(string(from.Attribute("name")), string(from.Attribute("cell-range-address")), false)
	case "database-range":
		s.addTable(string(from.Attribute("name")), string(from.Attribute("target-range-address")),
			string(from.Attribute("contains-header")) == "false")
	}
}

// addTable reads an address such as $'My sheet'.$A$1:.$D$9.
func (s *survey) addTable(name, address string, headless bool) {
	from, to, isRange := strings.Cut(address, ":")
	if !isRange {
		to = from
	}
	i := strings.LastIndexByte(from, '.')
	if i < 0 {
		return
	}
	of := strings.TrimPrefix(from[:i], "$")
	if len(of) >= 2 && of[0] == '\'' && of[len(of)-1] == '\'' {
		of = strings.ReplaceAll(of[1:len(of)-1], "''", "'")
	}
	r1, c1, ok1 := sheet.Reference(from[i+1:])
	r2, c2, ok2 := sheet.Reference(to[strings.LastIndexByte(to, '.')+1:])
	if ok1 && ok2 {
		area := sheet.Area{FirstRow: min(r1, r2), LastRow: max(r1, r2), FirstColumn: min(c1, c2),
			LastColumn: max(c1, c2)}
		s.tables = append(s.tables, sheet.Table{Name: name, Sheet: of, Area: area, Headless: headless})
	}
}
