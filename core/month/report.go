package month

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"lastblock/core/month/pack"
	"lastblock/core/option"
	"lastblock/core/value/nearest"
	"lastblock/core/value/period"
)

// Report is the page and the workbook for those who are reported to.
type Report struct {
	Reading
	Writing
	Out     []string
	Block   int
	Period  string
	For     string
	Section []string
	Hide    []string
}

// NewReport is one with what is usual.
func NewReport() *Report { return &Report{Reading: newReading()} }

func (t *Report) Name() string { return "report" }

func (t *Report) Sources() *Reading { return &t.Reading }

func (t *Report) Options() option.List {
	return option.List{
		{Word: "block", Value: &t.Block, OneRun: true,
			Meaning: "report this block (without it the next close is rehearsed, and what it comes to is reported)"},
		{Word: "period", Value: &t.Period, OneRun: true,
			Meaning: "rehearse the close of this period, e.g. 2031-03 (that of the plan's [close])"},
		{Word: "out", Value: &t.Out, File: option.Written,
			Meaning: "write the report to files: .html for the page, .xlsx for the workbook"},
		{Word: "for", Value: &t.For, Meaning: "only what this entity may see: its own"},
		{Word: "section", Value: &t.Section, Meaning: "only these sections, of " + strings.Join(pack.Sections(), ", ")},
		{Word: "hide", Value: &t.Hide, Meaning: "all sections but these"},
		t.named(), t.replace(),
	}
}

// MayBeTyped tells whether an option may be said on the command line of a report, which else is as its plan says.
func (t *Report) MayBeTyped(o *option.Option) bool {
	return t.Options().Find(o.Word) != nil || NewClosing().MayBeTyped(o)
}

// The endings of a page and of a workbook.
const (
	PageEnding     = ".html"
	WorkbookEnding = ".xlsx"
)

// Check makes sure of what is asked for. The error is an *option.Error.
func (t *Report) Check() error {
	for _, path := range t.Out {
		if ending := strings.ToLower(filepath.Ext(path)); ending != PageEnding && ending != WorkbookEnding {
			return option.Wrong("out", path, "the ending tells the format: .html for the page, .xlsx for the workbook")
		}
	}
	for _, list := range []struct {
		word  string
		names []string
	}{{"section", t.Section}, {"hide", t.Hide}} {
		for _, name := range list.names {
			if !slices.Contains(pack.Sections(), name) {
				return option.Errorf(list.word, "%w", nearest.Unknown("section", name, pack.Sections()))
			}
		}
	}
	if len(t.Section) > 0 && len(t.Hide) > 0 {
		return option.Errorf("hide", "it does not go together with ⟨section⟩")
	}
	if _, ok := period.Parse(t.Period); t.Period != "" && !ok {
		return option.Errorf("period", "%q is no period; write 2031-03, 2031-Q1 or 2031-W05", t.Period)
	}
	if t.Block < 0 {
		return option.Errorf("block", "blocks are numbered from 1")
	}
	if t.Block > 0 && t.Period != "" {
		return option.Errorf("period", "it is for a rehearsal, and block %d has one already", t.Block)
	}
	return nil
}

// Shows are the sections that are shown, in their order.
func (t *Report) Shows() (names []string) {
	for _, name := range pack.Sections() {
		if len(t.Section) > 0 && !slices.Contains(t.Section, name) || slices.Contains(t.Hide, name) {
			continue
		}
		names = append(names, name)
	}
	return names
}

// Rehearsal is the close that a report of no block rehearses: that of the plan, as if it were sealed whatever it comes
// to.
func (t *Report) Rehearsal(p *Plan) *Closing {
	c := p.Closed()
	c.Reading, c.Rehearse, c.Anyway, c.Retain = t.Reading, true, true, false
	if t.Period != "" {
		c.Period = t.Period
	}
	c.Reason = fmt.Sprintf("for the report of %s", t.Plan)
	return c
}
