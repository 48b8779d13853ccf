package gauge

import (
	"cmp"
	"slices"

	"lastblock/core/record"
	"lastblock/core/value/amount"
	"lastblock/core/value/kind"
	"lastblock/core/value/statistic"
)

// portrait describes one column, of which it is given each text once for every
// decimal mark.
type portrait struct {
	moments  statistic.Moments
	numbers  *numbers // values of amounts and how often each stands there
	texts    int
	frequent top
	others   []string // the first texts, in the order of their bytes, that are no amounts
}

// shownOthers is how many texts that are no amounts are kept.
const shownOthers = 3

// addOther takes in a text that is no amount.
func (p *portrait) addOther(text []byte) {
	if len(p.others) == shownOthers && string(text) >= p.others[shownOthers-1] {
		return
	}
	if at, known := slices.BinarySearch(p.others, string(text)); !known {
		p.others = slices.Insert(p.others, at, string(text))
		p.others = p.others[:min(len(p.others), shownOthers)]
	}
}

func newPortrait(memory int64, frequent int) *portrait {
	return &portrait{numbers: newNumbers(memory / 4), frequent: top{most: frequent}}
}

func (p *portrait) close() error { return p.numbers.close() }

// add takes in a text, which is read by the mark with which it was written.
func (p *portrait) add(text []byte, n counts) error {
	if len(kind.Trimmed(text)) == 0 {
		return nil
	}
	p.texts++
	if both := n[0] + n[1]; p.frequent.wantsText(text, both) {
		p.frequent.add(string(text), both)
	}
	for mark, decimal := range []byte{'.', ','} {
		if n[mark] == 0 {
			continue
		}
		value, ok := p.moments.Add(text, decimal, n[mark])
		if !ok {
			p.addOther(text)
			continue
		}
		if err := p.numbers.add(value, n[mark]); err != nil {
			return err
		}
	}
	return nil
}

// addDecimals takes in amounts with a decimal point, of one form, from the smallest to the largest.
func (p *portrait) addDecimals(amounts []number, form record.Decimals) error {
	p.texts += len(amounts)
	for _, of := range amounts {
		if n := int(of.N); p.frequent.wants(n) {
			p.frequent.add(string(form.Append(nil, of.Coefficient)), n)
		}
	}
	p.moments.AddDecimals(amounts, form)
	return p.numbers.merge(&numbers{held: amounts, settled: len(amounts), scale: form.Scale()})
}

// merge takes in what another portrait has of the same column; no text is in both.
func (p *portrait) merge(o *portrait) error {
	p.moments.Merge(&o.moments)
	p.texts += o.texts
	for _, f := range o.frequent.values {
		p.frequent.add(f.Text, f.Count)
	}
	for _, text := range o.others {
		p.addOther([]byte(text))
	}
	return p.numbers.merge(o.numbers)
}

// column finishes the description.
func (p *portrait) column(of asked, rows int) (Column, error) {
	c := Column{Summary: p.moments.Summary(of.name, rows, of.kind), Distinct: p.texts, Frequent: p.frequent.values}
	if c.Kind != record.Amount || !c.Has {
		return c, nil
	}
	if c.Others > 0 {
		c.NoAmounts = p.others
	}
	return c, p.describeAmounts(&c)
}

// describeAmounts goes through the amounts from the smallest to the largest.
func (p *portrait) describeAmounts(c *Column) error {
	q := &quartiles{total: c.Count - c.Others}
	frequent := top{most: p.frequent.most}
	distinct := 0
	scaled := func(value amount.Amount) amount.Amount { return value.Add(amount.New(0, p.moments.Evidence.Scale)) }
	err := p.numbers.each(func(value amount.Amount, n int) error {
		distinct++
		q.add(value, n)
		if frequent.wants(n) {
			frequent.add(scaled(value).String(), n)
		}
		return nil
	})
	c.Q1, c.Median, c.Q3 = scaled(q.at(1)), scaled(q.at(2)), scaled(q.at(3))
	c.Distinct, c.Frequent = distinct, frequent.values
	return err
}

// top keeps the values that come most often; of equally many the first in the
// order of their texts.
type top struct {
	most   int
	values []Frequent
}

// wants tells whether a value that comes so often may be among them.
func (t *top) wants(n int) bool {
	return t.most > 0 && (len(t.values) < t.most || n >= t.values[t.most-1].Count)
}

// wantsText tells whether a text that comes so often is among them.
func (t *top) wantsText(text []byte, n int) bool {
	if !t.wants(n) || len(t.values) < t.most {
		return t.wants(n)
	}
	last := &t.values[t.most-1]
	return n > last.Count || string(text) < last.Text
}

func (t *top) add(text string, n int) {
	order := func(a, b Frequent) int { return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(a.Text, b.Text)) }
	f := Frequent{text, n}
	if len(t.values) == t.most && (t.most == 0 || order(f, t.values[t.most-1]) > 0) {
		return
	}
	at, _ := slices.BinarySearchFunc(t.values, f, order)
	t.values = slices.Insert(t.values, at, f)
	t.values = t.values[:min(len(t.values), t.most)]
}

// quartiles are found among so many values that come from the smallest to the
// largest. Between two values the quartile is interpolated: a quarter of the way
// through n values is the place (n−1)/4, counted from 0.
type quartiles struct {
	total int
	seen  int
	next  int              // place, at or behind seen, whose value is asked for
	below [3]amount.Amount // the value at the place, rounded down
	above [3]amount.Amount // and the next one
}

func (q *quartiles) add(value amount.Amount, n int) {
	from, to := q.seen, q.seen+n // places that have this value
	if q.seen = to; to <= q.next {
		return
	}
	q.next = q.total
	take := func(place int, at *amount.Amount) {
		if from <= place && place < to {
			*at = value
		}
		if place >= to {
			q.next = min(q.next, place)
		}
	}
	for i := range q.below {
		place := (q.total - 1) * (i + 1) / 4
		take(place, &q.below[i])
		take(min(place+1, q.total-1), &q.above[i])
	}
}

// at is the n-th quartile.
func (q *quartiles) at(n int) amount.Amount {
	if q.total == 0 {
		return amount.Amount{}
	}
	below, above := q.below[n-1], q.above[n-1]
	quarters := (q.total - 1) * n % 4
	if quarters == 0 {
		return below
	}
	const quarter, quarterScale = 25, 2
	between := above.Sub(below).Mul(amount.New(int64(quarters)*quarter, quarterScale))
	return below.Add(between).Reduce()
}
