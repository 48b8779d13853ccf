// Package review reads decisions that somebody has written beside findings, on a
// sheet with a row for each finding, or for each of the places of doubles, and checks them row
// by row. Writing such a sheet is for others; what it has to hold is said here.
package review

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"lastblock/core/finding"
	"lastblock/core/finding/decision"
	"lastblock/core/value/amount"
)

// Front are the first columns of the sheet, of which the first two are filled in.
// Behind them come the values of the record, and what the finding says. Hidden are
// the last ones, which are not for people: what the finding came to and what it
// said, how many places it has, and the fingerprint of what stands in this one.
var (
	Front  = []string{"decision", "reason", "id", "kind", "place", "source", "sheet", "source_line"}
	Hidden = []string{"amount_", "state_", "places_", "print_"}
)

// Words are what may be written as a decision about a finding; a blank decides nothing. Of one with
// places they are kept or dropped, any other one is accepted.
func Words(hasPlaces bool) []string {
	if hasPlaces {
		return []string{string(decision.Keep), string(decision.Drop)}
	}
	return []string{string(decision.Accept)}
}

// IsOpen tells whether a finding stands on the sheet: one that somebody should decide about, and has
// not.
func IsOpen(f *finding.Finding) bool {
	return f.Accepted == "" && !f.Rest && f.State != "" && (f.Severity != finding.Note || len(f.Places) > 0)
}

// Places are those of a finding that have a row: its own place for one that has no others.
func Places(f *finding.Finding) []finding.Place {
	if len(f.Places) > 0 {
		return f.Places
	}
	return []finding.Place{{Source: f.Source, Sheet: f.Sheet, Line: f.Line}}
}

// Row is what stands in the Hidden columns for a place of a finding.
func Row(f *finding.Finding, p *finding.Place) []string {
	amount, _ := f.Money()
	return []string{amount, f.State, strconv.Itoa(len(f.Places)), p.Print}
}

// Error has all rows that are wrong; nothing is decided then.
type Error struct{ Rows []RowError }

// RowError is what is wrong in one row.
type RowError struct {
	Row  int
	Text string
}

func (e *Error) Error() string {
	const most = 20
	var b strings.Builder
	fmt.Fprintf(&b, "nothing was decided, as there is something wrong in these rows:")
	for i, row := range e.Rows {
		if i == most {
			fmt.Fprintf(&b, "\n… and %d more", len(e.Rows)-most)
			break
		}
		fmt.Fprintf(&b, "\nrow %d: %s", row.Row, row.Text)
	}
	return b.String()
}

// Decide makes the decisions of a sheet, given by its rows, the header first, and
// the number that each row has in the sheet. Each row about which something is decided
// must say what was found: have are the findings that there are. What log has already is
// not decided again. The error is an *Error, or says that the sheet is none of these.
func Decide(rows [][]string, numbers []int, have []finding.Finding, log *decision.Log, user string,
	now time.Time) ([]decision.Decision, error) {
	s := sheet{log: log, at: make(map[string]int), groups: make(map[string]*group),
		have: make(map[string]*finding.Finding)}
	for i := range have {
		if s.have[have[i].ID] == nil {
			s.have[have[i].ID] = &have[i]
		}
	}
	if len(rows) == 0 {
		return nil, errNoSheet
	}
	for i, name := range rows[0] {
		// a column of the records may be called like one of these
		if _, known := s.at[strings.TrimSpace(name)]; !known {
			s.at[strings.TrimSpace(name)] = i
		}
	}
	for _, name := range slices.Concat(Front, Hidden) {
		if _, ok := s.at[name]; !ok {
			return nil, fmt.Errorf("%w: it has no column %s", errNoSheet, name)
		}
	}
	for i, cells := range rows[1:] {
		s.take(cells, numbers[i+1])
	}
	var decisions []decision.Decision
	for _, id := range s.order {
		if d, ok := s.decide(s.groups[id], user, now); ok {
			decisions = append(decisions, d)
		}
	}
	if len(s.wrong) > 0 {
		return nil, &Error{s.wrong}
	}
	return decisions, nil
}

var errNoSheet = fmt.Errorf("this is no sheet to decide on, such as doubles ⟨review⟩ writes")

// sheet is a sheet while it is read.
type sheet struct {
	at     map[string]int // columns by name
	order  []string
	groups map[string]*group
	have   map[string]*finding.Finding // by id
	log    *decision.Log
	wrong  []RowError
}

// group are the rows of one finding.
type group struct {
	id   string
	rows []row
}

type row struct {
	number int
	cell   func(column string) string
	word   string
}

func (s *sheet) fail(row int, format string, arguments ...any) {
	s.wrong = append(s.wrong, RowError{row, fmt.Sprintf(format, arguments...)})
}

// take reads a row.
func (s *sheet) take(cells []string, number int) {
	cell := func(column string) string {
		if at := s.at[column]; at < len(cells) {
			return strings.TrimSpace(cells[at])
		}
		return ""
	}
	id := cell("id")
	word := strings.ToLower(cell("decision"))
	switch {
	case id == "" && word == "":
		return
	case id == "":
		s.fail(number, "there is a decision, and no id that says what it is about")
		return
	case word != "" && !slices.Contains(wordsOf(cell), word):
		s.fail(number, "%q is no decision; it is %s, or nothing", cell("decision"),
			strings.Join(wordsOf(cell), " or "))
	}
	if s.groups[id] == nil {
		s.groups[id] = &group{id: id}
		s.order = append(s.order, id)
	}
	g := s.groups[id]
	g.rows = append(g.rows, row{number, cell, word})
}

// wordsOf are the decisions that there are for the finding of a row.
func wordsOf(cell func(column string) string) []string { return Words(cell("places_") != "0") }

// decide makes the decision about a finding; ok is false where there is none.
func (s *sheet) decide(g *group, user string, now time.Time) (d decision.Decision, ok bool) {
	reason := ""
	var dropped []decision.Dropped
	decided := false
	for _, r := range g.rows {
		if text := r.cell("reason"); text != "" && reason == "" {
			reason = text
		}
		decided = decided || r.word != ""
		if r.word != string(decision.Drop) {
			continue
		}
		line, err := lineOf(r.cell("source_line"))
		if err != nil || r.cell("print_") == "" || r.cell("source") == "" {
			s.fail(r.number, "the source, the line or a hidden column was changed, so that it is not certain what "+
				"is to be dropped")
			continue
		}
		dropped = append(dropped, decision.Dropped{Source: r.cell("source"), Sheet: r.cell("sheet"), Line: line,
			Print: r.cell("print_")})
	}
	first := g.rows[0]
	at := slices.IndexFunc(g.rows, func(r row) bool { return r.word != "" })
	switch {
	case !decided:
		if reason != "" {
			s.fail(first.number, "there is a reason, and no decision; write %s",
				strings.Join(wordsOf(first.cell), " or "))
		}
		return d, false
	case first.cell("places_") == "0" && len(g.rows) > 1:
		s.fail(g.rows[1].number, "%s stands on several rows; take the others away", g.id)
		return d, false
	case first.cell("places_") != "0" && first.cell("places_") != strconv.Itoa(len(g.rows)):
		s.fail(first.number, "%s has %s places, and %d rows of it are here; put the missing ones back", g.id,
			first.cell("places_"), len(g.rows))
		return d, false
	case len(dropped) == len(g.rows) && first.cell("kind") != string(finding.TotalOrRecord):
		s.fail(g.rows[at].number, "all places of %s are dropped, so that nothing of it would be counted; keep one",
			g.id)
		return d, false
	case reason == "":
		s.fail(g.rows[at].number, "a decision needs a reason: somebody will ask in a year")
		return d, false
	}
	line, err := lineOf(first.cell("source_line"))
	verdict, letter := decision.Keep, finding.Letter(0)
	switch {
	case len(dropped) > 0:
		verdict = decision.Drop
	case first.cell("places_") == "0":
		verdict, letter = decision.Accept, ""
	}
	if err != nil || first.cell("place") != letter || first.cell("state_") == "" {
		s.fail(first.number, "the place, the line or a hidden column was changed, so that it is not certain what is "+
			"decided")
		return d, false
	}
	d = decision.Decision{
		Time: now, User: user, Verdict: verdict, Reason: reason, ID: g.id, Kind: finding.Kind(first.cell("kind")),
		Source: first.cell("source"), Line: line, Amount: first.cell("amount_"), State: first.cell("state_"),
		Dropped: dropped,
	}
	if s.log.Has(d) {
		return d, false
	}
	return d, s.isFound(g)
}

// isFound tells whether all rows of a finding say what was found, and tells those that
// do not.
func (s *sheet) isFound(g *group) bool {
	f := s.have[g.id]
	if f == nil {
		s.fail(g.rows[0].number, "there is no finding %s among those that were found; name the plan with ⟨plan⟩, or "+
			"the findings with ⟨findings⟩", g.id)
		return false
	}
	isFound := true
	places := Places(f)
	for i, r := range g.rows {
		line, _ := lineOf(r.cell("source_line"))
		var p finding.Place
		if i < len(places) {
			p = places[i]
		}
		want := append([]string{string(f.Kind), p.Letter, p.Source, p.Sheet}, Row(f, &p)...)
		for k, column := range slices.Concat([]string{"kind", "place", "source", "sheet"}, Hidden) {
			if got := r.cell(column); got != want[k] && !(column == "amount_" && sameAmount(got, want[k])) {
				s.fail(r.number, "%s of %s is %q here, and %q was found; write the review anew and fill that in",
					strings.TrimSuffix(column, "_"), g.id, got, want[k])
				isFound = false
				break
			}
		}
		if line != p.Line {
			s.fail(r.number, "source_line of %s is %d here, and %d was found; write the review anew and fill that in",
				g.id, line, p.Line)
			isFound = false
		}
	}
	return isFound
}

// sameAmount tells whether two amounts are equal, of which a spreadsheet may have taken
// the zeros off the end.
func sameAmount(a, b string) bool {
	x, errX := amount.Parse([]byte(a), '.')
	y, errY := amount.Parse([]byte(b), '.')
	return errX == nil && errY == nil && x.Cmp(y) == 0
}

// lineOf reads the number of a line, which is blank for a whole file.
func lineOf(text string) (int, error) {
	if text == "" {
		return 0, nil
	}
	return strconv.Atoi(text)
}
