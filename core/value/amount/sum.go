package amount

import (
	"math"
	"math/big"
)

// Sum adds amounts exactly. It works in 64 bits and spills into a big integer
// when they are full, so that the usual addition is a handful of machine
// instructions and no total can overflow. The zero value is an empty sum.
//
// The total is (spill + coef) × 10^-scale; its scale is the largest scale
// that was added, as in General Decimal Arithmetic.
type Sum struct {
	coef  int64
	spill *big.Int // nil until 64 bits were full once; never changed, as copies of the sum share it
	scale int32
}

// pow10 holds the powers of ten that fit into 64 bits.
var pow10 = func() (table [19]int64) {
	table[0] = 1
	for i := 1; i < len(table); i++ {
		table[i] = table[i-1] * 10
	}
	return table
}()

// Add adds a.
func (s *Sum) Add(a Amount) {
	if a.wide != nil || !s.AddPlain(a.coef, a.scale) {
		s.addSlow(a)
	}
}

// Reset makes the total zero, at the scale that it had: the next amounts mostly
// have that as well.
func (s *Sum) Reset() { s.coef, s.spill = 0, nil }

// IsZero tells whether the total is zero.
func (s *Sum) IsZero() bool {
	if s.spill == nil {
		return s.coef == 0
	}
	total := s.Amount()
	return total.Sign() == 0
}

// Sub subtracts a.
func (s *Sum) Sub(a Amount) {
	if coef, scale, ok := a.Plain(); !ok || !s.AddPlain(-coef, scale) {
		s.addSlow(a.Neg())
	}
}

// AddPlain adds coef × 10^-scale where that takes no more than one addition,
// and reports whether it did. It is small enough to be inlined into a loop,
// which then calls Add for the rest.
func (s *Sum) AddPlain(coef int64, scale int32) bool {
	sum := s.coef + coef
	if scale != s.scale || (s.coef^sum)&(coef^sum) < 0 {
		return false
	}
	s.coef = sum
	return true
}

func (s *Sum) addSlow(a Amount) {
	if a.scale > s.scale {
		s.rescale(a.scale)
	}
	if a.wide == nil {
		if coef, ok := shift64(a.coef, s.scale-a.scale); ok {
			if sum, ok := add64(s.coef, coef); ok {
				s.coef = sum
				return
			}
			s.spillOver(s.coef) // all of it, so that there is room again for many more
			s.coef = coef
			return
		}
	}
	s.spillInto(shiftBig(a.big(), s.scale-a.scale))
}

// Merge adds the total of another sum.
func (s *Sum) Merge(o *Sum) { s.Add(o.Amount()) }

// Amount returns the total so far.
func (s *Sum) Amount() Amount {
	if s.spill == nil {
		return Amount{coef: s.coef, scale: s.scale}
	}
	return fromBig(new(big.Int).Add(s.spill, big.NewInt(s.coef)), s.scale)
}

// rescale raises the scale without changing the total.
func (s *Sum) rescale(scale int32) {
	by := scale - s.scale
	s.scale = scale
	if s.spill != nil {
		s.spill = shiftBig(s.spill, by)
	}
	if coef, ok := shift64(s.coef, by); ok {
		s.coef = coef
		return
	}
	s.spillInto(shiftBig(big.NewInt(s.coef), by))
	s.coef = 0
}

// spillOver adds a part of the total to the spill.
func (s *Sum) spillOver(coef int64) { s.spillInto(big.NewInt(coef)) }

// spillInto makes a new spill of the one there is and another number, which becomes the sum's own.
func (s *Sum) spillInto(v *big.Int) {
	if s.spill != nil {
		v.Add(v, s.spill)
	}
	s.spill = v
}

func add64(a, b int64) (int64, bool) {
	sum := a + b
	return sum, (a^sum)&(b^sum) >= 0
}

// shift64 returns v × 10^by, and whether it fits.
func shift64(v int64, by int32) (int64, bool) {
	if by == 0 || v == 0 {
		return v, true
	}
	if int(by) >= len(pow10) {
		return 0, false
	}
	factor := pow10[by]
	if v > math.MaxInt64/factor || v < math.MinInt64/factor {
		return 0, false
	}
	return v * factor, true
}

func shiftBig(v *big.Int, by int32) *big.Int {
	factor := new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(by)), nil)
	return factor.Mul(factor, v)
}
