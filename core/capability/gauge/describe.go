package gauge

import (
	"bytes"
	"cmp"
	"errors"
	"math"
	"runtime"
	"slices"
	"sync/atomic"

	"lastblock/core/large/intern"
	"lastblock/core/large/spill"
	"lastblock/core/record"
	"lastblock/core/value/amount"
	"lastblock/core/value/kind"
	"lastblock/core/value/statistic"

	"golang.org/x/sync/errgroup"
)

// describe puts together what several goroutines have gathered, in the order of
// columns. Each column's texts come one after another, each text once for every
// decimal mark.
func describe(parts []*gatherer, columns []asked, memory int64, frequent int) ([]Column, error) {
	rows := 0
	for _, g := range parts {
		rows += g.rows
	}
	all := make([]Column, 0, len(columns))
	if isSpilled(parts, memory) {
		found, err := describeSpilled(parts, columns, rows, memory, frequent)
		if err != nil {
			return nil, err
		}
		for _, c := range columns {
			column, ok := found[c.name]
			if !ok {
				column = Column{Summary: new(statistic.Moments).Summary(c.name, rows, c.kind)}
			}
			all = append(all, column)
		}
		return all, nil
	}
	all = all[:len(columns)]
	shares := sharesOf(parts, columns)
	portraits := make([][]*portrait, len(columns)) // of each share
	for _, s := range shares {
		portraits[s.column] = append(portraits[s.column], nil)
	}
	open := make([]atomic.Int32, len(columns)) // shares that are not done yet
	for i := range open {
		open[i].Store(int32(len(portraits[i])))
	}
	group := newGroup()
	for _, s := range shares {
		group.Go(func() error {
			of := portraits[s.column]
			of[s.index] = newPortrait(memory/int64(len(of)), frequent)
			if err := s.describe(of[s.index]); err != nil {
				return err
			}
			if open[s.column].Add(-1) > 0 {
				return nil
			}
			column, err := finish(of, columns[s.column], rows)
			all[s.column] = column
			return err
		})
	}
	err := group.Wait()
	for _, p := range slices.Concat(portraits...) {
		if p != nil {
			err = errors.Join(err, p.close())
		}
	}
	return all, err
}

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

// finish describes a column by the portraits of all its shares, which are then gone.
func finish(portraits []*portrait, of asked, rows int) (Column, error) {
	p := portraits[0]
	for i, other := range portraits[1:] {
		if err := cmp.Or(p.merge(other), other.close()); err != nil {
			return Column{}, err
		}
		portraits[i+1] = nil
	}
	column, err := p.column(of, rows)
	portraits[0] = nil
	return column, errors.Join(err, p.close())
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

// isSpilled tells whether anything was put aside, or whether putting all
// together could take too much memory.
func isSpilled(parts []*gatherer, memory int64) bool {
	var size int64
	for _, g := range parts {
		if g.spilled.Len() > 0 {
			return true
		}
		size += g.size()
	}
	return size > memory/2
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

// describeSpilled reads all texts in order from where they were put aside.
func describeSpilled(parts []*gatherer, columns []asked, rows int, memory int64,
	frequent int) (map[string]Column, error) {
	var sorters []*spill.Sorter
	names, at := []string(nil), make(map[string]int)
	for _, g := range parts {
		for _, name := range g.names {
			if _, ok := at[name]; !ok {
				at[name] = len(names)
				names = append(names, name)
			}
		}
	}
	for _, g := range parts {
		if err := g.renumber(at); err != nil {
			return nil, err
		}
		if err := g.spill(); err != nil {
			return nil, err
		}
		sorters = append(sorters, g.spilled)
	}
	found := make(map[string]Column)
	var p *portrait
	current := -1
	end := func() error {
		if p == nil {
			return nil
		}
		of := asked{name: names[current]}
		if at := slices.IndexFunc(columns, func(c asked) bool { return c.name == of.name }); at >= 0 {
			of = columns[at]
		}
		column, err := p.column(of, rows)
		found[names[current]] = column
		return errors.Join(err, p.close())
	}
	var text []byte
	var both counts
	flush := func() error {
		if both == (counts{}) {
			return nil
		}
		n := both
		both = counts{}
		return p.add(text, n)
	}
	err := spill.Merge(sorters, func(item []byte) error {
		column, value, mark, n := fromItem(item)
		if column == current && bytes.Equal(value, text) {
			both[mark] += n
			return nil
		}
		if err := flush(); err != nil {
			return err
		}
		if column != current {
			if err := end(); err != nil {
				return err
			}
			current, p = column, newPortrait(memory/4, frequent)
		}
		text = append(text[:0], value...)
		both[mark] = n
		return nil
	})
	if err == nil {
		err = flush()
	}
	if err == nil {
		err = end()
	} else if p != nil {
		err = errors.Join(err, p.close())
	}
	return found, err
}

// renumber gives the columns of a gatherer the numbers that they have for all.
func (g *gatherer) renumber(at map[string]int) error {
	same := true
	for i, name := range g.names {
		same = same && at[name] == i
	}
	if same {
		return nil
	}
	old := g.spilled
	g.spilled = nil
	for i := range g.columns {
		g.columns[i].column = at[g.names[g.columns[i].column]]
	}
	if old.Len() == 0 {
		return nil
	}
	g.spilled = spill.New(g.limit)
	err := spill.Merge([]*spill.Sorter{old}, func(item []byte) error {
		column, text, mark, n := fromItem(item)
		g.item = appendItem(g.item[:0], at[g.names[column]], text, mark, n)
		return g.spilled.Add(g.item)
	})
	return errors.Join(err, old.Close())
}

// portrait describes one column, of which it is given each text once for every
// decimal mark.
type portrait struct {
	moments  statistic.Moments
	numbers  *numbers // values of amounts and how often each stands there
	texts    int
	frequent top
	others   []string // the first texts, in the order of their bytes, that are no amounts
}

// shownOthers is how many texts that are no amounts are kept.
const shownOthers = 3

// addOther takes in a text that is no amount.
func (p *portrait) addOther(text []byte) {
	if len(p.others) == shownOthers && string(text) >= p.others[shownOthers-1] {
		return
	}
	if at, known := slices.BinarySearch(p.others, string(text)); !known {
		p.others = slices.Insert(p.others, at, string(text))
		p.others = p.others[:min(len(p.others), shownOthers)]
	}
}

func newPortrait(memory int64, frequent int) *portrait {
	return &portrait{numbers: newNumbers(memory / 4), frequent: top{most: frequent}}
}

func (p *portrait) close() error { return p.numbers.close() }

// add takes in a text, which is read by the mark with which it was written.
func (p *portrait) add(text []byte, n counts) error {
	if len(kind.Trimmed(text)) == 0 {
		return nil
	}
	p.texts++
	if both := n[0] + n[1]; p.frequent.wantsText(text, both) {
		p.frequent.add(string(text), both)
	}
	for mark, decimal := range []byte{'.', ','} {
		if n[mark] == 0 {
			continue
		}
		value, ok := p.moments.Add(text, decimal, n[mark])
		if !ok {
			p.addOther(text)
			continue
		}
		if err := p.numbers.add(value, n[mark]); err != nil {
			return err
		}
	}
	return nil
}

// addDecimals takes in amounts with a decimal point, of one form, from the smallest to the largest.
func (p *portrait) addDecimals(amounts []number, form record.Decimals) error {
	p.texts += len(amounts)
	for _, of := range amounts {
		if n := int(of.N); p.frequent.wants(n) {
			p.frequent.add(string(form.Append(nil, of.Coefficient)), n)
		}
	}
	p.moments.AddDecimals(amounts, form)
	return p.numbers.merge(&numbers{held: amounts, settled: len(amounts), scale: form.Scale()})
}

// merge takes in what another portrait has of the same column; no text is in both.
func (p *portrait) merge(o *portrait) error {
	p.moments.Merge(&o.moments)
	p.texts += o.texts
	for _, f := range o.frequent.values {
		p.frequent.add(f.Text, f.Count)
	}
	for _, text := range o.others {
		p.addOther([]byte(text))
	}
	return p.numbers.merge(o.numbers)
}

// column finishes the description.
func (p *portrait) column(of asked, rows int) (Column, error) {
	c := Column{Summary: p.moments.Summary(of.name, rows, of.kind), Distinct: p.texts, Frequent: p.frequent.values}
	if c.Kind != record.Amount || !c.Has {
		return c, nil
	}
	if c.Others > 0 {
		c.NoAmounts = p.others
	}
	return c, p.describeAmounts(&c)
}

// describeAmounts goes through the amounts from the smallest to the largest.
func (p *portrait) describeAmounts(c *Column) error {
	q := &quartiles{total: c.Count - c.Others}
	frequent := top{most: p.frequent.most}
	distinct := 0
	scaled := func(value amount.Amount) amount.Amount { return value.Add(amount.New(0, p.moments.Evidence.Scale)) }
	err := p.numbers.each(func(value amount.Amount, n int) error {
		distinct++
		q.add(value, n)
		if frequent.wants(n) {
			frequent.add(scaled(value).String(), n)
		}
		return nil
	})
	c.Q1, c.Median, c.Q3 = scaled(q.at(1)), scaled(q.at(2)), scaled(q.at(3))
	c.Distinct, c.Frequent = distinct, frequent.values
	return err
}

// top keeps the values that come most often; of equally many the first in the
// order of their texts.
type top struct {
	most   int
	values []Frequent
}

// wants tells whether a value that comes so often may be among them.
func (t *top) wants(n int) bool {
	return t.most > 0 && (len(t.values) < t.most || n >= t.values[t.most-1].Count)
}

// wantsText tells whether a text that comes so often is among them.
func (t *top) wantsText(text []byte, n int) bool {
	if !t.wants(n) || len(t.values) < t.most {
		return t.wants(n)
	}
	last := &t.values[t.most-1]
	return n > last.Count || string(text) < last.Text
}

func (t *top) add(text string, n int) {
	order := func(a, b Frequent) int { return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(a.Text, b.Text)) }
	f := Frequent{text, n}
	if len(t.values) == t.most && (t.most == 0 || order(f, t.values[t.most-1]) > 0) {
		return
	}
	at, _ := slices.BinarySearchFunc(t.values, f, order)
	t.values = slices.Insert(t.values, at, f)
	t.values = t.values[:min(len(t.values), t.most)]
}

// quartiles are found among so many values that come from the smallest to the
// largest. Between two values the quartile is interpolated: a quarter of the way
// through n values is the place (n−1)/4, counted from 0.
type quartiles struct {
	total int
	seen  int
	next  int              // place, at or behind seen, whose value is asked for
	below [3]amount.Amount // the value at the place, rounded down
	above [3]amount.Amount // and the next one
}

func (q *quartiles) add(value amount.Amount, n int) {
	from, to := q.seen, q.seen+n // places that have this value
	if q.seen = to; to <= q.next {
		return
	}
	q.next = q.total
	take := func(place int, at *amount.Amount) {
		if from <= place && place < to {
			*at = value
		}
		if place >= to {
			q.next = min(q.next, place)
		}
	}
	for i := range q.below {
		place := (q.total - 1) * (i + 1) / 4
		take(place, &q.below[i])
		take(min(place+1, q.total-1), &q.above[i])
	}
}

// at is the n-th quartile.
func (q *quartiles) at(n int) amount.Amount {
	if q.total == 0 {
		return amount.Amount{}
	}
	below, above := q.below[n-1], q.above[n-1]
	quarters := (q.total - 1) * n % 4
	if quarters == 0 {
		return below
	}
	const quarter, quarterScale = 25, 2
	between := above.Sub(below).Mul(amount.New(int64(quarters)*quarter, quarterScale))
	return below.Add(between).Reduce()
}
