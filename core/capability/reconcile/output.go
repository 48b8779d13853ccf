package reconcile

import (
	"context"
	"io"
	"slices"
	"strconv"

	"lastblock/core/finding/proof"
	"lastblock/core/record"
	"lastblock/core/tally/matching"
	"lastblock/core/value/amount"
	"lastblock/core/value/kind"
)

// Writing says what is written of the records.
type Writing struct {
	Encode record.Encoder // records with their statuses, in Sides.Columns; nil for none
	Only   []Status       // of some statuses; nil for all

	Corrected   record.Encoder // the corrected set, in Sides.CorrectedColumns; nil for none
	PreferThere bool           // it has the values of the reference
	Bare        bool           // it does not say where records are from
}

// Column is a column of what is written.
type Column struct {
	Name  string
	Kind  record.Kind // Text where it is not known to be another one
	Scale int         // of amounts

	from  from
	index int // of a column of the side, or of a field
}

// from says where the text of a column is from.
type from byte

const (
	ofStatus from = iota
	ofPass
	ofMatch
	ofHere
	ofThere
	ofDifference
	ofSource
	ofLine
	ofSourceThere
	ofLineThere
)

// What the columns of the reference, and differences, have behind their names.
const (
	thereSuffix      = " there"
	differenceSuffix = " difference"
)

// columnList puts columns together whose names differ.
type columnList struct {
	names record.Names
	list  []Column
}

func (l *columnList) add(name string, from from, index int) *Column {
	l.list = append(l.list, Column{Name: l.names.Free(name), Kind: record.Text, from: from, index: index})
	return &l.list[len(l.list)-1]
}

// data adds a column of the records here, which keeps its name.
func (l *columnList) data(name string, index int) *Column {
	l.list = append(l.list, Column{Name: name, Kind: record.Text, from: ofHere, index: index})
	return &l.list[len(l.list)-1]
}

// Columns are those of the records with their statuses: the values of both sides next
// to one another, and of amounts the difference, there less here.
func (s *Sides) Columns() []Column {
	r := s.run
	var l columnList
	for _, name := range r.names[0] {
		l.names.Take(name)
	}
	l.add("status", ofStatus, 0)
	l.add("pass", ofPass, 0).Kind = record.Amount
	l.add("match", ofMatch, 0).Kind = record.Amount
	for i, name := range r.names[0] {
		scale := r.setKind(l.data(name, i), 0)
		at := r.thereOf(i)
		if at < 0 {
			continue
		}
		scale = max(scale, r.setKind(l.add(name+thereSuffix, ofThere, at), 1))
		if f := r.fieldOf(i, at); f >= 0 && r.isAmount[f] {
			c := l.add(name+differenceSuffix, ofDifference, f)
			c.Kind, c.Scale = record.Amount, scale
		}
	}
	for i, name := range r.names[1] {
		if r.hereOf(i) < 0 {
			r.setKind(l.add(name+thereSuffix, ofThere, i), 1)
		}
	}
	l.add(record.SourceColumn+thereSuffix, ofSourceThere, 0)
	l.add(record.LineColumn+thereSuffix, ofLineThere, 0).Kind = record.Amount
	l.add(record.SourceColumn, ofSource, 0)
	l.add(record.LineColumn, ofLine, 0).Kind = record.Amount
	return l.list
}

// CorrectedColumns are those of the set that has the values of one side: all columns
// of both, and where each record is from unless it is to be bare.
func (s *Sides) CorrectedColumns(bare bool) []Column {
	r := s.run
	var l columnList
	for i, name := range r.names[0] {
		r.setKind(l.add(name, ofHere, i), 0)
	}
	for i, name := range r.names[1] {
		if r.hereOf(i) < 0 {
			r.setKind(l.add(name, ofThere, i), 1)
		}
	}
	if !bare {
		l.add(record.SourceColumn, ofSource, 0)
		l.add(record.LineColumn, ofLine, 0).Kind = record.Amount
	}
	return l.list
}

// thereOf is which column of the reference stands beside one here, -1 for none.
func (r *run) thereOf(here int) int { return slices.Index(r.names[1], r.names[0][here]) }

func (r *run) hereOf(there int) int { return slices.Index(r.names[0], r.names[1][there]) }

// fieldOf is the field of two columns, -1 for none.
func (r *run) fieldOf(here, there int) int {
	return slices.IndexFunc(r.fields, func(f field) bool { return f.at == [2]int{here, there} })
}

// setKind sets the kind of a column of a side, as far as that is known, and returns
// how many decimals it has.
func (r *run) setKind(c *Column, side int) (scale int) {
	s := r.sides[side]
	if c.index >= len(s.Columns) { // it was converted
		c.Kind, c.Scale = record.Amount, convertedScale
		return c.Scale
	}
	e := &s.Evidence[c.index]
	if slices.Contains(s.Amounts, c.index) {
		c.Kind, c.Scale = record.Amount, e.Scale
	} else if kind, others := e.Kind(s.Columns[c.index]); others == 0 && (s.Kinds || kind == record.Amount) {
		c.Kind, c.Scale = kind, e.Scale // amounts are written with one decimal mark, whichever the sources have
	}
	return e.Scale
}

// printer makes what is written, for one goroutine.
type printer struct {
	run   *run
	texts [2][][]byte // of a record of each side
	lists [2]printed

	records int // of the corrected set
	sums    []amount.Sum
}

// printed are the cells of a row.
type printed struct {
	columns []Column
	encode  record.Encoder
	texts   [][]byte
	kinds   []record.Kind
	rooms   [][]byte
	row     []byte
}

func (r *run) printer() *printer {
	p := &printer{run: r, sums: make([]amount.Sum, len(r.totals))}
	for side := range p.texts {
		p.texts[side] = make([][]byte, len(r.names[side]))
	}
	encoders := [2]record.Encoder{r.writing.Encode, r.writing.Corrected}
	for i, columns := range [2][]Column{r.columns, r.corrected} {
		p.lists[i] = printed{
			columns: columns, encode: encoders[i],
			texts: make([][]byte, len(columns)), kinds: make([]record.Kind, len(columns)),
			rooms: make([][]byte, len(columns)),
		}
	}
	return p
}

// print writes records that belong together.
func (w *worker) print(status Status, here, there []matching.Item) error {
	if w.rows == [2]*matching.RowWriter{} {
		return nil
	}
	p, number := w.printer, w.run.numberOf(here, there)
	if w.rows[0] != nil && (w.run.writing.Only == nil || slices.Contains(w.run.writing.Only, status)) {
		to := &p.lists[0]
		to.row = to.row[:0]
		for i := range max(len(here), len(there)) {
			w.printBoth(to, status, number, here, there, i)
		}
		if err := w.rows[0].Add(number, to.row); err != nil {
			return err
		}
	}
	if w.rows[1] == nil {
		return nil
	}
	to := &p.lists[1]
	to.row = to.row[:0]
	items := [2][]matching.Item{here, there}
	side := 0
	if w.run.writing.PreferThere && len(there) > 0 || len(here) == 0 {
		side = 1
	}
	for _, item := range items[side] {
		item.Texts(p.texts[side])
		var places [2]record.Place
		places[side] = item.Place()
		if other := items[1-side]; len(items[side]) == 1 && len(other) == 1 {
			other[0].Texts(p.texts[1-side])
			places[1-side] = other[0].Place()
		} else {
			clear(p.texts[1-side])
		}
		w.printCorrected(to, side, places)
	}
	return w.rows[1].Add(number, to.row)
}

// printBoth appends the i-th record of each side.
func (w *worker) printBoth(to *printed, status Status, number uint64, here, there []matching.Item, i int) {
	p := w.printer
	var items [2]matching.Item
	for side, list := range [2][]matching.Item{here, there} {
		if i < len(list) {
			items[side] = list[i]
			list[i].Texts(p.texts[side])
		}
	}
	for k := range to.columns {
		c := &to.columns[k]
		to.texts[k], to.kinds[k] = nil, record.Text
		switch c.from {
		case ofHere:
			if items[0] != nil {
				w.setText(to, k, 0, items[0].Place(), c.index)
			}
		case ofThere:
			if items[1] != nil {
				w.setText(to, k, 1, items[1].Place(), c.index)
			}
		case ofStatus:
			to.set(k, statusWords[status])
		case ofPass:
			if status <= Differs {
				to.setNumber(k, w.run.passNumber(w.number))
			}
		case ofMatch:
			to.setNumber(k, int(number))
		case ofDifference:
			w.setDifference(to, k, i)
		case ofSource, ofLine:
			if items[0] != nil {
				w.setPlace(to, k, 0, items[0].Place())
			}
		case ofSourceThere, ofLineThere:
			if items[1] != nil {
				w.setPlace(to, k, 1, items[1].Place())
			}
		}
	}
	to.row = to.encode(to.row, to.texts, to.kinds)
}

// setDifference sets a column to the difference, on the first of several rows.
func (w *worker) setDifference(to *printed, k, i int) {
	if i > 0 {
		return
	}
	for d := range w.diffs {
		if w.diffs[d].field == to.columns[k].index && w.diffs[d].isAmount {
			to.rooms[k] = w.diffs[d].difference.Append(to.rooms[k][:0])
			to.texts[k], to.kinds[k] = to.rooms[k], record.Amount
		}
	}
}

// passNumber is the number of a pass as it is told: what is settled at the end goes
// by the first key.
func (r *run) passNumber(n int) int {
	if n == len(r.passes)-1 {
		return 1
	}
	return n + 1
}

func (to *printed) set(k int, text string) {
	to.rooms[k] = append(to.rooms[k][:0], text...)
	to.texts[k] = to.rooms[k]
}

func (to *printed) setNumber(k, n int) {
	to.rooms[k] = strconv.AppendInt(to.rooms[k][:0], int64(n), 10)
	to.texts[k], to.kinds[k] = to.rooms[k], record.Amount
}

// setPlace sets a column to the source or the line of a record.
func (w *worker) setPlace(to *printed, k, side int, place record.Place) {
	switch to.columns[k].from {
	case ofSource, ofSourceThere:
		to.set(k, w.run.sides[side].Set.Sources[place.Source()].Name)
	default:
		to.setNumber(k, place.Line())
	}
}

// setText sets a column to a text, which in a column of a kind is brought into its
// plain form.
func (w *worker) setText(to *printed, k, side int, place record.Place, column int) {
	text := w.printer.texts[side][column]
	to.texts[k] = text
	c := &to.columns[k]
	if c.Kind == record.Text || len(text) == 0 {
		return
	}
	if c.Kind == record.Amount && slices.Contains(w.run.values[side], column) {
		to.kinds[k] = c.Kind // it is in its plain form
		return
	}
	decimal := decimalOf(w.run.sides[side].DecimalsOf(place.Source()), column)
	var ok bool
	if to.rooms[k], ok = kind.AppendPlain(to.rooms[k][:0], text, c.Kind, decimal); ok {
		to.texts[k], to.kinds[k] = to.rooms[k], c.Kind
	}
}

// printCorrected appends a record of a side in the columns of both. What its side lacks
// is that of the record of the other one, where it is the only one.
func (w *worker) printCorrected(to *printed, side int, places [2]record.Place) {
	r, p := w.run, w.printer
	for k := range to.columns {
		c := &to.columns[k]
		to.texts[k], to.kinds[k] = nil, record.Text
		of := 0
		switch c.from {
		case ofSource, ofLine:
			w.setPlace(to, k, side, places[side])
			continue
		case ofThere:
			of = 1
		}
		at := c.index
		if of != side {
			own := -1
			if of == 0 {
				own = r.thereOf(at)
			}
			if own >= 0 {
				of, at = side, own
			}
		}
		w.setText(to, k, of, places[of], at)
	}
	p.records++
	for i, total := range r.totals {
		p.sums[i].Add(amountOf(p.texts[side][r.values[side][total]]))
	}
	to.row = to.encode(to.row, to.texts, to.kinds)
}

// Write writes the records with their statuses, those here in the order in which they
// came, and behind them those that only the reference has. Records that belong
// together, or may, stand on rows with one number of a match.
func (r *Result) Write(ctx context.Context, w io.Writer) error {
	return r.run.rows[0].Write(ctx, r.run.reading.Jobs, w)
}

// Corrected is a set of records with the values of one side.
type Corrected struct {
	Records int
	Totals  []amount.Amount
}

// WriteCorrected writes the records with the values of the side that is preferred, and
// those that only the other one has. Of records that belong together, or may, those of
// the preferred side are written.
func (r *Result) WriteCorrected(ctx context.Context, w io.Writer) error {
	return r.run.rows[1].Write(ctx, r.run.reading.Jobs, w)
}

// correct adds up the corrected set. The error is a *proof.FailedError where that is
// not what the statement says: the preferred side, and what only the other one has.
func (r *run) correct(s *Statement) (*Corrected, error) {
	if r.rows[1] == nil {
		return nil, nil
	}
	c := new(Corrected)
	sums := make([]amount.Sum, len(r.totals))
	for _, w := range r.workers {
		c.Records += w.printer.records
		for i := range sums {
			sums[i].Merge(&w.printer.sums[i])
		}
	}
	c.Totals = amounts(sums)
	total, only, sign := &s.Lines[0], plusThereLabel, int64(1)
	if r.writing.PreferThere {
		total, only, sign = &s.Lines[len(s.Lines)-1], lessHereLabel, -1
	}
	count := total.Count
	totals := slices.Clone(total.Amounts)
	for i := range s.Lines {
		line := &s.Lines[i]
		if line.Label != only {
			continue
		}
		count += int(sign) * line.Count
		for k := range totals {
			totals[k] = totals[k].Add(line.Amounts[k].Mul(amount.New(sign, 0)))
		}
	}
	p := proof.Proof{Count: proof.Count{Read: count, Used: c.Records}}
	for k := range totals {
		p.Totals = append(p.Totals, proof.Total{Column: r.options.Totals[k], Read: totals[k], Used: c.Totals[k]})
	}
	return c, p.Check()
}
