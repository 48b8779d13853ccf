package overlay

import "lastblock/core/value/amount"

// floating tells what floating point may have made of a sum of some figures. A spreadsheet computes in binary64 of
// IEEE 754 and stores what it gets: of 0.1 and 0.2 it makes 0.30000000000000004, in seventeen digits. With n numbers
// the error of a sum is at most n × 2^-53 times the sum of their sizes (N. J. Higham, Accuracy and Stability of
// Numerical Algorithms, 4.2, with one rounding more for how each is stored).
type floating struct {
	n    int
	size amount.Sum
	long bool // a figure has more digits than were typed
}

// typedDigits is how many digits of a number binary64 keeps whatever they are (DBL_DIG); one that was typed has no
// more.
const typedDigits = 1_000_000_000_000_000

// halfUnit is 2^-53.
var halfUnit = amount.New(1_110_223_024_625_156_541, 34)

func (f *floating) add(v *value) {
	if v.state != number {
		return
	}
	f.n++
	coefficient, _, ok := v.amount.Plain()
	f.long = f.long || !ok || coefficient >= typedDigits || coefficient <= -typedDigits
	f.size.Add(v.amount.Abs())
}

// holds tells whether a difference is nothing but such an error. Of figures that were all typed every difference
// counts.
func (f *floating) holds(difference amount.Amount) bool {
	if difference.Sign() == 0 {
		return true
	}
	if !f.long {
		return false
	}
	most := f.size.Amount().Mul(halfUnit).Mul(amount.New(int64(f.n), 0))
	return difference.Abs().Cmp(most) <= 0
}
