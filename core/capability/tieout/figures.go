package tieout

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"maps"
	"slices"
	"strings"

	"lastblock/core/large/spill"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"

	"github.com/zeebo/xxh3"
)

// figures are what is worked out per source because somebody asked for it, or
// because it is declared.
type figures struct {
	totals   []string // the ones that were asked for first
	asked    int      // so many of the totals
	skip     []bool   // totals that are not compared and not shown, known at the end
	hashes   *hashTotals
	distinct *distinctCounts
}

// newFigures gathers the figures of the options and of all declarations.
func newFigures(set *source.Set, options *Options) *figures {
	f := &figures{totals: slices.Clone(options.Totals), asked: len(options.Totals)}
	hashes, distinct := slices.Clone(options.HashTotals), slices.Clone(options.Distinct)
	add := func(word string) {
		if column, ok := strings.CutPrefix(word, hashPrefix); ok {
			hashes = append(hashes, column)
		} else if column, ok := strings.CutPrefix(word, distinctPrefix); ok {
			distinct = append(distinct, column)
		} else if word != rowsColumn && word[0] != '_' && !slices.Contains(set.Words(), word) {
			f.totals = append(f.totals, word)
		}
	}
	if options.Declared != nil {
		for _, word := range figureColumns(options.Declared) {
			add(word)
		}
	}
	for _, label := range options.Labels {
		add(label.Figure)
	}
	for _, cover := range options.Covers {
		for _, decimal := range []byte{'.', ','} { // which of them it is, its source has to tell
			for _, word := range slices.Sorted(maps.Keys(figuresOn(cover.Grid, options.Labels, decimal))) {
				add(word)
			}
		}
	}
	for _, pattern := range set.Trailers() {
		for _, word := range pattern.Words {
			add(word)
		}
	}
	f.totals = unique(f.totals)
	f.hashes, f.distinct = &hashTotals{names: unique(hashes)}, &distinctCounts{names: unique(distinct)}
	return f
}

// unique takes out what stands in a list already.
func unique(names []string) []string {
	var all []string
	for _, name := range names {
		if !slices.Contains(all, name) {
			all = append(all, name)
		}
	}
	return all
}

// isIdle tells of a check of the figures that there is nothing for it to do.
func (f *figures) isIdle(check Check) bool {
	return check == f.hashes && len(f.hashes.names) == 0 || check == f.distinct && len(f.distinct.names) == 0
}

// settle finds out which declared figures there are no columns for, or that
// were asked for by position already.
func (f *figures) settle(r *run) {
	f.skip = make([]bool, len(f.totals))
	for k := f.asked; k < len(f.totals); k++ {
		f.skip[k] = !r.tally.Has(f.totals[k]) || slices.ContainsFunc(f.totals[:f.asked], func(asked string) bool {
			return r.isSame(asked, f.totals[k])
		})
	}
	for _, names := range []*[]string{&f.hashes.names, &f.distinct.names} {
		for i, name := range *names {
			if !r.tally.Has(name) {
				(*names)[i] = "" // its place among the figures of a source stays
			}
		}
	}
}

// isSame tells whether two names call one column, one of them by its position.
func (r *run) isSame(a, b string) bool {
	return !slices.ContainsFunc(r.tally.Sources, func(s tally.Source) bool {
		if s.Head == nil || s.Head.Empty {
			return false
		}
		x, okX := s.Head.Layout.Find(a)
		y, okY := s.Head.Layout.Find(b)
		return !okX || !okY || x != y
	})
}

// drop takes those figures out of a result.
func (f *figures) drop(result *Result) {
	result.Columns, result.Totals = left(f.totals, f.skip), left(result.Totals, f.skip)
	noHash, noDistinct := blank(f.hashes.names), blank(f.distinct.names)
	result.HashTotals, result.Distinct = left(f.hashes.names, noHash), left(f.distinct.names, noDistinct)
	for i := range result.Sources {
		row := &result.Sources[i]
		row.Totals, row.Running = left(row.Totals, f.skip), left(row.Running, f.skip)
		row.HashTotals, row.Distinct = left(row.HashTotals, noHash), left(row.Distinct, noDistinct)
	}
	proofs := make([]bool, len(result.Proof.Totals))
	copy(proofs, f.skip)
	result.Proof.Totals = left(result.Proof.Totals, proofs)
	for i := range result.Proof.Left {
		of := &result.Proof.Left[i]
		of.Totals = left(of.Totals, proofs)
	}
}

func blank(names []string) []bool {
	skip := make([]bool, len(names))
	for i, name := range names {
		skip[i] = name == ""
	}
	return skip
}

// left are the values that are not skipped.
func left[T any](values []T, skip []bool) []T {
	if !slices.Contains(skip, true) {
		return values
	}
	var kept []T
	for i, value := range values {
		if !skip[i] {
			kept = append(kept, value)
		}
	}
	return kept
}

// hashTotals adds up the numbers in code columns, per source. The sum means
// nothing in itself; a record that is lost or whose code was changed shows in
// it. Letters and blanks are left out: DE 0401 counts as 401.
type hashTotals struct {
	names    []string
	watchers []*hashWatcher
	sums     map[int][]amount.Sum // by source
}

func (c *hashTotals) Columns() []string { return nil } // see figures.needed
func (c *hashTotals) Amounts() []string { return nil }

func (c *hashTotals) watch(*run) watcher {
	w := &hashWatcher{}
	for _, name := range c.names {
		w.columns = append(w.columns, column{name: name})
	}
	c.watchers = append(c.watchers, w)
	return w
}

type hashWatcher struct {
	columns []column
	sums    perSource[[]amount.Sum]
	text    []byte
	digits  []byte
}

func (w *hashWatcher) batch(b *source.Batch, v *tally.Visitor) error {
	sums := w.sums.of(b.Index)
	if *sums == nil {
		*sums = make([]amount.Sum, len(w.columns))
	}
	for k := range w.columns {
		at := w.columns[k].in(b)
		if at < 0 {
			continue
		}
		sum := &(*sums)[k]
		for i := range v.Usable(b) {
			w.add(sum, b.Text(v.Row(i), at, &w.text))
		}
		if b.Dropped != nil { // what is declared speaks of the whole file
			for row := range b.Dropped.Rows {
				w.add(sum, b.Dropped.Text(row, at, &w.text))
			}
		}
	}
	return nil
}

func (w *hashWatcher) add(sum *amount.Sum, code []byte) {
	coef, scale, ok := amount.ParsePlain(code, '.')
	if ok && scale == 0 && coef >= 0 {
		if !sum.AddPlain(coef, 0) {
			sum.Add(amount.New(coef, 0))
		}
		return
	}
	w.digits = w.digits[:0]
	for _, c := range code {
		if '0' <= c && c <= '9' {
			w.digits = append(w.digits, c)
		}
	}
	if number, err := amount.Parse(w.digits, '.'); err == nil {
		sum.Add(number)
	}
}

func (c *hashTotals) finish(context.Context, *run) error {
	c.sums = make(map[int][]amount.Sum)
	for _, w := range c.watchers {
		for _, entry := range w.sums.entries {
			sums := c.sums[entry.index]
			if sums == nil {
				sums = make([]amount.Sum, len(c.names))
				c.sums[entry.index] = sums
			}
			for k := range entry.value {
				sums[k].Merge(&entry.value[k])
			}
		}
	}
	return nil
}

func (c *hashTotals) close() error { return nil }

// of are the hash totals of a source.
func (c *hashTotals) of(index int) []amount.Amount {
	var totals []amount.Amount
	for k := range c.names {
		var total amount.Amount
		if sums := c.sums[index]; sums != nil {
			total = sums[k].Amount()
		}
		totals = append(totals, total)
	}
	return totals
}

// distinctCounts counts the different values of columns, per source. Blank is
// none.
type distinctCounts struct {
	names    []string
	watchers []*distinctWatcher
	counts   map[int][]int // by source
}

func (c *distinctCounts) Columns() []string { return nil } // see figures.needed
func (c *distinctCounts) Amounts() []string { return nil }

func (c *distinctCounts) watch(r *run) watcher {
	w := &distinctWatcher{values: spill.New(r.memory)}
	for _, name := range c.names {
		w.columns = append(w.columns, distinctColumn{column: column{name: name}, source: -1})
	}
	c.watchers = append(c.watchers, w)
	return w
}

type distinctWatcher struct {
	columns []distinctColumn
	values  *spill.Sorter
	text    []byte
	item    []byte
}

// distinctColumn remembers some values of a source, so that most of those that
// came before need not be put aside once more.
type distinctColumn struct {
	column
	source int
	seen   [1 << 10]xxh3.Uint128
}

func (w *distinctWatcher) batch(b *source.Batch, v *tally.Visitor) error {
	for k := range w.columns {
		c := &w.columns[k]
		at := c.in(b)
		if at < 0 {
			continue
		}
		if c.source != b.Index {
			c.source = b.Index
			clear(c.seen[:])
		}
		for i := range v.Usable(b) {
			if err := w.add(k, b.Text(v.Row(i), at, &w.text)); err != nil {
				return err
			}
		}
		if b.Dropped == nil {
			continue
		}
		for row := range b.Dropped.Rows {
			if err := w.add(k, b.Dropped.Text(row, at, &w.text)); err != nil {
				return err
			}
		}
	}
	return nil
}

func (w *distinctWatcher) add(k int, value []byte) error {
	value = bytes.TrimSpace(value)
	if len(value) == 0 {
		return nil
	}
	c := &w.columns[k]
	hash := xxh3.Hash128(value)
	slot := &c.seen[hash.Lo%uint64(len(c.seen))]
	if *slot == hash {
		return nil
	}
	*slot = hash
	w.item = binary.BigEndian.AppendUint32(w.item[:0], uint32(c.source))
	w.item = append(w.item, byte(k), byte(k>>8))
	w.item = binary.BigEndian.AppendUint64(w.item, hash.Hi)
	w.item = binary.BigEndian.AppendUint64(w.item, hash.Lo)
	return w.values.Add(w.item)
}

func (c *distinctCounts) finish(context.Context, *run) error {
	c.counts = make(map[int][]int)
	var sorters []*spill.Sorter
	for _, w := range c.watchers {
		sorters = append(sorters, w.values)
	}
	var last []byte
	return spill.Merge(sorters, func(item []byte) error {
		if bytes.Equal(item, last) {
			return nil
		}
		last = append(last[:0], item...)
		index, k := int(binary.BigEndian.Uint32(item)), int(item[4])|int(item[5])<<8
		if c.counts[index] == nil {
			c.counts[index] = make([]int, len(c.names))
		}
		c.counts[index][k]++
		return nil
	})
}

func (c *distinctCounts) close() error {
	var errs []error
	for _, w := range c.watchers {
		errs = append(errs, w.values.Close())
	}
	return errors.Join(errs...)
}

// of are the counts of a source.
func (c *distinctCounts) of(index int) []int {
	if counts := c.counts[index]; counts != nil {
		return counts
	}
	return make([]int, len(c.names))
}
