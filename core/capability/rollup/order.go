package rollup

import (
	"cmp"
	"encoding/binary"
	"slices"

	"lastblock/core/source"
)

// appendPart adds a part to a key: its length, then its text, so that parts do
// not run together.
func appendPart(key, text []byte) []byte {
	key = binary.AppendUvarint(key, uint64(len(text)))
	return append(key, text...)
}

// firstPart takes the first part off a key.
func firstPart(key []byte) (part, rest []byte) {
	n, size := binary.Uvarint(key)
	return key[size : size+int(n)], key[size+int(n):]
}

// splitKey takes a key apart.
func splitKey(key []byte) []string {
	var parts []string
	for len(key) > 0 {
		var part []byte
		part, key = firstPart(key)
		parts = append(parts, string(part))
	}
	return parts
}

// compareKeys compares part by part in natural order; only equal keys are
// equal.
func compareKeys(a, b []byte) int {
	for len(a) > 0 && len(b) > 0 {
		var partA, partB []byte
		partA, a = firstPart(a)
		partB, b = firstPart(b)
		if c := source.Natural(partA, partB); c != 0 {
			return c
		}
	}
	return cmp.Compare(len(a), len(b))
}

// sortPrefix makes eight bytes of the front of a key that compare as keys do,
// as far as eight bytes reach: a run of digits becomes a zero, how many
// digits it has without those in front, and these.
//
//	D00025 → D 0 2 2 5
func sortPrefix(key []byte) uint64 {
	part, _ := firstPart(key)
	var prefix [8]byte
	n := 0
	put := func(c byte) {
		if n < len(prefix) {
			prefix[n] = c
			n++
		}
	}
	for i := 0; i < len(part) && n < len(prefix); {
		if part[i] < '0' || part[i] > '9' {
			put(part[i])
			i++
			continue
		}
		for i < len(part) && part[i] == '0' {
			i++
		}
		digits := i
		for i < len(part) && '0' <= part[i] && part[i] <= '9' {
			i++
		}
		put('0')
		put(byte(min(i-digits, 255)))
		if i-digits >= 255 {
			break
		}
		for _, c := range part[digits:i] {
			put(c)
		}
	}
	return binary.BigEndian.Uint64(prefix[:])
}

// sorted returns the numbers of all groups in the order of their keys. Nearly
// all comparisons are between prefixes.
func (t *table) sorted() []uint32 {
	type entry struct {
		prefix uint64
		group  uint32
	}
	entries := make([]entry, t.len())
	for g := range entries {
		entries[g] = entry{sortPrefix(t.key(g)), uint32(g)}
	}
	slices.SortFunc(entries, func(a, b entry) int {
		if a.prefix != b.prefix {
			return cmp.Compare(a.prefix, b.prefix)
		}
		return compareKeys(t.key(int(a.group)), t.key(int(b.group)))
	})
	groups := make([]uint32, len(entries))
	for i, e := range entries {
		groups[i] = e.group
	}
	return groups
}
