package block

import (
	"bytes"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/value/amount"
	"lastblock/core/value/nearest"
)

// Gave is a figure as a block has sealed it, and what each source gave to it.
type Gave struct {
	*Result
	Column string // that was summed up
	Amount amount.Amount
	By     map[string]amount.Amount // by source, of those that gave something
	// Unknown are the sources of which it is not known what they gave, and Short those of which a record is not
	// in the result, which might have been part of the figure.
	Unknown, Short map[string]bool
	// Nothing says that no group has the words; nil where one has.
	Nothing error
}

// Gave is a figure of a block, nil where the block has no result with such groups. The error is that of Figures,
// or says that the block has no figures by group.
func (c *Chain) Gave(e *Entry, w Wish) (*Gave, error) {
	at, sum := e.find(&w)
	if at < 0 {
		return nil, nil
	}
	r := &e.Results[at]
	p := Point{Entry: e}
	var had []string
	s := &sift{result: strconv.Itoa(at + 1), known: make(map[string]bool)}
	for _, word := range w.Words {
		s.values = append(s.values, []byte(word.Value))
	}
	given, some, err := c.point(&p, &w, at, sum, &had, &filter{wanted: s.keeps, lacks: s.lacks})
	if err == nil && !some {
		p, had = Point{Entry: e}, nil
		given, some, err = c.point(&p, &w, at, sum, &had, nil) // for what there is instead
	}
	if err != nil {
		return nil, err
	}
	sources, err := c.Sources(e)
	if err != nil {
		return nil, err
	}
	for source := range s.known {
		delete(given.unknown, source)
	}
	g := &Gave{Result: r, Column: r.Totals[sum].Column, Amount: p.Amount, By: given.known, Unknown: given.unknown,
		Short: make(map[string]bool)}
	if !some && len(w.Words) > 0 {
		slices.Sort(had)
		g.Nothing = fmt.Errorf("no group has %s: %w", w.Words[0].Column,
			nearest.Unknown("value", w.Words[0].Value, slices.Compact(had)))
	}
	for i := range sources {
		if s := &sources[i]; given.rows[s.Source] < s.Rows {
			g.Short[strings.Clone(s.Source)] = true
		}
	}
	return g, nil
}

// sift is asked which lines may be about the figure, and notes of which sources something is known by group.
type sift struct {
	values [][]byte // of the words
	result string
	known  map[string]bool
	last   []byte // source
}

func (s *sift) keeps(l *sifted) bool {
	if l.kind != OfGroup && l.kind != OfWithin || string(l.result) != s.result {
		return l.kind == OfGiven || l.kind == OfRead
	}
	if l.kind == OfWithin && !bytes.Equal(l.source, s.last) {
		s.last = append(s.last[:0], l.source...)
		s.known[string(l.source)] = true
	}
	return !s.lacks(l.line)
}

// lacks tells whether a line has not all of the words' values somewhere.
func (s *sift) lacks(line []byte) bool {
	for _, value := range s.values {
		if !bytes.Contains(line, value) {
			return true
		}
	}
	return false
}
