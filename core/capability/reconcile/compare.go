package reconcile

import (
	"bytes"

	"lastblock/core/tally/matching"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
)

// diff is a column in which the two sides are not wholly the same.
type diff struct {
	field      int
	within     bool // the tolerance, and so it agrees
	isAmount   bool
	difference amount.Amount // there less here
	days       int           // that dates lie apart; 0 where they are none
	values     [2]string     // of several records; of one the text is in it
}

// amountOf reads an amount in its plain form; a blank one is zero.
func amountOf(text []byte) amount.Amount {
	if coef, scale, ok := amount.ParsePlain(text, '.'); ok {
		return amount.New(coef, int(scale))
	}
	value, err := amount.Parse(text, '.')
	if err != nil {
		return amount.Amount{}
	}
	return value
}

// sentAmount reads an amount as it was sent.
func sentAmount(text []byte, decimal byte) amount.Amount {
	value, _ := amount.Parse(text, decimal) // its plain form is an amount
	return value
}

func (w *worker) anyDiffers() bool {
	for i := range w.diffs {
		if !w.diffs[i].within {
			return true
		}
	}
	return false
}

// compareRecords compares two records, and puts into w.diffs where they are not the
// same.
func (w *worker) compareRecords(a, b matching.Item) {
	w.diffs = w.diffs[:0]
	if w.equal = w.run.alike && a.IsAlike(b); w.equal {
		return // most records agree to the byte
	}
	a.Texts(w.texts[0])
	b.Texts(w.texts[1])
	decimals := [2][]byte{w.run.sides[0].DecimalsOf(a.Place().Source()), w.run.sides[1].DecimalsOf(b.Place().Source())}
	w.diffs = w.diffs[:0]
	for _, i := range w.compare {
		f := &w.run.fields[i]
		x, y := w.texts[0][f.at[0]], w.texts[1][f.at[1]]
		if bytes.Equal(x, y) && (f.amount >= 0 || decimalOf(decimals[0], f.at[0]) == decimalOf(decimals[1], f.at[1])) {
			continue
		}
		if f.amount >= 0 {
			w.compareAmounts(i, amountOf(x), amountOf(y))
			continue
		}
		plain := equality.Of(x, decimalOf(decimals[0], f.at[0]), &w.rooms[0])
		other := equality.Of(y, decimalOf(decimals[1], f.at[1]), &w.rooms[1])
		plain, other = besideFigure(plain, other), besideFigure(other, plain)
		if !bytes.Equal(plain, other) {
			d := f.diff(i, plain, other)
			if d.isAmount { // with the decimals that it has where it stands
				d.difference = sentAmount(y,
					decimalOf(decimals[1], f.at[1])).Sub(sentAmount(x, decimalOf(decimals[0], f.at[0])))
			}
			w.diffs = append(w.diffs, d)
		}
	}
}

// besideFigure is the plain form of a value that is compared with another one: a dash beside
// an amount is zero.
func besideFigure(plain, other []byte) []byte {
	if amount.IsDash(plain) && isFigure(other) {
		return []byte("0")
	}
	return plain
}

func (w *worker) compareAmounts(i int, x, y amount.Amount) {
	if x.Cmp(y) == 0 {
		return
	}
	w.diffs = append(w.diffs, diff{field: i, isAmount: true, difference: y.Sub(x),
		within: w.run.fields[i].isWithin(x, y)})
}

// diff says how two values differ that do not mean the same.
func (f *field) diff(i int, x, y []byte) diff {
	d := diff{field: i}
	if isFigure(x) && isFigure(y) {
		d.isAmount = true
		d.difference = amountOf(y).Sub(amountOf(x))
		return d
	}
	if day, ok := equality.Day(x); ok {
		if other, ok := equality.Day(y); ok {
			d.days = max(day-other, other-day)
			d.within = d.days <= f.days
		}
	}
	return d
}

// isFigure tells whether a plain form is that of an amount.
func isFigure(plain []byte) bool {
	if len(plain) == 0 || equality.IsCode(plain) {
		return false
	}
	_, _, ok := amount.ParsePlain(plain, '.')
	return ok
}

// isWithin tells whether two amounts are within the tolerance.
func (f *field) isWithin(x, y amount.Amount) bool {
	if !f.tolerance {
		return false
	}
	apart := y.Sub(x).Abs()
	if !f.percent {
		return apart.Cmp(f.within) <= 0
	}
	larger := x.Abs()
	if y.Abs().Cmp(larger) > 0 {
		larger = y.Abs()
	}
	return apart.Mul(amount.New(100, 0)).Cmp(larger.Mul(f.within)) <= 0
}

// isNear tells whether two values of a key are as near as they may be.
func (f *field) isNear(x, y []byte) bool {
	if f.days >= 0 {
		day, ok := equality.Day(x)
		other, okToo := equality.Day(y)
		return ok && okToo && max(day-other, other-day) <= f.days
	}
	a, b := amountOf(x), amountOf(y)
	return a.Cmp(b) == 0 || f.isWithin(a, b)
}

// compareSums compares records that are added up on each side: the amounts by their
// sums, and else what all records of a side have.
func (w *worker) compareSums(here, there []matching.Item) {
	w.diffs, w.equal = w.diffs[:0], false
	for _, i := range w.compare {
		f := &w.run.fields[i]
		if f.amount >= 0 {
			w.compareAmounts(i, w.sumOf(0, here, f.at[0]), w.sumOf(1, there, f.at[1]))
			continue
		}
		x, y := w.valuesTogether(0, here, f), w.valuesTogether(1, there, f)
		if x != y {
			d := f.diff(i, []byte(x), []byte(y))
			d.values = [2]string{x, y}
			w.diffs = append(w.diffs, d)
		}
	}
}

// sumOf adds up a column of records of a side.
func (w *worker) sumOf(side int, items []matching.Item, column int) amount.Amount {
	columns := len(w.run.names[side])
	var sum amount.Sum
	for _, item := range items {
		sum.Add(amountOf(item.Text(column, columns)))
	}
	return sum.Amount()
}

// mostTogether is how many different values of a column are told together.
const mostTogether = 5

// valuesTogether are the different values that the records of a side have.
func (w *worker) valuesTogether(side int, items []matching.Item, f *field) string {
	var together []byte
	var seen []string
	for _, item := range items {
		decimal := decimalOf(w.run.sides[side].DecimalsOf(item.Place().Source()), f.at[side])
		value := string(equality.Of(item.Text(f.at[side], len(w.run.names[side])), decimal, &w.rooms[side]))
		known := false
		for _, s := range seen {
			known = known || s == value
		}
		if known {
			continue
		}
		if len(seen) > 0 {
			together = append(together, " / "...)
		}
		if seen = append(seen, value); len(seen) > mostTogether {
			return string(append(together, "…"...))
		}
		together = append(together, value...)
	}
	return string(together)
}

// countFields takes in which fields differ.
func (w *worker) countFields() {
	for i := range w.diffs {
		d := &w.diffs[i]
		c := &w.fields[d.field]
		if d.within {
			continue
		}
		c.differs++
		if d.isAmount {
			c.sum.Add(d.difference)
		}
	}
}

// Reason says why two amounts differ, as far as they tell.
type Reason byte

// The reasons.
const (
	Other   Reason = iota
	Within         // the tolerance
	Turned         // one has the opposite sign
	Shifted        // the decimal mark stands elsewhere
	Swapped        // two digits have changed places
	Missing        // one is blank or zero
	Several        // no amounts, but records that belong together are more on one side
)

var reasonWords = map[Reason]string{
	Other: "other amounts", Within: "within the tolerance", Turned: "opposite sign", Shifted: "decimal mark moved",
	Swapped: "digits transposed",
	Missing: "zero or blank on one side", Several: "several that belong together",
}

func (r Reason) String() string { return reasonWords[r] }

// reasonOf says why two amounts differ. A difference that nine divides is what two
// digits make that have changed places (casting out nines).
func reasonOf(x, y amount.Amount) Reason {
	switch {
	case x.Sign() == 0 || y.Sign() == 0:
		return Missing
	case x.Cmp(y.Neg()) == 0:
		return Turned
	case isShifted(x, y):
		return Shifted
	case x.Sign() == y.Sign() && y.Sub(x).DivisibleByNine() && sameDigits(x, y):
		return Swapped
	}
	return Other
}

// isShifted tells whether one is ten, a hundred or a thousand times the other.
func isShifted(x, y amount.Amount) bool {
	for _, times := range []int64{10, 100, 1000} {
		by := amount.New(times, 0)
		if x.Mul(by).Cmp(y) == 0 || y.Mul(by).Cmp(x) == 0 {
			return true
		}
	}
	return false
}

// sameDigits tells whether two amounts have the same digits in another order.
func sameDigits(x, y amount.Amount) bool {
	scale := max(x.Scale(), y.Scale())
	var counts [10]int
	for i, value := range []amount.Amount{x, y} {
		for _, c := range value.Add(amount.New(0, scale)).String() {
			if '0' <= c && c <= '9' {
				counts[c-'0'] += 1 - 2*i
			}
		}
	}
	return counts == [10]int{}
}
