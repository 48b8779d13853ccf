package block

import (
	"fmt"
	"slices"
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
	given, some, err := c.point(&p, &w, at, sum, &had)
	if err != nil {
		return nil, err
	}
	sources, err := c.Sources(e)
	if err != nil {
		return nil, err
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
