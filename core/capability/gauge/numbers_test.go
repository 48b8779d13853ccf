package gauge

import (
	"cmp"
	"errors"
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"
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
		for _, parts := range []int{1, 2, 5} { // that are merged
			testNumbers(t, fmt.Sprint(c.name, ", in ", parts), r, c.limit, parts, c.next)
		}
	}
}

func testNumbers(t *testing.T, name string, r *rand.Rand, limit int64, parts int, next func(i int) amount.Amount) {
	t.Run(name, func(t *testing.T) {
		var all []*numbers
		for range parts {
			all = append(all, newNumbers(limit))
			defer all[len(all)-1].close()
		}
		var want []*big.Rat
		count := make(map[string]int)
		for i := range 1000 {
			value, n := next(i), 1+r.IntN(3)
			if err := all[r.IntN(parts)].add(value, n); err != nil {
				t.Fatal(err)
			}
			of, _ := new(big.Rat).SetString(value.String())
			if count[of.String()] == 0 {
				want = append(want, of)
			}
			count[of.String()] += n
		}
		slices.SortFunc(want, func(a, b *big.Rat) int { return a.Cmp(b) })
		for _, other := range all[1:] {
			if err := all[0].merge(other); err != nil {
				t.Fatal(err)
			}
		}
		var got []string
		err := all[0].each(func(value amount.Amount, n int) error {
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
		shares := sharesOf(parts, []asked{{name: "text"}})
		var err error
		for i := range shares {
			err = errors.Join(err, shares[i].each(func(text []byte, n counts) error {
				if _, again := got[string(text)]; again {
					t.Errorf("%d goroutines: %q comes twice", goroutines, text)
				}
				got[string(text)] = n
				return nil
			}))
		}
		if err != nil || fmt.Sprint(got) != fmt.Sprint(want) {
			t.Errorf("%d goroutines: %v, want %v, error %v", goroutines, got, want, err)
		}
	}
}

// A column is described alike however many goroutines have gathered it, and whatever fits into memory.
func TestDescribeInShares(t *testing.T) {
	r := rand.New(rand.NewPCG(2031, 11))
	value := map[string]func() string{
		"amount": func() string { return fmt.Sprintf("%d.%02d", r.IntN(900)-450, r.IntN(100)) },
		"code":   func() string { return fmt.Sprintf("%05d", r.IntN(2000)) },
		"date":   func() string { return fmt.Sprintf("2031-%02d-%02d", 1+r.IntN(12), 1+r.IntN(28)) },
		"text":   func() string { return strings.Repeat(string(rune('a'+r.IntN(26))), 1+r.IntN(30)) },
		"mixed":  func() string { return []string{"", " ", "12", "1,5", "pass", "-", "1e3"}[r.IntN(7)] },
	}
	var columns []asked
	for name := range value {
		columns = append(columns, asked{name: name})
	}
	slices.SortFunc(columns, func(a, b asked) int { return cmp.Compare(a.name, b.name) })
	for memory, goroutines := range map[int64]int{1 << 30: 2, 64 << 20: 3, 32 << 20: 6} {
		one, parts := newGatherer(1<<30), make([]*gatherer, goroutines)
		for i := range parts {
			parts[i] = newGatherer(1 << 30)
		}
		for range 20_000 {
			part, mark := parts[r.IntN(len(parts))], r.IntN(2)
			for _, c := range columns {
				text := []byte(value[c.name]())
				for _, g := range []*gatherer{one, part} {
					at := g.dictionary(c.name, mark)
					g.columns[at].texts.Add(text, 1)
				}
			}
			one.rows++
			part.rows++
		}
		want, err := describe([]*gatherer{one}, columns, memory, 4)
		if err != nil {
			t.Fatal(err)
		}
		got, err := describe(parts, columns, memory, 4)
		if err != nil {
			t.Fatal(err)
		}
		for i := range want {
			if want[i].Count+want[i].Blank != 20_000 {
				t.Errorf("of %s there are %d values", columns[i].name, want[i].Count+want[i].Blank)
			}
			if fmt.Sprintf("%+v", got[i]) != fmt.Sprintf("%+v", want[i]) {
				t.Errorf("%d bytes: of %s there is\n%+v, want\n%+v", memory, columns[i].name, got[i], want[i])
			}
		}
	}
}
