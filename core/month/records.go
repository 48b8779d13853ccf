package month

import (
	"context"
	"slices"
	"strings"

	"lastblock/core/finding/drop"
	"lastblock/core/large/texts"
	"lastblock/core/month/block"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"

	"github.com/zeebo/xxh3"
)

// RecordChanges are the records of a source that are not as a block has retained them.
type RecordChanges struct {
	Added, Gone, Altered int            // of those on a line with another content
	First                []RecordChange // as many as were asked for, in the order of their lines
}

// RecordChange is a record that is not as it was.
type RecordChange struct {
	Change  string // added, gone or altered
	Line    int
	Columns []string // those that differ; of one that is added or gone, all
	Was, Is []string // what stands in them
}

// Records finds which records of the sources that have changed, or are gone, are not as the block has retained them:
// records with the same texts are the same, in whatever order; of the others those on one line are one that was
// altered. Of each source the first ones are kept, up to most. Nothing is found where no records were retained.
func (b *BeforeAndNow) Records(ctx context.Context, in *Input, chain *block.Chain, most int) error {
	r := &recordComparison{b: b, of: make(map[string]*comparedSource), most: most}
	var indices []int
	for i := range b.Sources {
		s := &b.Sources[i]
		if s.Change != Changed && s.Change != Gone {
			continue
		}
		r.of[b.sealedName(s.was)] = &comparedSource{change: s, was: make(map[uint64]int),
			added: make(map[int][]string), layout: b.layoutOf(s.was)}
		if s.index >= 0 {
			indices = append(indices, s.index)
		}
	}
	if b.Entry.Block.Records == nil || len(r.of) == 0 {
		return nil
	}
	isWanted := func(source string) bool { return r.of[source] != nil }
	if err := chain.Records(b.Entry, isWanted, r.count); err != nil {
		return err
	}
	if len(indices) > 0 {
		if err := r.read(ctx, in, indices); err != nil {
			return err
		}
	}
	if err := chain.Records(b.Entry, isWanted, r.settle); err != nil {
		return err
	}
	for _, c := range r.of {
		c.finish(most)
	}
	return nil
}

func (b *BeforeAndNow) layoutOf(was int) []string {
	if at := b.Comparison.sealed[was].Layout; at > 0 {
		return b.Entry.Layouts[at-1]
	}
	return nil
}

// recordComparison holds the records of several sources against the retained ones.
type recordComparison struct {
	b    *BeforeAndNow
	of   map[string]*comparedSource // by name
	most int
	all  bool // records that are not used were retained as well
}

// comparedSource is a source whose records are compared.
type comparedSource struct {
	change *SourceChange
	layout []string // its columns when it was sealed
	now    []string // its columns
	places []int    // of layout, among the columns of the retained records
	was    map[uint64]int
	added  map[int][]string // by line: texts of records that are not among the retained ones
	extra  int              // more of these on lines that have one already
	found  RecordChanges
}

// hashOf is a hash of what a record says; columns that it has blank count as not there.
func hashOf(columns []string, text func(i int) string) uint64 {
	var sum uint64
	var room []byte
	for i, name := range columns {
		if value := text(i); value != "" {
			room = texts.Append(texts.Append(room[:0], []byte(name)), []byte(value))
			sum += xxh3.Hash(room) // whatever order the columns are in
		}
	}
	return sum
}

// count counts a retained record.
func (r *recordComparison) count(columns []string, of *block.Record) error {
	r.all = of.All
	if of.State == string(tally.Dropped) {
		return nil // a condition has left it out
	}
	c := r.of[of.Source]
	if c.places == nil {
		c.places = make([]int, len(c.layout))
		for i, name := range c.layout {
			c.places[i] = slices.Index(columns, name)
		}
	}
	c.was[c.hash(of)]++
	return nil
}

// hash is that of a retained record.
func (c *comparedSource) hash(of *block.Record) uint64 {
	if of.Raw != "" {
		return hashOf([]string{record.RawColumn}, func(int) string { return of.Raw })
	}
	return hashOf(c.layout, func(i int) string { return c.text(of, i) })
}

func (c *comparedSource) text(of *block.Record, i int) string {
	if c.places[i] < 0 {
		return ""
	}
	return of.Texts[c.places[i]]
}

// read reads the sources as they are.
func (r *recordComparison) read(ctx context.Context, in *Input, indices []int) error {
	some := *in
	some.Set = in.Set.Subset(indices)
	reading := in.Reading
	left, err := some.Left()
	if err != nil {
		return err
	}
	reading.Jobs, reading.AsSent = 1, left.IsEmpty()
	if err := some.Set.Look(ctx, reading); err != nil {
		return err
	}
	for i := range some.Set.Sources {
		some.Set.KeepSent(some.Set.Sources[i].Name)
	}
	v := r.visitor(some.Set, left)
	return some.Set.Scan(ctx, reading, func() source.Visitor { return v })
}

func (r *recordComparison) visitor(set *source.Set, left *drop.Set) *recordVisitor {
	v := &recordVisitor{tally: tally.New(set, tally.Options{Drop: left}).Visitor(), compared: r, set: set}
	v.tally.Aside = func(a *tally.Aside) { v.aside = append(v.aside, *a) }
	return v
}

// recordVisitor compares the records of one goroutine.
type recordVisitor struct {
	tally    *tally.Visitor
	compared *recordComparison
	set      *source.Set
	scratch  []byte
	aside    []tally.Aside // records of the batch that are not used
}

func (v *recordVisitor) Batch(b *source.Batch) error {
	v.aside = v.aside[:0]
	if err := v.tally.Batch(b); err != nil {
		return err
	}
	c := v.compared.of[v.set.Sources[b.Index].Name]
	c.now = b.Head.Layout.Columns
	texts := make([]string, len(c.now))
	for i := range v.tally.Usable(b) {
		row := v.tally.Row(i)
		for k := range texts {
			texts[k] = string(b.Text(row, k, &v.scratch))
		}
		c.meet(b.Line(row), texts, "")
	}
	for i := range v.aside {
		a := &v.aside[i]
		if !v.compared.all || a.State == tally.Dropped {
			continue
		}
		clear(texts)
		for k := range a.Texts {
			texts[k] = string(a.Texts[k])
		}
		c.meet(a.Line, texts, string(a.Raw))
	}
	return nil
}

// meet takes in a record as it is now; raw is a line that has no fields.
func (c *comparedSource) meet(line int, texts []string, raw string) {
	hash := hashOf(c.now, func(k int) string { return texts[k] })
	if raw != "" {
		hash = hashOf([]string{record.RawColumn}, func(int) string { return raw })
	}
	if c.was[hash] > 0 {
		c.was[hash]--
		return
	}
	if _, twice := c.added[line]; twice {
		c.extra++
		return
	}
	c.added[line] = slices.Clone(texts)
}

func (v *recordVisitor) Flush(ctx context.Context, task int) error { return v.tally.Flush(ctx, task) }

// settle looks at a retained record once more: what is left of those like it is gone, or was altered.
func (r *recordComparison) settle(_ []string, of *block.Record) error {
	if of.State == string(tally.Dropped) {
		return nil
	}
	c := r.of[of.Source]
	hash := c.hash(of)
	if c.was[hash] == 0 {
		return nil
	}
	c.was[hash]--
	now, altered := c.added[of.Line]
	if !altered {
		c.found.Gone++
		if c.found.Gone <= r.most {
			change := RecordChange{Change: "gone", Line: of.Line, Columns: c.layout}
			for i := range c.layout {
				change.Was = append(change.Was, strings.Clone(c.text(of, i)))
			}
			c.found.First = append(c.found.First, change)
		}
		return nil
	}
	delete(c.added, of.Line)
	c.found.Altered++
	if c.found.Altered <= r.most {
		c.found.First = append(c.found.First, c.altered(of, now))
	}
	return nil
}

// altered says what of a record is another now.
func (c *comparedSource) altered(of *block.Record, now []string) RecordChange {
	change := RecordChange{Change: "altered", Line: of.Line}
	add := func(name, was, is string) {
		if was != is {
			change.Columns = append(change.Columns, name)
			change.Was, change.Is = append(change.Was, strings.Clone(was)), append(change.Is, is)
		}
	}
	for i, name := range c.layout {
		is := ""
		if at := slices.Index(c.now, name); at >= 0 {
			is = now[at]
		}
		add(name, c.text(of, i), is)
	}
	for i, name := range c.now {
		if !slices.Contains(c.layout, name) {
			add(name, "", now[i])
		}
	}
	return change
}

// finish tells what was found of the source.
func (c *comparedSource) finish(most int) {
	c.found.Added = len(c.added) + c.extra
	lines := make([]int, 0, len(c.added))
	for line := range c.added {
		lines = append(lines, line)
	}
	slices.Sort(lines)
	for _, line := range lines[:min(len(lines), most)] {
		c.found.First = append(c.found.First,
			RecordChange{Change: "added", Line: line, Columns: c.now, Is: c.added[line]})
	}
	slices.SortStableFunc(c.found.First, func(x, y RecordChange) int { return x.Line - y.Line })
	c.found.First = c.found.First[:min(len(c.found.First), most)]
	c.change.Records = &c.found
}
