package gauge

import (
	"cmp"
	"math"
	"runtime"
	"slices"

	"lastblock/core/large/intern"
	"lastblock/core/record"

	"golang.org/x/sync/errgroup"
)

// share is a part of the texts of a column that one goroutine describes: those of one dictionary that no one before it
// has; or a range of codes.
type share struct {
	column       int
	index        int // of the dictionary, or of the range
	dictionaries []*dictionary
	codes        [][]number // the range of each dictionary, where these hold codes
}

// describe has a portrait take in the share.
func (s *share) describe(p *portrait) error {
	if s.codes != nil {
		if form, ok := s.dictionaries[0].codes.form.(record.Decimals); ok {
			return p.addDecimals(s.allCodes(), form)
		}
	}
	if err := s.each(p.add); err != nil {
		return err
	}
	p.numbers.settle() // while others are at work
	return nil
}

// sharesOf are those of all columns, in the order in which they are begun: the columns that take longest first, so that
// none of them is left to one goroutine at the end, and those of a column one after another, so that what is known of
// few columns is held at a time. Before them come columns of codes, as of those that are amounts one goroutine goes
// through all values at their end.
func sharesOf(parts []*gatherer, columns []asked) (shares []share) {
	dictionaries := make([][]*dictionary, len(columns))
	group := newGroup()
	for i, c := range columns {
		if dictionaries[i] = dictionariesOf(parts, c.name); !isOfCodes(dictionaries[i]) {
			group.Go(func() error {
				dictionaries[i] = joined(dictionaries[i])
				return nil
			})
			continue
		}
		for _, d := range dictionaries[i] {
			group.Go(func() error {
				d.codes.settle()
				return nil
			})
		}
	}
	_ = group.Wait() // the only errors would be ours
	order, sizes := make([]int, len(columns)), make([]int64, len(columns))
	for i, of := range dictionaries {
		order[i] = i
		for _, d := range of {
			sizes[i] += d.size()
		}
		if isOfCodes(of) {
			sizes[i] += math.MaxInt64 / 2
		}
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(sizes[b], sizes[a]) })
	for _, i := range order {
		if isOfCodes(dictionaries[i]) {
			for k, codes := range ranges(dictionaries[i]) {
				shares = append(shares, share{i, k, dictionaries[i], codes})
			}
			continue
		}
		for k := range max(1, len(dictionaries[i])) { // also of a column without a dictionary
			shares = append(shares, share{column: i, index: k, dictionaries: dictionaries[i]})
		}
	}
	return shares
}

// newGroup is a group of goroutines for all cores.
func newGroup() *errgroup.Group {
	group := new(errgroup.Group)
	group.SetLimit(runtime.GOMAXPROCS(0))
	return group
}

// ranges takes the codes of dictionaries apart, by ranges of codes, of which each is the part of each dictionary.
func ranges(dictionaries []*dictionary) (all [][][]number) {
	const (
		least      = 1 << 14 // codes of a range
		ofEachCore = 4       // so that all cores end at nearly the same time
	)
	most := slices.MaxFunc(dictionaries, func(a, b *dictionary) int {
		return cmp.Compare(len(a.codes.counted), len(b.codes.counted))
	}).codes.counted
	n := max(1, min(ofEachCore*runtime.GOMAXPROCS(0), len(most)/least))
	from := make([]int, len(dictionaries))
	for k := range n {
		var parts [][]number
		for i, d := range dictionaries {
			to := len(d.codes.counted)
			if k < n-1 {
				to, _ = slices.BinarySearchFunc(d.codes.counted, most[(k+1)*len(most)/n], compareNumbers)
			}
			parts = append(parts, d.codes.counted[from[i]:to])
			from[i] = to
		}
		all = append(all, parts)
	}
	return all
}

// counts are how often a text stands in a column, by the decimal mark with which
// it was written: point, comma.
type counts [2]int

// each gives each text of the share once, with how often it stands in all dictionaries of the column.
//
// They are not put together for that, which takes as much memory as all of them and most of the time; see
// intern.Counter.Beside.
func (s *share) each(visit func(text []byte, n counts) error) error {
	if len(s.dictionaries) == 0 {
		return nil
	}
	if s.codes != nil {
		d := s.dictionaries[0]
		return d.codes.eachOf(s.allCodes(), d.visit(visit))
	}
	d := s.dictionaries[s.index]
	if len(s.dictionaries) == 1 {
		return d.eachValue(d.visit(visit))
	}
	others := slices.Delete(slices.Clone(s.dictionaries), s.index, s.index+1)
	var texts []*intern.Counter
	for _, other := range others {
		texts = append(texts, other.texts)
	}
	return d.texts.Beside(texts, func(text []byte, n int, beside []int) error {
		var all counts
		all[d.mark] = n
		for k, m := range beside {
			if k < s.index && m > 0 {
				return nil // it is in that one's share
			}
			all[others[k].mark] += m
		}
		return visit(text, all)
	})
}

// allCodes are the codes of the range in all dictionaries.
func (s *share) allCodes() (all []number) {
	for _, of := range s.codes {
		all = together(all, of)
	}
	return all
}

// visit visits values as those of the dictionary's mark.
func (d *dictionary) visit(visit func(text []byte, n counts) error) func(text []byte, n int) error {
	return func(text []byte, n int) error {
		var all counts
		all[d.mark] = n
		return visit(text, all)
	}
}

// mostApart is how many dictionaries of one decimal mark are read beside one another; more are put together first.
const mostApart = 4

// dictionariesOf are the dictionaries of a column.
func dictionariesOf(parts []*gatherer, name string) []*dictionary {
	var all []*dictionary
	for _, g := range parts {
		column, ok := g.at[name]
		if !ok {
			continue
		}
		for i := range g.columns {
			if d := &g.columns[i]; d.column == column {
				all = append(all, d)
			}
		}
	}
	return all
}

// joined are the dictionaries of a column with no more than mostApart of each decimal mark, the largest first, and
// texts in all of them.
func joined(all []*dictionary) []*dictionary {
	var byMark [2][]*dictionary
	for _, d := range all {
		d.fold()
		byMark[d.mark] = append(byMark[d.mark], d)
	}
	all = nil
	for _, dictionaries := range byMark {
		slices.SortStableFunc(dictionaries, func(a, b *dictionary) int {
			return cmp.Compare(b.texts.Len(), a.texts.Len())
		})
		for i := mostApart; i < len(dictionaries); i++ {
			dictionaries[i%mostApart].merge(dictionaries[i])
		}
		all = append(all, dictionaries[:min(len(dictionaries), mostApart)]...)
	}
	var texts []*intern.Counter
	for _, d := range all {
		texts = append(texts, d.texts)
	}
	intern.Level(texts)
	return all
}

// isOfCodes tells whether all of a column is codes of one form, of one mark.
func isOfCodes(all []*dictionary) bool {
	return len(all) > 0 && !slices.ContainsFunc(all, func(d *dictionary) bool {
		return d.texts.Len() > 0 || d.mark != all[0].mark || d.codes.form == nil || d.codes.form != all[0].codes.form
	})
}
