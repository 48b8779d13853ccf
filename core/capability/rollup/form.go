package rollup

import (
	"slices"
	"strings"

	"lastblock/core/option"
	"lastblock/core/value/amount"
	"lastblock/core/value/nearest"
)

// Form is in which rows a summary is given.
type Form struct {
	Subtotals bool
	Share     bool // each sum's share of the grand total
	Top       int  // so many groups, and the others in one row; 0 for all
	Sorted    bool // by Order, and not by the keys
	Order     Order
}

// parseSort reads column:up or column:down.
func parseSort(text string) (order Order, sorted bool, err error) {
	column, direction, _ := strings.Cut(text, ":")
	if direction != "" && direction != "up" && direction != "down" {
		return order, false, option.Wrong("sort", text, "behind the column may stand :up or :down")
	}
	return Order{Column: column, Up: direction == "up", Down: direction == "down"}, text != "", nil
}

// Line is a row of a summary in its form.
type Line struct {
	Row
	Kind LineKind
	Left int // group columns that a subtotal has a value for
	More int // groups that the rest is made of
}

// LineKind is what a line is about.
type LineKind byte

const (
	Group LineKind = iota
	Subtotal
	Rest     // the groups that are not among the largest
	Total    // of all
	Suspense // what is in suspense, and so in no group
)

// Formed is a summary in a form.
type Formed struct {
	*Result
	Form
	Names Names // of all columns
}

// In gives the result a form. sums are the columns as they were asked for, by name or position.
// The error is an *option.Error of a column to sort by that there is not.
func (r *Result) In(form Form, sums []string) (*Formed, error) {
	f := &Formed{r, form, r.Names(form.Share)}
	if !form.Sorted {
		return f, nil
	}
	if i := slices.Index(sums, form.Order.Column); i >= 0 {
		f.Order.Column = r.Sums[i] // which may have been called by its position
	}
	if !r.Knows(f.Order) {
		have := slices.Concat(r.Columns, r.Sums, []string{RecordsColumn})
		return nil, option.Errorf("sort", "%w", nearest.Unknown("column", f.Order.Column, have))
	}
	return f, nil
}

// Lines calls visit for each line, at last the grand total, and what is in suspense, if anything
// is. The error is what visit or reading
// groups back returned, a *TooManyGroupsError, or a *proof.FailedError.
func (f *Formed) Lines(visit func(Line) error) error {
	if err := f.groups(visit); err != nil {
		return err
	}
	if err := visit(Line{Row: f.Total, Kind: Total}); err != nil || f.Proof.Suspense == 0 {
		return err
	}
	return visit(Line{Row: f.suspended(), Kind: Suspense})
}

// suspended is what is in suspense: how many records, and how much as far as their amounts can be
// read.
func (f *Formed) suspended() Row {
	row := Row{Records: f.Proof.Suspense, Cells: make([][]amount.Amount, len(f.Across))}
	for _, total := range f.Proof.Totals {
		row.Sums = append(row.Sums, total.Suspense)
	}
	return row
}

// IsUnread tells whether records are in suspense of which not one has an amount in a sum.
func (f *Formed) IsUnread(sum int) bool {
	return f.Proof.Suspense > 0 && f.Proof.Totals[sum].Unread == f.Proof.Suspense
}

func (f *Formed) groups(visit func(Line) error) error {
	switch {
	case f.Form.Top > 0:
		return f.top(visit)
	case f.Subtotals:
		return f.withSubtotals(visit)
	case f.Form.Sorted:
		rows, err := f.Result.Sorted(f.Order)
		if err != nil {
			return err
		}
		for _, row := range rows {
			if err := visit(Line{Row: row}); err != nil {
				return err
			}
		}
		return nil
	}
	return f.Each(func(row Row) error { return visit(Line{Row: row}) })
}

func (f *Formed) top(visit func(Line) error) error {
	top, rest, others, err := f.Result.Top(f.Form.Top, f.Order)
	if err != nil {
		return err
	}
	for _, row := range top {
		if err := visit(Line{Row: row}); err != nil {
			return err
		}
	}
	if others == 0 {
		return nil
	}
	return visit(Line{Row: rest, Kind: Rest, More: others})
}

// withSubtotals puts behind the groups that agree in their first columns their subtotal, the
// one over the fewest groups first.
func (f *Formed) withSubtotals(visit func(Line) error) error {
	levels := len(f.Columns) - 1
	open := make([]*adder, levels) // open[i] adds up what agrees in i+1 columns
	var last []string
	closeFrom := func(level int) error {
		for i := levels - 1; i >= level; i-- {
			if open[i] == nil {
				continue
			}
			subtotal := Line{Row: open[i].row(last[:i+1]), Kind: Subtotal, Left: i + 1}
			open[i] = nil
			if err := visit(subtotal); err != nil {
				return err
			}
		}
		return nil
	}
	err := f.Each(func(row Row) error {
		same := 0
		for same < levels && last != nil && row.Key[same] == last[same] {
			same++
		}
		if err := closeFrom(same); err != nil {
			return err
		}
		last = row.Key
		for i := range open {
			if open[i] == nil {
				open[i] = newAdder(len(f.Sums), len(f.Across))
			}
			open[i].add(row)
		}
		return visit(Line{Row: row})
	})
	if err != nil {
		return err
	}
	return closeFrom(0)
}

// SharePlaces is how many decimals a share in percent has.
const SharePlaces = 2

// ShareOf is a sum's share of the grand total in percent; ok is false where the total is zero.
func (f *Formed) ShareOf(row Row, sum int) (percent amount.Amount, ok bool) {
	return amount.Share(row.Sums[sum], f.Result.Total.Sums[sum], SharePlaces)
}
