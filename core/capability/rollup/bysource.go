package rollup

import (
	"fmt"
	"slices"
	"strconv"

	"lastblock/core/large/texts"
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
	for _, v := range visitors {
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
func (r *Result) IsApart(index int) bool { return r.apart[index] }

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
// keys, where IsApart says so. Keys are those of EachGroup.
func (r *Result) EachOfSource(visit func(source int, row Row) error) error {
	return merge(r.cells, r.parts()+1, len(r.Sums), func(key []byte, of counted) error {
		index, group, err := cellKey(key)
		if err != nil || !r.apart[index] {
			return err
		}
		return visit(index, Row{Key: texts.Split(group), Records: of.records, Sums: amounts(of.sums), Lines: of.lines})
	})
}
