package attach

import (
	"bytes"
	"encoding/binary"

	"lastblock/core/large/texts"

	"github.com/zeebo/xxh3"
)

// index finds the row of a key. A slot says where its entry is, in which stand the key
// and what is written for it, so that a record that is looked up touches two places of
// memory, which is what costs. Measured with 100,000 keys and ten million records, this
// and looking up all records of a batch together took a third of the time of a table of
// keys with the rows beside it.
type index struct {
	slots []slot
	arena []byte // entries, each where a multiple of eight begins
}

type slot struct {
	tag uint32 // upper bits of the hash
	at  uint32 // of the entry, in eights, plus one; 0 is free
}

const entryUnit = 8

// newIndex makes the index of a table. An entry is the number of the key, the key, and
// what its first row brings, as it is written.
func newIndex(t *table) index {
	size := 1 << 4
	for size < 2*t.numbers.Len() {
		size *= 2
	}
	x := index{slots: make([]slot, size)}
	var entry []byte
	for number := range t.numbers.Len() {
		key := t.numbers.Key(number)
		r := &t.rows[t.of[number].first]
		entry = binary.LittleEndian.AppendUint32(entry[:0], uint32(number))
		entry = texts.Append(texts.Append(entry, key), t.written[r.written:r.writtenEnd])
		x.pad(len(entry))
		at := len(x.arena) / entryUnit
		x.arena = append(x.arena, entry...)
		hash := xxh3.Hash(key)
		mask := uint64(size - 1)
		to := hash & mask
		for x.slots[to].at != 0 {
			to = (to + 1) & mask
		}
		x.slots[to] = slot{uint32(hash >> 32), uint32(at + 1)}
	}
	return x
}

// pad goes to where an entry may begin, so that if it can it lies in one line of the
// cache.
func (x *index) pad(size int) {
	const line = 64
	at := (len(x.arena) + entryUnit - 1) / entryUnit * entryUnit
	if at%line+size > line {
		at = (at + line - 1) / line * line
	}
	for len(x.arena) < at {
		x.arena = append(x.arena, 0)
	}
}

// candidate is the entry that a key probably has, 0 for none.
func (x *index) candidate(hash uint64) uint32 {
	mask := uint64(len(x.slots) - 1)
	tag := uint32(hash >> 32)
	for at := hash & mask; ; at = (at + 1) & mask {
		if s := x.slots[at]; s.at == 0 || s.tag == tag {
			return s.at
		}
	}
}

// is tells whether an entry is that of a key, which key of the table it is, and where
// in the arena stands what is written for it.
func (x *index) is(candidate uint32, key []byte) (number int, written int, ok bool) {
	at := int(candidate-1) * entryUnit
	of := x.arena[at:]
	own, rest := texts.Take(of[4:])
	if !bytes.Equal(own, key) {
		return 0, 0, false
	}
	return int(binary.LittleEndian.Uint32(of)), at + len(of) - len(rest), true
}
