package matching

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"lastblock/core/record"
	"lastblock/core/value/equality"
)

// An item gives back what was put into it, however long its texts are, and whether they
// stood behind one another or not, in quotes or without.
func TestItems(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 10))
	for range 300 {
		columns := 1 + r.IntN(6)
		record := &Record{Place: record.PlaceOf(r.IntN(1000), r.IntN(1<<30)),
			Decimals: bytes.Repeat([]byte{'.'}, columns)}
		var raw []byte
		bounds := []uint32{^uint32(0)}
		for i := range columns {
			text := bytes.Repeat([]byte{'a' + byte(i)}, r.IntN(1<<r.IntN(12)))
			record.Texts = append(record.Texts, text)
			if i > 0 {
				raw = append(raw, ',')
			}
			if r.IntN(3) == 0 {
				record.quoted = true
				raw = append(append(append(raw, '"'), text...), '"')
			} else {
				raw = append(raw, text...)
			}
			bounds = append(bounds, uint32(len(raw)))
		}
		if r.IntN(2) == 0 {
			record.raw, record.bounds = raw, bounds
		}
		key := &Key{Columns: []int{0, columns - 1}, Loose: make([]equality.Loose, 2)}
		made, blank := key.Append(nil, record.Texts, record.Decimals)
		h := NewHeaps(1, 1<<20, 1)
		d := h.Dealer(0)
		if err := d.Put(record, made, blank, 1); err != nil {
			t.Fatal(err)
		}
		collect := new(collector)
		if err := h.EachGroup(context.Background(), 1, func() Groups { return collect }); err != nil {
			t.Fatal(err)
		}
		item := collect.groups[0][0]
		texts := make([][]byte, columns)
		item.Texts(texts)
		again := item.Rekey(nil, []byte("other"), false)
		for i, want := range record.Texts {
			if !bytes.Equal(texts[i], want) || !bytes.Equal(item.Text(i, columns), want) ||
				!bytes.Equal(again.Text(i, columns), want) {
				t.Fatalf("text %d of %d is another one", i, columns)
			}
		}
		if item.Place() != record.Place || item.Side() != 1 || !blank && !bytes.Equal(item.Key(), made) ||
			string(again.Key()) != "other" || again.Place() != record.Place {
			t.Errorf("it gives place %d, side %d, key %q", item.Place(), item.Side(), item.Key())
		}
	}
}

// Two records are told to be alike where they were sent with the same texts, and not where one has quotes as a part of
// a text that the other was put into.
func TestAlikeItems(t *testing.T) {
	item := func(text string, quoted bool, line int) Item {
		h := NewHeaps(1, 1<<20, 1)
		r := &Record{Place: record.PlaceOf(1, line), Texts: [][]byte{[]byte(text)}}
		if quoted {
			r.raw, r.bounds, r.quoted = []byte(text), []uint32{^uint32(0), uint32(len(text))}, true
		}
		if err := h.Dealer(0).Put(r, []byte("key"), false, 0); err != nil {
			t.Fatal(err)
		}
		collect := new(collector)
		if err := h.EachGroup(context.Background(), 1, func() Groups { return collect }); err != nil {
			t.Fatal(err)
		}
		return collect.groups[0][0]
	}
	for _, c := range []struct {
		a, b  Item
		alike bool
	}{
		{item("Pass", false, 2), item("Pass", false, 3), true},
		{item("Pass", false, 2), item("Pall", false, 3), false},
		{item(`"Pass"`, true, 2), item(`"Pass"`, true, 3), true},
		{item(`"Pass"`, true, 2), item(`"Pass"`, false, 3), false},
	} {
		if c.a.IsAlike(c.b) != c.alike || c.b.IsAlike(c.a) != c.alike {
			t.Errorf("%q and %q are alike: %v", c.a, c.b, !c.alike)
		}
	}
}

// collector keeps the groups that it is given.
type collector struct{ groups [][]Item }

func (c *collector) Group(here, there []Item) error {
	c.groups = append(c.groups, append(slices.Clone(here), there...))
	return nil
}

// Rows come back in the order of their numbers, beyond memory as well.
func TestRows(t *testing.T) {
	for _, memory := range []int64{1, 1 << 30} {
		const most = 5000
		rows := NewRows(most, 1<<22, memory, 2)
		writers := []*RowWriter{rows.Writer(), rows.Writer()}
		var want bytes.Buffer
		for number := range most + 1 {
			fmt.Fprintf(&want, "%d %s\n", number, bytes.Repeat([]byte{'x'}, number%300))
		}
		for i, number := range rand.New(rand.NewPCG(1, 11)).Perm(most + 1) {
			row := fmt.Appendf(nil, "%d %s\n", number, bytes.Repeat([]byte{'x'}, number%300))
			if err := writers[i%2].Add(uint64(number), row); err != nil {
				t.Fatal(err)
			}
		}
		for range 2 { // they can be written more than once
			var got bytes.Buffer
			if err := rows.Write(context.Background(), 2, &got); err != nil || !bytes.Equal(got.Bytes(), want.Bytes()) {
				t.Errorf("with %d bytes: %v, and they are not in their order", memory, err)
			}
		}
		if err := rows.Close(); err != nil {
			t.Error(err)
		}
	}
}

func BenchmarkPut(b *testing.B) {
	texts := [][]byte{[]byte("D00012345"), []byte("2031-02-17"), []byte("P041"), []byte("1234.50")}
	raw := bytes.Join(texts, []byte(","))
	bounds := []uint32{^uint32(0), 9, 20, 25, 33}
	b.SetBytes(int64(len(raw)))
	h := NewHeaps(1<<28, 1<<30, 1)
	d := h.Dealer(0)
	var key [8]byte
	for i := range b.N {
		binary.LittleEndian.PutUint64(key[:], uint64(i)*0x9e3779b97f4a7c15)
		if err := d.Put(&Record{Texts: texts, raw: raw, bounds: bounds}, key[:], false, 0); err != nil {
			b.Fatal(err)
		}
	}
}
