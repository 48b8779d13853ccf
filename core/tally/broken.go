//go:build broken

package tally

import (
	"os"
	"sync/atomic"

	"lastblock/core/source"
	"lastblock/core/value/amount"
)

// An engine that was built with the tag "broken" breaks once in a run, between reading and result, so that tests can
// show
// what a broken engine does: it writes nothing. No other build has any of this. LASTBLOCK_BREAK says how it breaks:
// "drop" loses a record, "double" hands one on twice, "change" adds a hundredth to an amount.

var hasBroken atomic.Bool

// isBroken tells whether something is still to break.
func isBroken() bool { return os.Getenv("LASTBLOCK_BREAK") != "" && !hasBroken.Load() }

// breaks tells whether this is what is to break now.
func breaks(how string) bool {
	return os.Getenv("LASTBLOCK_BREAK") == how && hasBroken.CompareAndSwap(false, true)
}

func (v *Visitor) breakRows(b *source.Batch) {
	n, width := v.Usable(b), len(v.columns)
	if n == 0 {
		return
	}
	last := v.Row(n - 1)
	switch {
	case breaks("drop"):
		v.keepRows(b)
		v.Rows, v.Values = v.Rows[:n-1], v.Values[:(n-1)*width]
	case breaks("double"):
		v.keepRows(b)
		v.Rows, v.Values = append(v.Rows, last), append(v.Values, v.Values[(n-1)*width:]...)
	}
}

func (v *Visitor) breakAmount() bool {
	if len(v.Values) == 0 || !breaks("change") {
		return false
	}
	v.Values[0], v.Plain = v.Values[0].Add(amount.New(1, 2)), false
	return true
}

// keepRows makes sure that Rows says which rows can be used.
func (v *Visitor) keepRows(b *source.Batch) {
	if v.Rows == nil {
		for row := range b.Batch.Rows {
			v.Rows = append(v.Rows, row)
		}
	}
}
