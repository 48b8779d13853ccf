package month

import (
	"errors"
	"fmt"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/month/plan"
	"lastblock/core/option"
	"lastblock/core/value/natural"
	"lastblock/core/value/nearest"
	"lastblock/core/value/period"
	"lastblock/core/value/words"
)

// closeTable says what is closed.
const closeTable = "close"

// Closing is a close: a month end in one run.
type Closing struct {
	Reading
	Period  string
	Results string // the folder of results without a path of their own
	Blocks  string // the folder of blocks
	Require []string
	Allow   []string
	Retain  bool

	Rehearse bool
	Restate  bool
	Anyway   bool
	Reason   string
	User     string
}

// NewClosing is one with what is usual.
func NewClosing() *Closing { return &Closing{Reading: newReading()} }

func (c *Closing) Name() string { return closeTable }

func (c *Closing) Sources() *Reading { return &c.Reading }

func (c *Closing) Options() option.List {
	return option.List{
		{Word: "period", Value: &c.Period,
			Meaning: "the period that is closed, e.g. 2031-03 (the newest for which all have filed)"},
		{Word: "results", Value: &c.Results, File: option.Written,
			Meaning: "the folder of results that have no ⟨out⟩ of their own (results/{period})"},
		{Word: "blocks", Value: &c.Blocks, File: option.Written, Meaning: "the folder of the blocks (blocks)"},
		{Word: "require", Value: &c.Require,
			Meaning: "checks that the plan must have, e.g. roster,declared,balance,doubles"},
		{Word: "allow", Value: &c.Allow, Meaning: "kinds of \"stop\" findings that may stay open, e.g. no-source"},
		{Word: "retain", Value: &c.Retain, Meaning: "keep all records with the block"},
		{Word: "rehearse", Value: &c.Rehearse, OneRun: true,
			Meaning: "do all of it, place nothing, and say what would be placed and sealed"},
		{Word: "restate", Value: &c.Restate, OneRun: true,
			Meaning: "close a period again that is sealed; needs ⟨reason⟩"},
		{Word: "anyway", Value: &c.Anyway, OneRun: true,
			Meaning: "seal a close that failed, as failed; needs ⟨reason⟩"},
		{Word: "reason", Value: &c.Reason, OneRun: true,
			Meaning: "why, in words that somebody else understands in a year"},
		{Word: "user", Value: &c.User, OneRun: true, Meaning: "who closes (the user of this machine)"},
	}
}

// MayBeTyped tells whether an option may be said on the command line of a close, which else is as its plan says:
// its own, and how much of the machine is used.
func (c *Closing) MayBeTyped(o *option.Option) bool {
	return c.Options().Find(o.Word) != nil ||
		slices.Contains([]string{"plan", "decisions", severityTable, "quiet", "json", "jobs", "memory"}, o.Word)
}

// checkClose checks the table of a close.
func (p *Plan) checkClose(table *plan.Table, k kind) error {
	if err := p.checkTask(table, k); err != nil {
		return err
	}
	closing := NewClosing()
	for i := range table.Entries {
		if o := closing.Sources().Options().Find(table.Entries[i].Key); o != nil && !closing.MayBeTyped(o) {
			return p.parsed.Fail(table.Entries[i].Place,
				"%s does not go together with a close, which reads all that the "+
					"plan names", o.Word)
		}
	}
	for _, o := range closing.Options() {
		if e := table.Find(o.Word); e != nil {
			if err := p.set(o, e); err != nil {
				return err
			}
			if err := closing.check(); err != nil {
				return p.parsed.Fail(e.Place, "%s", option.Say(err.Error(), plainly, plainly))
			}
		}
	}
	return nil
}

// check reads what can be said wrongly. The error is an *option.Error.
func (c *Closing) check() error {
	if _, ok := period.Parse(c.Period); c.Period != "" && !ok {
		return option.Errorf("period", "%q is no period; write 2031-03, 2031-Q1 or 2031-W05", c.Period)
	}
	for _, word := range c.Require {
		if !slices.Contains(requirable(), word) {
			return option.Errorf("require", "%w", nearest.Unknown("check", word, requirable()))
		}
	}
	for _, kind := range c.Allow {
		if !slices.Contains(finding.Kinds(), finding.Kind(kind)) {
			return option.Errorf("allow", "%w", nearest.Unknown("kind of finding", kind, kindNames()))
		}
	}
	return nil
}

func kindNames() (names []string) {
	for _, k := range finding.Kinds() {
		names = append(names, string(k))
	}
	return names
}

// Closed is what the plan says about its close.
func (p *Plan) Closed() *Closing {
	c := NewClosing()
	if table := p.parsed.Command(closeTable); table != nil {
		for _, o := range c.Options() {
			if e := table.Find(o.Word); e != nil {
				_ = p.set(o, e) // which was checked
			}
		}
	}
	return c
}

// requirable are the checks that a close can require: keys of the tie-out, and tables.
func requirable() []string {
	return []string{"roster", "declared", "balance", "sequence", "inside-period", "required", "allowed", "rule",
		"doubles", "reconcile"}
}

// Missing are findings for the checks that are required and that the plan lacks.
func (c *Closing) Missing(p *Plan) (findings []finding.Finding) {
	tie := p.parsed.Command(NewTieOut().Name())
	for _, word := range c.Require {
		if find(tie, word) != nil || p.parsed.Command(word) != nil {
			continue
		}
		f := finding.Finding{Kind: finding.CheckMissing, Key: word, Severity: finding.CheckMissing.Severity(),
			Message: fmt.Sprintf("a close has to have the check %s, and the plan does not; add it, or take it out of "+
				"require in [close]", word)}
		f.ID, f.State = finding.Identify(&f, 0), finding.StateOf(&f)
		findings = append(findings, f)
	}
	return findings
}

// shownPeriods is how many periods a message lists.
const shownPeriods = 6

// Period is the period of a run: the one that the plan closes, else the one that all sources have.
func (in *Input) Period(p *Plan) (string, error) {
	if in.Closing != "" {
		return in.Closing, nil
	}
	if p != nil {
		if closed := p.Closed().Period; closed != "" {
			return closed, nil
		}
	}
	var periods []string
	for i := range in.Set.Sources {
		if text := in.Set.Word(i, "period"); text != "" && !slices.Contains(periods, text) {
			periods = append(periods, text)
		}
	}
	slices.SortFunc(periods, natural.Compare)
	switch {
	case len(periods) == 1:
		return periods[0], nil
	case len(periods) == 0:
		return "", errors.New("no source's name tells a period that could stand for {period}; say it with " +
			"period in [close]")
	case len(periods) > shownPeriods:
		return "", fmt.Errorf("{period} stands for one period, and the sources have %d, from %s to %s; say which with "+
			"period in [close]", len(periods), periods[0], periods[len(periods)-1])
	}
	return "", fmt.Errorf("{period} stands for one period, and the sources have %s; say which with period in [close]",
		words.And(periods...))
}
