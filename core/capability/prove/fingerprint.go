package prove

import (
	"context"
	"encoding/binary"

	"lastblock/core/large/prints"
	"lastblock/core/large/spill"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
	"lastblock/core/value/statistic"

	"github.com/zeebo/xxh3"
)

// visitor takes the fingerprint of each record. That of a value depends on its
// column and on what it means; those of a record's values are added up, so that
// the order of columns does not matter and a blank counts for nothing, and the
// sum is hashed once more, so that a value cannot move from one record to
// another unseen.
type visitor struct {
	comparison *comparison
	side       int
	tally      *tally.Visitor
	columns    []column
	bound      *tally.Binding

	sum      prints.Sum
	used     int // records that could be read
	compared int // the same, and those that could not
	records  []prints.Sum
	text     []byte
	places   *spill.Sorter // fingerprints and places; nil where they are not kept
	item     []byte
}

// column takes the fingerprints of the values of one column.
type column struct {
	seed    uint64
	known   memory
	moments statistic.Moments
	dashes  bool // are zero
	key     []byte
}

func (c *comparison) visitor(s *side, t *tally.Visitor, keep bool) *visitor {
	v := &visitor{comparison: c, side: s.number, tally: t, columns: make([]column, len(c.columns)),
		bound: tally.NewBinding(s.set, tally.DataColumns(c.columns))}
	for i, name := range c.columns {
		v.columns[i] = column{seed: xxh3.HashString(name), dashes: c.dashes != nil && c.dashes[i]}
	}
	if keep {
		v.places = spill.New(c.reading.Memory / int64(8*max(1, c.reading.Jobs)))
	}
	return v
}

func (v *visitor) Batch(b *source.Batch) error {
	if err := v.tally.Batch(b); err != nil {
		return err
	}
	v.bound.To(b)
	n := v.tally.Usable(b)
	v.used += n
	if cap(v.records) < n {
		v.records = make([]prints.Sum, n)
	}
	v.records = v.records[:n]
	clear(v.records)
	for i, bound := range v.bound.Bound {
		if at := bound.Column; at >= 0 {
			v.columns[i].addTo(v.records, b, v.tally, at, v.comparison.options.Exact, &v.text)
		}
	}
	for i := range v.records {
		if err := v.take(v.records[i], 0, b.Index, b.Line(v.tally.Row(i))); err != nil {
			return err
		}
	}
	for i := range b.Refused {
		refused := xxh3.Hash128(b.Refused[i].Raw)
		if err := v.take(prints.Sum{High: refused.Hi, Low: refused.Lo}, 1, b.Index, b.Refused[i].Line); err != nil {
			return err
		}
	}
	return nil
}

func (v *visitor) Flush(ctx context.Context, task int) error { return v.tally.Flush(ctx, task) }

// take adds the fingerprint of a record. seed tells records that were read from
// texts that could not.
func (v *visitor) take(values prints.Sum, seed uint64, index, line int) error {
	var room [16]byte
	binary.LittleEndian.PutUint64(room[:], values.Low)
	binary.LittleEndian.PutUint64(room[8:], values.High)
	print := xxh3.Hash128Seed(room[:], seed)
	v.sum.Add(prints.Sum{High: print.Hi, Low: print.Lo})
	v.compared++
	if v.places == nil {
		return nil
	}
	v.item = binary.BigEndian.AppendUint64(v.item[:0], print.Hi)
	v.item = binary.BigEndian.AppendUint64(v.item, print.Lo)
	v.item = append(v.item, byte(v.side))
	v.item = binary.BigEndian.AppendUint64(v.item, uint64(record.PlaceOf(index, line)))
	return v.places.Add(v.item)
}

// addTo adds the fingerprints of a column's values to those of their records.
// Where few of the first values are remembered, the rest of the batch is not
// looked for: a column of numbers that all differ takes less so.
func (c *column) addTo(records []prints.Sum, b *source.Batch, t *tally.Visitor, at int, exact bool, scratch *[]byte) {
	const sample, few = 128, 32
	decimal := b.DecimalOf(at)
	found := 0
	for i := range records {
		text := b.Text(t.Row(i), at, scratch)
		if len(text) == 0 {
			continue
		}
		if i >= sample && found < few {
			records[i].Add(c.pass(text, decimal, exact))
			continue
		}
		slot, ok := c.known.find(text, decimal)
		if ok {
			found++
		} else {
			c.forget(slot)
			c.known.put(slot, text, decimal)
			slot.print = c.print(text, decimal, exact)
		}
		slot.count++
		records[i].Add(slot.print)
	}
}

// pass takes the fingerprint of a value that is not remembered, and adds it to
// the moments.
func (c *column) pass(text []byte, decimal byte, exact bool) prints.Sum {
	coef, scale, ok := amount.ParsePlain(text, decimal)
	if ok {
		c.moments.AddPlain(text, coef, scale, 1)
	} else {
		c.moments.Add(text, decimal, 1)
	}
	return c.print(text, decimal, exact)
}

// forget adds what a slot has counted to the moments.
func (c *column) forget(s *slot) {
	if s.count > 0 {
		c.moments.Add(s.text, s.decimal, s.count)
		s.count = 0
	}
}

// settle adds all that was counted to the moments.
func (c *column) settle() {
	for i := range c.known.slots {
		c.forget(&c.known.slots[i])
	}
}

// print takes the fingerprint of a value.
func (c *column) print(text []byte, decimal byte, exact bool) prints.Sum {
	if exact {
		c.key = append(c.key[:0], text...)
		return c.hash()
	}
	if c.dashes && amount.IsDash(text) {
		text = []byte("0")
	}
	if c.key = equality.Append(c.key[:0], text, decimal); len(c.key) == 0 {
		return prints.Sum{}
	}
	return c.hash()
}

func (c *column) hash() prints.Sum {
	hash := xxh3.Hash128Seed(c.key, c.seed)
	return prints.Sum{High: hash.Hi, Low: hash.Lo}
}
