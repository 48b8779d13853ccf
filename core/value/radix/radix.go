// Package radix sorts by keys of 64 bits, byte by byte, where that is quicker than to compare them: from some hundreds
// of items on. A million numbers that differ in four bytes take a quarter of the time.
package radix

import (
	"cmp"
	"math/bits"
	"slices"
)

// Signed is a key by which whole numbers come in their order.
func Signed(n int64) uint64 { return uint64(n) ^ 1<<63 }

// few items are compared.
const few = 256

// Sort sorts items by their keys, from the lowest to the highest; those of one key stay in their order. Bytes that are
// the same in all keys cost nothing. room is as long as the items, and holds nothing of worth afterwards.
func Sort[T any](items, room []T, key func(*T) uint64) {
	if len(items) < few {
		slices.SortStableFunc(items, func(a, b T) int { return cmp.Compare(key(&a), key(&b)) })
		return
	}
	var differ uint64
	first := key(&items[0])
	for i := range items {
		differ |= key(&items[i]) ^ first
	}
	from, to := items, room
	for ; differ != 0; from, to = to, from {
		shift := bits.TrailingZeros64(differ) &^ 7
		differ &^= 0xff << shift
		var places [256]int // where the next item with each byte goes
		for i := range from {
			places[byte(key(&from[i])>>shift)]++
		}
		sum := 0
		for i, n := range places {
			places[i], sum = sum, sum+n
		}
		for i := range from {
			at := &places[byte(key(&from[i])>>shift)]
			to[*at] = from[i]
			*at++
		}
	}
	if &from[0] != &items[0] {
		copy(items, from)
	}
}

// Ints sorts whole numbers from the lowest to the highest, by how far they are from the lowest one, in as few steps as
// that has digits of eleven bits. Sort, which asks for each key, takes twice as long. room is as for Sort.
func Ints(items, room []int64) {
	if len(items) < few {
		slices.Sort(items)
		return
	}
	low, high, sorted := items[0], items[0], true
	last := low
	for _, n := range items {
		low, high = min(low, n), max(high, n)
		sorted = sorted && last <= n
		last = n
	}
	if sorted {
		return
	}
	const mostBits = 11
	length := bits.Len64(uint64(high) - uint64(low))
	steps := (length + mostBits - 1) / mostBits
	width := (length + steps - 1) / steps
	mask := uint64(1)<<width - 1
	from, to := items, room[:len(items)]
	for shift := 0; shift < length; shift += width {
		var places [1 << mostBits]int // where the next number with each digit goes
		for _, n := range from {
			places[(uint64(n)-uint64(low))>>(shift&63)&mask]++
		}
		sum := 0
		for i, n := range places[:mask+1] {
			places[i], sum = sum, sum+n
		}
		for _, n := range from {
			at := &places[(uint64(n)-uint64(low))>>(shift&63)&mask]
			to[*at] = n
			*at++
		}
		from, to = to, from
	}
	if &from[0] != &items[0] {
		copy(items, from)
	}
}
