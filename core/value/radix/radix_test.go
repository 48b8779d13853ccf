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

// Whole numbers are sorted however far they are from one another.
func TestInts(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	for _, shift := range []int{0, 1, 3, 20, 40, 42, 53, 55, 63, 64} {
		for _, n := range []int{0, 1, 2, few - 1, few, 1000, 5000} {
			for _, extreme := range []bool{false, true} {
				items := make([]int64, n)
				for i := range items {
					items[i] = int64(r.Uint64())>>shift + 70_000
				}
				if extreme && n > 300 {
					items[7], items[300] = math.MaxInt64, math.MinInt64
				}
				want := slices.Clone(items)
				slices.Sort(want)
				Ints(items, make([]int64, n))
				if !slices.Equal(items, want) {
					t.Errorf("%d numbers of %d bits are not sorted", n, 64-shift)
				}
				Ints(items, make([]int64, n)) // which are sorted already
				if !slices.Equal(items, want) {
					t.Errorf("%d sorted numbers of %d bits are no longer", n, 64-shift)
				}
			}
		}
	}
}

func BenchmarkSort(b *testing.B) {
	const n = 1 << 18
	r := rand.New(rand.NewPCG(9, 10))
	items, unsorted, room := make([]int64, n), make([]int64, n), make([]int64, n)
	for i := range unsorted {
		unsorted[i] = r.Int64N(70_000_000)
	}
	b.Run("ints", func(b *testing.B) {
		for b.Loop() {
			copy(items, unsorted)
			Ints(items, room)
		}
	})
	b.Run("keys", func(b *testing.B) {
		for b.Loop() {
			copy(items, unsorted)
			Sort(items, room, func(n *int64) uint64 { return Signed(*n) })
		}
	})
}
