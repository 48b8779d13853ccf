package amount

import (
	"encoding/binary"
	"errors"
	"math/big"
	"strconv"
	"strings"
)

// The first byte of a key, which puts the signs in order.
const (
	keyNegative = 1
	keyZero     = 2
	keyPositive = 3
)

// exponentBias makes exponents positive, so that their bytes are in order.
const exponentBias = 1 << 31

// AppendKey appends bytes that stand for the value: equal for amounts that are
// equal whatever their scales, and in the order of the amounts. A key is its
// sign, its decimal exponent, and its digits with a byte behind them that is
// lower than any digit; of a negative amount all but the sign are inverted.
func (a Amount) AppendKey(dst []byte) []byte {
	if a.Sign() == 0 {
		return append(dst, keyZero)
	}
	var room [24]byte
	digits := room[:0]
	if a.wide != nil {
		digits = a.wide.Append(digits, 10)
	} else {
		digits = strconv.AppendInt(digits, a.coef, 10)
	}
	sign, invert := byte(keyPositive), byte(0)
	if digits[0] == '-' {
		sign, invert, digits = keyNegative, 0xff, digits[1:]
	}
	exponent := uint32(len(digits)) - uint32(a.scale) + exponentBias
	for digits[len(digits)-1] == '0' {
		digits = digits[:len(digits)-1]
	}
	dst = append(dst, sign)
	from := len(dst)
	dst = binary.BigEndian.AppendUint32(dst, exponent)
	dst = append(append(dst, digits...), 0)
	for i := from; i < len(dst) && invert != 0; i++ {
		dst[i] ^= invert
	}
	return dst
}

var errKey = errors.New("these bytes are no key of an amount")

// FromKey returns the amount of a key that AppendKey made, at the smallest scale
// that holds it, which is at least 0.
func FromKey(key []byte) (Amount, error) {
	const least = 1 + 4 + 1 + 1
	if len(key) == 1 && key[0] == keyZero {
		return Amount{}, nil
	}
	if len(key) < least || key[0] != keyNegative && key[0] != keyPositive {
		return Amount{}, errKey
	}
	invert := byte(0)
	if key[0] == keyNegative {
		invert = 0xff
	}
	rest := make([]byte, len(key)-1)
	for i := range rest {
		rest[i] = key[i+1] ^ invert
	}
	exponent := int(binary.BigEndian.Uint32(rest)) - exponentBias
	digits := string(rest[4 : len(rest)-1])
	scale := len(digits) - exponent
	if scale < 0 {
		digits += strings.Repeat("0", -scale)
		scale = 0
	}
	const mostDigits = 18 // that 64 bits hold, whatever they are
	if len(digits) <= mostDigits {
		coef, err := strconv.ParseInt(digits, 10, 64)
		if err != nil {
			return Amount{}, errKey
		}
		if invert != 0 {
			coef = -coef
		}
		return New(coef, scale), nil
	}
	coefficient, ok := new(big.Int).SetString(digits, 10)
	if !ok {
		return Amount{}, errKey
	}
	if invert != 0 {
		coefficient.Neg(coefficient)
	}
	return FromBig(coefficient, scale), nil
}
