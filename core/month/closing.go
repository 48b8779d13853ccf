package month

import (
	"errors"
	"fmt"
	"slices"

	"lastblock/core/month/plan"
	"lastblock/core/option"
	"lastblock/core/value/natural"
	"lastblock/core/value/period"
	"lastblock/core/value/words"
)

// closeTable says what is closed.
const closeTable = "close"

// Closing is what a plan says about the close.
type Closing struct {
	Period string
}

// Options are those of a closing.
func (c *Closing) Options() option.List {
	return option.List{
		{Word: "period", Value: &c.Period, Meaning: "the period that is closed, e.g. 2031-03"},
	}
}

func (p *Plan) checkClose(table *plan.Table) error {
	if table.Several {
		return p.parsed.Fail(table.Place, "there is one table %s, written [%s]", table.Name, table.Name)
	}
	closing := new(Closing)
	if err := p.checkTable(table, closing.Options()); err != nil {
		return err
	}
	if _, ok := period.Parse(closing.Period); closing.Period != "" && !ok {
		return p.parsed.Fail(table.Find("period").Place, "%q is no period; write 2031-03, 2031-Q1 or 2031-W05",
			closing.Period)
	}
	return nil
}

// Closing is what the plan says about the close.
func (p *Plan) Closing() Closing {
	var c Closing
	if table := p.parsed.Command(closeTable); table != nil {
		for _, o := range c.Options() {
			if e := table.Find(o.Word); e != nil {
				_ = o.Set(e.Value) // which was checked
			}
		}
	}
	return c
}

// shownPeriods is how many periods a message lists.
const shownPeriods = 6

// Period is the period of a run: the one that the plan closes, else the one that all sources have.
func (in *Input) Period(p *Plan) (string, error) {
	if p != nil {
		if closed := p.Closing().Period; closed != "" {
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
