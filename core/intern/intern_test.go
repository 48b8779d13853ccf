package intern

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/zeebo/xxh3"
)

// The oracle is the runtime's map.
func TestNumbersAreThoseOfAMap(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	table := New()
	numbers := make(map[string]int)
	for range 200_000 {
		key := fmt.Sprint(r.IntN(50_000))
		if r.IntN(20) == 0 {
			key = "" // which is a key like any other
		}
		number, added := table.Number([]byte(key))
		want, known := numbers[key]
		if !known {
			want = len(numbers)
			numbers[key] = want
		}
		if number != want || added == known || string(table.Key(number)) != key || table.Hash(number) != xxh3.HashString(key) {
			t.Fatalf("%q has number %d, added %v, want %d", key, number, added, want)
		}
	}
	if table.Len() != len(numbers) {
		t.Errorf("%d keys, want %d", table.Len(), len(numbers))
	}
}

// Keys whose hashes are equal are still told apart.
func TestEqualHashes(t *testing.T) {
	table := New()
	for round := range 2 {
		for i := range 300 {
			if n, added := table.NumberHashed(fmt.Append(nil, i), 7<<32); n != i || added != (round == 0) {
				t.Fatalf("round %d: key %d has number %d, added %v", round, i, n, added)
			}
		}
	}
}

func BenchmarkNumber(b *testing.B) {
	for _, count := range []int{1 << 10, 1 << 20} {
		b.Run(fmt.Sprint(count), func(b *testing.B) {
			keys := make([][]byte, count)
			for i := range keys {
				keys[i] = fmt.Appendf(nil, "%d.%02d", i/100, i%100)
			}
			table := New()
			for i := 0; b.Loop(); i++ {
				table.Number(keys[i*7919&(count-1)])
			}
		})
	}
}
