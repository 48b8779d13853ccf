package reconcile

import (
	"slices"

	"lastblock/core/finding/proof"
	"lastblock/core/record"
	"lastblock/core/tally/matching"
	"lastblock/core/value/amount"
)

// proofOf puts the proofs of reading both sides together.
func (r *run) proofOf() proof.Proof {
	p := r.sides[0].Proof()
	p.Totals = slices.Clone(p.Totals)
	if r.sides[1] != r.sides[0] {
		q := r.sides[1].Proof()
		p.Read += q.Read
		p.Suspense += q.Suspense
		p.Dropped += q.Dropped
		for i := range p.Totals {
			t, o := &p.Totals[i], &q.Totals[i]
			t.Read, t.Suspense, t.Dropped = t.Read.Add(o.Read), t.Suspense.Add(o.Suspense), t.Dropped.Add(o.Dropped)
		}
		p.Left = append(slices.Clone(p.Left), q.Left...)
	}
	for _, t := range r.takers {
		p.Suspense += t.without.suspense
		p.Dropped += t.without.dropped
		for i := range p.Totals {
			p.Totals[i].Suspense = p.Totals[i].Suspense.Add(t.without.suspended[i].Amount())
			p.Totals[i].Dropped = p.Totals[i].Dropped.Add(t.without.left[i].Amount())
		}
	}
	return p
}

// finishSides finds out what is known once both sides have been read.
func (r *run) finishSides() {
	if r.mirror != nil {
		r.finishReading()
	}
	r.findAmounts()
	r.alike = slices.Equal(r.names[0], r.names[1]) && r.sides[0].OneDecimal() == r.sides[1].OneDecimal() &&
		r.sides[0].OneDecimal() != 0
}

// findAmounts finds out which fields hold amounts: it was said, or the values that
// sources begin with do, and some have decimals, so that they are no codes.
func (r *run) findAmounts() {
	for i := range r.fields {
		f := &r.fields[i]
		isAmount := f.amount >= 0
		if !isAmount {
			scale := 0
			isAmount = true
			for side, s := range r.sides {
				e := &s.Evidence[f.at[side]]
				kind, others := e.Kind(f.name)
				isAmount = isAmount && (e.Filled == 0 || kind == record.Amount && others == 0)
				scale = max(scale, e.Scale)
			}
			isAmount = isAmount && scale > 0
		}
		r.isAmount = append(r.isAmount, isAmount)
	}
}

// bytes is roughly how large both sides are. What comes from elsewhere than a file
// is taken to be large.
func (r *run) bytes() int64 {
	const unknown = 64 << 20
	size := int64(0)
	for side, s := range r.sides {
		if side == 1 && s == r.sides[0] {
			break
		}
		for i := range s.Set.Sources {
			if n := s.Set.Sources[i].Size; n < 0 {
				size += unknown
			} else {
				size += n
			}
		}
	}
	return size
}

// taker deals the records that one goroutine reads.
type taker struct {
	run     *run
	side    int
	dealers [2]*matching.Dealer
	key     *matching.Key
	room    []byte
	counts  [2]int
	sums    [2][]amount.Sum // by run.values
	without without
	mirror  *mirrorTaker
}

// without are records that take no part.
type without struct {
	suspense, dropped int
	suspended, left   []amount.Sum
}

func (r *run) taker(side int) *taker {
	n := len(r.sides[side].Amounts)
	t := &taker{run: r, side: side, key: r.passes[0].keys[side].Clone()}
	for i := range t.sums {
		t.sums[i] = make([]amount.Sum, len(r.values[side]))
	}
	t.without.suspended, t.without.left = make([]amount.Sum, n), make([]amount.Sum, n)
	t.dealers[side] = r.heaps.Dealer(side)
	if r.mirror != nil {
		t.dealers[1] = r.heaps.Dealer(1)
		t.mirror = r.mirror.taker()
	}
	return t
}

func (t *taker) Take(record *matching.Record) error {
	side := t.side
	key, blank := t.room[:0], false
	if t.mirror != nil {
		var ok bool
		if side, key, ok = t.mirror.turn(t, record, key); !ok {
			return nil
		}
	}
	before := len(key)
	key, blank = t.key.Append(key, record.Texts, record.Decimals)
	blank = blank && before == 0
	t.room = key
	t.counts[side]++
	for i, value := range record.Values {
		t.sums[side][i].Add(value)
	}
	for i := len(record.Values); i < len(t.sums[side]); i++ {
		t.sums[side][i].Add(amountOf(record.Texts[t.run.values[side][i]]))
	}
	return t.dealers[side].Put(record, key, blank, side)
}
