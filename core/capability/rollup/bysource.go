package rollup

import (
	"fmt"
	"maps"
	"slices"
	"strconv"

	"lastblock/core/large/texts"
	"lastblock/core/value/amount"
)

// bySource keeps beside the groups of all sources what each source gave to them, for one goroutine.
//
// A source's groups are counted in a table of their own, which is added to the one of all when the next
// source begins. So a record is looked up once, as it is without.
type bySource struct {
	apart   *table // groups of the source that is being read
	index   int    // of that source
	rows    int    // of it, in apart
	partly  bool   // some of its groups are in cells already
	shared  func(index int) bool
	cells   *table // groups of all sources, by the number of the source and their keys
	spilled []run
	key     []byte

	result *Result
	known  func(g *Gave) bool // Options.Known
	left   map[int]bool       // sources whose figures are known elsewhere
}

// Gave is what a source gave to a summary.
type Gave struct {
	Source int                       // its index
	Of     *Result                   // for its Keys and the names of its Sums
	Each   func(visit func(c *Cell)) // by group, in any order; a cell is good until visit returns
}

// A source whose groups are nearly as many as its records says no more by group than its records do, so
// that its figures are kept as a whole: where it has more groups than fewGroups and than one for
// manyRecords records.
const (
	fewGroups   = 100
	manyRecords = 4
)

// isKept tells whether the figures of a source are kept by group.
func isKept(groups, records int) bool { return groups <= max(fewGroups, records/manyRecords) }

func newBySource(width int, shared func(index int) bool) *bySource {
	return &bySource{apart: newLinedTable(width), index: -1, shared: shared, cells: newLinedTable(width)}
}

// sourceKey begins the key of a cell. Numbers of one length are in natural order.
func sourceKey(dst []byte, index int) []byte {
	var digits [20]byte
	text := strconv.AppendInt(digits[:0], int64(index), 10)
	return texts.Append(dst, text)
}

// begin makes the table of the source of a batch ready.
func (s *bySource) begin(index int, all *table) {
	if index != s.index {
		s.settle(all, true)
		s.index, s.partly = index, false
	}
}

// settle adds what the table of a source has to that of all.
func (s *bySource) settle(all *table, ends bool) {
	if s.apart.len() == 0 {
		return
	}
	whole := ends && !s.partly && !s.shared(s.index)
	keeps := !whole || isKept(s.apart.len(), s.rows)
	if whole && keeps && s.known != nil && s.known(s.gave()) {
		if s.left == nil {
			s.left = make(map[int]bool)
		}
		keeps, s.left[s.index] = false, true
	}
	for g := range s.apart.len() {
		sums := s.apart.of(g)
		key := s.apart.key(g)
		all.add(all.numbered(all.keys.NumberHashed(key, s.apart.keys.Hash(g))), s.apart.counts[g], sums, Lines{})
		if keeps {
			s.key = append(sourceKey(s.key[:0], s.index), key...)
			s.cells.add(s.cells.group(s.key), s.apart.counts[g], sums, s.apart.at(g))
		}
	}
	s.partly = true
	s.rows = 0
	s.apart.reset()
}

// gave is what the source that was read gave.
func (s *bySource) gave() *Gave {
	g := &Gave{Source: s.index, Of: s.result}
	g.Each = func(visit func(c *Cell)) {
		c := &Cell{Sums: make([]amount.Amount, s.apart.width)}
		for at := range s.apart.len() {
			c.takeKey(s.apart.key(at))
			for i := range c.Sums {
				c.Sums[i] = s.apart.of(at)[i].Amount()
			}
			c.Records, c.Lines = s.apart.counts[at], s.apart.at(at)
			visit(c)
		}
	}
	return g
}

// spill puts the cells aside where they have grown over a limit.
func (s *bySource) spill(limit int64, parts int) error {
	if s.cells.size() <= limit {
		return nil
	}
	run, err := putAside(s.cells, parts+1)
	if err != nil {
		return err
	}
	s.spilled, s.cells = append(s.spilled, run), newLinedTable(s.cells.width)
	return nil
}

// gatherSources takes what the goroutines have kept by source.
func (r *Result) gatherSources(visitors []*visitor) error {
	r.left = make(map[int]bool)
	for _, v := range visitors {
		maps.Copy(r.left, v.by.left)
		r.cells = append(r.cells, v.by.spilled...)
		r.cells = append(r.cells, &tableRun{v.by.cells, v.by.cells.sorted()})
	}
	groups := make(map[int]int)
	err := merge(r.cells, r.parts()+1, len(r.Sums), func(key []byte, _ counted) error {
		index, _, err := cellKey(key)
		groups[index]++
		return err
	})
	r.apart = make(map[int]bool)
	for index, n := range groups {
		r.apart[index] = isKept(n, r.Sources[index].Used)
	}
	return err
}

// cellKey takes the key of a cell apart.
func cellKey(key []byte) (index int, group []byte, err error) {
	first, rest := texts.Take(key)
	if index, err = strconv.Atoi(string(first)); err != nil {
		err = fmt.Errorf("taking groups back: %w", err)
	}
	return index, rest, err
}

// IsApart tells whether the figures of a source are known by group: with Options.BySource they are, but
// for sources that have nearly as many groups as records.
func (r *Result) IsApart(index int) bool { return r.apart[index] || r.left[index] }

// IsLeft tells whether Options.Known has said that the figures of a source are known elsewhere.
func (r *Result) IsLeft(index int) bool { return r.left[index] }

// Keys are the columns of the keys of EachGroup.
func (r *Result) Keys() []string {
	if r.across {
		return append(slices.Clone(r.Columns), r.acrossColumn)
	}
	return r.Columns
}

// HasGroups tells whether its groups say more than its records do: there are not nearly as many of them.
func (r *Result) HasGroups() bool { return isKept(r.Count, r.Total.Records) }

// EachGroup calls visit for each group in the natural order of keys. A key has the columns of the groups,
// and behind them the one that is spread across.
func (r *Result) EachGroup(visit func(row Row) error) error {
	return merge(r.runs, r.parts(), len(r.Sums), func(key []byte, of counted) error {
		return visit(Row{Key: texts.Split(key), Records: of.records, Sums: amounts(of.sums)})
	})
}

// EachOfSource calls visit for what each source gave to each group, in the order of the sources and of the
// keys, where IsApart says so and IsLeft does not; of sources that isWanted, nil for all. Keys are those of EachGroup.
func (r *Result) EachOfSource(isWanted func(source int) bool, visit func(source int, row Row) error) error {
	return merge(r.cells, r.parts()+1, len(r.Sums), func(key []byte, of counted) error {
		index, group, err := cellKey(key)
		if err != nil || !r.apart[index] || isWanted != nil && !isWanted(index) {
			return err
		}
		return visit(index, Row{Key: texts.Split(group), Records: of.records, Sums: amounts(of.sums), Lines: of.lines})
	})
}

// Cell is what a source gave to a group: a row whose key is in bytes.
type Cell struct {
	Key     [][]byte
	Records int
	Sums    []amount.Amount
	Lines   Lines
}

// takeKey takes a key apart.
func (c *Cell) takeKey(key []byte) {
	for c.Key = c.Key[:0]; len(key) > 0; {
		var text []byte
		text, key = texts.Take(key)
		c.Key = append(c.Key, text)
	}
}

// EachCell is EachOfSource of all sources, for who looks at very many of them. A cell is good until visit returns.
func (r *Result) EachCell(visit func(source int, c *Cell)) error {
	c := &Cell{Sums: make([]amount.Amount, len(r.Sums))}
	return merge(r.cells, r.parts()+1, len(r.Sums), func(key []byte, of counted) error {
		index, group, err := cellKey(key)
		if err != nil || !r.apart[index] {
			return err
		}
		c.takeKey(group)
		for i := range of.sums {
			c.Sums[i] = of.sums[i].Amount()
		}
		c.Records, c.Lines = of.records, of.lines
		visit(index, c)
		return nil
	})
}
