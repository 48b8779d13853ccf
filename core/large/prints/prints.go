// Package prints adds up fingerprints of 128 bits, so that those of many records make one
// that does not depend on their order.
package prints

import "math/bits"

// Sum is a fingerprint, or the sum of several, modulo 2^128. The zero value is that of none.
type Sum struct{ High, Low uint64 }

// Add adds another one.
func (s *Sum) Add(o Sum) {
	var carry uint64
	s.Low, carry = bits.Add64(s.Low, o.Low, 0)
	s.High, _ = bits.Add64(s.High, o.High, carry)
}
