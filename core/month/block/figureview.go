package block

import (
	"errors"
	"slices"
	"strings"

	"lastblock/core/large/texts"
	"lastblock/core/value/amount"
)

// Figures calls visit for each line of the figures of a block, wherever they stand, but for those of OfRead, which
// Sources tells; of those of OfWithin and OfGiven only for sources that isWanted, nil for all. What visit is given is
// good until it returns. The error is a *BrokenError where a file is not as it was sealed, a *LostError where one is
// gone, or what reading it or visit returned.
func (c *Chain) Figures(e *Entry, isWanted func(source string) bool, visit func(*Figure) error) error {
	return c.figures(e, c.figuresOf, isWanted, visit)
}

// readFiltered reads the figures that stand with a block itself, of which a filter keeps some; see figuresOf.
type readFiltered func(e *Entry, keeps *filter, visit func(*Figure) error) error

// figures is Figures with a way to read what stands with a block itself.
func (c *Chain) figures(e *Entry, read readFiltered, isWanted func(source string) bool,
	visit func(*Figure) error) error {
	wanted := func(f *Figure) error {
		if isWanted != nil && (f.Kind == OfWithin || f.Kind == OfGiven) && !isWanted(f.Source) {
			return nil
		}
		return visit(f)
	}
	if e.Version < 3 {
		var keeps *filter
		if isWanted != nil {
			keeps = &filter{wanted: func(l *sifted) bool {
				return l.kind != OfWithin && l.kind != OfGiven || isWanted(string(l.source))
			}}
		}
		return c.lost(e, e, "figures", e.Figures, read(e, keeps, wanted))
	}
	return c.gather(e, func(of *Entry, visit func(*Figure) error) error { return read(of, nil, visit) }, true,
		nil, wanted)
}

// gather puts the figures of a block together of those that stand with it and with earlier ones, which read reads: of
// what a source gave to a result the newest block counts that says it. Groups are those of all sources together, where
// these are known by group, and are told where sums says so. Blocks whose figures are gone are given to lose; nil for
// an error.
func (c *Chain) gather(e *Entry, read func(of *Entry, visit func(*Figure) error) error, sums bool,
	lose func(of *Entry, lost *LostError), visit func(*Figure) error) error {
	blocks, err := c.standsOn(e)
	if err != nil {
		return err
	}
	sources, err := c.Sources(e)
	if err != nil {
		return err
	}
	g := &gathering{results: make([]gathered, len(e.Results)), has: make(map[string]bool, len(sources)), visit: visit,
		bare: !sums}
	for i := range g.results {
		g.results[i].in = make(map[string]int)
		g.results[i].groups = make(map[string]int)
	}
	for i := range sources {
		g.has[sources[i].Source] = true
	}
	for _, of := range blocks {
		g.own, g.number = of == e, of.Number
		g.place = g.place[:0]
		for i := range of.Results {
			g.place = append(g.place, e.resultCalled(&of.Results[i]))
		}
		err := c.lost(e, of, "figures", of.Figures, read(of, g.take))
		if lost := new(LostError); lose != nil && errors.As(err, &lost) {
			lose(of, lost)
		} else if err != nil {
			return err
		}
	}
	if !sums {
		return nil
	}
	return g.tellGroups()
}

// ComingFigures is Figures of a block that is about to be written: own visits those that will stand with it, and
// sources are all of its sources.
func (c *Chain) ComingFigures(e *Entry, sources []Source, own func(visit func(*Figure) error) error,
	visit func(*Figure) error) error {
	c.know(e, sources)
	return c.gather(e, func(of *Entry, visit func(*Figure) error) error {
		if of == e {
			return own(visit)
		}
		return c.figuresOf(of, nil, visit)
	}, true, nil, visit)
}

// resultCalled is the place of the result, from 1, that is called as that of another block; 0 for none.
func (b *Block) resultCalled(as *Result) int {
	return 1 + slices.IndexFunc(b.Results, func(r Result) bool {
		return r.As == "" && as.As == "" && r.called() == as.called()
	})
}

// gathering puts figures together.
type gathering struct {
	results []gathered
	has     map[string]bool // sources of the block
	visit   func(*Figure) error

	bare   bool  // groups are not summed up
	own    bool  // the block itself is read, and not an earlier one
	number int   // of the block that is read
	place  []int // of its results, among those of the block
	key    []byte
}

// gathered is what is put together of a result.
type gathered struct {
	in     map[string]int // which block says what a source gave
	untold bool           // of a source that is not known by group
	told   bool           // its groups stand in the block
	groups map[string]int // places among order
	order  []Figure
	sums   [][]amount.Amount // likewise
}

func (g *gathering) take(f *Figure) error {
	at := 0
	if f.Result > 0 {
		at = g.place[f.Result-1]
	}
	if at == 0 || f.Kind == OfRead {
		return nil
	}
	r := &g.results[at-1]
	of := *f
	of.Result = at
	switch f.Kind {
	case OfGroup:
		if !g.own {
			return nil
		}
		r.told = true
	case OfGiven:
		if _, known := r.in[f.Source]; known || !g.has[f.Source] {
			return nil
		}
		r.in[strings.Clone(f.Source)] = g.number
		r.untold = r.untold || f.Place == WholePlace
		if f.Rows == 0 {
			return nil
		}
	case OfWithin:
		if r.in[f.Source] != g.number {
			return nil
		}
		if g.bare || r.told {
			break
		}
		if err := g.add(r, &of); err != nil {
			return err
		}
	}
	return g.visit(&of)
}

// add adds what a source gave to a group.
func (g *gathering) add(r *gathered, f *Figure) error {
	g.key = g.key[:0]
	for _, value := range f.Group {
		g.key = texts.Append(g.key, []byte(value))
	}
	at, known := r.groups[string(g.key)]
	if !known {
		at = len(r.order)
		r.groups[string(g.key)] = at
		r.order = append(r.order, Figure{Kind: OfGroup, Result: f.Result, Group: slices.Clone(f.Group)})
		r.sums = append(r.sums, make([]amount.Amount, len(f.Totals)))
	}
	r.order[at].Rows += f.Rows
	for i, text := range f.Totals {
		value, err := amount.Parse([]byte(text), '.')
		if err != nil {
			return err
		}
		r.sums[at][i] = r.sums[at][i].Add(value)
	}
	return nil
}

// tellGroups tells the groups that do not stand in the block.
func (g *gathering) tellGroups() error {
	for i := range g.results {
		r := &g.results[i]
		if r.told || r.untold {
			continue
		}
		for k := range r.order {
			for _, sum := range r.sums[k] {
				r.order[k].Totals = append(r.order[k].Totals, sum.String())
			}
			if err := g.visit(&r.order[k]); err != nil {
				return err
			}
		}
	}
	return nil
}
