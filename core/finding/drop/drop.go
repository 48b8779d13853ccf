// Package drop says which files and records are to be left out of a result,
// because somebody has decided so or because they are doubles, and tells which of
// them were found.
package drop

import (
	"fmt"
	"maps"
	"math"
	"math/bits"
	"slices"
	"strconv"
	"sync"

	"lastblock/core/finding"
)

// Set is what is left out. It is put together by one goroutine; what it says of a
// source may then be asked for by several. A nil Set leaves nothing out.
type Set struct {
	sources map[string]*Source
	kept    map[string]string // states of findings by their ids
}

// Source is what is left out of one source.
type Source struct {
	whole   *Reason
	changed []Reason
	lines   map[Reason]*Lines
	records map[int][]record // by line

	mutex sync.Mutex // guards how many of the records are still to be found
}

// Reason is why something is left out.
type Reason struct {
	Kind finding.Kind // of the finding that it goes back to
	Text string       // what somebody gave as the reason, "" for none
}

// record is a record that is known by what it means, where its line alone may not
// tell it, or may hold another one by now.
type record struct {
	print  Print
	reason Reason
	count  int
	left   int // how many of them are still to be found on the line
}

func (s *Set) of(name string) *Source {
	if s.sources == nil {
		s.sources = make(map[string]*Source)
	}
	if s.sources[name] == nil {
		s.sources[name] = &Source{lines: make(map[Reason]*Lines), records: make(map[int][]record)}
	}
	return s.sources[name]
}

// File leaves a source out.
func (s *Set) File(name string, reason Reason) {
	if of := s.of(name); of.whole == nil {
		of.whole = &reason
	}
}

// Changed notes that a source was to be left out and is not what it was then, so
// that it is counted.
func (s *Set) Changed(name string, reason Reason) {
	of := s.of(name)
	of.changed = append(of.changed, reason)
}

// Line leaves the records out that start on a line.
func (s *Set) Line(name string, line int, reason Reason) {
	of := s.of(name)
	if of.lines[reason] == nil {
		of.lines[reason] = new(Lines)
	}
	of.lines[reason].Add(line)
}

// Print is the fingerprint of a record, as package equality makes it: by what it means as a run reads it, and as it was
// sent. Where a run reads records as they were sent the two are the same.
type Print struct{ Meant, Sent uint64 }

// ParsePrint reads a fingerprint as finding.Place has it. One of earlier versions has no second part.
func ParsePrint(text string) (p Print, err error) {
	const digits = 16
	meant, sent := text, text
	if len(text) > digits {
		meant, sent = text[:digits], text[digits:]
	}
	if p.Meant, err = strconv.ParseUint(meant, 16, 64); err == nil {
		p.Sent, err = strconv.ParseUint(sent, 16, 64)
	}
	if err != nil {
		err = fmt.Errorf("%q is no fingerprint of a record", text)
	}
	return p, err
}

// String is the fingerprint as ParsePrint reads it.
func (p Print) String() string {
	if p.Meant == p.Sent {
		return fmt.Sprintf("%016x", p.Meant)
	}
	return fmt.Sprintf("%016x%016x", p.Meant, p.Sent)
}

// isOf tells whether two fingerprints are of one record: it was sent as it was then, or means the same.
func (p Print) isOf(o Print) bool { return p.Sent == o.Sent || p.Meant == o.Meant }

// Record leaves one record out that starts on a line and has a fingerprint.
func (s *Set) Record(name string, line int, print Print, reason Reason) {
	of := s.of(name)
	records := of.records[line]
	at := slices.IndexFunc(records, func(r record) bool { return r.print == print })
	if at < 0 {
		of.records[line] = append(records, record{print, reason, 1, 1})
		return
	}
	records[at].count++
	records[at].left++
}

// Keep notes that what a finding is about is to be counted, as long as the finding says
// the same.
func (s *Set) Keep(id, state string) {
	if s.kept == nil {
		s.kept = make(map[string]string)
	}
	s.kept[id] = state
}

// Keeps tells whether what a finding is about is to be counted.
func (s *Set) Keeps(f *finding.Finding) bool {
	if s == nil {
		return false
	}
	state, ok := s.kept[finding.Identify(f, 0)]
	return ok && finding.StateOf(f) == state
}

// Reset forgets what was found, before the sources are read once more.
func (s *Set) Reset() {
	if s == nil {
		return
	}
	for _, of := range s.sources {
		for _, records := range of.records {
			for i := range records {
				records[i].left = records[i].count
			}
		}
	}
}

// Of is what is left out of a source, nil for nothing.
func (s *Set) Of(name string) *Source {
	if s == nil {
		return nil
	}
	return s.sources[name]
}

// IsEmpty tells whether nothing is left out.
func (s *Set) IsEmpty() bool { return s == nil || len(s.sources)+len(s.kept) == 0 }

// Whole is why all of the source is left out; ok is false where it is not.
func (s *Source) Whole() (reason Reason, ok bool) {
	if s == nil || s.whole == nil {
		return Reason{}, false
	}
	return *s.whole, true
}

// HasLine tells whether all records are left out that start on a line.
func (s *Source) HasLine(line int) bool {
	if s == nil {
		return false
	}
	for _, lines := range s.lines {
		if lines.Has(line) {
			return true
		}
	}
	return false
}

// Takes tells whether, and why, a record is left out. print is called where the
// line alone does not tell.
func (s *Source) Takes(line int, print func() Print) (reason Reason, ok bool) {
	if s.whole != nil {
		return *s.whole, true
	}
	for reason, lines := range s.lines {
		if lines.Has(line) {
			return reason, true // a line is left out for one reason
		}
	}
	records := s.records[line]
	if records == nil {
		return Reason{}, false
	}
	of := print()
	s.mutex.Lock()
	defer s.mutex.Unlock()
	for i := range records {
		if r := &records[i]; r.print.isOf(of) && r.left > 0 {
			r.left--
			return r.reason, true
		}
	}
	return Reason{}, false
}

// HasRecords tells whether single records are left out that are known by their fingerprints.
func (s *Source) HasRecords() bool { return s != nil && len(s.records) > 0 }

// Sources are the names of the sources of which something is left out.
func (s *Set) Sources() (names []string) {
	if s == nil {
		return nil
	}
	return slices.Sorted(maps.Keys(s.sources))
}

// Missing gives what was to be left out and is not there as it was: line 0 stands
// for the source as a whole, and the records follow by line.
func (s *Source) Missing(visit func(line int, reason Reason)) {
	if s == nil {
		return
	}
	for _, reason := range s.changed {
		visit(0, reason)
	}
	var lines []int
	for line := range s.records {
		lines = append(lines, line)
	}
	slices.Sort(lines)
	for _, line := range lines {
		for _, r := range s.records[line] {
			for range r.left {
				visit(line, r.reason)
			}
		}
	}
}

// Lines is a set of lines, a bit for each.
type Lines struct{ bits []uint64 }

const wordBits = 64

// Add takes a line in.
func (l *Lines) Add(line int) {
	at := line / wordBits
	for at >= len(l.bits) {
		l.bits = append(l.bits, make([]uint64, max(1, at+1-len(l.bits), len(l.bits)/4))...)
	}
	l.bits[at] |= 1 << (line % wordBits)
}

// Between gives the first and the last line of the set from one line to another;
// ok is false where there is none.
func (l *Lines) Between(first, last int) (from, to int, ok bool) {
	if l == nil || len(l.bits) == 0 {
		return 0, 0, false
	}
	last = min(last, len(l.bits)*wordBits-1)
	word := func(at int) uint64 {
		word := l.bits[at]
		if at == first/wordBits {
			word &= ^uint64(0) << (first % wordBits)
		}
		if at == last/wordBits {
			word &= ^uint64(0) >> (wordBits - 1 - last%wordBits)
		}
		return word
	}
	at := first / wordBits
	for ; at <= last/wordBits; at++ {
		if w := word(at); w != 0 {
			from = at*wordBits + bits.TrailingZeros64(w)
			break
		}
	}
	if at > last/wordBits {
		return 0, 0, false
	}
	for at = last / wordBits; ; at-- {
		if w := word(at); w != 0 {
			return from, at*wordBits + bits.Len64(w) - 1, true
		}
	}
}

// Ranges are the stretches of lines without a gap, from and to, in their order.
func (l *Lines) Ranges() [][2]int {
	var ranges [][2]int
	for next := 0; ; {
		line, _, ok := l.Between(next, math.MaxInt)
		if !ok {
			return ranges
		}
		if n := len(ranges); n > 0 && ranges[n-1][1] == line-1 {
			ranges[n-1][1] = line
		} else {
			ranges = append(ranges, [2]int{line, line})
		}
		next = line + 1
	}
}

// Has tells whether a line is in the set. A nil set has none.
func (l *Lines) Has(line int) bool {
	if l == nil || line/wordBits >= len(l.bits) {
		return false
	}
	return l.bits[line/wordBits]>>(line%wordBits)&1 == 1
}
