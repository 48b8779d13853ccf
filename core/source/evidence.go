package source

import (
	"bytes"
	"errors"
	"io"
	"slices"

	"lastblock/core/record"
	"lastblock/core/source/shape"
	"lastblock/core/value/amount"
	"lastblock/core/value/date"
	"lastblock/core/value/kind"
)

// Written is how one source writes its values, found out from them.
type Written struct {
	shape.Writing
	// Unclear are values by which it could not be told, one of each column in which
	// such a value stands.
	Unclear []Unclear
}

// Unclear is a value that can be read in two ways, in a source where no value
// tells which one is right.
type Unclear struct {
	Column string
	Kind   record.Kind
	Line   int
	Found  string
	Asked  bool // the column's values are read as amounts, or as dates, whatever the run does with them
}

// Sources of which there is nothing more to say share these.
var (
	writtenPoint = &Written{Writing: shape.Writing{Decimal: '.', Order: date.DayMonthYear}}
	writtenComma = &Written{Writing: shape.Writing{Decimal: ',', Order: date.DayMonthYear}}
)

// evidence gathers how a source writes amounts and dates. That is a property of the
// source: it is found out from all of its columns, record by record from the first
// one on, whichever of them a run reads, and whoever asks finds the same.
//
// The first records are looked at in any case, and the more of them prove a mark the
// better. Where they prove none, the first value behind them that does is enough.
type evidence struct {
	columns   []witness
	delimiter byte // of the text, 0 where there is none
	findMark  bool
	findOrder bool
	typed     bool // numbers are no text here
	rows      int  // looked at
	fractions int  // numbers, not texts, with digits behind the point
	orders    [2]int
	scratch   []byte
}

// witness is what one column tells.
type witness struct {
	name   string
	code   bool // called like a code, which counts only where no other column tells
	amount bool // read as amounts whatever a run does
	date   bool // read as dates

	marks                      amount.Marks
	plain                      int // other amounts
	others                     int // filled values that are no amounts
	amountExample, dateExample *Unclear
}

// sampleRecords are looked at in any case.
const sampleRecords = 32

// dayFirst and monthFirst are indices of orders.
const (
	dayFirst = iota
	monthFirst
)

// look takes a batch into account, up to the record by which all is settled.
func (e *evidence) look(b *record.Batch) {
	e.fractions += b.Fractions
	seek := markSeeker{batch: b, delimiter: e.delimiter}
	isNew := true // something was found out since it was last asked whether all is settled
	for row := 0; row < b.Rows; row++ {
		if e.rows >= sampleRecords {
			if isNew && e.isSettled() {
				return
			}
			if isNew = false; !e.findOrder {
				next := seek.from(row)
				e.rows += next - row
				if row = next; row == b.Rows {
					return
				}
			}
		}
		e.rows, isNew = e.rows+1, true
		for column := range min(b.Width, len(e.columns)) {
			w := &e.columns[column]
			field := b.Field(row, column)
			if len(field) == 0 {
				continue
			}
			if e.findMark && (e.rows <= sampleRecords || hasMark(field)) {
				w.lookAmount(b, row, column, &e.scratch)
			}
			if e.findOrder && mayTellOrder(field) {
				e.lookDate(w, b, row, column)
			}
		}
	}
}

// markSeeker finds records in which a mark of amounts stands, where that is quicker than looking at each.
type markSeeker struct {
	batch     *record.Batch
	delimiter byte
	next      [2]int // where the next point and the next comma stand in the batch's data, plus one; 0 is not known
}

// from is the next record from one on in which a field may hold a mark, or the number of records.
func (s *markSeeker) from(row int) int {
	b := s.batch
	switch {
	case s.delimiter == 0: // it is no text
		return row
	case len(b.Padded) > 0: // not all records stand in the data in their order
		return row
	case s.delimiter == ',' && b.Quoted: // a comma may part fields, or stand in one
		return row
	}
	start := int(b.RecordBounds(row)[0] + 1)
	first := len(b.Data)
	for i, mark := range [2]byte{'.', ','} {
		if mark == s.delimiter {
			continue
		}
		if s.next[i] <= start {
			at := bytes.IndexByte(b.Data[start:], mark)
			if at < 0 {
				at = len(b.Data)
			}
			s.next[i] = start + at + 1
		}
		first = min(first, s.next[i]-1)
	}
	if first == len(b.Data) {
		return b.Rows
	}
	for row < b.Rows && int(b.RecordBounds(row)[b.Width]) <= first {
		row++
	}
	return row
}

// hasMark tells whether a text may be an amount that proves something.
func hasMark(text []byte) bool {
	return bytes.IndexByte(text, '.') >= 0 || bytes.IndexByte(text, ',') >= 0
}

// mayTellOrder tells quickly of most texts that they are no date with the year at the
// end.
func mayTellOrder(text []byte) bool {
	const shortest = len("1/2/2031")
	if len(text) < shortest {
		return false
	}
	isMark := func(c byte) bool { return c == '/' || c == '-' || c == '.' }
	return isMark(text[1]) || isMark(text[2]) || text[0] == '"' || text[0] == ' '
}

func (w *witness) lookAmount(b *record.Batch, row, column int, scratch *[]byte) {
	if w.lookPlain(b.Field(row, column)) {
		return
	}
	text := bytes.TrimSpace(b.Text(row, column, scratch))
	if len(text) == 0 {
		return
	}
	if !kind.MayBeAmount(text) {
		w.others++
		return
	}
	switch before := w.marks; {
	case hasMark(text):
		w.marks.Add(text)
		switch {
		case w.marks == before:
			w.others++
		case w.marks.Unclear > before.Unclear && w.amountExample == nil:
			w.amountExample = &Unclear{Column: w.name, Kind: record.Amount, Line: b.Line(row), Found: string(text),
				Asked: w.amount}
		}
	default: // without a mark it is one with either, or with none
		if _, err := amount.Parse(text, '.'); err == nil {
			w.plain++
		} else {
			w.others++
		}
	}
}

// lookPlain takes in what most fields are, without a closer look: words, dates, or digits
// with one mark in them at the most, of which the place tells that it is the decimal mark.
func (w *witness) lookPlain(field []byte) bool {
	if !kind.MayBeAmount(field) {
		w.others++
		return true
	}
	mark := -1
	for i, c := range field {
		switch {
		case '0' <= c && c <= '9':
		case (c == '.' || c == ',') && mark < 0:
			mark = i
		// a date, a time, a number of several parts
		case (c == '-' || c == '/' || c == ':') && 0 < i && i < len(field)-1:
			w.others++
			return true
		default:
			return false
		}
	}
	const group = 3
	switch behind := len(field) - mark - 1; {
	case mark < 0:
		w.plain++
	case mark == 0 || behind == 0 || behind == group:
		return false
	case field[mark] == ',':
		w.marks.Comma++
	default:
		w.marks.Point++
	}
	return true
}

func (e *evidence) lookDate(w *witness, b *record.Batch, row, column int) {
	text := bytes.TrimSpace(b.Text(row, column, &e.scratch))
	d, ok := date.Parse(text)
	switch {
	case !ok || d.ByHabit || d.Either:
	case d.Order == date.DayMonthYear:
		e.orders[dayFirst]++
	case d.Order == date.MonthDayYear:
		e.orders[monthFirst]++
	case d.Order == date.Unclear && w.dateExample == nil:
		w.dateExample = &Unclear{Column: w.name, Kind: record.Date, Line: b.Line(row), Found: string(text), Asked: true}
	}
}

// marks are those of the columns that mostly hold amounts; those that are called like
// codes count where no other one tells.
func (e *evidence) marks() amount.Marks {
	var amounts, codes amount.Marks
	for i := range e.columns {
		w := &e.columns[i]
		switch known := w.marks.Point + w.marks.Comma + w.marks.Unclear + w.plain; {
		case known < w.others:
		case w.code && !w.amount:
			codes.Merge(w.marks)
		default:
			amounts.Merge(w.marks)
		}
	}
	if amounts.Point == amounts.Comma {
		return codes
	}
	return amounts
}

// isSettled tells whether nothing more has to be looked at.
func (e *evidence) isSettled() bool {
	if e.findOrder && e.orders[dayFirst] == e.orders[monthFirst] {
		return false
	}
	if !e.findMark {
		return true
	}
	marks := e.marks()
	mark, proven := marks.Decimal()
	if e.typed && proven && mark == ',' && e.fractions == 0 {
		return false // a number with digits behind the point would show that texts are not all there is
	}
	return proven
}

// written tells what was found out. asked is the mark that was said, 0 for none.
func (e *evidence) written(asked byte) *Written {
	marks := e.marks()
	mark, proven := marks.Decimal()
	switch {
	case asked != 0 && !e.typed:
		mark, proven = asked, true
	case e.typed && e.fractions > 0:
		mark, proven = '.', true // numbers are certain; a text beside them that has a comma is refused
	}
	found := Written{Writing: shape.Writing{Decimal: mark, Order: date.DayMonthYear}}
	ordered := e.orders[dayFirst] != e.orders[monthFirst]
	if e.orders[monthFirst] > e.orders[dayFirst] {
		found.Order = date.MonthDayYear
	}
	for i := range e.columns {
		w := &e.columns[i]
		if !proven && !e.typed && w.amountExample != nil && w.marks.Unclear+w.plain >= w.others {
			found.Unclear = append(found.Unclear, *w.amountExample)
		}
		if w.date && !ordered && w.dateExample != nil {
			found.Unclear = append(found.Unclear, *w.dateExample)
		}
	}
	switch {
	case found.Unclear != nil || found.Order != date.DayMonthYear:
		return &found
	case mark == ',':
		return writtenComma
	}
	return writtenPoint
}

// evidenceFor says what has to be found out about a source of a shape. It is used
// again for the next source of the same shape.
func (w *worker) evidenceFor(s *shape.Shape, asked byte, typed bool) *evidence {
	e := &w.evidence
	if w.evident == s && e.typed == typed {
		e.forget()
		return e
	}
	w.evident = s
	calculated, dated := s.Calculated(), s.Dated()
	*e = evidence{typed: typed, findMark: asked == 0 || typed, findOrder: len(dated) > 0}
	if !typed {
		e.delimiter = s.Head.Delimiter
	}
	for i, name := range s.SentColumns() {
		e.columns = append(e.columns, witness{
			name: name, code: kind.IsCodeName(name), amount: slices.Contains(calculated, i),
			date: slices.Contains(dated, i),
		})
	}
	return e
}

// forget begins again with another source of the same columns.
func (e *evidence) forget() {
	e.rows, e.fractions, e.orders = 0, 0, [2]int{}
	for i := range e.columns {
		w := &e.columns[i]
		*w = witness{name: w.name, code: w.code, amount: w.amount, date: w.date}
	}
}

// settle finds out how a source writes its values: from its first stretch, and
// where that does not tell, from all of it, as far as it can be read twice.
func (w *worker) settle(s *stream, stretch *Stretch) error {
	f := w.feed
	source := &f.set.Sources[s.index]
	_, isPlain := s.reader.(plainReader)
	asked := source.manner().Decimal
	if f.reading.AsSent && s.shape.IsNothing() {
		s.written = writtenPoint
		return nil
	}
	e := w.evidenceFor(s.shape, asked, !isPlain)
	e.look(&stretch.Batch)
	if !stretch.Last && source.Size >= 0 && (e.rows < sampleRecords || !e.isSettled()) {
		e.forget()
		if err := f.lookOn(source, e); err != nil {
			return err
		}
	}
	s.written = e.written(asked)
	return nil
}

// writtenOf is how a source is written, found out now where nobody has asked before.
func (w *worker) writtenOf(s *stream) (*Written, error) {
	source := &s.feed.set.Sources[s.index]
	if !s.feed.reading.AsSent || !s.shape.IsNothing() || source.Size < 0 {
		return s.written, nil
	}
	_, isPlain := s.reader.(plainReader)
	asked := source.manner().Decimal
	e := w.evidenceFor(s.shape, asked, !isPlain)
	if err := s.feed.lookOn(source, e); err != nil {
		return nil, &Error{source.Name, err}
	}
	return e.written(asked), nil
}

// lookOn reads a source for its values alone.
func (f *feed) lookOn(s *Source, e *evidence) error {
	reader, err := f.openReader(s, nil, new(room))
	if err != nil {
		return err
	}
	defer reader.Close()
	stretch := new(Stretch)
	for e.rows < sampleRecords || !e.isSettled() {
		err := reader.Next(stretch)
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		reader.Parse(stretch)
		e.look(&stretch.Batch)
	}
	return nil
}
