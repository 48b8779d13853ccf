// Package overlay adds up grids: forms such as budgets, in which many branches have filled in the same figures. Figures
// meet by position, where all forms have one layout, and every label is then held against those of the others; or by
// their labels, where forms differ in shape. It tells what each branch gave to each figure. Sources are read by their
// cells; records, headers and summaries of records are for other capabilities.
package overlay

import (
	"context"

	"lastblock/core/finding"
	"lastblock/core/finding/drop"
	"lastblock/core/format/sheet"
	"lastblock/core/source"
	"lastblock/core/value/equality"
)

// Options say what is added up, and how.
type Options struct {
	// Areas are where the figures stand, for forms that meet by position; nil to find it out.
	Areas []sheet.Area
	// Labels are where the labels stand, for forms that meet by them; nil for those that meet by position.
	Labels *Labels

	Also    []string       // labels of percentages and fractions that are added all the same
	Footing []Footing      // sums of others beside those that are found
	Loose   equality.Loose // what makes no difference in a label

	Drop *drop.Set // what is left out; nil for nothing
	// IsAccepted tells whether somebody has accepted a finding: labels that differ are then added by position, and
	// labels that stand twice together. Nil for nothing.
	IsAccepted func(finding.Finding) bool
}

// Labels are columns and rows that hold labels, counted from 1, the outermost level first.
type Labels struct {
	Columns, Rows []int
}

// Footing names a row or a column that is a sum of others.
type Footing struct {
	Axis  Axis
	Label string
}

// Axis tells rows from columns.
type Axis int

// The axes of a grid.
const (
	Rows Axis = iota
	Columns
)

func (a Axis) String() string {
	if a == Rows {
		return "row"
	}
	return "column"
}

func (o *Options) isAccepted(f *finding.Finding) bool { return o.IsAccepted != nil && o.IsAccepted(*f) }

// Run reads the sources of a set and adds up their grids. The caller gives the result back with Close. The error is an
// *option.Error, a *DisagreeError, or what reading returned.
func Run(ctx context.Context, set *source.Set, reading source.Reading, options Options) (result *Result, err error) {
	r := &run{set: set, reading: reading, options: &options}
	defer func() {
		if err != nil {
			r.close()
		}
	}()
	steps := []func(context.Context) error{r.read, r.agree, r.lay, r.add, r.foot, r.tell}
	for _, step := range steps {
		if err := step(ctx); err != nil {
			return nil, err
		}
	}
	return r.result()
}

// run is an overlay on its way.
type run struct {
	set     *source.Set
	reading source.Reading
	options *Options

	workers []*worker
	forms   []*form   // in the order of the sources
	layouts []*layout // in the order of the first source of each
	areas   []sheet.Area
	hull    sheet.Area // that holds them, where they were found
	most    *layout    // by position: the one that most forms have

	grid     *grid
	roles    [2][][]role // of the lines of the result, by axis and block
	given    []given     // by form
	sum      *adder      // of all forms
	footings []*footing
	foots    []int // forms in which each foots
	findings finding.List
}

func (r *run) close() {
	for _, w := range r.workers {
		w.close()
	}
}
