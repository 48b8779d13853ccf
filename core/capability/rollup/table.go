package rollup

import (
	"lastblock/core/large/intern"
	"lastblock/core/value/amount"
)

// table holds the groups of one goroutine: their keys are numbered, and the sums
// lie in one flat slice.
type table struct {
	width  int // sums per group
	keys   *intern.Table
	counts []int
	sums   []amount.Sum
}

func newTable(width int) *table { return &table{width: width, keys: intern.New()} }

func (t *table) len() int { return len(t.counts) }

// size is roughly how many bytes the table takes.
func (t *table) size() int64 {
	const sumSize = 24
	return t.keys.Size() + int64(8*cap(t.counts)+sumSize*cap(t.sums))
}

// group returns the number of the group with this key, a new one if needed.
func (t *table) group(key []byte) int {
	return t.numbered(t.keys.Number(key))
}

// numbered makes room for a group that is new.
func (t *table) numbered(g int, added bool) int {
	if added {
		t.counts = append(t.counts, 0)
		for range t.width {
			t.sums = append(t.sums, amount.Sum{})
		}
	}
	return g
}

func (t *table) key(g int) []byte { return t.keys.Key(g) }

// of returns the sums of a group.
func (t *table) of(g int) []amount.Sum { return t.sums[g*t.width : (g+1)*t.width] }

// add adds records and sums to a group.
func (t *table) add(group, records int, sums []amount.Sum) {
	t.counts[group] += records
	of := t.of(group)
	for i := range sums {
		of[i].Merge(&sums[i])
	}
}

// reset empties the table, keeping its room.
func (t *table) reset() {
	t.keys.Reset()
	t.counts, t.sums = t.counts[:0], t.sums[:0]
}
