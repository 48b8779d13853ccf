package prove

import (
	"strings"
	"testing"

	"lastblock/core/large/intern"
)

// Texts of any length are told apart, be it by their last byte.
func TestWordsTellLongTextsApart(t *testing.T) {
	for _, n := range []int{0, 1, intern.MostHeld - 1, intern.MostHeld, intern.MostHeld + 1, 100} {
		a, b := strings.Repeat("x", n)+"a", strings.Repeat("x", n)+"b"
		lowA, highA := wordsOf([]byte(a))
		lowB, highB := wordsOf([]byte(b))
		if lowA == lowB && highA == highB {
			t.Errorf("texts of %d bytes are one", n+1)
		}
	}
}
