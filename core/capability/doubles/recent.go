package doubles

import (
	"lastblock/core/large/intern"
	"lastblock/core/value/equality"
)

// recent remembers values of a column and their fingerprints, since most columns
// have few different values, and what a short text means takes longer to find out
// than to find the text again. Measured, it saves a third of the time that
// fingerprints take.
type recent struct {
	slots  [recentSlots]recentSlot
	missed int // values of this batch that were not remembered
}

// recentSlot is a value of up to intern.MostHeld bytes: its words, and its length
// and the decimal mark.
type recentSlot struct {
	low, high, how uint64
	print          uint64
}

const (
	recentSlots  = 1 << 9
	recentSample = 128 // values of a batch after which it shows whether the memory is of use
	recentFew    = 48  // of them that are to be remembered for that
)

// print is the fingerprint of what a text of up to intern.MostHeld bytes means.
func (r *recent) print(text []byte, decimal byte, room *[]byte) uint64 {
	low, high := intern.Hold(text)
	how := uint64(len(text))<<8 | uint64(decimal)
	s := &r.slots[intern.Mix(low, high)&(recentSlots-1)]
	if s.low == low && s.high == high && s.how == how {
		return s.print
	}
	r.missed++
	*s = recentSlot{low, high, how, printOf(equality.Of(text, decimal, room))}
	return s.print
}
