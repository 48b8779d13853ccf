package doubles

import (
	"context"
	"encoding/binary"
	"sync"

	"lastblock/core/finding/drop"
	"lastblock/core/large/partition"
	"lastblock/core/large/spill"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/equality"

	"github.com/zeebo/xxh3"
)

// mark notes where records are whose fingerprints stand several times.
func (s *search) mark(ctx context.Context) error {
	for k, m := range s.matchers() {
		var dealers []*partition.Dealer[dealt]
		for _, v := range s.visitors {
			dealers = append(dealers, v.dealers[k])
		}
		if err := s.markEach(ctx, dealers, &m.wanted); err != nil {
			return err
		}
	}
	for k, m := range s.nears {
		var dealers []*partition.Dealer[dealt]
		for _, v := range s.visitors {
			dealers = append(dealers, v.nears[k])
		}
		if err := s.markEach(ctx, dealers, &m.wanted); err != nil {
			return err
		}
	}
	return s.closeDealers() // what was dealt is no longer needed
}

// markEach notes the places of items of which several have one hash, and, if that
// is asked for, are of several sources. Copies do not count.
func (s *search) markEach(ctx context.Context, dealers []*partition.Dealer[dealt], wanted *[]*drop.Lines) error {
	*wanted = make([]*drop.Lines, len(s.sources))
	var mutex sync.Mutex // guards wanted
	return partition.EachRepeated(ctx, dealers, s.reading.Jobs, s.reading.Memory/4, func(items []dealt) error {
		var places []record.Place
		err := partition.Groups(items, func(same []dealt) error {
			from := len(places)
			for _, item := range same {
				if place := record.Place(item[1]); !s.isCopy(place.Source()) {
					places = append(places, place)
				}
			}
			if found := places[from:]; len(found) < 2 || s.options.Across &&
				found[0].Source() == found[len(found)-1].Source() {
				places = places[:from]
			}
			return nil
		})
		mutex.Lock()
		defer mutex.Unlock()
		for _, place := range places {
			index := place.Source()
			if (*wanted)[index] == nil {
				(*wanted)[index] = new(drop.Lines)
			}
			(*wanted)[index].Add(place.Line())
		}
		return err
	})
}

// matchers are all there are.
func (s *search) matchers() []*matcher {
	all := []*matcher{s.whole}
	if s.records != s.whole {
		all = append(all, s.records)
	}
	if s.keys != nil {
		all = append(all, s.keys)
	}
	return all
}

// readMarked reads once more what is marked, and puts records that agree
// together.
func (s *search) readMarked(ctx context.Context) error {
	var indices []int
	for i := range s.sources {
		marked := false
		for _, m := range s.matchers() {
			marked = marked || m.wanted[i] != nil
		}
		for _, m := range s.nears {
			marked = marked || m.wanted[i] != nil
		}
		if marked {
			indices = append(indices, i)
		}
	}
	if len(indices) == 0 {
		return nil
	}
	s.options.Drop.Reset()
	subset := s.set.Subset(indices)
	for i := range subset.Sources {
		subset.KeepSent(subset.Sources[i].Name)
	}
	t := tally.New(subset, tally.Options{Amounts: s.options.Totals, Drop: s.options.Drop})
	reading := s.reading
	reading.Progress, reading.OwnOutputs, reading.Partial = nil, true, true
	var wanted [][]*drop.Lines
	for _, m := range s.matchers() {
		wanted = append(wanted, m.wanted)
	}
	for _, m := range s.nears {
		wanted = append(wanted, m.wanted)
	}
	reading.Wanted = func(index, first, last int) (from, to int, ok bool) {
		for _, of := range wanted {
			if f, t, some := of[indices[index]].Between(first, last); some {
				if !ok || f < from {
					from = f
				}
				to, ok = max(to, t), true
			}
		}
		return from, to, ok
	}
	share := s.reading.Memory / int64(8*max(1, s.reading.Jobs)*(len(s.matchers())+len(s.nears)))
	return subset.Scan(ctx, reading, func() source.Visitor {
		c := &collector{search: s, bound: tally.NewBinding(s.set, tally.DataColumns(s.columns)), indices: indices,
			tally: t.Visitor()}
		for _, m := range s.matchers() {
			sorter := spill.New(share)
			m.kept = append(m.kept, sorter)
			c.sorters = append(c.sorters, sorter)
		}
		for _, m := range s.nears {
			sorter := spill.New(share)
			m.kept = append(m.kept, sorter)
			c.sorters = append(c.sorters, sorter)
		}
		return c
	})
}

// collector is given the records that are marked, among others, and puts them
// aside: the hash, what they agree in, the place, the fingerprint by which
// decisions know a record, and the rest of its values.
type collector struct {
	search  *search
	tally   *tally.Visitor
	indices []int // of the sources in the set of the search
	sorters []*spill.Sorter
	scratch []byte
	bound   *tally.Binding
	fields  fields
	key     []byte
	item    []byte
	print   equality.Print
	near    nearWorker
}

func (c *collector) Batch(b *source.Batch) error {
	if err := c.tally.Batch(b); err != nil {
		return err
	}
	s, index := c.search, c.indices[b.Index]
	c.bound.To(b)
	matchers := s.matchers()
	for i := range c.tally.Usable(b) {
		row := c.tally.Row(i)
		line := b.Line(row)
		read := false
		for k, m := range matchers {
			if !m.wanted[index].Has(line) {
				continue
			}
			c.read(b, row, &read)
			var blank bool
			if c.key, blank = c.fields.appendKey(c.key[:0], m); blank && m == s.keys {
				continue
			}
			if err := c.keep(c.sorters[k], c.key, record.PlaceOf(index, line), b, row, m.rest); err != nil {
				return err
			}
		}
		for k, m := range s.nears {
			if !m.wanted[index].Has(line) {
				continue
			}
			c.read(b, row, &read)
			err := c.near.eachBlock(m, &c.fields, func(block []byte) error {
				return c.keep(c.sorters[len(matchers)+k], block, record.PlaceOf(index, line), b, row, true)
			})
			if err != nil {
				return err
			}
		}
	}
	return nil
}

func (c *collector) read(b *source.Batch, row int, read *bool) {
	if !*read {
		c.fields.read(c.bound, b, row, &c.scratch)
		*read = true
	}
}

// keep puts a record aside. The length of the key stands at the end, for taking
// the item apart again.
func (c *collector) keep(sorter *spill.Sorter, key []byte, place record.Place, b *source.Batch, row int,
	rest bool) error {
	c.item = binary.BigEndian.AppendUint64(c.item[:0], c.search.mix(xxh3.Hash(key)))
	c.item = append(c.item, key...)
	c.item = binary.BigEndian.AppendUint64(c.item, uint64(place))
	print := tally.PrintOf(&c.print, b, row, &c.scratch)
	c.item = binary.BigEndian.AppendUint64(binary.BigEndian.AppendUint64(c.item, print.Meant), print.Sent)
	if rest {
		c.item = append(c.item, c.fields.data...)
	}
	c.item = binary.BigEndian.AppendUint32(c.item, uint32(len(key)))
	return sorter.Add(c.item)
}

func (c *collector) Flush(context.Context, int) error { return nil }

// group are records that agree in the columns of a matcher, in the order of their
// places.
type group struct {
	key     []byte // the values that they agree in, with their lengths
	members []member
	arena   []byte
}

// member is a record of a group.
type member struct {
	place record.Place
	print drop.Print
	from  int // where its rest stands in the arena of the group
	to    int
}

// rest are all values of a member, with their lengths. Without a rest they are the
// key.
func (g *group) rest(m *member) []byte {
	if m.from == m.to {
		return g.key
	}
	return g.arena[m.from:m.to]
}

// eachGroup gives the groups of what was put aside, one after another. A group is
// good until visit returns.
func eachGroup(sorters []*spill.Sorter, visit func(*group) error) error {
	const word, tail = 8, 4
	var g group
	end := func() error {
		if len(g.members) == 0 {
			return nil
		}
		err := visit(&g)
		g.key, g.members, g.arena = g.key[:0], g.members[:0], g.arena[:0]
		return err
	}
	err := spill.Merge(sorters, func(item []byte) error {
		size := int(binary.BigEndian.Uint32(item[len(item)-tail:]))
		key, rest := item[word:word+size], item[word+size:len(item)-tail]
		if len(g.members) == 0 || string(key) != string(g.key) {
			if err := end(); err != nil {
				return err
			}
			g.key = append(g.key, key...)
		}
		m := member{place: record.Place(binary.BigEndian.Uint64(rest)), print: drop.Print{
			Meant: binary.BigEndian.Uint64(rest[word:]), Sent: binary.BigEndian.Uint64(rest[2*word:])}}
		if n := len(g.members); n > 0 &&
			string(rest[3*word:]) == string(g.arena[g.members[n-1].from:g.members[n-1].to]) {
			m.from, m.to = g.members[n-1].from, g.members[n-1].to // a record that stands a million times is held once
		} else {
			m.from = len(g.arena)
			g.arena = append(g.arena, rest[3*word:]...)
			m.to = len(g.arena)
		}
		g.members = append(g.members, m)
		return nil
	})
	if err != nil {
		return err
	}
	return end()
}
