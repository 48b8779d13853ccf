package month

import (
	"cmp"
	"maps"
	"slices"

	"lastblock/core/month/block"
	"lastblock/core/option"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/period"
	"lastblock/core/value/words"
)

// SealedFigure is a figure as a block has sealed it.
type SealedFigure struct {
	chain *block.Chain
	entry *block.Entry
	first *block.Gave // of the first column that is asked for; nil where the block does not tell
}

// Sealed reads what a block says of a figure; it is nil where nothing was sealed. The error is an *option.Error, or
// that of reading blocks.
func (p *Plan) Sealed(t *Tracing, say []block.Word) (*SealedFigure, error) {
	chain, err := p.Chain()
	if err != nil {
		return nil, err
	}
	n := len(chain.Entries)
	switch {
	case t.Block < 0 || t.Block > n:
		return nil, option.Errorf("block", "there is no block %d; there are %d", t.Block, n)
	case n == 0:
		return nil, nil
	}
	s := &SealedFigure{chain: chain, entry: chain.Latest()}
	if t.Block > 0 {
		s.entry = &chain.Entries[t.Block-1]
	}
	f, err := p.figure(t, say)
	if err != nil {
		return nil, err
	}
	if groups, _, ok := f.split(say); ok && f.Asked != nil {
		s.first, err = chain.Gave(s.entry, block.Wish{Words: groups, Result: f.named(), Sum: f.columns(t)[0]})
	}
	return s, err
}

// ask asks the block for the figure, and which sources have to be read for it.
func (t *tracer) ask() error {
	groups, names, ok := t.figure.split(t.Words)
	if !ok {
		return t.needSealed("%s has no groups by %s", cmp.Or(t.Of, "the plan"), t.columns())
	}
	gave := t.first
	if gave == nil || gave.Column != t.sum {
		var err error
		if gave, err = t.chain.Gave(t.entry, block.Wish{Words: groups, Result: t.Of, Sum: t.sum}); err != nil {
			return err
		}
	}
	if gave == nil {
		return t.needSealed("block %d has no result %s by %s that sums up %s", t.entry.Number, t.Of, t.columns(), t.sum)
	}
	t.first = nil // since it is narrowed now
	t.gave, t.Entry, t.Sealed, t.Known = gave, t.entry, gave.Amount, !gave.Untold
	if len(names) > 0 {
		t.onlyOf(names)
	}
	others := t.compared.Plan || t.compared.References || t.compared.Decisions
	if others && t.task.Block == 0 {
		return nil // so that each source may give something else
	}
	if t.some = t.toRead(others); len(t.some) == 0 {
		t.some = []int{0} // for the columns
	}
	return nil
}

// onlyOf narrows what the block tells to the sources whose names say the words.
func (t *tracer) onlyOf(names []block.Word) {
	says := func(source string) bool {
		s := t.sealed[source]
		for _, w := range names {
			if s == nil || w.Column == tally.EntityWord && !w.IsSaid(s.Entity) ||
				w.Column == tally.PeriodWord && !w.IsSaid(s.Period) {
				return false
			}
		}
		return true
	}
	var sealed amount.Sum
	for source, gave := range t.gave.By {
		if says(source) {
			sealed.Add(gave)
		} else {
			delete(t.gave.By, source)
		}
	}
	for _, set := range []map[string]bool{t.gave.Unknown, t.gave.Short} {
		maps.DeleteFunc(set, func(source string, _ bool) bool { return !says(source) })
	}
	t.Sealed, t.Known = sealed.Amount(), len(t.gave.Unknown) == 0
}

func (t *tracer) columns() string {
	var names []string
	for _, w := range t.Words {
		names = append(names, w.Column)
	}
	return words.And(names...)
}

// needSealed is an error where a figure is asked for as it was sealed; of a file that was handed out this is not so.
func (t *tracer) needSealed(format string, args ...any) error {
	if !t.task.AsSealed {
		return nil
	}
	return option.Errorf("block", format, args...)
}

// toRead are the sources that gave something to the figure or may have, and those that are not as they were; with
// all, the others as well. Of a figure as a block has sealed it those of later periods do not count.
func (t *tracer) toRead(all bool) (indices []int) {
	change := make(map[string]*SourceChange)
	for i := range t.compared.Sources {
		change[t.compared.Sources[i].Source] = &t.compared.Sources[i]
	}
	for i := range t.in.Set.Sources {
		name := t.in.Set.Sources[i].Name
		if c := change[name]; c != nil {
			if c.Change == Changed || c.Change == New && (t.task.Block == 0 || !t.isLater(c)) {
				indices = append(indices, i)
			}
			if c.Change != Moved {
				continue
			}
			name = c.Was
		}
		_, gave := t.gave.By[name]
		if all || gave || t.gave.Unknown[name] || t.gave.Short[name] {
			indices = append(indices, i)
		}
	}
	return indices
}

// isLater tells whether a source is of a later period than the block.
func (t *tracer) isLater(c *SourceChange) bool {
	of, known := period.Parse(c.Period)
	closed, ok := period.Parse(t.entry.Period)
	return known && ok && of.Last() > closed.Last()
}

// bridge tells what each source gives and gave, and leads from the figure as it was sealed to what it is now.
func (t *tracer) bridge() {
	t.place = make(map[string]int)
	for i := range t.Set.Sources {
		if given := &t.Traced.Result.Sources[i]; given.Records > 0 {
			s := t.source(t.Set.Sources[i].Name)
			s.Records, s.Amount = given.Records, given.Amount
		}
	}
	if t.Known {
		t.takeSealed()
	}
	slices.SortFunc(t.Sources, func(a, b TracedSource) int {
		return cmp.Or(b.Amount.Abs().Cmp(a.Amount.Abs()), b.Was.Abs().Cmp(a.Was.Abs()), cmp.Compare(a.Source, b.Source))
	})
}

// source is a source that gives something or gave something.
func (t *tracer) source(name string) *TracedSource {
	at, known := t.place[name]
	if !known {
		at = len(t.Sources)
		t.place[name], t.Sources = at, append(t.Sources, TracedSource{Source: name, Change: Same})
	}
	return &t.Sources[at]
}

func (t *tracer) takeSealed() {
	moved := make(map[string]string) // what a source is called now
	for i := range t.compared.Sources {
		if c := &t.compared.Sources[i]; c.Change == Moved {
			moved[c.Was] = c.Source
		}
	}
	for name, was := range t.gave.By {
		t.source(cmp.Or(moved[name], name)).Was = was
	}
	now := t.Traced.Result.Amount
	if now.Cmp(t.Sealed) == 0 {
		return
	}
	t.Bridge = append(t.Bridge, BridgeLine{Label: LineSealed, Amount: t.Sealed})
	rest := now.Sub(t.Sealed)
	for i := range t.compared.Sources {
		c := &t.compared.Sources[i]
		if _, gives := t.place[c.Source]; !gives { // as one of a later period, too
			continue
		}
		s := t.source(c.Source)
		s.Change = c.Change
		change := s.Amount.Sub(s.Was)
		if c.Change == Moved || change.Sign() == 0 || t.gave.Unknown[cmp.Or(c.Was, c.Source)] {
			continue
		}
		t.Bridge = append(t.Bridge, BridgeLine{Label: string(c.Change), Source: c.Source, Amount: change})
		rest = rest.Sub(change)
	}
	if rest.Sign() != 0 {
		t.Bridge = append(t.Bridge, BridgeLine{Label: t.compared.beside(true), Amount: rest})
	}
	t.Bridge = append(t.Bridge, BridgeLine{Label: LineNow, Amount: now})
}
