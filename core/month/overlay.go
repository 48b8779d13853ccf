package month

import (
	"context"

	"lastblock/core/capability/overlay"
	"lastblock/core/finding"
	"lastblock/core/option"
)

// Overlay adds up grids. In a plan it may have forms of its own, apart from the sources that all else is about.
type Overlay struct {
	Reading
	overlay.Request
	Writing
	Whose         string // which periods' forms: allPeriods, or onePeriod
	Formulas      bool
	Contributions string
}

// NewOverlay is one with what is usual.
func NewOverlay() *Overlay {
	t := &Overlay{Reading: newReading()}
	t.ByCells, t.KeepLocked, t.Whose = true, true, allPeriods
	return t
}

// Whose forms a grid is added up of: of all periods up to the one that is closed, or of that one alone.
const (
	allPeriods = "all"
	onePeriod  = "period"
)

func (t *Overlay) Name() string { return "overlay" }

func (t *Overlay) Sources() *Reading { return &t.Reading }

func (t *Overlay) Options() option.List {
	return append(t.Request.Options(),
		&option.Option{Word: "of", Value: &t.Whose,
			Meaning: "whose forms: all up to the period that is closed, or period: those of that period alone"},
		&option.Option{Word: "formulas", Value: &t.Formulas,
			Meaning: "in a workbook, every sum is a formula over the sheets of the branches"},
		&option.Option{Word: "contributions", Value: &t.Contributions, File: option.Written,
			Meaning: "write what each source gave to each figure to a file, in the format of its ending as with ⟨out⟩"},
		t.named(), t.out(), t.anyway(), t.shield(), t.replace())
}

// OpenForms finds the forms: those that paths name, or the plan where there are none.
func (t *Overlay) OpenForms(ctx context.Context, paths []string, machine int64) (*Input, error) {
	if t.Whose != allPeriods && t.Whose != onePeriod {
		return nil, option.Errorf("of", "%q is neither all nor period", t.Whose)
	}
	sheet, err := t.Request.Sheet()
	if err != nil {
		return nil, err
	}
	if sheet != "" && t.Manner.Sheet != "" && t.Manner.Sheet != sheet {
		return nil, option.Errorf("cells", "it names the sheet %q, and ⟨sheet⟩ names %q", sheet, t.Manner.Sheet)
	}
	if sheet != "" {
		t.Manner.Sheet = sheet
		for i := range t.Manners {
			t.Manners[i].Choice.Sheet = sheet
		}
	}
	t.Of = t.ResultName()
	return t.Open(ctx, paths, machine)
}

// ResultName is what blocks call the result.
func (t *Overlay) ResultName() string {
	if t.Result == "" {
		return t.Name()
	}
	return t.Result
}

// Ask reads what is asked for of the forms in in.
func (t *Overlay) Ask(in *Input) (o overlay.Options, err error) {
	if o, err = t.Request.Read(); err != nil {
		return o, err
	}
	if o.Drop, err = in.Left(); err != nil {
		return o, err
	}
	o.IsAccepted = func(f finding.Finding) bool {
		f.ID, f.State = finding.Identify(&f, 0), finding.StateOf(&f)
		in.Decided.Settle(&f)
		return f.Accepted != ""
	}
	return o, nil
}
