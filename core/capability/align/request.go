package align

import (
	"lastblock/core/option"
	"lastblock/core/value/equality"
)

// Request is an alignment in the words of a plan or a command line.
type Request struct {
	Key     []string
	Loose   []string
	Totals  []string
	Sorted  bool
	Common  bool
	Missing bool
}

// Options are those of a request.
func (r *Request) Options() option.List {
	return option.List{
		{Word: "key", Value: &r.Key, Columns: option.DataColumns,
			Meaning: "the columns by which records are put side by side"},
		{Word: "loose", Value: &r.Loose, Meaning: "what makes no difference in a key: blanks, case, zeros (in " +
			"front), punctuation"},
		{Word: "sorted", Value: &r.Sorted, Meaning: "keys in their natural order (as they come)"},
		{Word: "only-common", Value: &r.Common, Meaning: "only keys that all sources have"},
		{Word: "only-missing", Value: &r.Missing, Meaning: "only keys that some source lacks"},
		{Word: "total", Value: &r.Totals, Columns: option.DataColumns,
			Meaning: "amount columns to prove as well; a record without a proper amount there goes into suspense"},
	}
}

// Read reads a request. The error is an *option.Error.
func (r *Request) Read() (o Options, err error) {
	if err := r.Options().Distinct(); err != nil {
		return o, err
	}
	o = Options{Key: r.Key, Totals: r.Totals, Sorted: r.Sorted}
	switch {
	case len(r.Key) == 0:
		return o, ErrNoKey
	case r.Common && r.Missing:
		return o, option.Errorf("only-common", "it does not go together with ⟨only-missing⟩: nothing would be left")
	case r.Common:
		o.Only = Common
	case r.Missing:
		o.Only = Missing
	}
	if o.Loose, err = equality.ParseLoose(r.Loose); err != nil {
		return o, option.Errorf("loose", "%w", err)
	}
	return o, nil
}
