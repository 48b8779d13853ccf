package intern

import (
	"bytes"
	"runtime"

	"github.com/zeebo/xxh3"
)

// Together is how many texts a Counter best looks up at a time. Where there are millions, what costs is waiting for a
// place of memory that is in no cache. The places of several texts are asked for one right after the other, before
// anything is done with the first, so that the machine waits for all of them at once. Measured on three million
// texts of which two million are different, counting them so took half of the time.
const Together = 16

// sought is a text that is looked up.
type sought struct {
	low, high uint64 // of a long text the hash, and 0
	size      uint64
	at        uint64 // the slot where it is, or would be were nothing there
	met       uint64 // the first word of what was met there
	isLong    bool   // a long text of the same hash was met there
	begins    byte   // its first byte
}

// AddAll counts texts, each of them once; Together of them or fewer.
func (c *Counter) AddAll(texts [][]byte) {
	for c.rising && len(texts) > 0 && c.addRising(texts[0], 1) {
		texts = texts[1:]
	}
	c.Reserve(len(texts))
	var all [Together]sought
	c.approach(texts, all[:len(texts)])
	for i, text := range texts {
		switch s := &all[i]; {
		case s.size != isLong:
			c.addHeldAt(s.at, s.low, s.high, s.size, 1)
		case s.isLong && s.begins == text[0] && bytes.Equal(c.longAt(c.slots[s.at].high), text):
			c.slots[s.at].sized++
		default:
			c.addLongAt(s.at, text, s.low, 1)
		}
	}
}

// approach finds where texts are looked up, and brings what is there near.
func (c *Counter) approach(texts [][]byte, all []sought) {
	mask := uint64(len(c.slots) - 1)
	for i, text := range texts {
		s := &all[i]
		if len(text) > MostHeld {
			s.low, s.size = xxh3.Hash(text), isLong
		} else {
			s.low, s.high = Hold(text)
			s.size = uint64(len(text))
		}
		s.at = mix(s.low, s.high, s.size) & mask
	}
	for i := range all {
		all[i].met = c.slots[all[i].at].low
	}
	for i := range all {
		if s := &all[i]; s.size == isLong && s.met == s.low && c.slots[s.at].sized>>sizeShift == isLong {
			s.isLong, s.begins = true, c.longAt(c.slots[s.at].high)[0]
		}
	}
}

// Beside gives every text with its count, and with those that it has in others, in no order. A text and counts are
// good until visit returns; the error is that of visit.
//
// Texts come out of a counter in the order of their hashes, in which the others are then searched, too, so that slots
// are touched in the order of memory; long texts are not, and are approached several at a time. Of lists and tables
// beside each other, see Level, each text is looked up by itself.
func (c *Counter) Beside(others []*Counter, visit func(text []byte, n int, beside []int) error) error {
	switch lists := rising(others); {
	case c.rising && lists == len(others):
		return c.besideRising(others, visit)
	case c.rising || lists > 0:
		return c.besideUnlike(others, visit)
	}
	defer runtime.KeepAlive(others) // and with them their slots
	defer runtime.KeepAlive(c)
	var group [Together]counted
	var texts [Together][]byte
	room := make([]byte, 0, Together*MostHeld)
	beside := make([]int, Together*len(others))
	flush := func(n int) error {
		room = room[:0]
		for i, s := range group[:n] {
			if size := s.sized >> sizeShift; size == isLong {
				texts[i] = c.longAt(s.high)
			} else {
				room = release(room, s.low, s.high, int(size))
				texts[i] = room[len(room)-int(size):]
			}
		}
		for k, other := range others {
			other.countAll(group[:n], texts[:n], beside[k*Together:])
		}
		counts := make([]int, 0, 8)
		for i := range group[:n] {
			counts = counts[:0]
			for k := range others {
				counts = append(counts, beside[k*Together+i])
			}
			if err := visit(texts[i], int(group[i].sized&countMask), counts); err != nil {
				return err
			}
		}
		return nil
	}
	n := 0
	for i := range c.slots {
		if c.slots[i].sized == 0 {
			continue
		}
		group[n] = c.slots[i]
		if n++; n == Together {
			if err := flush(n); err != nil {
				return err
			}
			n = 0
		}
	}
	return flush(n)
}

// countAll looks up how often texts were counted, which another counter holds in slots.
func (c *Counter) countAll(slots []counted, texts [][]byte, counts []int) {
	mask := uint64(len(c.slots) - 1)
	var found [Together]counted // a long text is the first one with its hash
	for i, s := range slots {
		size, high := s.sized>>sizeShift, s.high
		if size == isLong {
			high = 0
		}
		at := mix(s.low, high, size) & mask
		for ; c.slots[at].sized != 0; at = (at + 1) & mask {
			if o := &c.slots[at]; o.low == s.low && o.sized>>sizeShift == size && (size == isLong || o.high == s.high) {
				break
			}
		}
		found[i] = c.slots[at]
	}
	var begins [Together]byte
	for i := range slots {
		if found[i].sized>>sizeShift == isLong {
			begins[i] = c.longAt(found[i].high)[0]
		}
	}
	for i := range slots {
		counts[i] = int(found[i].sized & countMask)
		if found[i].sized>>sizeShift == isLong &&
			(begins[i] != texts[i][0] || !bytes.Equal(c.longAt(found[i].high), texts[i])) {
			counts[i] = c.Count(texts[i]) // two texts have one hash
		}
	}
}
