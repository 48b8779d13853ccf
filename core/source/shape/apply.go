package shape

import (
	"bytes"
	"errors"
	"slices"

	"lastblock/core/format/delimited"
	"lastblock/core/record"
	"lastblock/core/value/amount"
	"lastblock/core/value/date"
	"lastblock/core/value/expression"
)

// Writing is how a source writes amounts and dates.
type Writing struct {
	Decimal byte
	Order   date.Order // of the parts of dates that have no year in front
}

// Worker gives batches their shape. Its buffers are those of one goroutine.
type Worker struct {
	data    []byte
	bounds  []uint32
	values  [][]byte // of one record, by column of the source
	scratch [][]byte
	plain   [][]byte // values in their plain form
	made    [][]byte
	results []expression.Value // of what was made of one record
	record  expression.Record
	keep    []bool
}

// Apply gives a batch of one source its shape. constants are the values of the
// shape's Constants, as far as every record has one; the others are columns that the
// source lacks.
func (w *Worker) Apply(s *Shape, b *record.Batch, writing Writing, constants map[string][]byte) {
	if s.IsNothing() {
		return
	}
	width := b.Width
	w.data, w.bounds = w.data[:0], w.bounds[:0]
	w.keep = w.keep[:0]
	w.values = grow(w.values, width)
	w.scratch = grow(w.scratch, width)
	w.plain = grow(w.plain, width)
	w.made = grow(w.made, len(s.makes))
	w.results = slices.Grow(w.results[:0], len(s.makes))[:len(s.makes)]
	b.Missed, b.Blanked = nil, nil
	w.record.Decimal = writing.Decimal
	kept := 0
	rewrite := s.columns != nil
	b.Stored = nil
	b.KeepLines()
	b.Unchain()
	for row := range b.Rows {
		holds, refusal := w.row(s, b, row, writing, constants)
		if refusal != nil {
			refusal.Line, refusal.Raw = b.Line(row), bytes.Clone(b.Raw(row))
			if b.Ranks != nil {
				refusal.Rank = b.Ranks[row] + 1
			}
			b.Refused = append(b.Refused, *refusal)
			continue
		}
		w.keep = append(w.keep, holds)
		b.Lines[kept] = b.Lines[row]
		b.KeepRank(kept, row)
		if rewrite {
			w.write(s, b, row)
		} else {
			copy(b.Bounds[kept*(width+1):(kept+1)*(width+1)], b.Bounds[row*(width+1):(row+1)*(width+1)])
		}
		kept++
	}
	b.Rows, b.Lines = kept, b.Lines[:kept]
	b.CutRanks()
	if rewrite {
		rewritten := w.bounds
		w.rewriteDropped(s, b, writing, constants)
		b.Width = len(s.columns)
		b.Data = w.data // which the worker writes over with the next batch
		b.Bounds = append(b.Bounds[:0], rewritten...)
		b.Quoted, b.Plain, b.Regular, b.Needed = true, false, false, false
	} else {
		b.Bounds = b.Bounds[:kept*(width+1)]
	}
	if slices.Contains(w.keep, false) {
		b.Split(w.keep)
	}
}

// rewriteDropped gives the records that were left out before the columns of the result, so that their amounts can be
// counted. What cannot be computed of one of them stays blank.
func (w *Worker) rewriteDropped(s *Shape, b *record.Batch, writing Writing, constants map[string][]byte) {
	dropped := b.Dropped
	if dropped == nil {
		return
	}
	bounds := w.bounds
	w.bounds = nil
	for row := range dropped.Rows {
		for i := range w.made[:len(s.makes)] {
			w.made[i] = w.made[i][:0]
		}
		w.row(s, dropped, row, writing, constants) //nolint:errcheck // what cannot be computed is blank
		w.write(s, dropped, row)
	}
	dropped.Bounds, dropped.Data, dropped.Width = w.bounds, w.data, len(s.columns)
	dropped.Quoted, dropped.Plain, dropped.Regular, dropped.Needed = true, false, false, false
	dropped.Missed, dropped.Blanked = nil, nil
	w.bounds = bounds
}

func grow(texts [][]byte, n int) [][]byte {
	for len(texts) < n {
		texts = append(texts, nil)
	}
	return texts
}

// row reads a record, computes what is made of it, and tells whether the
// condition holds.
func (w *Worker) row(s *Shape, b *record.Batch, row int, writing Writing,
	constants map[string][]byte) (holds bool, refusal *record.Refusal) {
	for _, at := range s.needed {
		w.values[at] = b.Text(row, at, &w.scratch[at])
		if s.kinds == nil || s.kinds[at].Kind == "" || s.kinds[at].Kind == record.Text {
			continue
		}
		plain, wanted := plainly(w.plain[at][:0], s.kinds[at], w.values[at], writing)
		if wanted != "" {
			return false, &record.Refusal{Reason: record.BadValue, Column: s.sent.Columns[at],
				Found: bytes.Clone(w.values[at]), Wanted: wanted}
		}
		w.plain[at], w.values[at] = plain, plain
	}
	for i := range s.makes {
		w.bind(s, &s.makes[i], writing, constants)
		var err error
		if w.results[i], err = s.makes[i].expression.Eval(&w.record, s.makes[i].form); err != nil {
			return false, refuse(err)
		}
		w.made[i] = w.results[i].Append(w.made[i][:0])
		w.tell(b, row, &s.makes[i], s.names[i])
	}
	if s.where == nil {
		return true, nil
	}
	w.bind(s, s.where, writing, constants)
	holds, err := s.where.expression.Holds(&w.record)
	if err != nil {
		return false, refuse(err)
	}
	w.tell(b, row, s.where, "")
	return holds, nil
}

// tell notes what was noticed while an expression was evaluated. name is that of the
// column it makes, "" for a condition.
func (w *Worker) tell(b *record.Batch, row int, of *bound, name string) {
	for _, i := range w.record.Missed {
		b.Missed = record.AppendTold(b.Missed,
			record.Told{Column: of.expression.Columns[i], Records: 1, Line: b.Line(row)})
	}
	if w.record.Blanked {
		b.Blanked = record.AppendTold(b.Blanked, record.Told{Column: name, Records: 1, Line: b.Line(row)})
	}
}

func refuse(err error) *record.Refusal {
	r := &record.Refusal{Reason: record.BadValue, Wanted: "a value that can be computed with"}
	var bad *expression.ValueError
	if errors.As(err, &bad) {
		r.Column, r.Found, r.Wanted = bad.Column, []byte(bad.Found), bad.Wanted
	}
	return r
}

// bind puts the values of an expression's columns in place. What was read as a
// kind is in its plain form, whose decimal mark is the point.
func (w *Worker) bind(s *Shape, b *bound, writing Writing, constants map[string][]byte) {
	r := &w.record
	*r = expression.Record{
		Decimal: r.Decimal, Texts: r.Texts[:0], Plain: r.Plain[:0], Orders: r.Orders[:0],
		Made: r.Made[:0], Lacks: r.Lacks[:0], Words: r.Words[:0], Missed: r.Missed[:0],
	}
	for i, from := range b.from {
		text, plain, order, lacks := []byte(nil), true, date.Unclear, false
		var made *expression.Value
		word := ""
		switch {
		case from.make >= 0:
			made = &w.results[from.make]
		case from.from >= 0:
			text = w.values[from.from]
			plain = s.isRead(from.from, record.Amount) || s.given.IsPlain(from.from)
			if len(b.expression.Dates) > 0 {
				order = writing.Order
			}
			if s.isRead(from.from, record.Date) || s.given.Kind(from.from) == record.Date {
				order = date.YearMonthDay
			}
		default:
			var known bool
			text, known = constants[b.constants[i]]
			if lacks = !known; known && b.constants[i] != record.SourceColumn {
				word = b.constants[i]
			}
		}
		r.Texts, r.Plain, r.Orders = append(r.Texts, text), append(r.Plain, plain), append(r.Orders, order)
		r.Made, r.Lacks, r.Words = append(r.Made, made), append(r.Lacks, lacks), append(r.Words, word)
	}
}

// isRead tells whether a column is read as a kind here.
func (s *Shape) isRead(at int, kind record.Kind) bool {
	return s.kinds != nil && s.kinds[at].Kind == kind
}

// write writes a record of the result.
func (w *Worker) write(s *Shape, b *record.Batch, row int) {
	w.bounds = append(w.bounds, uint32(len(w.data))-1)
	for i, c := range s.columns {
		if i > 0 {
			w.data = append(w.data, ',')
		}
		text := w.made
		at := c.make
		if c.from >= 0 {
			text, at = w.values, c.from
		}
		w.data = delimited.AppendField(w.data, text[at], ',')
		w.bounds = append(w.bounds, uint32(len(w.data)))
	}
	w.data = append(w.data, '\n')
}

// plainly appends to dst the plain form of a text that is of a kind, or returns
// what was wanted in its place. Blank stays blank.
func plainly(dst []byte, as As, text []byte, writing Writing) (plain []byte, wanted string) {
	trimmed := bytes.TrimSpace(text)
	if len(trimmed) == 0 {
		return nil, ""
	}
	switch as.Kind {
	case record.Amount:
		value, err := amount.Parse(trimmed, writing.Decimal)
		if err != nil {
			return nil, "an amount"
		}
		return value.Append(dst), ""
	case record.Date:
		if as.Order == date.Unclear {
			if days, ok := date.ParseFull(trimmed, writing.Order); ok {
				return date.Append(dst, days), ""
			}
			if _, ok := date.ParseOrder(trimmed, writing.Order); ok {
				return nil, "a date with a year of four digits; say the order of its parts, as date:dmy"
			}
			return nil, "a date"
		}
		days, ok := date.ParseOrder(trimmed, as.Order)
		if !ok {
			return nil, "a date"
		}
		return date.Append(dst, days), ""
	case record.Flag:
		switch string(bytes.ToLower(trimmed)) {
		case "true", "yes", "y", "1", "x":
			return append(dst, "true"...), ""
		case "false", "no", "n", "0":
			return append(dst, "false"...), ""
		}
		return nil, "true or false"
	}
	return text, ""
}
