package partition

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"testing"
)

// What is put into a bin comes out of it, in its order, whether it fits or not.
func TestBins(t *testing.T) {
	for _, limit := range []int64{0, 1 << 30} {
		r := rand.New(rand.NewPCG(1, uint64(limit)))
		b := NewBins(5, limit)
		want := make([][][]byte, 5)
		for i := range 6000 {
			item := bytes.Repeat([]byte{byte(i)}, r.IntN(400))
			if i%1000 == 7 {
				item = bytes.Repeat([]byte{byte(i)}, 100_000) // larger than a chunk
			}
			n := r.IntN(5)
			want[n] = append(want[n], item)
			if i%2 == 0 {
				if err := b.Add(n, item); err != nil {
					t.Fatal(err)
				}
				continue
			}
			room, err := b.Room(n, len(item))
			if err != nil {
				t.Fatal(err)
			}
			copy(room, item)
		}
		if spilled := b.file != nil; spilled != (limit == 0) {
			t.Errorf("with a limit of %d, a file is %v", limit, spilled)
		}
		for n := range want {
			i := 0
			err := b.Each(n, func(item []byte) error {
				if i >= len(want[n]) || !bytes.Equal(item, want[n][i]) {
					return fmt.Errorf("item %d of bin %d is another one", i, n)
				}
				i++
				return nil
			})
			if err != nil || i != len(want[n]) {
				t.Errorf("%v: %d items, want %d", err, i, len(want[n]))
			}
		}
		if err := b.Close(); err != nil {
			t.Error(err)
		}
	}
}
