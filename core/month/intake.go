package month

import (
	"lastblock/core/capability/intake"
	"lastblock/core/option"
)

// Intake is a look at what arrived.
type Intake struct {
	Reading
	Head int
	Each bool
}

// NewIntake is one with what is usual.
func NewIntake() *Intake { return &Intake{Reading: newReading()} }

func (t *Intake) Name() string { return "intake" }

func (t *Intake) Sources() *Reading { return &t.Reading }

func (t *Intake) Options() option.List {
	return option.List{{Word: "head", Value: &t.Head, Meaning: "show the first N rows of each source"}, each(&t.Each)}
}

// Ask is what is asked for.
func (t *Intake) Ask() intake.Options { return intake.Options{Head: t.Head} }
