package tieout

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/core/tally"

	"github.com/zeebo/xxh3"
)

// Check is something that has to hold without anybody having declared it. A new
// one is one file with its watcher, and a paragraph on its findings.
type Check interface {
	// Columns are those it needs, as a user calls them; some source must have
	// each of them.
	Columns() []string
	// Amounts are those of the columns that it needs as amounts.
	Amounts() []string
	// watch makes the part of the check that one goroutine carries out.
	watch(r *run) watcher
	// finish is called once all records were shown to the watchers, and adds to
	// the findings of the run.
	finish(ctx context.Context, r *run) error
	// close gives back what the check holds.
	close() error
}

// watcher is shown every record that one goroutine reads.
type watcher interface {
	batch(b *source.Batch, v *tally.Visitor) error
}

// run is what the parts of one tie-out share.
type run struct {
	set     *source.Set
	reading source.Reading
	options *Options
	tally   *tally.Tally
	amounts []string // that the tally reads, by which Values are found
	memory  int64    // that one watcher may hold
	scopes  []int    // see scope
}

// isGone tells whether a source is left out as a whole, so that it counts for no check.
func (r *run) isGone(index int) bool {
	_, whole := r.options.Drop.Of(r.set.Sources[index].Name).Whole()
	return whole
}

// amountAt is where an amount column stands among those of the tally.
func (r *run) amountAt(column string) int { return slices.Index(r.amounts, column) }

// finding starts a finding about a record.
func (r *run) finding(kind finding.Kind, b *source.Batch, row int) finding.Finding {
	src := &r.set.Sources[b.Index]
	return finding.Finding{
		Kind: kind, Source: src.Name, Sheet: src.Sheet(), Order: b.Index, Line: b.Line(row),
		Record: xxh3.Hash(b.Raw(row)),
	}
}

// about starts a finding about a source.
func (r *run) about(kind finding.Kind, index int) finding.Finding {
	src := &r.set.Sources[index]
	return finding.Finding{Kind: kind, Source: src.Name, Sheet: src.Sheet(), Order: index}
}

// money is the first amount of the i-th usable record that was asked for, "" for
// none: that by which findings about records are added up.
func (r *run) money(v *tally.Visitor, i int) string {
	if len(r.options.Totals) == 0 {
		return ""
	}
	return v.Values[i*len(r.amounts)].String()
}

// totals are all amounts of the i-th usable record that were asked for, where there
// are several.
func (r *run) totals(v *tally.Visitor, i int) finding.Totals {
	if len(r.options.Totals) < 2 {
		return nil
	}
	return finding.Of(r.options.Totals, v.Values[i*len(r.amounts):][:len(r.options.Totals)])
}

// column is a column that a watcher looks at, found anew in each source.
type column struct {
	name  string
	bound *tally.Binding // nil before the first batch
}

// in is where the column stands in the batch, -1 where its source lacks it.
func (c *column) in(b *source.Batch) int {
	if c.bound == nil {
		c.bound = tally.NewBinding(nil, tally.DataColumns([]string{c.name})) // which needs no words of a set
	}
	c.bound.To(b)
	return c.bound.Bound[0].Column
}

// perSource keeps something for each source that a watcher is shown.
type perSource[T any] struct{ entries []sourceEntry[T] }

type sourceEntry[T any] struct {
	index int
	value T
}

// of is what is kept for a source. Batches of one source mostly follow one
// another.
func (p *perSource[T]) of(index int) *T {
	if n := len(p.entries); n > 0 && p.entries[n-1].index == index {
		return &p.entries[n-1].value
	}
	p.entries = append(p.entries, sourceEntry[T]{index: index})
	return &p.entries[len(p.entries)-1].value
}

// inOrder are the entries of several watchers in the order of the sources.
func inOrder[T any](parts []*perSource[T]) []sourceEntry[T] {
	var all []sourceEntry[T]
	for _, p := range parts {
		all = append(all, p.entries...)
	}
	slices.SortStableFunc(all, func(a, b sourceEntry[T]) int { return cmp.Compare(a.index, b.index) })
	return all
}

// scope is the first source of the entity that a source is of: what is numbered
// goes on from one file of an entity to the next. Without entities every source
// stands for itself.
func (r *run) scope(index int) int {
	if r.scopes == nil {
		first := make(map[string]int)
		r.scopes = make([]int, len(r.set.Sources))
		for i := range r.set.Sources {
			entity := r.set.Word(i, entityColumn)
			at, known := first[entity]
			if !known || entity == "" {
				at = i
				first[entity] = i
			}
			r.scopes[i] = at
		}
	}
	return r.scopes[index]
}

// listed writes the first of some texts and how many more there are.
func listed(texts []string, count int) string {
	const most = 10
	text := ""
	for i, t := range texts[:min(len(texts), most)] {
		if i > 0 {
			text += ", "
		}
		text += t
	}
	if rest := count - min(len(texts), most); rest > 0 {
		text += fmt.Sprintf(" and %d more", rest)
	}
	return text
}
