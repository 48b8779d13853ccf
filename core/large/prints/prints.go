// Package prints adds up fingerprints of 128 bits, so that those of many records make one
// that does not depend on their order.
package prints

import (
	"fmt"
	"math/bits"

	"github.com/zeebo/xxh3"
)

// Sum is a fingerprint, or the sum of several, modulo 2^128. The zero value is that of none.
type Sum struct{ High, Low uint64 }

// Add adds another one.
func (s *Sum) Add(o Sum) {
	var carry uint64
	s.Low, carry = bits.Add64(s.Low, o.Low, 0)
	s.High, _ = bits.Add64(s.High, o.High, carry)
}

// String is the fingerprint as 32 hexadecimal digits, the high 64 bits first.
func (s Sum) String() string { return fmt.Sprintf("%016x%016x", s.High, s.Low) }

// Of is the fingerprint of some bytes: their 128-bit XXH3 with seed 0.
func Of(data []byte) Sum {
	print := xxh3.Hash128(data)
	return Sum{High: print.Hi, Low: print.Lo}
}
