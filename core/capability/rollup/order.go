package rollup

import (
	"cmp"
	"slices"

	"lastblock/core/large/spill"
	"lastblock/core/large/texts"
)

// orderOf is the natural order of items that begin with a key of so many parts.
func orderOf(parts int) spill.Order {
	return spill.Order{Prefix: texts.Prefix, Compare: func(a, b []byte) int {
		keyA, _ := texts.First(a, parts)
		keyB, _ := texts.First(b, parts)
		return texts.Compare(keyA, keyB)
	}}
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
		entries[g] = entry{texts.Prefix(t.key(g)), uint32(g)}
	}
	slices.SortFunc(entries, func(a, b entry) int {
		if a.prefix != b.prefix {
			return cmp.Compare(a.prefix, b.prefix)
		}
		return texts.Compare(t.key(int(a.group)), t.key(int(b.group)))
	})
	groups := make([]uint32, len(entries))
	for i, e := range entries {
		groups[i] = e.group
	}
	return groups
}
