package rollup

import (
	"lastblock/core/option"
)

// Request is a summary in the words of a plan or a command line.
type Request struct {
	By        []string
	Sum       []string
	Across    string
	Subtotals bool
	Share     bool
	Top       int
	Sort      string
}

// Options are those of a request.
func (r *Request) Options() option.List {
	return option.List{
		{Word: "by", Value: &r.By, Columns: option.AnyColumns, Meaning: "columns to group by"},
		{Word: "sum", Value: &r.Sum, Columns: option.DataColumns, Meaning: "amount columns to sum"},
		{Word: "across", Value: &r.Across, Columns: option.AnyColumns,
			Meaning: "a column whose values are spread across"},
		{Word: "subtotals", Value: &r.Subtotals, Meaning: "subtotals, where there are several group columns"},
		{Word: "share", Value: &r.Share, Meaning: "each sum's share of the grand total, in percent"},
		{Word: "top", Value: &r.Top, Least: 1,
			Meaning: "the N groups with the largest first sum, and the rest in one row"},
		{Word: "sort", Value: &r.Sort, Columns: option.AnyColumns,
			Meaning: "a column to sort by, sums largest first; :up and :down behind it say otherwise"},
	}
}

// Read reads a request: what is added up, and in which form it is shown. The error is an
// *option.Error.
func (r *Request) Read() (o Options, form Form, err error) {
	if err := r.Options().Distinct(); err != nil {
		return o, form, err
	}
	switch {
	case len(r.By) == 0:
		return o, form, option.Errorf("by", "name the columns to group by, e.g. ⟨by⟩ entity,account")
	case len(r.Sum) == 0:
		return o, form, option.Errorf("sum", "name the columns to sum, e.g. ⟨sum⟩ debit,credit")
	case r.Top > 0 && r.Subtotals:
		return o, form, option.Errorf("top",
			"it does not go together with ⟨subtotals⟩: the largest groups do not stand by their first column")
	case r.Sort != "" && r.Subtotals:
		return o, form, option.Errorf("sort",
			"it does not go together with ⟨subtotals⟩: these need the groups by their first column")
	case r.Subtotals && len(r.By) < 2:
		return o, form, option.Errorf("subtotals", "several columns are needed in ⟨by⟩")
	}
	form = Form{Subtotals: r.Subtotals, Share: r.Share, Top: r.Top}
	form.Order, form.Sorted, err = parseSort(r.Sort)
	return Options{By: r.By, Sum: r.Sum, Across: r.Across}, form, err
}
