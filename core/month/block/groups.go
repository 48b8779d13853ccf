package block

import (
	"bytes"
	"errors"
	"slices"
	"strconv"

	"lastblock/core/large/texts"
	"lastblock/core/value/amount"
)

// Given calls visit for what sources that isWanted gave to the results of a block, and to groups of these, and says of
// which results, by their places from 1, the groups are known. The error is that of Figures.
func (c *Chain) Given(e *Entry, isWanted func(source string) bool, visit func(*Figure) error) (
	known map[int]bool, err error) {
	known, untold := make(map[int]bool), make(map[int]bool)
	take := func(f *Figure) error {
		switch f.Kind {
		case OfGroup:
			known[f.Result] = true
			return nil
		case OfGiven:
			if f.Place == WholePlace {
				untold[f.Result] = true
			} else if e.Version > 2 && len(e.Results[f.Result-1].By) > 0 {
				known[f.Result] = true
			}
			if !isWanted(f.Source) {
				return nil
			}
		case OfRead:
			return nil
		}
		return visit(f)
	}
	if e.Version < 3 {
		return known, c.figures(e, c.figuresOf, isWanted, take)
	}
	// Figures as a whole stand before those by group, which are looked at only where they are wanted.
	owns := make(map[int]bool)
	told := make(map[int]bool)
	// Where figures are gone of which nothing is wanted, no result is known by group.
	var lost error
	gone := false
	lose := func(of *Entry, err *LostError) {
		gone = true
		if c.mayStandIn(e, of, isWanted) {
			lost = err
		}
	}
	read := func(until func(of *Entry) Kind, visit func(*Figure) error) error {
		wanted := func(l *sifted) bool { return l.kind != OfWithin || isWanted(string(l.source)) }
		return c.gather(e, func(of *Entry, visit func(*Figure) error) error {
			return c.figuresOf(of, &filter{wanted: wanted, until: until(of)}, func(f *Figure) error {
				if f.Kind == OfGiven && isWanted(f.Source) {
					owns[of.Number] = true
				}
				return visit(f)
			})
		}, false, lose, visit)
	}
	err = read(func(*Entry) Kind { return OfWithin }, func(f *Figure) error {
		told[f.Result] = told[f.Result] || f.Kind == OfGroup
		return take(f)
	})
	if err != nil {
		return nil, err
	}
	if len(owns) > 0 || len(untold) > 0 {
		until := func(of *Entry) Kind {
			if owns[of.Number] || of == e && len(untold) > 0 { // whose groups may stand there
				return ""
			}
			return OfWithin
		}
		err = read(until, func(f *Figure) error {
			told[f.Result] = told[f.Result] || f.Kind == OfGroup
			if f.Kind == OfWithin {
				return visit(f)
			}
			return nil // which was visited
		})
	}
	for result := range untold {
		known[result] = told[result]
	}
	if gone {
		clear(known)
	}
	return known, errors.Join(err, lost)
}

// mayStandIn tells whether what sources that are wanted gave in a block may stand in another one, or in itself.
func (c *Chain) mayStandIn(e, in *Entry, isWanted func(source string) bool) bool {
	isOne := func(s Source) bool { return isWanted(s.Source) }
	sources, err := c.Sources(e)
	if err != nil || !slices.ContainsFunc(sources, isOne) {
		return err != nil
	}
	at := slices.IndexFunc(e.Earlier, func(of Earlier) bool { return of.Number == in.Number })
	own, err := c.own(in)
	if at < 0 || err != nil {
		return true
	}
	// More of them than it has itself are of sources that stand elsewhere.
	return slices.ContainsFunc(own, isOne) || e.Earlier[at].Figures > e.Earlier[at].Sources
}

// Groups are groups of a result that are asked for, by some of its columns.
type Groups struct {
	Result  int             // place in the block, from 1
	Columns []int           // places among the By of the result
	Keys    map[string]bool // of Key; nil for all
	Sums    map[string][]amount.Amount
	// Spell are, by places among Columns, how a run writes what a block may have written otherwise; nil for as it
	// stands.
	Spell []func(value string) string
}

// values are those of a group in the columns.
func (g *Groups) values(group []string) []string {
	values := make([]string, len(g.Columns))
	for i, at := range g.Columns {
		values[i] = g.spelt(i, group[at])
	}
	return values
}

func (g *Groups) spelt(i int, value string) string {
	if i < len(g.Spell) && g.Spell[i] != nil {
		return g.Spell[i](value)
	}
	return value
}

// Key makes one text of the values that groups have in their columns.
func (g *Groups) Key(values []string) string {
	var key []byte
	for _, value := range values {
		key = texts.Append(key, []byte(value))
	}
	return string(key)
}

// SumGroups sums up the groups of a block that are asked for. The error is that of Figures.
func (c *Chain) SumGroups(e *Entry, asked []*Groups) error {
	asked = slices.DeleteFunc(slices.Clone(asked), func(g *Groups) bool { return g.Keys != nil && len(g.Keys) == 0 })
	if len(asked) == 0 {
		return nil
	}
	add := func(f *Figure) error {
		if f.Kind != OfGroup && f.Kind != OfWithin {
			return nil
		}
		for _, g := range asked {
			if g.Result != f.Result {
				continue
			}
			key := g.Key(g.values(f.Group))
			if g.Keys != nil && !g.Keys[key] {
				continue
			}
			if g.Sums[key] == nil {
				g.Sums[key] = make([]amount.Amount, len(f.Totals))
			}
			for i, text := range f.Totals {
				value, err := amount.Parse([]byte(text), '.')
				if err != nil {
					return err
				}
				g.Sums[key][i] = g.Sums[key][i].Add(value)
			}
		}
		return nil
	}
	if e.Version < 3 {
		return c.figures(e, c.figuresOf, nil, func(f *Figure) error {
			if f.Kind == OfWithin {
				return nil
			}
			return add(f)
		})
	}
	told := make(map[int]bool) // results whose groups stand in the block, before all else of them
	pick := &picker{asked: asked}
	return c.gather(e, func(in *Entry, visit func(*Figure) error) error {
		pick.in(e, in)
		return c.figuresOf(in, &filter{wanted: pick.wants}, visit)
	}, false, nil, func(f *Figure) error {
		if f.Kind == OfGroup {
			told[f.Result] = true
		}
		if f.Kind == OfWithin && told[f.Result] {
			return nil
		}
		return add(f)
	})
}

// picker tells which lines of figures may be of groups that are asked for, before they are read.
type picker struct {
	asked []*Groups
	first int              // cells before those of the groups
	by    [][]int          // places of the columns of each of asked, among the cells of the groups
	of    map[string][]int // which of asked are of a result, by its place in the block that is read
	cells [][]byte
	key   []byte
}

// in makes it ready for the figures that stand with a block, of which e uses some.
func (p *picker) in(e, in *Entry) {
	columns := in.figureColumns()
	p.first = len(columns.read)
	p.by, p.of = make([][]int, len(p.asked)), make(map[string][]int)
	for i, g := range p.asked {
		as := &e.Results[g.Result-1]
		at := in.resultCalled(as)
		if at == 0 {
			continue
		}
		r := &in.Results[at-1]
		if !slices.Equal(r.By, as.By) {
			continue // so that nothing of it is used
		}
		for _, column := range g.Columns {
			p.by[i] = append(p.by[i], slices.Index(columns.by, r.By[column]))
		}
		p.of[strconv.Itoa(at)] = append(p.of[strconv.Itoa(at)], i)
	}
}

// wants tells whether a line may be wanted.
func (p *picker) wants(l *sifted) bool {
	if l.kind != OfWithin && l.kind != OfGroup {
		return l.kind == OfGiven
	}
	for _, i := range p.of[string(l.result)] {
		if g := p.asked[i]; g.Keys == nil || p.has(l, p.by[i], g) {
			return true
		}
	}
	return false
}

// has tells whether a line without quotes has one of some keys in some columns.
func (p *picker) has(l *sifted, by []int, g *Groups) bool {
	rest := l.rest
	for range p.first {
		at := bytes.IndexByte(rest, ',')
		if at < 0 {
			return true // which reading it tells
		}
		rest = rest[at+1:]
	}
	last := slices.Max(by)
	p.cells = p.cells[:0]
	for range last + 1 {
		cell, behind, more := bytes.Cut(rest, []byte{','})
		if !more {
			return true
		}
		p.cells, rest = append(p.cells, cell), behind
	}
	p.key = p.key[:0]
	for i, at := range by {
		cell := p.cells[at]
		if i < len(g.Spell) && g.Spell[i] != nil {
			cell = []byte(g.Spell[i](string(cell)))
		}
		p.key = texts.Append(p.key, cell)
	}
	return g.Keys[string(p.key)]
}
