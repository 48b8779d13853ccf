package block

import (
	"os"
	"path/filepath"
	"slices"

	"lastblock/core/large/prints"
)

// Base is what the blocks of a chain have of sources: of each the newest that has it. A block that is about to be
// written goes on to use what is the same.
type Base struct {
	chain   *Chain
	sources map[Named]baseSource
	given   map[string]map[string]baseGiven // by the name of the result, and by source
	used    map[int]map[Named]bool          // sources that are used, by block
	figures map[int]map[string]bool         // likewise, those of which it says what they gave
	records map[int]bool                    // blocks whose retained records are there
}

type baseSource struct {
	*Source
	columns []string
	number  int
}

// baseGiven is what a source gave to a result.
type baseGiven struct {
	print  string
	number int
}

// Base reads what the blocks have, of those of this version: earlier ones do not say what is the same. Figures of a
// block that are gone, or not as they were sealed, are not there, so that they are written once more. The error is a
// *BrokenError, or what reading returned.
func (c *Chain) Base() (*Base, error) {
	b := &Base{chain: c, sources: make(map[Named]baseSource), given: make(map[string]map[string]baseGiven),
		used: make(map[int]map[Named]bool), figures: make(map[int]map[string]bool), records: make(map[int]bool)}
	for i := len(c.Entries) - 1; i >= 0 && c.Entries[i].Version == Version; i-- {
		e := &c.Entries[i]
		own, err := c.own(e)
		if err != nil {
			return nil, err
		}
		for k := range own {
			s := &own[k]
			if _, known := b.sources[s.name()]; known {
				continue
			}
			of := baseSource{Source: s, number: e.Number}
			if s.Layout > 0 {
				of.columns = e.Layouts[s.Layout-1]
			}
			b.sources[s.name()] = of
		}
		if e.Block.Records != nil {
			_, err := os.Stat(filepath.Join(c.Folder, e.Block.Records.Name))
			b.records[e.Number] = err == nil
		}
		b.takeGiven(e)
	}
	return b, nil
}

// takeGiven takes what sources gave to results in a block, as far as no newer one says it. Nothing is known of figures
// that cannot be read.
func (b *Base) takeGiven(e *Entry) {
	for of, sources := range b.chain.given[e.Number] {
		if b.given[of] == nil {
			b.given[of] = make(map[string]baseGiven)
		}
		for source, print := range sources {
			if _, known := b.given[of][source]; !known {
				b.given[of][source] = baseGiven{print, e.Number}
			}
		}
	}
}

// Knows tells whether a block up to one of a number says what a source gave to a result, by its fingerprint.
func (b *Base) Knows(command, title, source string, through int, print prints.Sum) bool {
	of := Result{Command: command, Title: title}
	was, known := b.given[of.called()][source]
	return known && was.number <= through && was.print == print.String()
}

// called is how a result is known among those of all blocks.
func (r *Result) called() string { return r.Command + "\x00" + r.Title }

// Retained tells whether an earlier block has retained the records of a source that all results share, of these bytes.
// What became of them may still be another thing; see Holds.
func (b *Base) Retained(source, sha256 string) bool {
	was, known := b.sources[Named{Source: source}]
	return known && sha256 != "" && was.SHA256 == sha256 && b.records[was.Retained]
}

// Holds tells whether the records that an earlier block has retained of a source are those that it has now, and what
// became of them is the same; columns are its own.
func (b *Base) Holds(s *Source, columns []string) bool {
	was, known := b.sources[s.name()]
	return known && s.SHA256 != "" && was.SHA256 == s.SHA256 && b.records[was.Retained] &&
		was.States == s.States && was.Fingerprint == s.Fingerprint && slices.Equal(was.columns, columns)
}

// Divide parts the sources of a block that is to have a number into those that stand in earlier blocks as they are, and
// its own, which it returns. isRetained tells of a source whether its records are retained with this block; nil where
// none are.
func (b *Base) Divide(of *Block, number int, isRetained func(s *Source) bool) (own []Source) {
	own = []Source{}
	for i := range of.Sources {
		s := &of.Sources[i]
		was, known := b.sources[s.name()]
		switch {
		case isRetained != nil && s.Of == "" && isRetained(s):
			s.Retained = number
		case known:
			s.Retained = was.Retained
			if isRetained == nil || s.Of != "" {
				s.States = was.States
			}
		}
		same := known && was.isSame(s, of)
		if !same && (isRetained == nil || s.Of != "") {
			s.Retained, s.States = 0, ""
		}
		if s.Retained > 0 && s.Retained != number {
			b.Use(s.Retained)
		}
		if same {
			b.use(was.number, s.name())
		} else {
			own = append(own, *s)
		}
	}
	return own
}

// isSame tells whether a block has a source as another one has it.
func (s *baseSource) isSame(now *Source, of *Block) bool {
	var columns []string
	if now.Layout > 0 {
		columns = of.Layouts[now.Layout-1]
	}
	return slices.Equal(s.columns, columns) && slices.Equal(s.Totals, now.Totals) && s.File == now.File &&
		s.Query == now.Query && s.Size == now.Size && s.Entity == now.Entity && s.Period == now.Period &&
		s.Fingerprint == now.Fingerprint && s.Rows == now.Rows && s.Retained == now.Retained && s.States == now.States
}

// use notes that a source stands in a block; a blank name is none.
func (b *Base) use(number int, name Named) {
	if b.used[number] == nil {
		b.used[number] = make(map[Named]bool)
	}
	if name.Source != "" {
		b.used[number][name] = true
	}
}

// Use notes that something of a block is used that is no source of its own.
func (b *Base) Use(number int) { b.use(number, Named{}) }

// useFigures notes that a block says what a source gave to a result.
func (b *Base) useFigures(number int, source string) {
	b.Use(number)
	if b.figures[number] == nil {
		b.figures[number] = make(map[string]bool)
	}
	b.figures[number][source] = true
}

// Earlier are the blocks of which something is used, and what of each.
func (b *Base) Earlier() (all []Earlier, err error) {
	all = []Earlier{}
	for i := range b.chain.Entries {
		e := &b.chain.Entries[i]
		used, is := b.used[e.Number]
		if !is {
			continue
		}
		own, err := b.chain.own(e)
		if err != nil {
			return nil, err
		}
		of := earlierOf(e, own, used)
		of.Figures = len(b.figures[e.Number])
		all = append(all, of)
	}
	return all, nil
}
