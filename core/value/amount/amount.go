// Package amount holds exact decimals: it reads them as branches write them,
// adds them without loss, and prints them. It knows nothing of records or
// files. No amount is ever held as floating point.
package amount

import (
	"math"
	"math/big"
	"strconv"
	"strings"

	"github.com/cockroachdb/apd/v3"
)

// Amount is an exact decimal: a whole coefficient and a scale, the number of
// digits behind the decimal mark. 1234.50 is coefficient 123450 at scale 2.
// The zero value is zero at scale 0.
type Amount struct {
	coef  int64    // the coefficient, while wide is nil
	wide  *big.Int // the coefficient where 64 bits do not hold it
	scale int32
}

// New returns coef × 10^-scale.
func New(coef int64, scale int) Amount {
	return Amount{coef: coef, scale: int32(scale)}
}

// Scale is the number of digits behind the decimal mark.
func (a Amount) Scale() int { return int(a.scale) }

// Plain returns the coefficient and the scale; ok is false where 64 bits do not
// hold the coefficient, or its opposite.
func (a Amount) Plain() (coef int64, scale int32, ok bool) {
	return a.coef, a.scale, a.wide == nil && a.coef != math.MinInt64
}

// Sign is -1, 0 or +1.
func (a Amount) Sign() int {
	if a.wide != nil {
		return a.wide.Sign()
	}
	switch {
	case a.coef < 0:
		return -1
	case a.coef > 0:
		return 1
	}
	return 0
}

// Neg returns -a.
func (a Amount) Neg() Amount {
	if a.wide == nil && a.coef != math.MinInt64 {
		a.coef = -a.coef
		return a
	}
	return fromBig(new(big.Int).Neg(a.big()), a.scale)
}

// Sub returns a - b at the larger of the two scales.
func (a Amount) Sub(b Amount) Amount {
	var s Sum
	s.Add(a)
	s.Add(b.Neg())
	return s.Amount()
}

// Cmp compares values, whatever their scales: 1.5 equals 1.50.
func (a Amount) Cmp(b Amount) int {
	if a.wide == nil && b.wide == nil && a.scale == b.scale {
		switch {
		case a.coef < b.coef:
			return -1
		case a.coef > b.coef:
			return 1
		}
		return 0
	}
	return a.Sub(b).Sign()
}

// String prints the plain form that Parse reads back with '.' as decimal
// mark: "-1234.50".
func (a Amount) String() string {
	return string(a.Append(nil))
}

// Append adds the plain form to dst.
func (a Amount) Append(dst []byte) []byte {
	scale := int(a.scale)
	if a.wide == nil && scale < mostInRoom {
		return appendCoefficient(dst, a.coef, scale)
	}
	var room [24]byte // of 64 bits there are no more than 20
	digits := room[:0]
	if a.wide != nil {
		digits = a.wide.Append(digits, 10)
	} else {
		digits = strconv.AppendInt(digits, a.coef, 10)
	}
	if digits[0] == '-' {
		dst = append(dst, '-')
		digits = digits[1:]
	}
	if scale == 0 {
		return append(dst, digits...)
	}
	whole := len(digits) - scale
	if whole <= 0 {
		dst = append(dst, '0', '.')
		for ; whole < 0; whole++ {
			dst = append(dst, '0')
		}
		return append(dst, digits...)
	}
	dst = append(dst, digits[:whole]...)
	dst = append(dst, '.')
	return append(dst, digits[whole:]...)
}

// mostInRoom is a scale below which the digits of 64 bits, a mark and a sign are written in one go.
const mostInRoom = 24

// appendCoefficient appends coef × 10^-scale, which is written from its end on.
func appendCoefficient(dst []byte, coef int64, scale int) []byte {
	var room [mostInRoom + 24]byte
	at := len(room)
	left := uint64(max(coef, -coef)) // also of the least one, which has no counterpart
	for n := 0; n <= scale || left > 0; n++ {
		if n == scale && scale > 0 {
			at--
			room[at] = '.'
		}
		at--
		room[at] = byte('0' + left%10)
		left /= 10
	}
	if coef < 0 {
		at--
		room[at] = '-'
	}
	return append(dst, room[at:]...)
}

// Money prints the form an analyst reads, with thousands marks: "-1,234.50".
func (a Amount) Money() string {
	plain := a.String()
	sign := ""
	if plain[0] == '-' {
		sign, plain = "-", plain[1:]
	}
	whole, fraction := plain, ""
	if i := strings.IndexByte(plain, '.'); i >= 0 {
		whole, fraction = plain[:i], plain[i:]
	}
	return sign + groupThousands(whole) + fraction
}

// groupThousands sets a comma between every three digits from the right.
func groupThousands(digits string) string {
	if len(digits) <= 3 {
		return digits
	}
	first := len(digits) % 3
	if first == 0 {
		first = 3
	}
	var b strings.Builder
	b.WriteString(digits[:first])
	for i := first; i < len(digits); i += 3 {
		b.WriteByte(',')
		b.WriteString(digits[i : i+3])
	}
	return b.String()
}

// Share returns part as a percentage of whole, rounded half-even to scale
// digits (General Decimal Arithmetic, round-half-even). ok is false where
// whole is zero and no share exists.
func Share(part, whole Amount, scale int) (percent Amount, ok bool) {
	if whole.Sign() == 0 {
		return Amount{}, false
	}
	const guard = 20
	context := apd.BaseContext.WithPrecision(uint32(len(part.String()) + len(whole.String()) + scale + guard))
	context.Rounding = apd.RoundHalfEven
	hundredfold := apd.NewWithBigInt(new(apd.BigInt).SetMathBigInt(new(big.Int).Mul(part.big(), big.NewInt(100))),
		-part.scale)
	divisor := apd.NewWithBigInt(new(apd.BigInt).SetMathBigInt(whole.big()), -whole.scale)
	quotient := new(apd.Decimal)
	if _, err := context.Quo(quotient, hundredfold, divisor); err != nil {
		return Amount{}, false
	}
	if _, err := context.Quantize(quotient, quotient, -int32(scale)); err != nil {
		return Amount{}, false
	}
	coefficient := quotient.Coeff.MathBigInt()
	if quotient.Negative {
		coefficient.Neg(coefficient)
	}
	return fromBig(coefficient, int32(scale)), true
}

// big returns the coefficient; the caller must not change it.
func (a Amount) big() *big.Int {
	if a.wide != nil {
		return a.wide
	}
	return big.NewInt(a.coef)
}

// fromBig keeps a coefficient in 64 bits where it fits.
func fromBig(coefficient *big.Int, scale int32) Amount {
	if coefficient.IsInt64() {
		return Amount{coef: coefficient.Int64(), scale: scale}
	}
	return Amount{wide: coefficient, scale: scale}
}

// DivisibleByNine tells whether the coefficient is a multiple of nine, as the
// difference between two amounts is where two neighbouring digits stand
// swapped (casting out nines). Zero is not one.
func (a Amount) DivisibleByNine() bool {
	if a.Sign() == 0 {
		return false
	}
	return new(big.Int).Rem(a.big(), big.NewInt(9)).Sign() == 0
}

// MarshalText writes the amount as String does, for JSON as a text.
func (a Amount) MarshalText() ([]byte, error) { return a.Append(nil), nil }

// UnmarshalText reads what MarshalText writes.
func (a *Amount) UnmarshalText(text []byte) (err error) {
	*a, err = Parse(text, '.')
	return err
}
