package doubles

import (
	"context"
	"errors"
	"slices"

	"lastblock/core/finding/drop"
	"lastblock/core/large/intern"
	"lastblock/core/large/partition"
	"lastblock/core/large/prints"
	"lastblock/core/large/spill"
	"lastblock/core/large/texts"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"

	"github.com/zeebo/xxh3"
)

// matcher brings records together that agree in some columns.
type matcher struct {
	columns []int // of search.columns
	loose   equality.Loose
	rest    bool // the other columns are wanted as well, once the records are together

	wanted []*drop.Lines // by source: where records are that may have others like them
	kept   []*spill.Sorter
}

// dealt is an item of a record: its hash and its place.
type dealt = [2]uint64

// visitor is given every record, and deals its fingerprints.
type visitor struct {
	search  *search
	tally   *tally.Visitor
	scratch []byte

	sources []seen // what it has seen of each source, one behind another
	used    int
	sums    []amount.Sum

	bound   *tally.Binding
	prints  [][]uint64 // of the records of a batch, by matcher
	recent  []*recent  // by column
	takers  []taker
	plain   []byte
	relaxed []byte
	fields  fields // for what is almost the same
	near    nearWorker

	dealers []*partition.Dealer[dealt] // by matcher
	nears   []*partition.Dealer[dealt]
}

// seen is what a visitor has seen of a source.
type seen struct {
	index       int
	records     int
	sum         prints.Sum
	first, last int
	crowded     bool
}

func (s *search) visitor() *visitor {
	v := &visitor{search: s, bound: tally.NewBinding(s.set, tally.DataColumns(s.columns)), tally: s.tally.Visitor(),
		sums: make([]amount.Sum, len(s.options.Totals))}
	matchers := s.matchers()
	share := s.reading.Memory / int64(4*max(1, s.reading.Jobs)*(len(matchers)+len(s.nears)))
	for range matchers {
		v.dealers = append(v.dealers, partition.NewDealer[dealt](share))
		v.prints = append(v.prints, nil)
	}
	for range s.nears {
		v.nears = append(v.nears, partition.NewDealer[dealt](share))
	}
	s.visitors = append(s.visitors, v)
	return v
}

func (v *visitor) close() error {
	return errors.Join(partition.Close(v.dealers), partition.Close(v.nears))
}

func (v *visitor) Batch(b *source.Batch) error {
	if err := v.tally.Batch(b); err != nil {
		return err
	}
	n := v.tally.Usable(b)
	v.used += n
	for i, value := range v.tally.Values {
		v.sums[i%len(v.sums)].Add(value)
	}
	if n == 0 {
		return nil
	}
	of := v.enter(b.Index)
	of.note(b, v.tally, n)
	v.bound.To(b)
	v.takePrints(b, n)
	for k := range v.dealers {
		for i, print := range v.prints[k] {
			if k > 0 && print == 0 {
				continue // nothing but blanks is no key
			}
			print = v.search.mix(print)
			if k == 0 {
				of.sum.Add(prints.Sum{High: 0, Low: print})
			}
			if err := v.dealers[k].Add(dealt{print,
				uint64(record.PlaceOf(b.Index, b.Line(v.tally.Row(i))))}); err != nil {
				return err
			}
		}
	}
	return v.dealNear(b, n)
}

// note takes in where the records of a batch are.
func (of *seen) note(b *source.Batch, t *tally.Visitor, n int) {
	of.records += n
	before := -1
	for i := range n {
		line := b.Line(t.Row(i))
		if of.first == 0 || line < of.first {
			of.first = line
		}
		of.last = max(of.last, line)
		of.crowded = of.crowded || line == before
		before = line
	}
}

// takePrints takes the fingerprints of the records of a batch: that of a record is
// the sum of those of its values, each times a number that belongs to its column;
// for whole records only the columns that tell records apart count.
// A blank counts for nothing. Records that agree have the same one; whether those
// that have the same one agree is seen when they are read once more.
func (v *visitor) takePrints(b *source.Batch, n int) {
	matchers := v.search.matchers()
	for k := range v.prints {
		if cap(v.prints[k]) < n {
			v.prints[k] = make([]uint64, n)
		}
		v.prints[k] = v.prints[k][:n]
	}
	v.bindTakers()
	for i := range n {
		if i == recentSample {
			v.chooseDirect()
		}
		row := v.tally.Row(i)
		bounds := b.RecordBounds(row)
		whole := uint64(0)
		for t := range v.takers {
			taker := &v.takers[t]
			text := b.Data[bounds[taker.at]+1 : bounds[taker.at+1]]
			if b.Quoted && len(text) > 0 && text[0] == '"' {
				text = record.Unquoted(text, &v.scratch)
			}
			print := uint64(0)
			if taker.direct || len(text) > intern.MostHeld {
				print = printOf(equality.Of(text, taker.decimal, &v.plain))
			} else {
				print = taker.recent.print(text, taker.decimal, &v.plain)
			}
			taker.print = print * taker.times
			whole += taker.print & taker.telling
		}
		v.prints[0][i] = whole
		for k, m := range matchers[1:] {
			v.prints[k+1][i] = v.keyPrint(b, row, m)
		}
	}
}

// taker takes the fingerprints of the values of one column.
type taker struct {
	column  int
	at      int
	decimal byte
	times   uint64
	print   uint64 // of the last record
	recent  *recent
	direct  bool   // recent is of no use
	telling uint64 // all bits set where the column counts for whole records, else none
}

// chooseDirect finds out after the first records of a batch for which columns it
// is of use to remember values.
func (v *visitor) chooseDirect() {
	for t := range v.takers {
		v.takers[t].direct = v.takers[t].recent.missed > recentSample-recentFew
	}
}

func (v *visitor) bindTakers() {
	v.takers = v.takers[:0]
	for column, bound := range v.bound.Bound {
		at := bound.Column
		telling := slices.Contains(v.search.telling, column)
		isKey := slices.ContainsFunc(v.search.matchers()[1:],
			func(m *matcher) bool { return slices.Contains(m.columns, column) })
		if at < 0 || !telling && !isKey {
			continue
		}
		r := v.recentOf(column)
		r.missed = 0
		t := taker{column: column, at: at, decimal: v.bound.Decimals[column], times: timesOf(column), recent: r}
		if telling {
			t.telling = ^uint64(0)
		}
		v.takers = append(v.takers, t)
	}
}

// keyPrint is the fingerprint of the columns of a matcher.
func (v *visitor) keyPrint(b *source.Batch, row int, m *matcher) (print uint64) {
	for t := range v.takers {
		taker := &v.takers[t]
		switch {
		case !slices.Contains(m.columns, taker.column):
		case m.loose == (equality.Loose{}):
			print += taker.print
		default:
			v.relaxed = m.loose.Append(v.relaxed[:0],
				equality.Of(b.Text(row, taker.at, &v.scratch), taker.decimal, &v.plain))
			print += printOf(v.relaxed) * taker.times
		}
	}
	return print
}

func (v *visitor) recentOf(column int) *recent {
	for len(v.recent) <= column {
		v.recent = append(v.recent, new(recent))
	}
	return v.recent[column]
}

// timesOf is the number of a column by which its values count.
func timesOf(column int) uint64 {
	return intern.Mix(uint64(column)+1, 0x2545f4914f6cdd1d) | 1
}

// printOf is the fingerprint of a value: zero of one that is blank.
func printOf(plain []byte) uint64 {
	if len(plain) == 0 {
		return 0
	}
	if len(plain) > intern.MostHeld {
		return xxh3.Hash(plain)
	}
	low, high := intern.Hold(plain)
	return intern.Mix(low, high^uint64(len(plain))<<56)
}

// mix makes the hash by which records are put together of the sum of the
// fingerprints of their values.
func (s *search) mix(print uint64) uint64 {
	if s.options.hash != nil {
		return s.options.hash(print)
	}
	return intern.Mix(print, 0x9e3779b97f4a7c15)
}

// dealNear puts records where others almost like them go.
func (v *visitor) dealNear(b *source.Batch, n int) error {
	if len(v.nears) == 0 {
		return nil
	}
	for i := range n {
		row := v.tally.Row(i)
		v.fields.read(v.bound, b, row, &v.scratch)
		for k, m := range v.search.nears {
			err := v.near.eachBlock(m, &v.fields, func(block []byte) error {
				return v.nears[k].Add(dealt{v.search.mix(xxh3.Hash(block)),
					uint64(record.PlaceOf(b.Index, b.Line(row)))})
			})
			if err != nil {
				return err
			}
		}
	}
	return nil
}

func (v *visitor) Flush(ctx context.Context, task int) error { return v.tally.Flush(ctx, task) }

// fields are the plain forms of a record's values, one behind another with their
// lengths before them.
type fields struct {
	data []byte
	ends []int // where each begins, and the last one ends
}

// enter returns what was seen of a source.
func (v *visitor) enter(index int) *seen {
	if n := len(v.sources); n == 0 || v.sources[n-1].index != index {
		v.sources = append(v.sources, seen{index: index})
	}
	return &v.sources[len(v.sources)-1]
}

// read takes the plain forms of a record's values.
func (f *fields) read(bound *tally.Binding, b *source.Batch, row int, scratch *[]byte) {
	f.data, f.ends = f.data[:0], append(f.ends[:0], 0)
	for column, in := range bound.Bound {
		at := in.Column
		from := len(f.data)
		f.data = append(f.data, 0)
		if at >= 0 {
			f.data = equality.Append(f.data, b.Text(row, at, scratch), bound.Decimals[column])
		}
		f.data = texts.Close(f.data, from)
		f.ends = append(f.ends, len(f.data))
	}
}

// field is the value of a column with its length before it.
func (f *fields) field(column int) []byte { return f.data[f.ends[column]:f.ends[column+1]] }

// value is the value of a column.
func (f *fields) value(column int) []byte {
	value, _ := texts.Take(f.field(column))
	return value
}

// appendKey appends the values of a matcher's columns, and tells whether all of
// them are blank.
func (f *fields) appendKey(dst []byte, m *matcher) (key []byte, blank bool) {
	blank = true
	for _, column := range m.columns {
		field := f.field(column)
		blank = blank && len(field) == 1
		if m.loose == (equality.Loose{}) {
			dst = append(dst, field...)
			continue
		}
		from := len(dst)
		dst = m.loose.Append(append(dst, 0), f.value(column))
		dst = texts.Close(dst, from)
	}
	return dst, blank
}

// begin makes the tally of all sources.
func (s *search) begin() {
	s.tally = tally.New(s.set, tally.Options{Amounts: s.options.Totals, Every: true, Suspense: s.options.Suspense,
		Drop: s.options.Drop, Whole: s.options.Whole})
	if s.options.Whole {
		s.report.list.KeepAll()
	}
}

// addUp adds up what the visitors have counted of each source.
func (s *search) addUp(context.Context) error {
	if err := s.tally.Finish(); err != nil {
		return err
	}
	for _, v := range s.visitors {
		for _, seen := range v.sources {
			of := &s.sources[seen.index]
			of.records += seen.records
			of.sum.Add(seen.sum)
			if of.first == 0 || seen.first > 0 && seen.first < of.first {
				of.first = seen.first
			}
			of.last = max(of.last, seen.last)
			of.crowded = of.crowded || seen.crowded
		}
	}
	return nil
}
