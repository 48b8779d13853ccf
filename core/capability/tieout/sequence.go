package tieout

import (
	"bytes"
	"cmp"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/large/spill"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/words"
)

// Sequence checks that the numbers in a column leave none out and do not come
// again. A number is the digits at the end of a text, and what stands before
// them is the name of its series. A series goes on from file to file of an
// entity; without entities every source is counted for itself.
//
// Neighbouring records with one number are the lines of one document, in a
// source in which at least half of the numbers are on several neighbours; in
// any other source they are a repetition.
type Sequence struct {
	Column string

	watchers []*sequenceWatcher
}

// Columns returns the column of numbers.
func (c *Sequence) Columns() []string { return []string{c.Column} }

// Amounts returns nothing.
func (c *Sequence) Amounts() []string { return nil }

func (c *Sequence) watch(r *run) watcher {
	w := &sequenceWatcher{run: r, column: column{name: c.Column}, stretches: spill.New(r.memory)}
	c.watchers = append(c.watchers, w)
	return w
}

// numbered is a number of a series.
type numbered struct {
	series string
	number uint64
}

// border is the first or the last number of a batch.
type border struct {
	line int
	numbered
}

// numbers are what one source has of them.
type numbers struct {
	heads, tails []border // of its batches
	runs         int      // neighbouring records with one number
	lines        int      // of these, the ones with several records
	again        []again  // the same, the first ones
	without      int      // records in whose text is no number
	withoutLine  int
}

// again is a number that neighbours have.
type again struct {
	line int
	text string
}

// repeated is the same while a batch is read.
type repeated struct {
	line   int
	series string
	number uint64
	digits int
}

const againKept = 1000

// sequenceWatcher makes stretches of numbers that follow one another, as
// nearly all numbers do.
type sequenceWatcher struct {
	run       *run
	column    column
	stretches *spill.Sorter
	sources   perSource[numbers]

	here    *numbers
	source  int
	begun   bool
	text    []byte // of the last record
	series  []byte
	name    string     // the same
	again   []repeated // of this batch
	runs    int
	lines   int
	from    uint64
	to      uint64
	line    int // on which the stretch begins
	digits  int
	same    int // records with the last number
	item    []byte
	scratch []byte
}

func (w *sequenceWatcher) batch(b *source.Batch, v *tally.Visitor) error {
	at := w.column.in(b)
	if at < 0 {
		return nil
	}
	w.here, w.source, w.begun = w.sources.of(b.Index), b.Index, false
	w.again, w.runs, w.lines = w.again[:0], 0, 0
	first := !b.First || !b.Last // the borders of a source that is one batch touch nothing
	lastLine := 0
	for i := range v.Usable(b) {
		row := v.Row(i)
		text := b.Text(row, at, &w.scratch)
		if w.begun && bytes.Equal(text, w.text) {
			w.repeat(b.Line(row))
			lastLine = b.Line(row)
			continue
		}
		series, number, digits, ok := splitNumber(text)
		if !ok {
			if w.here.without++; w.here.withoutLine == 0 || b.Line(row) < w.here.withoutLine {
				w.here.withoutLine = b.Line(row)
			}
			continue
		}
		lastLine = b.Line(row)
		if err := w.add(series, number, digits, lastLine); err != nil {
			return err
		}
		w.text = append(w.text[:0], text...)
		if first {
			first = false
			w.here.heads = append(w.here.heads, border{lastLine, numbered{string(series), number}})
		}
	}
	w.here.runs += w.runs
	if w.here.lines += w.lines; 2*w.lines < w.runs && len(w.here.again) < againKept {
		for _, a := range w.again {
			w.here.again = append(w.here.again, again{a.line, fmt.Sprintf("%s%0*d", a.series, a.digits, a.number)})
		}
	}
	if !w.begun {
		return nil
	}
	if b.First && b.Last {
		return w.end()
	}
	w.here.tails = append(w.here.tails, border{lastLine, numbered{string(w.series), w.to}})
	return w.end()
}

// splitNumber takes the digits off the end of a text: at most eighteen of them.
func splitNumber(text []byte) (series []byte, number uint64, digits int, ok bool) {
	text = bytes.TrimSpace(text)
	const most = 18
	at := len(text)
	for at > 0 && '0' <= text[at-1] && text[at-1] <= '9' && len(text)-at < most {
		at--
	}
	for _, c := range text[at:] {
		number = 10*number + uint64(c-'0')
	}
	return text[:at], number, len(text) - at, at < len(text)
}

// add takes in the number of a record that is not the one of the record before.
func (w *sequenceWatcher) add(series []byte, number uint64, digits, line int) error {
	w.runs++
	if w.begun && number == w.to+1 && bytes.Equal(series, w.series) {
		w.to, w.same = number, 1
		return nil
	}
	if err := w.end(); err != nil {
		return err
	}
	if w.name != string(series) { // which is copied only where it differs
		w.name = string(series)
	}
	w.begun, w.series, w.digits = true, append(w.series[:0], series...), digits
	w.from, w.to, w.line, w.same = number, number, line, 1
	return nil
}

// repeat takes in a record with the number of the one before.
func (w *sequenceWatcher) repeat(line int) {
	if w.same++; w.same > 2 {
		return
	}
	w.lines++
	if len(w.again) < againKept {
		w.again = append(w.again, repeated{line, w.name, w.to, w.digits})
	}
}

// The parts of an item behind the scope and the series.
const (
	itemScope  = 4
	itemBehind = 8 + 4 + 8 + 8 + 1 // from, source, line, to, digits
)

func (w *sequenceWatcher) end() error {
	if !w.begun {
		return nil
	}
	w.begun = false
	item := binary.BigEndian.AppendUint32(w.item[:0], uint32(w.run.scopes[w.source]))
	item = append(append(item, w.series...), 0)
	item = binary.BigEndian.AppendUint64(item, w.from)
	item = binary.BigEndian.AppendUint32(item, uint32(w.source))
	item = binary.BigEndian.AppendUint64(item, uint64(w.line))
	item = binary.BigEndian.AppendUint64(item, w.to)
	w.item = append(item, byte(w.digits))
	return w.stretches.Add(w.item)
}

func (c *Sequence) finish(_ context.Context, r *run) error {
	var parts []*perSource[numbers]
	var sorters []*spill.Sorter
	for _, w := range c.watchers {
		parts, sorters = append(parts, &w.sources), append(sorters, w.stretches)
	}
	joined := make(map[place]bool)
	all := inOrder(parts)
	for from := 0; from < len(all); {
		to := from + 1
		for to < len(all) && all[to].index == all[from].index {
			to++
		}
		c.tellSource(r, all[from].index, all[from:to], joined)
		from = to
	}
	s := &sweep{check: c, run: r, joined: joined}
	if err := spill.Merge(sorters, s.item); err != nil {
		return err
	}
	s.end()
	return nil
}

// place is a line of a source.
type place struct{ source, line int }

// tellSource puts together what several watchers have seen of a source: it
// notes which batches begin with the number that the one before ends with, and
// tells of numbers on neighbouring records.
func (c *Sequence) tellSource(r *run, index int, parts []sourceEntry[numbers], joined map[place]bool) {
	var n numbers
	for _, p := range parts {
		n.heads, n.tails = append(n.heads, p.value.heads...), append(n.tails, p.value.tails...)
		n.again = append(n.again, p.value.again...)
		n.runs += p.value.runs
		n.lines += p.value.lines
		n.without += p.value.without
		if line := p.value.withoutLine; line > 0 && (n.withoutLine == 0 || line < n.withoutLine) {
			n.withoutLine = line
		}
	}
	byLine := func(a, b border) int { return cmp.Compare(a.line, b.line) }
	slices.SortFunc(n.heads, byLine)
	slices.SortFunc(n.tails, byLine)
	for i := 1; i < len(n.heads); i++ {
		if n.heads[i].numbered == n.tails[i-1].numbered {
			joined[place{index, n.heads[i].line}] = true
			n.runs--
		}
	}
	if n.without > 0 {
		f := r.about(finding.SequenceGap, index)
		f.Column, f.Line, f.Count, f.Key = c.Column, n.withoutLine, n.without, "without a number"
		f.Message = fmt.Sprintf("%s without a number in %s, first on this line", words.Count(n.without, "record"),
			c.Column)
		r.tally.Findings.Add(f)
	}
	if n.lines == 0 || 2*n.lines >= n.runs {
		return
	}
	// Each watcher has kept the first ones that it saw, so that the first ones of all
	// are among them, whoever saw them.
	slices.SortFunc(n.again, func(a, b again) int { return cmp.Compare(a.line, b.line) })
	n.again = n.again[:min(len(n.again), againKept)]
	var texts []string
	for _, a := range n.again {
		texts = append(texts, a.text)
	}
	f := r.about(finding.SequenceRepeat, index)
	f.Column, f.Line, f.Count = c.Column, n.again[0].line, n.lines
	f.Found = strings.Join(texts, ", ")
	f.Message = fmt.Sprintf("%s on neighbouring records, while most numbers stand on one: %s",
		words.Count(n.lines, "number"), listed(texts, n.lines))
	r.tally.Findings.Add(f)
}

// sweep goes through the stretches of all series in their order.
type sweep struct {
	check  *Sequence
	run    *run
	joined map[place]bool

	series  []byte // with its scope; nil before the first
	scope   int
	first   uint64
	last    uint64 // the greatest number so far
	before  int    // the source that has it
	digits  int
	gaps    ranges
	repeats ranges
}

// ranges are numbers of one series that are missing, or that come again.
type ranges struct {
	texts []string
	count uint64 // of numbers
	more  int    // ranges that are not in texts
	at    place  // of the first one
}

const rangesKept = 1000

func (r *ranges) add(from, to uint64, digits int, at place) {
	if r.count == 0 {
		r.at = at
	}
	r.count += to - from + 1
	if len(r.texts) >= rangesKept {
		r.more++
		return
	}
	text := fmt.Sprintf("%0*d", digits, from)
	if to > from {
		text += fmt.Sprintf("-%0*d", digits, to)
	}
	r.texts = append(r.texts, text)
}

func (s *sweep) item(item []byte) error {
	behind := item[len(item)-itemBehind:]
	series := item[:len(item)-itemBehind]
	from := binary.BigEndian.Uint64(behind)
	at := place{int(binary.BigEndian.Uint32(behind[8:])), int(binary.BigEndian.Uint64(behind[12:]))}
	to := binary.BigEndian.Uint64(behind[20:])
	digits := int(behind[28])
	if s.series == nil || !bytes.Equal(series, s.series) {
		s.end()
		s.series = append(make([]byte, 0, len(series)), series...)
		s.scope = int(binary.BigEndian.Uint32(series))
		s.first, s.last, s.before, s.digits = from, to, at.source, digits
		return nil
	}
	s.digits = max(s.digits, digits)
	if s.joined[at] {
		if from++; from > to {
			return nil
		}
	}
	if from <= s.last {
		s.repeats.add(from, min(to, s.last), s.digits, at)
	} else if from > s.last+1 {
		s.gaps.add(s.last+1, from-1, s.digits, at)
	}
	if to > s.last {
		s.last, s.before = to, at.source
	}
	return nil
}

// end tells what was found of a series.
func (s *sweep) end() {
	if s.series == nil {
		return
	}
	name := string(s.series[itemScope : len(s.series)-1])
	s.tell(finding.SequenceGap, &s.gaps, name, func(n, which string) string {
		return fmt.Sprintf("%s between %s%0*d and %s%0*d: %s", n+" missing", name, s.digits, s.first, name, s.digits,
			s.last, which)
	})
	s.tell(finding.SequenceRepeat, &s.repeats, name, func(n, which string) string {
		return fmt.Sprintf("%s a second time in another place: %s", n, which)
	})
	s.gaps, s.repeats = ranges{}, ranges{}
}

func (s *sweep) tell(kind finding.Kind, r *ranges, name string, message func(n, which string) string) {
	if r.count == 0 {
		return
	}
	f := s.run.about(kind, r.at.source)
	f.Column, f.Line, f.Count = s.check.Column, r.at.line, int(min(r.count, 1<<62))
	f.Key = strings.TrimSpace(name + " from " + s.run.set.Sources[s.scope].Name)
	if entity := s.run.set.Word(s.scope, entityColumn); entity != "" {
		f.Key = strings.TrimSpace(name + " of " + entity)
	}
	f.Found = strings.Join(r.texts, ", ")
	if r.more > 0 {
		f.Found += fmt.Sprintf(" and %d more", r.more)
	}
	n := strconv.FormatUint(r.count, 10) + " number"
	if r.count != 1 {
		n += "s"
	}
	f.Message = message(n, listed(r.texts, len(r.texts)+r.more))
	s.run.tally.Findings.Add(f)
}

func (c *Sequence) close() error {
	var errs []error
	for _, w := range c.watchers {
		errs = append(errs, w.stretches.Close())
	}
	return errors.Join(errs...)
}
