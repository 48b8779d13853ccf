package block

import "slices"

// The figures of a block are CSV, packed with Zstandard: of each source what was read of it, and of each result
// what it came to by group, and what each source gave.

// Kind says what a line of figures is about.
type Kind string

// The kinds of figures.
const (
	OfRead   Kind = "read"   // a source, as it was read
	OfGiven  Kind = "given"  // what a source gave to a result
	OfGroup  Kind = "group"  // what a group of a result came to
	OfWithin Kind = "within" // what a source gave to a group
)

var kinds = []Kind{OfRead, OfGiven, OfGroup, OfWithin}

// Figure is a line of figures.
type Figure struct {
	Kind   Kind
	Result int      // place among the results of the block, from 1; 0 of what was read, but for forms of a result
	Source string   // "" of all together
	Group  []string // values of the columns By of the result; nil of all groups together
	Rows   int
	// Place is where in the source they stand, of OfWithin: a line, two lines as 4-18, or a cell; "" where that is not
	// known.
	Place  string
	Totals []string // of the result, or of what was read; exact decimals
	Read   *Source  // of what was read, without its totals
	// Print is the fingerprint of all that a source gave to the result, of OfGiven; see Given.
	Print string
	Kept  bool // an earlier block is known to have it, of OfGiven that is to be written
}

// readColumns stand behind the first three, and behind these retainedColumns, which figures of blocks of versions 1
// and 2 do not have.
var (
	readColumns     = []string{"file", "sha256", "fingerprint", "query", "size", "layout", "entity", "period"}
	retainedColumns = []string{"retained", "states"}
)

// placeColumn stands last. Figures of blocks of version 1 have no such column.
const placeColumn = "place"

// WholePlace stands in the place of an OfGiven whose source is not known by group.
const WholePlace = "whole"

// figureColumns are the columns of figures: where groups and totals stand.
type figureColumns struct {
	read, by, totals []string
	placed           bool
}

func (b *Block) figureColumns() (c figureColumns) {
	add := func(to *[]string, names ...string) {
		for _, name := range names {
			if !slices.Contains(*to, name) {
				*to = append(*to, name)
			}
		}
	}
	c.placed, c.read = b.Version != 1, readColumns
	if b.Version > 2 || b.Version == 0 { // which is being written
		c.read = slices.Concat(readColumns, retainedColumns)
	}
	add(&c.totals, columnsOf(b.Totals)...)
	for i := range b.Results {
		add(&c.by, b.Results[i].By...)
		add(&c.totals, columnsOf(b.Results[i].Totals)...)
	}
	return c
}

func columnsOf(totals []Total) (names []string) {
	for _, t := range totals {
		names = append(names, t.Column)
	}
	return names
}

func (c *figureColumns) header() []string {
	names := slices.Concat([]string{"figure", "result", "source"}, c.read, c.by, []string{"rows"}, c.totals)
	if c.placed {
		names = append(names, placeColumn)
	}
	return names
}
