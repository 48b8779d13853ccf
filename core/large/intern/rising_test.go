package intern

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

// risingTexts are so many texts in the order of their bytes, some of them several times, and some longer than a slot
// holds.
func risingTexts(r *rand.Rand, n int) [][]byte {
	var texts [][]byte
	for range n {
		text := fmt.Sprintf("%c%0*d", 'A'+r.IntN(3), 1+r.IntN(9), r.IntN(1<<(1+r.IntN(20))))
		texts = append(texts, []byte(text+strings.Repeat(" and on", r.IntN(4)/2)))
	}
	texts = append(texts, nil, nil)
	slices.SortFunc(texts, slices.Compare)
	return texts
}

// countsOf is what each of some texts is to be counted.
func countsOf(texts [][]byte) map[string]int {
	all := make(map[string]int)
	for _, text := range texts {
		all[string(text)]++
	}
	return all
}

func countIn(c *Counter, texts [][]byte, some int) {
	for len(texts) > 0 {
		n := min(some, len(texts))
		if n == 1 {
			c.Add(texts[0], 1)
		} else {
			c.AddAll(texts[:n])
		}
		texts = texts[n:]
	}
}

// Texts are counted alike whether they come in the order of their bytes or not, and wherever the order ends.
func TestRising(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 21))
	for round := range 60 {
		texts := risingTexts(r, r.IntN(3000))
		if round%2 == 0 { // the order ends somewhere
			at := r.IntN(len(texts))
			texts = slices.Concat(texts[:at], [][]byte{[]byte("Z")}, texts[at:])
		}
		c, want := NewCounter(), countsOf(texts)
		countIn(c, texts, 1+r.IntN(Together))
		got := make(map[string]int)
		if err := c.Each(func(text []byte, n int) error { got[string(text)] += n; return nil }); err != nil {
			t.Fatal(err)
		}
		if !maps.Equal(got, want) || c.Len() != len(want) {
			t.Fatalf("round %d: %d texts are counted, want %d", round, len(got), len(want))
		}
		if isRising := round%2 == 1 || slices.IsSortedFunc(texts, slices.Compare); c.rising != isRising {
			t.Errorf("round %d: it is a list: %v", round, c.rising)
		}
		for _, text := range append(texts, []byte("B"), []byte("nowhere"), []byte("nowhere, however far one looks")) {
			if n := c.Count(text); n != want[string(text)] {
				t.Fatalf("round %d: %q is counted %d times, want %d", round, text, n, want[string(text)])
			}
		}
		other := NewCounter()
		other.Merge(c)
		for text, n := range want {
			if other.Count([]byte(text)) != n {
				t.Fatalf("round %d: merged, %q is counted %d times, want %d", round, text, other.Count([]byte(text)), n)
			}
		}
	}
}

// What others have counted is told of lists, of tables, and of both.
func TestRisingBeside(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 22))
	for round := range 80 {
		var counters [3]*Counter
		var wants [3]map[string]int
		pool := risingTexts(r, 4000)
		for k := range counters {
			var texts [][]byte
			for at := 0; at < len(pool); { // stretches of it, as of blocks that are read in turn, or single ones
				n := min(1+r.IntN(1<<r.IntN(9)), len(pool)-at)
				if r.IntN(2) == 0 {
					texts = append(texts, pool[at:at+n]...)
				}
				at += n
			}
			if round>>k&1 == 1 {
				texts = append(texts, []byte("A")) // no list
			}
			counters[k], wants[k] = NewCounter(), countsOf(texts)
			countIn(counters[k], texts, 1+r.IntN(Together))
		}
		if round%16 >= 8 {
			Level(counters[:])
			if n := rising(counters[:]); n != 0 && n != 3 {
				t.Fatalf("%d of 3 are lists", n)
			}
		}
		seen := make(map[string]int)
		others := []*Counter{counters[1], counters[2]}
		err := counters[0].Beside(others, func(text []byte, n int, beside []int) error {
			seen[string(text)] = n
			if a, b := wants[1][string(text)], wants[2][string(text)]; beside[0] != a || beside[1] != b {
				return fmt.Errorf("%q stands there %v times, want %d and %d", text, beside, a, b)
			}
			return nil
		})
		if err != nil || !maps.Equal(seen, wants[0]) {
			t.Fatalf("round %d: %v; %d texts, want %d", round, err, len(seen), len(wants[0]))
		}
	}
}

// A list grows beyond what the collector looks after, and becomes a table there, too.
func TestLongLists(t *testing.T) {
	const n = 400_000
	c := NewCounter()
	var room []byte
	for i := range n {
		room = fmt.Appendf(room[:0], "D%08d", i)
		c.Add(room, 1)
	}
	if !c.rising || c.held == nil || c.Len() != n {
		t.Fatalf("it is a list: %v; %d texts", c.rising, c.Len())
	}
	c.Add([]byte("A"), 2)
	for i := range n {
		room = fmt.Appendf(room[:0], "D%08d", i)
		if c.Count(room) != 1 {
			t.Fatalf("%s is counted %d times", room, c.Count(room))
		}
	}
	if c.rising || c.Count([]byte("A")) != 2 || c.Len() != n+1 {
		t.Errorf("it is a list: %v; %d texts", c.rising, c.Len())
	}
}
