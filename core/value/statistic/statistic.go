// Package statistic describes the values of a column: how many there are, what
// they add up to, how they are spread. It is exact where a figure can be, and
// says to how many digits where it cannot.
package statistic

import (
	"bytes"
	"math"
	"math/bits"
	"sort"
	"unicode/utf8"

	"lastblock/core/record"
	"lastblock/core/value/amount"
	"lastblock/core/value/date"
	"lastblock/core/value/kind"
)

// Moments are what is added up of a column's values. The zero value is ready;
// one that several goroutines have gathered is put together with Merge.
type Moments struct {
	kind.Evidence
	sum      amount.Sum
	squares  amount.Sum
	min, max amount.Amount // of those that are amounts
	seen     bool          // there is one
	amounts  int
	shortest []byte
	longest  []byte
	least    int // length of the shortest
	most     int // and of the longest
}

// Add takes in a value that stands n times in the column, and returns the amount
// that it is. Nothing but blanks counts as nothing.
func (m *Moments) Add(text []byte, decimal byte, n int) (value amount.Amount, isAmount bool) {
	trimmed := kind.Trimmed(text)
	if len(trimmed) == 0 {
		return amount.Amount{}, false
	}
	if coef, scale, ok := amount.ParsePlain(trimmed, decimal); ok {
		m.AddPlain(trimmed, coef, scale, n)
		return amount.New(coef, int(scale)), true
	}
	m.widen(trimmed, length(trimmed))
	m.Evidence.Add(trimmed, decimal, n)
	if !kind.MayBeAmount(trimmed) {
		return amount.Amount{}, false
	}
	value, err := amount.Parse(trimmed, decimal)
	if err != nil {
		return amount.Amount{}, false
	}
	m.addAmount(value, n)
	return value, true
}

// AddPlain is Add for a text without blanks around it that amount.ParsePlain has
// read as coef × 10^-scale.
func (m *Moments) AddPlain(text []byte, coef int64, scale int32, n int) {
	m.widen(text, len(text))
	m.Evidence.AddPlain(text, int(scale), n)
	m.addAmount(amount.New(coef, int(scale)), n)
}

// Number is a whole number that comes N times.
type Number struct{ Coefficient, N int64 }

// AddDecimals is Add for numbers × 10^-scale, from the smallest to the largest, each of which stands in the column as
// the text that form makes of it: with as many digits behind a point, or without one where that is none.
//
// Few of the texts are made. Of those with one length and one sign, what is known of one is known of all, and the one
// nearest to zero is the first in the order of bytes.
func (m *Moments) AddDecimals(numbers []Number, form record.Decimals) {
	scale := form.Scale()
	for len(numbers) > 0 {
		first, last := numbers[0].Coefficient, numbers[0].Coefficient
		text := form.Append(nil, first)
		// Towards zero texts become shorter, and beyond it longer.
		alike := sort.Search(len(numbers), func(i int) bool {
			of := numbers[i].Coefficient
			return of < 0 != (first < 0) || len(form.Append(text[:0:0], of)) != len(text)
		})
		n := 0
		for _, of := range numbers[:alike] {
			n += int(of.N)
			last = of.Coefficient
			m.addPower(amount.New(last, scale), int(of.N))
		}
		m.see(amount.New(first, scale))
		m.see(amount.New(last, scale))
		if last < 0 {
			text = form.Append(text[:0], last)
		}
		m.widen(text, len(text))
		m.Evidence.AddPlain(text, scale, n)
		m.amounts += n
		numbers = numbers[alike:]
	}
}

// see widens what is known of the smallest and the largest amount.
func (m *Moments) see(value amount.Amount) {
	if !m.seen || value.Cmp(m.min) < 0 {
		m.min = value
	}
	if !m.seen || value.Cmp(m.max) > 0 {
		m.max = value
	}
	m.seen = true
}

func (m *Moments) addAmount(value amount.Amount, n int) {
	m.see(value)
	m.amounts += n
	m.addPower(value, n)
}

// addPower adds up an amount and its square.
func (m *Moments) addPower(value amount.Amount, n int) {
	if coef, scale, ok := value.Plain(); ok && m.addSmall(coef, scale, n) {
		return
	}
	product := value.Mul(amount.New(int64(n), 0))
	m.sum.Add(product)
	m.squares.Add(product.Mul(value))
}

// addSmall adds where 64 bits hold the square.
func (m *Moments) addSmall(coef int64, scale int32, n int) bool {
	size := uint64(max(coef, -coef))
	high, times := bits.Mul64(size, uint64(n))
	if high != 0 || times > math.MaxInt64 {
		return false
	}
	high, square := bits.Mul64(times, size)
	if high != 0 || square > math.MaxInt64 {
		return false
	}
	m.sum.Add(amount.New(coef*int64(n), int(scale)))
	m.squares.Add(amount.New(int64(square), int(2*scale)))
	return true
}

// widen keeps the shortest and the longest text, of several the first in the
// order of their bytes, so that it does not matter who saw which first.
func (m *Moments) widen(text []byte, length int) {
	if m.shortest == nil || length < m.least || length == m.least && bytes.Compare(text, m.shortest) < 0 {
		m.shortest, m.least = append(m.shortest[:0], text...), length
	}
	if m.longest == nil || length > m.most || length == m.most && bytes.Compare(text, m.longest) < 0 {
		m.longest, m.most = append(m.longest[:0], text...), length
	}
}

// length is in characters.
func length(text []byte) int { return utf8.RuneCount(text) }

// Merge takes in what others have added up.
func (m *Moments) Merge(o *Moments) {
	m.Evidence.Merge(&o.Evidence)
	if o.shortest != nil {
		m.widen(o.shortest, o.least)
		m.widen(o.longest, o.most)
	}
	if o.amounts == 0 {
		return
	}
	m.see(o.min)
	m.see(o.max)
	m.amounts += o.amounts
	m.sum.Merge(&o.sum)
	m.squares.Merge(&o.squares)
}

// Summary is what is known of a column.
type Summary struct {
	Column string
	Kind   record.Kind
	Others int // values that are not of the kind: one in ten at the most, unless the kind was asked for
	Count  int // values that are not blank
	Blank  int
	Amounts

	First, Last       string // of dates: the earliest and the latest, by ISO 8601; "" where that is not clear
	Shortest, Longest string // texts, by characters
}

// Amounts is what is known of a column of amounts; Has says whether it is one.
type Amounts struct {
	Has      bool
	Sum      amount.Amount
	Min, Max amount.Amount

	// Mean and Deviation are rounded half-even to Scale digits behind the decimal
	// mark. The deviation is that of a sample: the root of the sum of squared
	// distances from the mean, divided by one less than there are values; there
	// is none of a single value.
	Mean         amount.Amount
	Deviation    amount.Amount
	HasDeviation bool
	Scale        int
}

// scaleBeyond is how many digits the mean and the deviation have beyond those of
// the amounts.
const scaleBeyond = 4

// Summary sums up a column of so many records. asked is the kind that was asked for, ""
// for that of its values.
func (m *Moments) Summary(column string, records int, asked record.Kind) Summary {
	s := Summary{Column: column, Count: m.Filled, Blank: records - m.Filled, Shortest: string(m.shortest),
		Longest: string(m.longest)}
	s.Kind, s.Others = m.KindAs(column, asked)
	switch s.Kind {
	case record.Amount:
		if m.amounts > 0 {
			s.Amounts = m.summary()
		}
	case record.Date:
		if first, last, ok := m.Between(); ok {
			s.First, s.Last = date.String(first), date.String(last)
		}
	}
	return s
}

func (m *Moments) summary() Amounts {
	zero := amount.New(0, m.Evidence.Scale) // with which all have the same scale
	a := Amounts{Has: true, Sum: m.sum.Amount(), Min: m.min.Add(zero), Max: m.max.Add(zero),
		Scale: m.Evidence.Scale + scaleBeyond}
	n := amount.New(int64(m.amounts), 0)
	mean, _ := a.Sum.Quo(n)
	a.Mean = toScale(mean, a.Scale)
	if m.amounts < 2 {
		return a
	}
	// n·Σx² − (Σx)² is exact, and so is n·(n−1).
	spread := m.squares.Amount().Mul(n).Sub(a.Sum.Mul(a.Sum))
	variance, ok := spread.Quo(n.Mul(amount.New(int64(m.amounts-1), 0)))
	if root, rooted := variance.Sqrt(); ok && rooted {
		a.Deviation, a.HasDeviation = toScale(root, a.Scale), true
	}
	return a
}

// toScale gives an amount just so many digits behind the decimal mark.
func toScale(a amount.Amount, scale int) amount.Amount {
	return a.Round(scale).Add(amount.New(0, scale))
}
