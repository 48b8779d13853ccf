package block

import (
	"bytes"
	"errors"
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
	// Untold says that the block keeps no figures of the result by group, which has nearly as many as records.
	Untold bool
	// Nothing says that no group has the words; nil where one has.
	Nothing error
}

// Gave is a figure of a block, nil where the block has no result with such groups. The error is that of Figures,
// or says that the block has no figures by group.
func (c *Chain) Gave(e *Entry, w Wish) (*Gave, error) {
	if len(w.Words) == 0 {
		return c.gaveAll(e, w)
	}
	at, sum := e.find(&w)
	if at < 0 {
		return nil, nil
	}
	r := &e.Results[at]
	p := Point{Entry: e}
	var had []string
	s := &sift{of: r.called(), words: w.Words, known: make(map[string]bool)}
	sifted := func(in *Entry, _ *filter, visit func(*Figure) error) error {
		return c.figuresOf(in, s.in(in), visit)
	}
	given, some, err := c.point(&p, &w, at, sum, &had, sifted)
	if untold := new(untoldError); (err == nil || errors.As(err, &untold)) && !some {
		p, had = Point{Entry: e}, nil
		given, some, err = c.point(&p, &w, at, sum, &had, c.figuresOf) // for what there is instead
	}
	if untold := new(untoldError); errors.As(err, &untold) {
		g := &Gave{Result: r, Column: r.Totals[sum].Column, By: make(map[string]amount.Amount), Unknown: given.unknown,
			Short: make(map[string]bool), Untold: true}
		return g, g.findShort(c, e, given.rows)
	}
	if err != nil {
		return nil, err
	}
	for source := range s.known {
		delete(given.unknown, source)
	}
	g := &Gave{Result: r, Column: r.Totals[sum].Column, Amount: p.Amount, By: given.known, Unknown: given.unknown,
		Short: make(map[string]bool)}
	if !some {
		slices.Sort(had)
		g.Nothing = fmt.Errorf("neither a record nor a group of block %d has %s: %w", e.Number, w.Words[0].Column,
			nearest.Unknown("value", w.Words[0].Value, slices.Compact(had)))
	}
	return g, g.findShort(c, e, given.rows)
}

// gaveAll is a total of a result, which may have no groups.
func (c *Chain) gaveAll(e *Entry, w Wish) (*Gave, error) {
	for i := range e.Results {
		r := &e.Results[i]
		sum := slices.Index(columnsOf(r.Totals), w.Sum)
		if r.As != "" || sum < 0 || w.Result != r.Title && w.Result != r.Command {
			continue
		}
		g := &Gave{Result: r, Column: w.Sum, By: make(map[string]amount.Amount), Unknown: make(map[string]bool),
			Short: make(map[string]bool)}
		var err error
		if g.Amount, err = amount.Parse([]byte(r.Totals[sum].Amount), '.'); err != nil {
			return nil, err
		}
		rows := make(map[string]int)
		isGiven := &filter{wanted: func(l *sifted) bool { return l.kind == OfGiven }}
		given := func(in *Entry, _ *filter, visit func(*Figure) error) error { return c.figuresOf(in, isGiven, visit) }
		err = c.figures(e, given, nil, func(f *Figure) error {
			if f.Kind != OfGiven || f.Result != i+1 {
				return nil
			}
			source := strings.Clone(f.Source)
			rows[source] = f.Rows
			value, err := amount.Parse([]byte(f.Totals[sum]), '.')
			g.By[source] = value
			return err
		})
		if err != nil {
			return nil, err
		}
		return g, g.findShort(c, e, rows)
	}
	return nil, nil
}

// findShort finds the sources of which a record is not in the result; rows are those that are.
func (g *Gave) findShort(c *Chain, e *Entry, rows map[string]int) error {
	sources, err := c.Sources(e)
	for i := range sources {
		if s := &sources[i]; rows[s.Source] < s.Rows {
			g.Short[strings.Clone(s.Source)] = true
		}
	}
	return err
}

// sift is asked which lines may be about a figure of a result, and notes of which sources something is known by group.
type sift struct {
	of     string // what the result is called
	words  []Word
	values [][]byte // of the words
	result string   // its place in the block that is read
	known  map[string]bool
	last   []byte // source
}

// in is the filter of the figures that stand with a block.
func (s *sift) in(e *Entry) *filter {
	s.result, s.values, s.last = "", nil, nil
	for i := range e.Results {
		if r := &e.Results[i]; r.As == "" && r.called() == s.of {
			s.result = strconv.Itoa(i + 1)
		}
	}
	for _, word := range s.words {
		if !word.isNamed() { // which may be spelt otherwise
			s.values = append(s.values, []byte(word.Value))
		}
	}
	if s.known == nil {
		s.known = make(map[string]bool)
	}
	return &filter{wanted: s.keeps, lacks: s.lacks}
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
