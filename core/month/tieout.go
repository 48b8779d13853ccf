package month

import (
	"context"

	"lastblock/core/capability/tieout"
	"lastblock/core/option"
)

// TieOut is a tie-out.
type TieOut struct {
	Reading
	tieout.Request
	Writing
	Top, Bottom int
	Each        bool
}

// NewTieOut is one with what is usual.
func NewTieOut() *TieOut { return &TieOut{Reading: newReading()} }

func (t *TieOut) Name() string { return "tieout" }

func (t *TieOut) Sources() *Reading { return &t.Reading }

func (t *TieOut) Options() option.List {
	return append(t.Request.Options(),
		each(&t.Each), t.findings(listMeaning+" of collate"),
		&option.Option{Word: "top", Value: &t.Top, Least: 1, Meaning: "show only the N sources with the largest total"},
		&option.Option{Word: "bottom", Value: &t.Bottom, Least: 1,
			Meaning: "show only the N sources with the smallest total"},
		t.review(), t.suspense(), t.shield(), t.replace())
}

// Ask reads what is asked of the sources of in.
func (t *TieOut) Ask(ctx context.Context, in *Input) (tieout.Options, error) {
	o, err := t.Request.Read(ctx, in.Set, in.Reading, in.Decimal)
	if err == nil {
		err = in.NeedSources()
	}
	if err != nil {
		return o, err
	}
	o.Ended = in.Ended()
	o.Partial, o.Whole = in.Partial, t.JSON || t.Findings != ""
	o.Drop, err = in.Left()
	return o, err
}
