package gauge

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"testing"

	"lastblock/core/value/amount"
)

// Numbers come back in their order, each once, whether 64 bits hold them at one scale or not, and whether they fit.
func TestNumbers(t *testing.T) {
	r := rand.New(rand.NewPCG(2031, 3))
	few := func() amount.Amount { return amount.New(int64(r.IntN(400)-200), r.IntN(4)) }
	wide := func() amount.Amount {
		n := new(big.Int).Lsh(big.NewInt(int64(r.IntN(9)-4)), 80)
		return amount.FromBig(n.Add(n, big.NewInt(int64(r.IntN(3)))), 2)
	}
	for _, c := range []struct {
		name  string
		limit int64
		next  func(i int) amount.Amount
	}{
		{"at one scale", 1 << 20, func(int) amount.Amount { return amount.New(int64(r.IntN(300)), 2) }},
		{"at several", 1 << 20, func(int) amount.Amount { return few() }},
		{"more than fit", 1 << 10, func(int) amount.Amount { return few() }},
		{"some that 64 bits do not hold", 1 << 20, func(i int) amount.Amount {
			if i%100 == 99 {
				return wide()
			}
			return few()
		}},
		{"one that does not fit at the scale of another", 1 << 20, func(i int) amount.Amount {
			switch i {
			case 300:
				return amount.New(1<<62, 0)
			case 600:
				return amount.New(1, 18)
			}
			return few()
		}},
	} {
		t.Run(c.name, func(t *testing.T) {
			numbers := newNumbers(c.limit)
			defer numbers.close()
			var want []*big.Rat
			count := make(map[string]int)
			for i := range 1000 {
				value, n := c.next(i), 1+r.IntN(3)
				if err := numbers.add(value, n); err != nil {
					t.Fatal(err)
				}
				of, _ := new(big.Rat).SetString(value.String())
				if count[of.String()] == 0 {
					want = append(want, of)
				}
				count[of.String()] += n
			}
			slices.SortFunc(want, func(a, b *big.Rat) int { return a.Cmp(b) })
			var got []string
			err := numbers.each(func(value amount.Amount, n int) error {
				of, _ := new(big.Rat).SetString(value.String())
				got = append(got, fmt.Sprint(of, " ", n))
				return nil
			})
			if err != nil || len(got) != len(want) {
				t.Fatalf("%d numbers, want %d, error %v", len(got), len(want), err)
			}
			for i, of := range want {
				if line := fmt.Sprint(of, " ", count[of.String()]); got[i] != line {
					t.Fatalf("number %d is %s, want %s", i, got[i], line)
				}
			}
		})
	}
}

// What is known of a text does not depend on how many goroutines have counted it.
func TestDictionariesApart(t *testing.T) {
	texts := func(i int) []byte { return fmt.Appendf(nil, "text number %d", i) }
	for _, goroutines := range []int{1, 2, 4, 5, 9} {
		var parts []*gatherer
		want := make(map[string]counts)
		for g := range goroutines {
			part := newGatherer(1 << 30)
			for mark := range 2 {
				at := part.dictionary("text", mark)
				for i := range 50 {
					text := texts(i * (g + mark + 1) % 97)
					part.columns[at].texts.Add(text, g+1)
					n := want[string(text)]
					n[mark] += g + 1
					want[string(text)] = n
				}
			}
			parts = append(parts, part)
		}
		got := make(map[string]counts)
		err := eachText(dictionariesOf(parts, "text"), func(text []byte, n counts) error {
			if _, again := got[string(text)]; again {
				t.Errorf("%d goroutines: %q comes twice", goroutines, text)
			}
			got[string(text)] = n
			return nil
		})
		if err != nil || fmt.Sprint(got) != fmt.Sprint(want) {
			t.Errorf("%d goroutines: %v, want %v, error %v", goroutines, got, want, err)
		}
	}
}
