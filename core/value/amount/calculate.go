package amount

import (
	"math"
	"math/big"

	"github.com/cockroachdb/apd/v3"
)

// Add returns a + b at the larger of the two scales.
func (a Amount) Add(b Amount) Amount {
	var s Sum
	s.Add(a)
	s.Add(b)
	return s.Amount()
}

// Mul returns a × b, exactly.
func (a Amount) Mul(b Amount) Amount {
	return fromBig(new(big.Int).Mul(a.big(), b.big()), a.scale+b.scale)
}

// quotientDigits is the precision of decimal128 in IEEE 754, which is that of
// quotients in General Decimal Arithmetic.
const quotientDigits = 34

func decimal128() *apd.Context {
	context := apd.BaseContext.WithPrecision(quotientDigits)
	context.Rounding = apd.RoundHalfEven
	return context
}

// Quo returns a / b, rounded half-even to 34 digits where it has more, without
// zeros at its end. ok is false where b is zero.
func (a Amount) Quo(b Amount) (quotient Amount, ok bool) {
	if b.Sign() == 0 {
		return Amount{}, false
	}
	context := decimal128()
	var q apd.Decimal
	if _, err := context.Quo(&q, a.decimal(), b.decimal()); err != nil {
		return Amount{}, false
	}
	q.Reduce(&q)
	return fromDecimal(&q), true
}

// Round returns a rounded half-even to scale digits behind the decimal mark.
func (a Amount) Round(scale int) Amount {
	if int(a.scale) <= scale {
		return a
	}
	context := apd.BaseContext.WithPrecision(uint32(len(a.big().String())) + uint32(a.scale) + 1)
	context.Rounding = apd.RoundHalfEven
	var rounded apd.Decimal
	if _, err := context.Quantize(&rounded, a.decimal(), -int32(scale)); err != nil {
		return a
	}
	return fromDecimal(&rounded)
}

func (a Amount) decimal() *apd.Decimal {
	return apd.NewWithBigInt(new(apd.BigInt).SetMathBigInt(a.big()), -a.scale)
}

func fromDecimal(d *apd.Decimal) Amount {
	coefficient := d.Coeff.MathBigInt()
	if d.Negative {
		coefficient.Neg(coefficient)
	}
	if d.Exponent > 0 {
		return fromBig(shiftBig(coefficient, d.Exponent), 0)
	}
	return fromBig(coefficient, -d.Exponent)
}

// Int64 returns a whole amount as an integer; ok is false where it has decimals
// or does not fit.
func (a Amount) Int64() (n int64, ok bool) { return a.coef, a.wide == nil && a.scale == 0 }

// FromBig returns coefficient × 10^-scale; coefficient must not be changed any
// more.
func FromBig(coefficient *big.Int, scale int) Amount { return fromBig(coefficient, int32(scale)) }

// Unscaled returns the coefficient of the amount at a scale; ok is false where
// it has more decimals than that.
func (a Amount) Unscaled(scale int) (coefficient *big.Int, ok bool) {
	if int(a.scale) > scale {
		rounded := a.Round(scale)
		if rounded.Cmp(a) != 0 {
			return nil, false
		}
		a = rounded
	}
	return shiftBig(a.big(), int32(scale)-a.scale), true
}

// FloorQuo returns a / b rounded down to a whole number, or of one that 64 bits do
// not hold its lowest 64 bits in two's complement, so that of neighbours it gives
// neighbours; ok is false where b is zero.
func (a Amount) FloorQuo(b Amount) (quotient int64, ok bool) {
	if b.Sign() == 0 {
		return 0, false
	}
	if a.scale == b.scale && a.wide == nil && b.wide == nil && b.coef > 0 {
		quotient = a.coef / b.coef
		if a.coef%b.coef < 0 {
			quotient--
		}
		return quotient, true
	}
	scale := max(a.scale, b.scale)
	dividend, divisor := shiftBig(a.big(), scale-a.scale), shiftBig(b.big(), scale-b.scale)
	if divisor.Sign() < 0 {
		dividend, divisor = new(big.Int).Neg(dividend), new(big.Int).Neg(divisor)
	}
	// Euclidean, which rounds down for a positive divisor
	floor := new(big.Int).Div(dividend, divisor)
	// of a negative one, too, as in two's complement
	lowest := new(big.Int).And(floor, new(big.Int).SetUint64(math.MaxUint64))
	return int64(lowest.Uint64()), true
}

// Abs returns a without its sign.
func (a Amount) Abs() Amount {
	if a.Sign() < 0 {
		return a.Neg()
	}
	return a
}

// Reduce returns the same value at the smallest scale that holds it, which is at
// least 0.
func (a Amount) Reduce() Amount {
	d := a.decimal()
	d.Reduce(d)
	return fromDecimal(d)
}

// Sqrt returns the square root, rounded half-even to 34 digits; ok is false of
// a negative amount.
func (a Amount) Sqrt() (root Amount, ok bool) {
	if a.Sign() < 0 {
		return Amount{}, false
	}
	r := a.decimal()
	if _, err := decimal128().Sqrt(r, a.decimal()); err != nil {
		return Amount{}, false
	}
	r.Reduce(r)
	return fromDecimal(r), true
}
