package tally

import (
	"fmt"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/record"
	"lastblock/core/source"
)

// Column is a column of the records as a user names it: one of the data, or
// one that Lastblock adds, a word of file names or the source.
type Column struct {
	Name string
	word string // for a word of file names, or source
	data string // for a column of the data, as the user called it
}

// Word is the word of names of sources that the column is, "" for none.
func (c Column) Word() string {
	if c.word == record.SourceColumn {
		return ""
	}
	return c.word
}

// Resolver knows which columns a set has; the set must have been looked at.
type Resolver struct {
	set  *source.Set
	data []string
	Ours []Ours
}

// Ours is a column that Lastblock puts behind the data.
type Ours struct {
	Word string // a word of file names, source or source_line
	Name string // what it is called, which differs where a branch has taken the name
}

// NewResolver makes a resolver. A branch's own column keeps its name, and ours
// takes the next free form: entity_2 where some source has an entity.
func NewResolver(set *source.Set) *Resolver {
	r := &Resolver{set: set, data: set.Columns()}
	var names record.Names
	for _, name := range r.data {
		names.Take(name)
	}
	for _, word := range append(slices.Clone(set.Words()), record.SourceColumn, record.LineColumn) {
		r.Ours = append(r.Ours, Ours{Word: word, Name: names.Free(word)})
	}
	return r
}

// Data are all columns of the data, in the order in which sources bring them.
func (r *Resolver) Data() []string { return r.data }

// Resolve finds the column that a user means. The error is an
// *UnknownColumnError.
func (r *Resolver) Resolve(name string) (Column, error) {
	if column, err := r.ResolveData(name); err == nil {
		return column, nil
	}
	have := slices.Clone(r.data)
	for _, ours := range r.Ours {
		if ours.Word == record.LineColumn {
			continue
		}
		if ours.Name == name {
			return Column{Name: name, word: ours.Word}, nil
		}
		have = append(have, ours.Name)
	}
	return Column{}, &UnknownColumnError{Column: name, Have: have}
}

// ResolveData is Resolve for a column that must be one of the data.
func (r *Resolver) ResolveData(name string) (Column, error) {
	for i := range r.set.Sources {
		layout := r.set.Head(i).Layout
		if at, ok := layout.Find(name); ok {
			shown := name
			if _, byPosition := record.Position(name); byPosition {
				shown = layout.Columns[at]
			}
			return Column{Name: shown, data: name}, nil
		}
	}
	return Column{}, &UnknownColumnError{Column: name, Have: r.data}
}

// Bind finds the column in one source. A source that lacks it has a blank in
// every record.
func (c Column) Bind(set *source.Set, index int, head *source.Head) Bound {
	switch {
	case c.word == record.SourceColumn:
		return Bound{-1, []byte(set.Sources[index].Name)}
	case c.word != "":
		return Bound{-1, []byte(set.Word(index, c.word))}
	}
	if at, ok := head.Layout.Find(c.data); ok {
		return Bound{at, nil}
	}
	return Bound{-1, nil}
}

// TellMissing adds a finding for every source that lacks a data column.
func (r *Resolver) TellMissing(c Column, findings *finding.List) {
	if c.data == "" {
		return
	}
	for i := range r.set.Sources {
		head := r.set.Head(i)
		if head.Empty {
			continue
		}
		if _, ok := head.Layout.Find(c.data); !ok {
			findings.Add(finding.Finding{
				Kind: finding.MissingColumn, Source: r.set.Sources[i].Name, Order: i, Column: c.data,
				Message: fmt.Sprintf("has no column %q, so it is blank in all its records", c.data),
			})
		}
	}
}
