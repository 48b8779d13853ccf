package month

import "lastblock/core/option"

// Collate is one set of records.
type Collate struct {
	Reading
	Writing
	Totals []string
}

// NewCollate is one with what is usual.
func NewCollate() *Collate { return &Collate{Reading: newLooking()} }

func (t *Collate) Name() string { return "collate" }

func (t *Collate) Sources() *Reading { return &t.Reading }

func (t *Collate) Options() option.List {
	return option.List{
		t.bare(bareMeaning),
		{Word: "total", Value: &t.Totals, Columns: option.DataColumns,
			Meaning: "amount columns to prove as well; a record without a proper amount there goes into suspense"},
		t.named(), t.out(), t.anyway(), t.suspense(), t.shield(), t.replace(),
	}
}
