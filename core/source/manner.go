package source

import (
	"errors"
	"io"

	"lastblock/core/amount"
	"lastblock/core/date"
	"lastblock/core/delimited"
	"lastblock/core/record"
	"lastblock/core/shape"
)

// Manner is how sources are written, as far as the user has said it, and what
// form their records are to have. The zero value leaves all to be found out.
type Manner struct {
	Request  delimited.Request
	Blanks   bool            // runs of blanks stand between fields
	Encoding string          // of text that bears no mark, as decode.Named knows it
	Decimal  byte            // of amounts in text: '.' or ',', 0 to find out
	At       string          // a JSON Pointer to the records
	Choice   Choice          // what is read of workbooks
	Query    string          // what is read of a database
	Trailer  *TrailerPattern // the line with which sources end and declare what is in them; nil for none
	Shape    *shape.Request
}

// Written is how one source writes its values, found out from them.
type Written struct {
	shape.Writing
	// Unclear are values by which it could not be told, one of each column.
	Unclear []Unclear
}

// Unclear is a value that can be read in two ways, in a column where no value
// tells which one is right.
type Unclear struct {
	Column string
	Kind   record.Kind
	Line   int
	Found  string
}

// Sources of which there is nothing more to say share these.
var (
	writtenPoint = &Written{Writing: shape.Writing{Decimal: '.'}}
	writtenComma = &Written{Writing: shape.Writing{Decimal: ','}}
)

// evidence gathers how a source writes amounts and dates.
type evidence struct {
	amounts []int // columns of amounts
	all     bool  // every column is looked at
	dates   []int
	columns []string

	marks   amount.Marks
	example *Unclear
	orders  []orders
	scratch []byte
}

// orders counts the dates of one column by what order they prove.
type orders struct {
	count   [3]int
	example *Unclear
}

// enough values settle how amounts are written.
const enough = 20

// settled tells whether nothing more has to be looked at.
func (e *evidence) settled() bool {
	for i := range e.orders {
		if e.orders[i].count == [3]int{} {
			return false
		}
	}
	return len(e.amounts) == 0 && !e.all || e.marks.Point+e.marks.Comma > 0
}

// look takes a batch into account.
func (e *evidence) look(b *record.Batch) {
	if e.all {
		for column := range b.Width {
			e.lookAmounts(b, column)
		}
	}
	for _, column := range e.amounts {
		e.lookAmounts(b, column)
	}
	for i, column := range e.dates {
		e.lookDates(b, column, &e.orders[i])
	}
}

func (e *evidence) lookAmounts(b *record.Batch, column int) {
	for row := range b.Rows {
		if !e.all && e.marks.Point+e.marks.Comma >= enough {
			return
		}
		text := b.Text(row, column, &e.scratch)
		before := e.marks.Unclear
		if e.marks.Add(text); e.marks.Unclear > before && e.example == nil {
			e.example = &Unclear{Column: e.columns[column], Kind: record.Amount, Line: b.Line(row), Found: string(text)}
		}
	}
}

func (e *evidence) lookDates(b *record.Batch, column int, o *orders) {
	for row := range b.Rows {
		text := b.Text(row, column, &e.scratch)
		d, ok := date.Parse(text)
		switch {
		case !ok:
		case d.Order != date.Unclear:
			o.count[d.Order]++
		case o.example == nil:
			o.example = &Unclear{Column: e.columns[column], Kind: record.Date, Line: b.Line(row), Found: string(text)}
		}
	}
}

// written tells what was found out. typed is a format in which numbers are no
// text.
func (e *evidence) written(asked byte, typed bool) *Written {
	mark, proven := e.marks.Decimal()
	if asked != 0 && !typed {
		mark, proven = asked, true
	}
	unclear := !proven && e.example != nil && !typed
	if !unclear && len(e.dates) == 0 { // as nearly all are
		if mark == ',' {
			return writtenComma
		}
		return writtenPoint
	}
	w := new(Written)
	w.Decimal = mark
	if unclear {
		w.Unclear = append(w.Unclear, *e.example)
	}
	w.Orders = make(map[int]date.Order)
	for i, column := range e.dates {
		o := &e.orders[i]
		switch {
		case o.count[date.MonthDayYear] > o.count[date.DayMonthYear]:
			w.Orders[column] = date.MonthDayYear
		case o.count[date.DayMonthYear] == 0 && o.count[date.YearMonthDay] > 0:
			w.Orders[column] = date.YearMonthDay
		default:
			w.Orders[column] = date.DayMonthYear
			if o.count[date.DayMonthYear] == 0 && o.example != nil {
				w.Unclear = append(w.Unclear, *o.example)
			}
		}
	}
	return w
}

// evidence says what has to be found out about a source of a shape. It is used
// again for the next source of the same shape.
func (w *worker) evidenceFor(s *shape.Shape, asked byte, typed bool) *evidence {
	e := &w.evidence
	if w.evident == s {
		e.marks, e.example = amount.Marks{}, nil
		clear(e.orders)
		return e
	}
	f := w.feed
	w.evident = s
	*e = evidence{all: f.reading.AllAmounts && (asked == 0 || typed), columns: s.SentColumns(), dates: s.Dated()}
	if asked == 0 || typed {
		e.amounts = s.Calculated()
		for _, name := range f.reading.Amounts {
			if at, ok := s.Sent(name); ok {
				e.amounts = append(e.amounts, at)
			}
		}
	}
	e.orders = make([]orders, len(e.dates))
	return e
}

// settle finds out how a source writes its values: from its first stretch, and
// where that does not tell, from all of it, as far as it can be read twice.
func (w *worker) settle(s *stream, stretch *Stretch) error {
	f := w.feed
	source := &f.set.Sources[s.index]
	_, isText := s.reader.(*textReader)
	asked := source.manner().Decimal
	e := w.evidenceFor(s.shape, asked, !isText)
	e.look(&stretch.Batch)
	if !e.settled() && !stretch.Last && source.Size >= 0 {
		if err := f.lookOn(source, e); err != nil {
			return err
		}
	}
	s.written = e.written(asked, !isText)
	return nil
}

// lookOn reads a source for its values alone.
func (f *feed) lookOn(s *Source, e *evidence) error {
	reader, err := f.openReader(s, nil)
	if err != nil {
		return err
	}
	defer reader.Close()
	stretch := new(Stretch)
	for !e.settled() {
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

// constants are the values of names in expressions that no column bears.
func (s *Set) constants(index int, names []string) map[string][]byte {
	if len(names) == 0 {
		return nil
	}
	values := make(map[string][]byte, len(names))
	for _, name := range names {
		if name == SourceColumn {
			values[name] = []byte(s.Sources[index].Name)
		} else {
			values[name] = []byte(s.Word(index, name))
		}
	}
	return values
}

// known tells whether a name in an expression is one that every record has.
func (s *Set) known(name string) bool {
	if name == SourceColumn {
		return true
	}
	for _, word := range s.Words() {
		if word == name {
			return true
		}
	}
	return false
}
