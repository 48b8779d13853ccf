package rollup

import (
	"lastblock/core/large/intern"
	"lastblock/core/large/texts"
	"lastblock/core/value/amount"
)

// table holds the groups of one goroutine: their keys are numbered, and the sums
// lie in one flat slice.
type table struct {
	width  int // sums per group
	keys   *intern.Table
	recent intern.Recent // of keys
	asked  int           // how often it was asked for one of late, below 0 while it is not
	missed int           // and did not know it
	counts []int
	sums   []amount.Sum
	lines  []Lines // of each group; nil where they are not kept
}

// Lines are the lines of a source between which the records of a group stand; both are 0 where that is not known.
type Lines struct{ First, Last int }

// with are the lines of both.
func (l Lines) with(o Lines) Lines {
	switch {
	case l.First == 0:
		return o
	case o.First == 0:
		return l
	}
	return Lines{min(l.First, o.First), max(l.Last, o.Last)}
}

func newTable(width int) *table { return &table{width: width, keys: intern.New()} }

// newLinedTable is a table that keeps the lines of its groups.
func newLinedTable(width int) *table {
	t := newTable(width)
	t.lines = []Lines{}
	return t
}

// at are the lines of a group.
func (t *table) at(g int) Lines {
	if t.lines == nil {
		return Lines{}
	}
	return t.lines[g]
}

func (t *table) len() int { return len(t.counts) }

// size is roughly how many bytes the table takes.
func (t *table) size() int64 {
	const sumSize = 24
	return t.keys.Size() + int64(8*cap(t.counts)+sumSize*cap(t.sums)+16*cap(t.lines))
}

// group returns the number of the group with this key, a new one if needed.
func (t *table) group(key []byte) int {
	return t.numbered(t.keys.Number(key))
}

// groupOf is group for a key of some texts, which is made in room where that is needed.
func (t *table) groupOf(key [][]byte, room *[]byte) int {
	var held intern.Held
	isShort := false
	switch t.asked++; {
	case t.asked <= 0:
	case len(key) == 1:
		isShort = held.Take(key[0], nil)
	case len(key) == 2:
		isShort = held.Take(key[0], key[1])
	}
	if isShort {
		if g, ok := t.recent.Find(&held); ok {
			return g
		}
		t.miss()
	}
	made := (*room)[:0]
	for _, text := range key {
		made = texts.Append(made, text)
	}
	*room = made
	switch {
	case len(key) > 2:
		return t.numbered(t.recent.Number(t.keys, made))
	case !isShort:
		return t.numbered(t.keys.Number(made))
	}
	g := t.numbered(t.keys.Number(made))
	t.recent.Remember(&held, g)
	return g
}

// miss notes that a group was not remembered. Where most are not, since there are nearly as many as records, none is
// for a while.
func (t *table) miss() {
	const sample, pause = 1 << 10, 1 << 16
	if t.missed++; t.asked < sample {
		return
	}
	if t.missed > sample/2 {
		t.asked = -pause
	} else {
		t.asked = 0
	}
	t.missed = 0
}

// numbered makes room for a group that is new.
func (t *table) numbered(g int, added bool) int {
	if added {
		t.counts = append(t.counts, 0)
		for range t.width {
			t.sums = append(t.sums, amount.Sum{})
		}
		if t.lines != nil {
			t.lines = append(t.lines, Lines{})
		}
	}
	return g
}

func (t *table) key(g int) []byte { return t.keys.Key(g) }

// of returns the sums of a group.
func (t *table) of(g int) []amount.Sum { return t.sums[g*t.width : (g+1)*t.width] }

// add adds records and sums to a group, which stand on some lines.
func (t *table) add(group, records int, sums []amount.Sum, at Lines) {
	t.counts[group] += records
	if t.lines != nil {
		t.lines[group] = t.lines[group].with(at)
	}
	of := t.of(group)
	for i := range sums {
		of[i].Merge(&sums[i])
	}
}

// see notes the line of a record of a group.
func (t *table) see(group, line int) {
	of := &t.lines[group]
	if of.First == 0 || line < of.First {
		of.First = line
	}
	of.Last = max(of.Last, line)
}

// reset empties the table, keeping its room.
func (t *table) reset() {
	t.keys.Reset()
	t.recent.Forget()
	t.counts, t.sums = t.counts[:0], t.sums[:0]
	if t.lines != nil {
		t.lines = t.lines[:0]
	}
}
