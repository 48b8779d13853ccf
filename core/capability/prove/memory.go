package prove

import (
	"lastblock/core/large/intern"
	"lastblock/core/large/prints"

	"github.com/zeebo/xxh3"
)

// memory remembers values of a column and their fingerprints. Each value has two
// slots that it may be in, and drives out what is there; so it stays as small as
// the cache of a core, and nothing is moved or cleared.
type memory struct{ slots []slot }

// slot is a value that is remembered, and how often it came since.
type slot struct {
	low, high uint64 // the text itself, or of a longer one its hash
	size      int
	decimal   byte
	count     int
	print     prints.Sum
	text      []byte
}

const memorySlots = 1 << 12

// wordsOf puts a text into two words, and hashes one that they do not hold, so
// that its length and the words tell it from any other.
func wordsOf(text []byte) (low, high uint64) {
	if len(text) > intern.MostHeld {
		hash := xxh3.Hash128(text)
		return hash.Lo, hash.Hi
	}
	return intern.Hold(text)
}

// find returns the slot of a value, or the one that it is to be put into.
func (m *memory) find(text []byte, decimal byte) (s *slot, ok bool) {
	if m.slots == nil {
		m.slots = make([]slot, memorySlots)
	}
	low, high := wordsOf(text)
	at := intern.Mix(low, high) & (memorySlots - 2)
	for i := range 2 {
		s = &m.slots[at+uint64(i)]
		if s.low == low && s.high == high && s.size == len(text) && s.decimal == decimal {
			return s, true
		}
	}
	if first := &m.slots[at]; first.count < s.count {
		s = first
	}
	return s, false
}

// put puts a value into a slot.
func (m *memory) put(s *slot, text []byte, decimal byte) {
	low, high := wordsOf(text)
	*s = slot{low: low, high: high, size: len(text), decimal: decimal, text: append(s.text[:0], text...)}
}
