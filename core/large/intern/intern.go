// Package intern numbers byte strings: equal ones get the same number, from 0 in
// the order in which they first come.
package intern

import (
	"bytes"

	"github.com/zeebo/xxh3"
)

// Table is a set of numbered keys for one goroutine. Keys lie one behind another
// in a buffer, so that ten million of them are a few large objects and not ten
// million small ones. A slot holds the number of a key plus one and some of the
// bits of its hash, so that a key is rarely looked at in vain; slots are
// searched one after another from the place that the hash says. Measured against
// the runtime's map keyed by string, this takes as long with a thousand keys and
// a sixth less with ten million.
type Table struct {
	slots  []slot
	hashes []uint64
	keys   []byte
	ends   []int // where each key ends
}

type slot struct {
	tag    uint32 // upper bits of the hash
	number uint32 // plus one; 0 is free
}

// New makes an empty table.
func New() *Table { return &Table{slots: make([]slot, 1<<8)} }

// Reset empties the table. It keeps its room, unless that is much more than was taken of it.
func (t *Table) Reset() {
	const large = 1 << 16
	if len(t.slots) > large && len(t.slots) > 8*t.Len() {
		*t = *New()
		return
	}
	clear(t.slots)
	t.hashes, t.keys, t.ends = t.hashes[:0], t.keys[:0], t.ends[:0]
}

// Len is how many keys there are.
func (t *Table) Len() int { return len(t.hashes) }

// Size is roughly how many bytes the table takes.
func (t *Table) Size() int64 {
	const slotSize = 8
	return int64(slotSize*len(t.slots) + cap(t.keys) + 8*(cap(t.hashes)+cap(t.ends)))
}

// Number returns the number of a key, a new one if it has not come before; key
// may be used again.
func (t *Table) Number(key []byte) (number int, added bool) {
	return t.NumberHashed(key, xxh3.Hash(key))
}

// NumberHashed is Number where the hash is known already.
func (t *Table) NumberHashed(key []byte, hash uint64) (number int, added bool) {
	mask := uint64(len(t.slots) - 1)
	tag := uint32(hash >> 32)
	for at := hash & mask; ; at = (at + 1) & mask {
		s := t.slots[at]
		if s.number == 0 {
			t.slots[at] = slot{tag, uint32(t.Len() + 1)}
			return t.add(hash, key), true
		}
		if n := int(s.number - 1); s.tag == tag && bytes.Equal(t.Key(n), key) {
			return n, false
		}
	}
}

// Find returns the number of a key, if it has come before.
func (t *Table) Find(key []byte, hash uint64) (number int, ok bool) {
	mask := uint64(len(t.slots) - 1)
	tag := uint32(hash >> 32)
	for at := hash & mask; t.slots[at].number != 0; at = (at + 1) & mask {
		if n := int(t.slots[at].number - 1); t.slots[at].tag == tag && bytes.Equal(t.Key(n), key) {
			return n, true
		}
	}
	return 0, false
}

func (t *Table) add(hash uint64, key []byte) int {
	t.hashes = append(t.hashes, hash)
	t.keys = append(t.keys, key...)
	t.ends = append(t.ends, len(t.keys))
	if 4*t.Len() > 3*len(t.slots) {
		t.grow()
	}
	return t.Len() - 1
}

func (t *Table) grow() {
	t.slots = make([]slot, 2*len(t.slots))
	mask := uint64(len(t.slots) - 1)
	for n, hash := range t.hashes {
		at := hash & mask
		for t.slots[at].number != 0 {
			at = (at + 1) & mask
		}
		t.slots[at] = slot{uint32(hash >> 32), uint32(n + 1)}
	}
}

// Key returns the key of a number. It is good until a key is added.
func (t *Table) Key(number int) []byte {
	start := 0
	if number > 0 {
		start = t.ends[number-1]
	}
	return t.keys[start:t.ends[number]]
}

// Hash returns the hash of a number's key.
func (t *Table) Hash(number int) uint64 { return t.hashes[number] }
