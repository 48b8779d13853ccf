package block

import (
	"cmp"
	"errors"
	"fmt"
	"io/fs"
	"slices"

	"lastblock/core/value/natural"
	"lastblock/core/value/words"
)

// Most of what a month end reads was read by the last one, too. What is as an earlier block has it is not written
// again: the block names that one, and goes on to use its sources, what these gave, and their records. Of each of
// these the newest block counts that has it.

// Earlier is an earlier block of which a block goes on to use something.
type Earlier struct {
	Link
	// Sources is how many sources that it has sealed are as they were. Where these are not all that stand in it, Only
	// are those that are, or Without those that are not, whichever are fewer.
	Sources int     `json:"sources"`
	Only    []Named `json:"only,omitempty"`
	Without []Named `json:"without,omitempty"`
	// Figures is of how many sources it says what they gave to results.
	Figures int `json:"figures"`
}

// Named is what a source is called among those of a block.
type Named struct {
	Source string `json:"source"`
	Of     string `json:"of,omitempty"` // the result whose form it is
}

// name is that of the source.
func (s *Source) name() Named { return Named{s.Source, s.Of} }

// countEarlier is how many sources stand in earlier blocks.
func (b *Block) countEarlier() (n int) {
	for i := range b.Earlier {
		n += b.Earlier[i].Sources
	}
	return n
}

// isWhole tells whether a block names all that it stands on itself, as those of versions 1 and 2 do.
func (b *Block) isWhole() bool { return len(b.Earlier) == 0 }

// uses picks the sources of an earlier block that are used, of those that it has sealed.
func (e *Earlier) uses(own []Source) (used []*Source) {
	if e.Sources == 0 {
		return nil
	}
	listed := make(map[Named]bool, len(e.Only)+len(e.Without))
	for _, name := range append(slices.Clip(e.Only), e.Without...) {
		listed[name] = true
	}
	for i := range own {
		if s := &own[i]; len(listed) == 0 || listed[s.name()] == (len(e.Only) > 0) {
			used = append(used, s)
		}
	}
	return used
}

// Names is put together of the sources that are used of an earlier block, of those that it has sealed.
func earlierOf(e *Entry, own []Source, used map[Named]bool) Earlier {
	of := Earlier{Link: Link{e.Number, e.Seal}}
	var with, without []Named
	for i := range own {
		if name := own[i].name(); used[name] {
			with = append(with, name)
		} else {
			without = append(without, name)
		}
	}
	switch of.Sources = len(with); {
	case len(with) == 0 || len(without) == 0:
	case len(with) <= len(without):
		of.Only = with
	default:
		of.Without = without
	}
	return of
}

// earlier is the block that a block names. The error is a *BrokenError.
func (c *Chain) earlier(e *Entry, of *Earlier) (*Entry, error) {
	if of.Number < 1 || of.Number >= e.Number || of.Number > len(c.Entries) {
		return nil, c.broken(e.Number, "it stands on block %d, which is not before it", of.Number)
	}
	from := &c.Entries[of.Number-1]
	if from.Seal != of.Seal {
		return nil, c.broken(of.Number, "it was changed: block %d stands on it as %s, and it is %s now", e.Number,
			Short(of.Seal), Short(from.Seal))
	}
	return from, nil
}

// standsOn are the blocks in which figures of a block stand, itself first and then the newest first.
func (c *Chain) standsOn(e *Entry) (all []*Entry, err error) {
	all = []*Entry{e}
	for i := len(e.Earlier) - 1; i >= 0; i-- {
		if e.Earlier[i].Figures == 0 {
			continue
		}
		from, err := c.earlier(e, &e.Earlier[i])
		if err != nil {
			return nil, err
		}
		all = append(all, from)
	}
	return all, nil
}

// composed are the sources of a block that has some of them in earlier ones, in their order.
func (c *Chain) composed(e *Entry) (sources []Source, err error) {
	own, err := c.own(e)
	if err != nil {
		return nil, err
	}
	sources = slices.Clone(own)
	for i := range e.Earlier {
		from, err := c.earlier(e, &e.Earlier[i])
		if err != nil {
			return nil, err
		}
		has, err := c.own(from)
		if err != nil {
			return nil, err
		}
		used := e.Earlier[i].uses(has)
		if len(used) != e.Earlier[i].Sources {
			return nil, c.broken(e.Number, "it stands on %d sources of block %d, and that has %d of them",
				e.Earlier[i].Sources, from.Number, len(used))
		}
		layouts := e.layoutsOf(from)
		for _, s := range used {
			as := *s
			if as.Layout > 0 {
				as.Layout = layouts[as.Layout-1]
			}
			sources = append(sources, as)
		}
	}
	e.Sort(sources)
	return sources, nil
}

// layoutsOf are the places of the layouts of an earlier block among those of this one, from 1.
func (b *Block) layoutsOf(earlier *Entry) (places []int) {
	for _, layout := range earlier.Layouts {
		at := slices.IndexFunc(b.Layouts, func(own []string) bool { return slices.Equal(own, layout) })
		places = append(places, at+1)
	}
	return places
}

// Sort puts sources into the order in which a block has them: those that all results share, then the forms of each
// result; each in the natural order of their names.
func (b *Block) Sort(sources []Source) {
	results := make(map[string]int)
	place := func(s *Source) int {
		if s.Of == "" {
			return 0
		}
		if results[s.Of] == 0 {
			results[s.Of] = 1 + b.resultOf(s)
		}
		return results[s.Of]
	}
	slices.SortStableFunc(sources, func(x, y Source) int {
		return cmp.Or(cmp.Compare(place(&x), place(&y)), natural.Compare(x.Source, y.Source))
	})
}

// LostError says that a file is gone of which a block shows something.
type LostError struct {
	Number      int    // of the block
	What        string // figures, records, or what the checks came to
	Name        string // of the file
	In          int    // the block that has sealed it
	Sources, Of int    // how many sources of the block it is about, of all of them
}

// Unwrap says that the file does not exist.
func (e *LostError) Unwrap() error { return fs.ErrNotExist }

func (e *LostError) Error() string {
	of := fmt.Sprintf("those of %d of its %s are", e.Sources, words.Count(e.Of, "source"))
	if e.Sources == e.Of {
		of = "they are"
	}
	return fmt.Sprintf("block %d cannot show its %s: %s in %s, which block %d has sealed, and which is gone; put it "+
		"back from a copy. 'verify' says what can still be proved", e.Number, e.What, of, e.Name, e.In)
}

// Loss is what blocks cannot show any more, since a file is not as one of them has sealed it.
type Loss struct {
	Role    Role
	Name    string // of the file
	In      int    // the block that has sealed it
	Blocks  []int  // that stand on it
	Sources int    // how many sources of the last of these it is about
}

// Losses are what blocks cannot show any more for files that are not as they were sealed. The error is a *BrokenError,
// or what reading returned.
func (c *Chain) Losses(files []Sealed) (all []Loss, err error) {
	for i := range files {
		f := &files[i]
		isShown := f.Role == OfFigures || f.Role == OfRecords || f.Role == OfPack
		if !isShown || f.State != Changed && f.State != Gone {
			continue
		}
		loss := Loss{Role: f.Role, Name: f.Name, In: f.Number}
		for k := f.Number - 1; k < len(c.Entries); k++ {
			e := &c.Entries[k]
			n := e.SourceCount - e.countEarlier()
			if e.Number != f.Number {
				at := slices.IndexFunc(e.Earlier, func(of Earlier) bool { return of.Number == f.Number })
				if at < 0 {
					continue
				}
				if n = e.Earlier[at].Figures; n == 0 && f.Role == OfFigures {
					continue
				}
			}
			if f.Role == OfRecords {
				if n, err = c.retainedIn(e, f.Number); err != nil {
					return nil, err
				}
				if n == 0 && e.Number != f.Number {
					continue
				}
			}
			loss.Blocks, loss.Sources = append(loss.Blocks, e.Number), n
		}
		all = append(all, loss)
	}
	return all, nil
}

// retainedIn is of how many sources of a block another one has retained the records.
func (c *Chain) retainedIn(e *Entry, number int) (n int, err error) {
	sources, err := c.Sources(e)
	if errors.As(err, new(*LostError)) {
		return e.SourceCount, nil
	}
	for i := range sources {
		if sources[i].Retained == number || e.Version < 3 {
			n++
		}
	}
	return n, err
}
