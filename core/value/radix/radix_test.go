package radix

import (
	"cmp"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
)

// Items are sorted as numbers, whatever bytes their keys differ in, and equal ones stay in their order.
func TestSort(t *testing.T) {
	type item struct {
		n  int64
		at int
	}
	r := rand.New(rand.NewPCG(5, 6))
	for _, shift := range []int{0, 3, 20, 40, 55, 58, 63} {
		for _, n := range []int{0, 1, 2, few - 1, few, 1000, 5000} {
			items := make([]item, n)
			for i := range items {
				items[i] = item{int64(r.Uint64()) >> shift, i}
			}
			if n > 300 && shift < 50 {
				items[7].n, items[300].n = math.MinInt64, math.MaxInt64
			}
			want := slices.Clone(items)
			slices.SortStableFunc(want, func(a, b item) int { return cmp.Compare(a.n, b.n) })
			Sort(items, make([]item, n), func(i *item) uint64 { return Signed(i.n) })
			if !slices.Equal(items, want) {
				t.Errorf("%d items with numbers of %d bits are not sorted", n, 64-shift)
			}
		}
	}
}
