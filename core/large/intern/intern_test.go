package intern

import (
	"fmt"
	"math/rand/v2"
	"runtime"
	"strconv"
	"strings"
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
		if number != want || added == known || string(table.Key(number)) != key ||
			table.Hash(number) != xxh3.HashString(key) {
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

// FuzzCounter counts the pieces of a text; the oracle is the runtime's map.
func FuzzCounter(f *testing.F) {
	f.Add("a b ab ba a  abcdefgh abcdefghabcdefgh abcdefghabcdefghi a", byte(' '))
	f.Add("\x00 \x00\x00 0 00 000 0000 00000000000000000000000", byte(' '))
	f.Fuzz(func(t *testing.T, text string, mark byte) {
		c, want := NewCounter(), make(map[string]int)
		for i, piece := range strings.Split(text, string(rune(mark))) {
			c.Add([]byte(piece), 1+i%3)
			want[piece] += 1 + i%3
		}
		seen := 0
		err := c.Each(func(text []byte, n int) error {
			seen++
			if want[string(text)] != n || c.Count(text) != n {
				return fmt.Errorf("%q is counted %d times, want %d", text, n, want[string(text)])
			}
			return nil
		})
		if err != nil || seen != len(want) || c.Len() != len(want) {
			t.Errorf("%d texts, want %d: %v", seen, len(want), err)
		}
		if _, known := want["no such piece"]; !known && c.Count([]byte("no such piece")) != 0 {
			t.Error("a text that never came is counted")
		}
	})
}

// Many texts make the counter grow, on to where its slots lie outside of what the collector looks after, and there.
func TestCounterGrows(t *testing.T) {
	const many = 300_000
	text := func(i int) []byte {
		if i%7 == 0 {
			return fmt.Appendf(nil, "long text %d of many", i)
		}
		return fmt.Appendf(nil, "%d", i*i*i)
	}
	c := NewCounter()
	for round := 1; round <= 2; round++ {
		for i := range many {
			c.Add(text(i), round)
		}
	}
	for i := range many {
		if n := c.Count(text(i)); n != 3 {
			t.Fatalf("%s is counted %d times", text(i), n)
		}
	}
	if c.Len() != many {
		t.Errorf("%d texts", c.Len())
	}
}

// Texts are found in slots to which more were added, those as well that stand at the front because no slot was free
// at the end.
func TestSpread(t *testing.T) {
	r := rand.New(rand.NewPCG(2031, 5))
	const before = 32
	fronts := 0
	for range 2000 {
		slots := make([]counted, before, 4*before)
		all := make(map[uint64]bool)
		for range before * 3 / 4 {
			low := r.Uint64()
			settle(slots, &counted{low, 0, 8<<sizeShift | 1})
			all[low] = true
		}
		if s := slots[0]; s.sized != 0 && mix(s.low, 0, 8)&(before-1) != 0 {
			fronts++
		}
		size := before << (1 + r.IntN(2))
		slots = slots[:size]
		spread(slots, before)
		used := 0
		for _, s := range slots {
			if s.sized != 0 {
				used++
			}
		}
		if used != len(all) {
			t.Fatalf("%d slots are used for %d texts", used, len(all))
		}
		for low := range all {
			at := mix(low, 0, 8) & uint64(size-1)
			for slots[at].sized != 0 && slots[at].low != low {
				at = (at + 1) & uint64(size-1)
			}
			if slots[at].low != low {
				t.Fatal("a text is not found any more")
			}
		}
	}
	if fronts < 100 {
		t.Errorf("a text of the end stood at the front %d times", fronts)
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

func BenchmarkCounter(b *testing.B) {
	for _, count := range []int{1 << 10, 1 << 20} {
		b.Run(fmt.Sprint(count), func(b *testing.B) {
			texts := make([][]byte, count)
			for i := range texts {
				texts[i] = fmt.Appendf(nil, "%d.%02d", i/100, i%100)
			}
			c := NewCounter()
			for i := 0; b.Loop(); i++ {
				c.Add(texts[i*7919&(count-1)], 1)
			}
		})
	}
}

// A counter that takes another one in has counted what both have.
func TestCounterMerges(t *testing.T) {
	one, other, want := NewCounter(), NewCounter(), make(map[string]int)
	for i := range 20_000 {
		text := fmt.Sprint("text ", i*i%7001, strings.Repeat(" and more", i%3))
		if one.Add([]byte(text), 1); i%2 == 0 {
			other.Add([]byte(text), 3)
			want[text] += 3
		}
		want[text]++
	}
	one.Merge(other)
	if one.Len() != len(want) {
		t.Errorf("%d texts, want %d", one.Len(), len(want))
	}
	for text, n := range want {
		if got := one.Count([]byte(text)); got != n {
			t.Errorf("%q is counted %d times, want %d", text, got, n)
		}
	}
}

// A number that is remembered is that of the table, and forgotten when the table is emptied.
func TestRecent(t *testing.T) {
	r := rand.New(rand.NewPCG(2031, 2))
	table, recent := New(), new(Recent)
	numbers := make(map[string]int)
	for i := range 300_000 {
		if i%50_000 == 49_999 {
			table.Reset()
			recent.Forget()
			clear(numbers)
		}
		key := strings.Repeat("k", r.IntN(36)) + fmt.Sprint(r.IntN(9000))
		number, _ := recent.Number(table, []byte(key))
		if want, known := numbers[key]; known && number != want || string(table.Key(number)) != key {
			t.Fatalf("%q has number %d, want %d", key, number, want)
		}
		numbers[key] = number
	}
}

// Of a third as many keys as are remembered, hardly any is forgotten for another one.
func TestRecentRemembers(t *testing.T) {
	r := rand.New(rand.NewPCG(2031, 4))
	var recent Recent
	missed, looks := 0, 40*recentKeys
	for range looks {
		var h Held
		n := r.IntN(recentKeys / 3)
		h.Take(fmt.Append(nil, 4000+n/3), []byte([]string{"EUR", "LKC", "CHF"}[n%3]))
		if number, ok := recent.Find(&h); !ok {
			missed++
			recent.Remember(&h, n)
		} else if number != n {
			t.Fatalf("key %d has number %d", n, number)
		}
	}
	if 20*missed > looks {
		t.Errorf("%d of %d times a key was not remembered", missed, looks)
	}
}

// Two texts are not the same as two others that together look like them.
func TestHeld(t *testing.T) {
	texts := []string{"", "a", "ab", "b", "a\x00", "abcdefgh", "abcdefghi", "abcdefghabcdefgh"}
	recent, n := new(Recent), 0
	for _, first := range texts {
		for _, second := range texts {
			var h Held
			if !h.Take([]byte(first), []byte(second)) {
				t.Fatalf("%q and %q are not held", first, second)
			}
			if number, ok := recent.Find(&h); ok {
				t.Errorf("%q and %q are taken for number %d", first, second, number)
			}
			n++
			recent.Remember(&h, n)
			if number, ok := recent.Find(&h); !ok || number != n {
				t.Errorf("%q and %q: number %d, %v", first, second, number, ok)
			}
		}
	}
	if new(Held).Take(make([]byte, MostHeld+1), nil) {
		t.Error("a text is held that is too long")
	}
}

// Texts that are counted several at a time are counted as one by one, and told beside those of others.
func TestCounterTogether(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 9))
	counters := [3]*Counter{NewCounter(), NewCounter(), NewCounter()}
	var want [3]map[string]int
	for i, c := range counters {
		want[i] = make(map[string]int)
		for range 3_000 {
			group := make([][]byte, r.IntN(Together+1))
			for k := range group {
				n := r.IntN(1 << r.IntN(14)) // few come often, most seldom
				group[k] = []byte(strings.Repeat("\x00", n%41) + strconv.Itoa(n/41))
				if n == 0 {
					group[k] = nil
				}
				want[i][string(group[k])]++
			}
			c.AddAll(group)
		}
		if c.Len() != len(want[i]) {
			t.Fatalf("%d texts, want %d", c.Len(), len(want[i]))
		}
	}
	told := make(map[string]bool)
	err := counters[1].Beside([]*Counter{counters[0], counters[2]}, func(text []byte, n int, beside []int) error {
		all := [3]int{want[0][string(text)], want[1][string(text)], want[2][string(text)]}
		if got := [3]int{beside[0], n, beside[1]}; got != all || told[string(text)] {
			t.Fatalf("%q has counts %v, want %v", text, got, all)
		}
		told[string(text)] = true
		return nil
	})
	if err != nil || len(told) != len(want[1]) {
		t.Errorf("%d texts were told, want %d; %v", len(told), len(want[1]), err)
	}
}

// The slots and long texts of a large counter, which are not the collector's, stay as long as somebody has it.
func TestLargeCountersStay(t *testing.T) {
	for round := range 4 {
		c := NewCounter()
		const n = 300_000
		want := 0
		for i := range n {
			text := strconv.AppendInt(nil, int64(i*(round+1)), 10)
			if i%2 == 0 {
				text = append(text, " and so on for quite a while"...)
			}
			c.Add(text, 1)
			want += len(text)
		}
		if c.held == nil || cap(c.long[len(c.long)-1]) < 1<<21 {
			t.Fatal("a large table is the collector's")
		}
		runtime.GC()
		seen, length := 0, 0
		err := c.Each(func(text []byte, n int) error {
			if seen++; seen == 1000 {
				runtime.GC()
			}
			length += n * len(text)
			return nil
		})
		if err != nil || seen != n || length != want {
			t.Fatalf("%d texts of %d bytes, want %d of %d; %v", seen, length, n, want, err)
		}
	}
}
