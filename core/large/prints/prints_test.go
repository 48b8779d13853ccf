package prints

import (
	"math"
	"testing"
)

func TestSum(t *testing.T) {
	for _, c := range []struct {
		rule       string
		a, b, want Sum
	}{
		{"halves are added", Sum{1, 2}, Sum{3, 4}, Sum{4, 6}},
		{"the lower half carries", Sum{1, math.MaxUint64}, Sum{0, 1}, Sum{2, 0}},
		{"the upper half wraps", Sum{math.MaxUint64, math.MaxUint64}, Sum{0, 1}, Sum{0, 0}},
		{"none adds nothing", Sum{5, 6}, Sum{}, Sum{5, 6}},
	} {
		ab, ba := c.a, c.b
		ab.Add(c.b)
		ba.Add(c.a)
		if ab != c.want || ba != c.want {
			t.Errorf("%s: %v and %v, want %v", c.rule, ab, ba, c.want)
		}
	}
}
