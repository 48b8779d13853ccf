package spill

import (
	"bytes"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
)

// The oracle is the standard library's sort of all items in memory.
func TestMergeIsASortOfAll(t *testing.T) {
	for _, c := range []struct {
		rule    string
		sorters int
		items   int
		limit   int64
	}{
		{"nothing", 2, 0, 0},
		{"one item", 1, 1, 0},
		{"all in memory", 3, 5_000, 1 << 30},
		{"most of it in files", 3, 60_000, leastHeld},
	} {
		t.Run(c.rule, func(t *testing.T) {
			r := rand.New(rand.NewPCG(1, 2))
			sorters := []*Sorter{nil}
			for range c.sorters {
				sorters = append(sorters, New(c.limit))
			}
			var want [][]byte
			for range c.items {
				item := make([]byte, r.IntN(20))
				for i := range item {
					item[i] = byte(r.IntN(4)) * 80 // alike at the front, with bytes over 127
				}
				want = append(want, slices.Clone(item))
				if err := sorters[1+r.IntN(c.sorters)].Add(item); err != nil {
					t.Fatal(err)
				}
			}
			slices.SortFunc(want, bytes.Compare)
			at := 0
			err := Merge(sorters, func(item []byte) error {
				if at >= len(want) || !bytes.Equal(item, want[at]) {
					return fmt.Errorf("item %d is %x", at, item)
				}
				at++
				return nil
			})
			if err != nil || at != len(want) {
				t.Errorf("%d of %d items, error %v", at, len(want), err)
			}
			spilled := false
			for _, s := range sorters {
				spilled = spilled || s.Len() > 0 && len(s.files) > 0
				if err := s.Close(); err != nil {
					t.Error(err)
				}
			}
			if spilled != (c.limit == leastHeld) {
				t.Errorf("put into files: %v", spilled)
			}
		})
	}
}

func TestMergeStopsWhereItsVisitorFails(t *testing.T) {
	s := New(0)
	for _, item := range []string{"b", "a", "c"} {
		if err := s.Add([]byte(item)); err != nil {
			t.Fatal(err)
		}
	}
	enough := errors.New("enough")
	var seen []string
	err := Merge([]*Sorter{s}, func(item []byte) error {
		seen = append(seen, string(item))
		if len(seen) == 2 {
			return enough
		}
		return nil
	})
	if !errors.Is(err, enough) || !slices.Equal(seen, []string{"a", "b"}) {
		t.Errorf("saw %q, error %v", seen, err)
	}
}

func BenchmarkSorter(b *testing.B) {
	r := rand.New(rand.NewPCG(2, 2))
	item := make([]byte, 24)
	for b.Loop() {
		s := New(1 << 20)
		for range 100_000 {
			for i := range 8 {
				item[i] = byte(r.Uint32())
			}
			if err := s.Add(item); err != nil {
				b.Fatal(err)
			}
		}
		if err := Merge([]*Sorter{s}, func([]byte) error { return nil }); err != nil {
			b.Fatal(err)
		}
		if err := s.Close(); err != nil {
			b.Fatal(err)
		}
	}
}
