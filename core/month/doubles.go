package month

import (
	"lastblock/core/capability/doubles"
	"lastblock/core/option"
)

// Doubles is a search for doubles.
type Doubles struct {
	Reading
	doubles.Request
	Writing
}

// NewDoubles is one with what is usual.
func NewDoubles() *Doubles { return &Doubles{Reading: newLooking(), Request: doubles.NewRequest()} }

func (t *Doubles) Name() string { return "doubles" }

func (t *Doubles) Sources() *Reading { return &t.Reading }

func (t *Doubles) Options() option.List {
	return append(t.Request.Options(),
		t.bare("in the file of ⟨out⟩, leave out the words of ⟨name⟩, source and source_line"),
		t.findings(listMeaning), t.review(), t.out(), t.suspense(), t.shield(), t.replace())
}

// Ask reads what is asked for.
func (t *Doubles) Ask() (doubles.Options, error) {
	o, err := t.Request.Read(t.Manner.Shape.Amounts())
	o.Whole = t.JSON || t.Findings != ""
	return o, err
}
