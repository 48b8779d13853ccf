package pack

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/large/texts"
	"lastblock/core/month/block"
	"lastblock/core/value/amount"
	"lastblock/core/value/natural"
)

// Given is what sources gave to the figures of results, as far as it is known and not too much to list.
type Given struct {
	results map[string]*givenResult
	kept    int
}

type givenResult struct {
	figures map[string]*Figure
	total   *Figure // of all groups together
}

// Figure is a group of a result, or its total, and what sources gave to it.
type Figure struct {
	Key    []string // nil of the total
	Rows   int
	Totals []amount.Amount
	From   []From // the largest first, by the first total
	Others Others // that are not listed
}

// From is what a source gave.
type From struct {
	Source string
	Place  string // where in the source: a line, two lines as 4-18, or a cell; "" where that is not known
	Rows   int
	Totals []amount.Amount
}

// Others are sources that are not listed.
type Others struct {
	Sources, Rows int
	Totals        []amount.Amount
}

// Figures calls visit for each line of the figures of a block. What visit is given is good until it returns.
type Figures func(visit func(*block.Figure) error) error

const (
	// MostFrom is how many sources are listed of a figure.
	MostFrom = 1000
	// mostKept is how many are listed of all figures together.
	mostKept = 300_000
)

// Gather takes what sources gave to the summaries and grids of a block, of sources that isOwn, nil for all. Figures of
// groups are those of the block, or with isOwn the sums of what those sources gave. The error is what figures returned,
// or says that a figure is none.
func Gather(b *block.Block, figures Figures, isOwn func(source string) bool) (*Given, error) {
	g := &Given{results: make(map[string]*givenResult)}
	var of []*givenResult // by the results of the block
	for i := range b.Results {
		r := &b.Results[i]
		if r.As != "" || len(r.By) == 0 {
			of = append(of, nil)
			continue
		}
		made := &givenResult{figures: make(map[string]*Figure), total: new(Figure)}
		g.results[nameOf(r)], of = made, append(of, made)
	}
	var key []byte
	err := figures(func(f *block.Figure) error {
		if f.Result < 1 || f.Kind == block.OfRead || of[f.Result-1] == nil {
			return nil
		}
		r := of[f.Result-1]
		if f.Kind == block.OfGroup && isOwn != nil || f.Kind != block.OfGroup && isOwn != nil && !isOwn(f.Source) {
			return nil
		}
		figure := r.total
		if f.Kind != block.OfGiven {
			key = key[:0]
			for _, value := range f.Group {
				key = texts.Append(key, []byte(value))
			}
			if figure = r.figures[string(key)]; figure == nil {
				figure = &Figure{Key: texts.Split(key)}
				r.figures[string(key)] = figure
			}
		}
		totals, err := amountsOf(f.Totals)
		if err != nil {
			return fmt.Errorf("the figures of block %d: %w", b.Number, err)
		}
		if f.Kind == block.OfGroup {
			figure.Rows, figure.Totals = f.Rows, totals
			return nil
		}
		if f.Kind == block.OfGiven || isOwn != nil {
			figure.Rows, figure.Totals = figure.Rows+f.Rows, added(figure.Totals, totals)
		}
		g.add(figure, From{strings.Clone(f.Source), strings.Clone(f.Place), f.Rows, totals})
		return nil
	})
	for _, r := range g.results {
		r.total.settle(MostFrom)
		for _, f := range r.figures {
			f.settle(MostFrom)
		}
	}
	return g, err
}

// nameOf is how a result is known: two commands may have results of one name.
func nameOf(r *block.Result) string { return r.Command + "\x00" + cmp.Or(r.Title, r.Command) }

func amountsOf(texts []string) ([]amount.Amount, error) {
	values := make([]amount.Amount, len(texts))
	for i, text := range texts {
		var err error
		if values[i], err = amount.Parse([]byte(text), '.'); err != nil {
			return nil, fmt.Errorf("%q is no amount", text)
		}
	}
	return values, nil
}

func added(to, values []amount.Amount) []amount.Amount {
	if to == nil {
		return slices.Clone(values)
	}
	for i := range values {
		to[i] = to[i].Add(values[i])
	}
	return to
}

func (g *Given) add(f *Figure, from From) {
	if g.kept >= mostKept {
		f.Others.take(&from)
		return
	}
	f.From = append(f.From, from)
	if g.kept++; len(f.From) >= 2*MostFrom {
		g.kept -= MostFrom
		f.settle(MostFrom)
	}
}

func (o *Others) take(from *From) {
	o.Sources, o.Rows, o.Totals = o.Sources+1, o.Rows+from.Rows, added(o.Totals, from.Totals)
}

// settle puts the largest first, and takes those behind the first ones for others.
func (f *Figure) settle(most int) {
	slices.SortFunc(f.From, func(a, b From) int {
		if len(a.Totals) > 0 {
			if c := b.Totals[0].Abs().Cmp(a.Totals[0].Abs()); c != 0 {
				return c
			}
		}
		return natural.Compare(a.Source, b.Source)
	})
	for i := most; i < len(f.From); i++ {
		f.Others.take(&f.From[i])
	}
	f.From = f.From[:min(len(f.From), most)]
}

// Of is a figure of a result of a command by the key of its group, or with nil its total; nil where nothing is known
// of it. It may be called of nil.
func (g *Given) Of(command, name string, key []string) *Figure {
	if g == nil || g.results[command+"\x00"+name] == nil {
		return nil
	}
	r := g.results[command+"\x00"+name]
	if key == nil {
		return r.total
	}
	var joined []byte
	for _, value := range key {
		joined = texts.Append(joined, []byte(value))
	}
	return r.figures[string(joined)]
}

// all are the figures of a result in the natural order of their keys.
func (g *Given) all(command, name string) (all []*Figure) {
	if g == nil || g.results[command+"\x00"+name] == nil {
		return nil
	}
	for _, f := range g.results[command+"\x00"+name].figures {
		all = append(all, f)
	}
	slices.SortFunc(all, func(a, b *Figure) int {
		for i := range a.Key {
			if c := natural.Compare(a.Key[i], b.Key[i]); c != 0 {
				return c
			}
		}
		return 0
	})
	return all
}

// Together is what sources gave to all figures of a result whose keys begin with some values, and end with last where
// that is not nil; nil where there are too many figures to be put together, or none.
func (g *Given) Together(command, name string, begin []string, last *string) *Figure {
	const most = 3000 // figures
	if g == nil || g.results[command+"\x00"+name] == nil {
		return nil
	}
	r := g.results[command+"\x00"+name]
	if len(r.figures) > most {
		return nil
	}
	all := &Figure{}
	at := make(map[string]int)
	for _, f := range g.all(command, name) {
		if !slices.Equal(f.Key[:min(len(f.Key), len(begin))], begin) || last != nil && f.Key[len(f.Key)-1] != *last ||
			f.Totals == nil {
			continue
		}
		all.Rows, all.Totals = all.Rows+f.Rows, added(all.Totals, f.Totals)
		for i := range f.From {
			from := f.From[i]
			k, known := at[from.Source]
			if !known {
				from.Totals = slices.Clone(from.Totals)
				at[from.Source], all.From = len(all.From), append(all.From, from)
				continue
			}
			to := &all.From[k]
			to.Rows, to.Totals, to.Place = to.Rows+from.Rows, added(to.Totals, from.Totals), ""
		}
		if f.Others.Sources > 0 {
			return nil // of whom some may be listed elsewhere
		}
	}
	all.settle(MostFrom)
	return all
}
