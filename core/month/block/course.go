package block

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"lastblock/core/value/amount"
	"lastblock/core/value/nearest"
	"lastblock/core/value/spelling"
	"lastblock/core/value/words"
)

// Wish is a figure that is asked for: a group of a result, or all groups that have some words.
type Wish struct {
	Words  []Word
	Result string // by its name or its command; "" for the first that has the words
	Sum    string // the column; "" for the first of the result
}

// Word is a column of groups and its value.
type Word struct {
	Column string `json:"column"`
	Value  string `json:"value"`
}

// IsSaid tells whether a value of the column is that of the word: of an entity or a period in whatever spelling.
func (w *Word) IsSaid(value string) bool {
	return value == w.Value || w.isNamed() && spelling.Same(w.Column, value, w.Value)
}

// isNamed tells whether the column is of whom, or of when, names of sources tell.
func (w *Word) isNamed() bool { return w.Column == "entity" || w.Column == spelling.PeriodWord }

// ParseWords reads COLUMN=VALUE, each of which may stand once.
func ParseWords(texts []string) (all []Word, err error) {
	for _, text := range texts {
		column, value, ok := strings.Cut(text, "=")
		if !ok || column == "" {
			return nil, fmt.Errorf("%q is no figure; write COLUMN=VALUE, e.g. account=04100", text)
		}
		if slices.ContainsFunc(all, func(w Word) bool { return w.Column == column }) {
			return nil, fmt.Errorf("%s is said twice", column)
		}
		all = append(all, Word{column, value})
	}
	return all, nil
}

// Point is a figure in a block.
type Point struct {
	Entry  *Entry
	Column string
	Rows   int
	Amount amount.Amount
	Change amount.Amount // against Since
	// the block that it restates, else that of the last period; nil where there is none with the figure
	Since *Entry
	// Made are the sources that made the change, the largest first. Unknown is how many sources gave
	// something that is not known by group, which is then not among them.
	Made    []Made
	Unknown int
}

// Made is what a source gave to a figure, and to the point before.
type Made struct {
	Source  string
	Was, Is amount.Amount
}

// Change is what the source changed.
func (m *Made) Change() amount.Amount { return m.Is.Sub(m.Was) }

// Course is a figure from block to block: in each that has such a result, in their order, each against the block that
// its close was compared with (Since). Blocks that cannot show it are in Lost of
// the chain. The error says what a wish names that no block has, or is that of Figures.
func (c *Chain) Course(w Wish) (points []Point, err error) {
	given := make(map[int]parts)           // by block
	amounts := make(map[int]amount.Amount) // likewise
	var had []string                       // values of the first word, where no group has all words
	found := false
	kept := make(map[string]*keptFigures) // what stands with each block, of each result
	for i := range c.Entries {
		e := &c.Entries[i]
		at, sum := e.find(&w)
		if at < 0 {
			continue
		}
		p := Point{Entry: e, Column: e.Results[at].Totals[sum].Column}
		read := c.figuresOf
		if of := e.Results[at].called(); e.Version > 2 {
			if kept[of] == nil {
				kept[of] = &keptFigures{chain: c, sift: sift{of: of, words: w.Words}, of: make(map[int]*keptOfBlock)}
			}
			read = kept[of].read
		}
		now, some, err := c.point(&p, &w, at, sum, &had, read)
		// none of its groups may have the words
		if untold := new(untoldError); errors.As(err, &untold) && e.Version > 2 {
			p = Point{Entry: e, Column: p.Column}
			now, some, err = c.point(&p, &w, at, sum, &had, c.figuresOf)
		}
		if lost := new(LostError); errors.As(err, &lost) {
			c.Lost = append(c.Lost, lost)
			continue
		}
		if err != nil {
			return nil, err
		}
		found = found || some
		var before parts
		p.Change = p.Amount
		if since := c.since(i); since != nil {
			if was, has := given[since.Number]; has {
				p.Since, before, p.Change = since, was, p.Amount.Sub(amounts[since.Number])
			}
		}
		p.Made, p.Unknown = madeBy(before, now), len(now.unknown)
		given[e.Number], amounts[e.Number] = now, p.Amount
		points = append(points, p)
	}
	switch {
	case len(points) == 0 && len(c.Lost) > 0:
		return nil, c.Lost[0]
	case len(points) == 0:
		return nil, c.nothing(&w)
	case !found:
		if err := c.values(&w, &had); err != nil {
			return nil, err
		}
		first := w.Words[0]
		slices.Sort(had)
		return nil, fmt.Errorf("no group has %s: %w", first.Column,
			nearest.Unknown("value", first.Value, slices.Compact(had)))
	}
	return points, nil
}

// find finds the result and the total that are wished for; -1 where the block has none.
func (b *Block) find(w *Wish) (result, sum int) {
	for i := range b.Results {
		r := &b.Results[i]
		if w.Result != "" && w.Result != r.Title && w.Result != r.Command || !r.has(w.Words) {
			continue
		}
		if sum = 0; w.Sum != "" {
			sum = slices.Index(columnsOf(r.Totals), w.Sum)
		}
		if sum >= 0 && sum < len(r.Totals) {
			return i, sum
		}
	}
	return -1, 0
}

func (r *Result) has(words []Word) bool {
	for _, w := range words {
		if !slices.Contains(r.By, w.Column) {
			return false
		}
	}
	return len(r.By) > 0 && r.As == ""
}

// parts are what sources gave to a figure, and those of which that is not known.
type parts struct {
	known   map[string]amount.Amount
	unknown map[string]bool
	rows    map[string]int // that the result has used
}

// point reads a figure, and returns what each source gave to it, and whether any group has the words. had gets the
// values of the first of them, of the lines that read reads.
func (c *Chain) point(p *Point, w *Wish, result, sum int, had *[]string,
	read readFiltered) (given parts, some bool, err error) {
	r := &p.Entry.Results[result]
	columns := make([]int, len(w.Words))
	for i, word := range w.Words {
		columns[i] = slices.Index(r.By, word.Column)
	}
	given = parts{make(map[string]amount.Amount), make(map[string]bool), make(map[string]int)}
	var total amount.Sum
	hasGroups := false
	_, known := c.sources[p.Entry.Number]
	var sources []Source
	err = c.figures(p.Entry, read, nil, func(f *Figure) error {
		if f.Kind == OfRead && !known {
			sources = append(sources, f.source(p.Entry))
		}
		if f.Result != result+1 || f.Kind == OfRead {
			return nil
		}
		switch f.Kind {
		case OfGiven:
			source := strings.Clone(f.Source)
			given.rows[source] = f.Rows
			if p.Entry.Version < 3 || f.Place == WholePlace { // else it is known by group
				given.unknown[source] = true
			}
			return nil
		case OfGroup:
			hasGroups = true
		case OfWithin:
			delete(given.unknown, f.Source)
		}
		for i, word := range w.Words {
			if value := f.Group[columns[i]]; !word.IsSaid(value) {
				if i == 0 && f.Kind == OfGroup {
					*had = append(*had, strings.Clone(value))
				}
				return nil
			}
		}
		value, err := amount.Parse([]byte(f.Totals[sum]), '.')
		if err != nil {
			return err
		}
		if f.Kind == OfGroup {
			total.Add(value)
			p.Rows += f.Rows
			some = true
			return nil
		}
		source := strings.Clone(f.Source)
		given.known[source] = given.known[source].Add(value)
		return nil
	})
	if err == nil && len(sources) > 0 {
		c.know(p.Entry, sources)
	}
	if err == nil && !hasGroups && len(given.unknown) > 0 {
		err = &untoldError{p.Entry.Number, r.Name}
	}
	p.Amount = total.Amount()
	return given, some, err
}

// values adds the values that the first word of a wish has in the newest block with such a result.
func (c *Chain) values(w *Wish, had *[]string) error {
	for i := len(c.Entries) - 1; i >= 0; i-- {
		e := &c.Entries[i]
		if at, sum := e.find(w); at >= 0 {
			_, _, err := c.point(&Point{Entry: e}, w, at, sum, had, c.figuresOf)
			return err
		}
	}
	return nil
}

// keptFigures are the figures that are about a wish, of a result: those that stand with a block are read once, however
// many blocks use them.
type keptFigures struct {
	chain *Chain
	sift  sift
	of    map[int]*keptOfBlock
}

type keptOfBlock struct {
	figures []Figure
	err     error
}

func (k *keptFigures) read(e *Entry, _ *filter, visit func(*Figure) error) error {
	of := k.of[e.Number]
	if of == nil {
		of = new(keptOfBlock)
		k.of[e.Number] = of
		of.err = k.chain.figuresOf(e, k.sift.in(e), func(f *Figure) error {
			if f.Kind == OfRead {
				return nil
			}
			kept := *f
			kept.Group, kept.Totals = slices.Clone(f.Group), slices.Clone(f.Totals)
			of.figures = append(of.figures, kept)
			return nil
		})
	}
	for i := range of.figures {
		if err := visit(&of.figures[i]); err != nil {
			return err
		}
	}
	return of.err
}

// untoldError says that a block keeps no figures by group of a result.
type untoldError struct {
	number int
	result string
}

func (e *untoldError) Error() string {
	return fmt.Sprintf("block %d keeps no figures by group of %s, which has nearly as many groups as records", e.number,
		e.result)
}

// madeBy are the sources whose part in a figure is another one, the largest change first.
func madeBy(before, now parts) (all []Made) {
	names := maps.Clone(now.known)
	if names == nil {
		names = make(map[string]amount.Amount)
	}
	maps.Copy(names, before.known)
	for name := range names {
		m := Made{name, before.known[name], now.known[name]}
		if m.Change().Sign() != 0 && !before.unknown[name] && !now.unknown[name] {
			all = append(all, m)
		}
	}
	slices.SortFunc(all, func(a, b Made) int {
		return cmp.Or(b.Change().Abs().Cmp(a.Change().Abs()), cmp.Compare(a.Source, b.Source))
	})
	return all
}

// nothing says why no block has such a figure.
func (c *Chain) nothing(w *Wish) error {
	var have []string
	add := func(text string) {
		if text != "" && !slices.Contains(have, text) {
			have = append(have, text)
		}
	}
	for i := range c.Entries {
		for k := range c.Entries[i].Results {
			if r := &c.Entries[i].Results[k]; len(r.By) > 0 {
				of := cmp.Or(r.Title, r.Command)
				add(of + " by " + words.And(r.By...) + ", sum " + words.And(columnsOf(r.Totals)...))
			}
		}
	}
	if len(have) == 0 {
		return fmt.Errorf("no block has a result with groups")
	}
	return fmt.Errorf("no block has a result with such groups; there are\n%s", strings.Join(have, "\n"))
}
