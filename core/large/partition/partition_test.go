package partition

import (
	"context"
	"errors"
	"math/rand/v2"
	"slices"
	"sync"
	"testing"
)

// The oracle is a map of all items. With little memory they go through files, and
// a heap that is too large is put in order in several stretches.
func TestEqualHashesComeTogether(t *testing.T) {
	for _, c := range []struct {
		rule          string
		count, hashes int
		limit, memory int64
	}{
		{"nothing", 0, 1, 1 << 20, 1 << 20},
		{"all in memory", 50_000, 20_000, 1 << 30, 1 << 30},
		{"most of it in files", 200_000, 50_000, 1, 1 << 30},
		{"heaps larger than the memory", 600_000, 400_000, 1 << 30, 1},
		{"one hash for all", 20_000, 1, 1, 1},
	} {
		t.Run(c.rule, func(t *testing.T) {
			r := rand.New(rand.NewPCG(5, 1))
			hashes := make([]uint64, c.hashes)
			for i := range hashes {
				hashes[i] = r.Uint64()
			}
			dealers := []*Dealer[[3]uint64]{NewDealer[[3]uint64](c.limit), NewDealer[[3]uint64](c.limit)}
			want := make(map[uint64][]uint64)
			for i := range c.count {
				hash := hashes[r.IntN(len(hashes))]
				want[hash] = append(want[hash], uint64(i))
				if err := dealers[i%2].Add([3]uint64{hash, uint64(i), ^hash}); err != nil {
					t.Fatal(err)
				}
			}
			for hash, places := range want {
				if len(places) == 1 {
					delete(want, hash)
				}
			}
			var mutex sync.Mutex
			err := EachRepeated(context.Background(), dealers, 3, c.memory, func(items [][3]uint64) error {
				return Groups(items, func(same [][3]uint64) error {
					mutex.Lock()
					defer mutex.Unlock()
					hash := same[0][0]
					var got []uint64
					for _, item := range same {
						if item[2] != ^hash {
							t.Errorf("item %x has lost a word", item)
						}
						got = append(got, item[1])
					}
					if !slices.Equal(got, want[hash]) {
						t.Errorf("hash %x: %d items, want %d, in order", hash, len(got), len(want[hash]))
					}
					delete(want, hash)
					return nil
				})
			})
			if err != nil || len(want) > 0 {
				t.Errorf("%d hashes were not given, error %v", len(want), err)
			}
			if err := Close(dealers); err != nil {
				t.Error(err)
			}
		})
	}
}

func TestEachRepeatedStops(t *testing.T) {
	d := NewDealer[[2]uint64](1)
	for i := range uint64(10) {
		if err := d.Add([2]uint64{i / 2 << 60, i}); err != nil {
			t.Fatal(err)
		}
	}
	enough := errors.New("enough")
	if err := EachRepeated(context.Background(), []*Dealer[[2]uint64]{d}, 2, 1<<20,
		func(items [][2]uint64) error { return enough }); !errors.Is(err, enough) {
		t.Errorf("the error is %v", err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	if err := EachRepeated(ctx, []*Dealer[[2]uint64]{d}, 2, 1<<20,
		func([][2]uint64) error { return nil }); !errors.Is(err, context.Canceled) {
		t.Errorf("the error is %v", err)
	}
}

func BenchmarkDealer(b *testing.B) {
	const count = 1_000_000
	b.SetBytes(16 * count)
	for b.Loop() {
		r := rand.New(rand.NewPCG(1, 1))
		d := NewDealer[[2]uint64](1 << 30)
		for i := range uint64(count) {
			if err := d.Add([2]uint64{r.Uint64(), i}); err != nil {
				b.Fatal(err)
			}
		}
		if err := EachRepeated(context.Background(), []*Dealer[[2]uint64]{d}, 2, 1<<30,
			func([][2]uint64) error { return nil }); err != nil {
			b.Fatal(err)
		}
	}
}
