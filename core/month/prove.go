package month

import (
	"lastblock/core/capability/prove"
	"lastblock/core/option"
)

// Prove compares two sets of records.
type Prove struct {
	Reading
	Equals []string
	Exact  bool
	First  int
}

// NewProve is one with what is usual.
func NewProve() *Prove { return &Prove{Reading: newReading(), First: 5} }

func (t *Prove) Name() string { return "prove" }

func (t *Prove) Sources() *Reading { return &t.Reading }

func (t *Prove) Options() option.List {
	return option.List{
		{Word: "equals", Value: &t.Equals, Whole: true, File: option.Read,
			Meaning: "the other set: files, folders, patterns"},
		{Word: "exact", Value: &t.Exact, Meaning: "values are equal only where their texts are"},
		{Word: "first", Value: &t.First, Meaning: "how many of the records that only one side has are shown"},
	}
}

// Ask reads what is asked for.
func (t *Prove) Ask() (prove.Options, error) {
	if len(t.Equals) == 0 {
		return prove.Options{}, option.Errorf("equals",
			"what is it to be compared with? Name the other set behind ⟨equals⟩")
	}
	return prove.Options{Exact: t.Exact, First: t.First}, nil
}
