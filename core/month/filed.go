package month

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"lastblock/core/capability/tieout"
	"lastblock/core/finding"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/natural"
	"lastblock/core/value/period"
	"lastblock/core/value/spelling"
	"lastblock/core/value/words"
)

// Filed tells which entities have filed for which periods, by the names of the sources.
type Filed struct {
	periods  []period.Period // the oldest first
	entities map[period.Period]map[string]bool
	names    map[string]string // of entities as their files write them, by spelling.Fold of their names
	ended    map[string]period.Period
}

// FiledBy reads off a set who has filed for what. Sources whose names tell no period have not filed for
// any; ended are entities that file no more, and their last periods, by spelling.Fold of their names.
func FiledBy(set *source.Set, ended map[string]period.Period) *Filed {
	f := &Filed{entities: make(map[period.Period]map[string]bool), names: make(map[string]string), ended: ended}
	for i := range set.Sources {
		p, ok := period.Parse(set.Word(i, tally.PeriodWord))
		if !ok {
			continue
		}
		if f.entities[p] == nil {
			f.periods = append(f.periods, p)
			f.entities[p] = make(map[string]bool)
		}
		if entity := strings.TrimSpace(set.Word(i, tally.EntityWord)); entity != "" {
			folded := spelling.Fold(entity)
			f.entities[p][folded], f.names[folded] = true, entity
		}
	}
	slices.SortFunc(f.periods, func(a, b period.Period) int {
		return cmp.Or(cmp.Compare(a.Last(), b.Last()), cmp.Compare(a.First, b.First))
	})
	return f
}

// due are the entities that have to have filed for a period: those of the roster, or without one all that
// have filed for an earlier one.
func (f *Filed) due(p period.Period, roster *tieout.Roster) []string {
	names := make(map[string]bool)
	if roster != nil {
		for i := range roster.Entries {
			if e := &roster.Entries[i]; e.IsDue(p) {
				names[spelling.Fold(e.Entity)] = true
				f.names[spelling.Fold(e.Entity)] = e.Entity
			}
		}
	} else {
		for of, entities := range f.entities {
			if of.First < p.First {
				maps.Copy(names, entities)
			}
		}
	}
	maps.DeleteFunc(names, func(entity string, _ bool) bool {
		last, is := f.ended[entity]
		return is && p.Last() > last.Last()
	})
	return slices.SortedFunc(maps.Keys(names), natural.Compare)
}

// missing are the entities that have not filed for a period and are due.
func (f *Filed) missing(p period.Period, roster *tieout.Roster) (names []string) {
	for _, entity := range f.due(p, roster) {
		if !f.entities[p][entity] {
			names = append(names, f.names[entity])
		}
	}
	return names
}

// Newest is the newest period for which all have filed that are due; roster is nil without one. The
// error is an *option.Error that says for the newest periods who is missing.
func (f *Filed) Newest(roster *tieout.Roster) (period.Period, error) {
	if len(f.periods) == 0 {
		return period.Period{}, option.Errorf("period", "no source's name tells a period; say which one is closed")
	}
	const shown, names = 3, 4
	var said []string
	for _, p := range slices.Backward(f.periods) {
		missing := f.missing(p, roster)
		if len(missing) == 0 {
			return p, nil
		}
		if len(said) < shown {
			said = append(said, fmt.Sprintf("for %s lacks %s", p, words.AndMore(names, missing...)))
		}
	}
	return period.Period{}, option.Errorf("period", "for no period all have filed that are due:\n%s\nsay which one is "+
		"closed", strings.Join(said, "\n"))
}

// FormsUpTo passes over the forms of periods that begin behind p: a budget of the year is one of each month in it.
func (in *Input) FormsUpTo(p period.Period) {
	in.passOverLater("later than "+p.String(), func(of period.Period) bool { return of.First > p.Last() })
}

// Only passes over the forms of other periods than p, and than longer ones that p is part of.
func (in *Input) Only(p period.Period) {
	in.FormsUpTo(p)
	in.Set.PassOver("earlier than "+p.String(), func(i int) bool {
		of, ok := period.Parse(in.Set.Word(i, tally.PeriodWord))
		return ok && of.Last() < p.Last()
	})
}

// Limit passes over the forms that a close of a period does not add up: of later periods, and of earlier ones where it
// is asked for. all has those of earlier periods still.
func (t *Overlay) Limit(in *Input, closed period.Period) (all *Input) {
	in.formPeriods = FiledBy(in.Set, nil).periods
	in.FormsUpTo(closed)
	set, whole := *in.Set, *in
	whole.Set = &set
	if t.Whose == onePeriod {
		in.Only(closed)
	}
	return &whole
}

// Choose passes over the forms that are not asked for in a run that closes nothing: of one period those of the plan's,
// or of the newest that there is.
func (t *Overlay) Choose(in *Input, p *Plan) error {
	if t.Whose != onePeriod {
		return nil
	}
	if p != nil {
		if closed, ok := period.Parse(p.Closed().Period); ok {
			in.Only(closed)
			return nil
		}
	}
	filed := FiledBy(in.Set, nil)
	if len(filed.periods) == 0 {
		return option.Errorf("of", "no form's name tells a period")
	}
	in.Only(filed.periods[len(filed.periods)-1])
	return nil
}

// limit passes over the forms that a block of a period does not have, of later periods only where these do not count.
func (t *Overlay) limit(in *Input, closed string, upTo bool) {
	switch p, ok := period.Parse(closed); {
	case !ok:
	case t.Whose == onePeriod:
		in.Only(p)
	case upTo:
		in.FormsUpTo(p)
	}
}

// NotFiled are findings for the forms of a grid that are due by a roster and have not come: for each period of which
// there are forms, and for the one that is closed where it is such a period.
func (in *Input) NotFiled(result string, closed period.Period, roster *tieout.Roster) (findings []finding.Finding) {
	if roster == nil || !slices.Contains(in.Set.Words(), tally.EntityWord) {
		return nil
	}
	filed := FiledBy(in.Set, in.Ended())
	periods := slices.Clone(filed.periods)
	isUnit := func(p period.Period) bool { return p.Unit == closed.Unit }
	if slices.ContainsFunc(in.formPeriods, isUnit) && !slices.Contains(periods, closed) {
		periods = append(periods, closed)
	}
	for _, p := range periods {
		for _, entity := range filed.missing(p, roster) {
			key := entity + " " + p.String()
			f := finding.Finding{Kind: finding.NotFiled, Severity: finding.NotFiled.Severity(), Source: key,
				Key: key + " " + result, Message: fmt.Sprintf("has not filed its form for %s; ask the branch for it",
					result)}
			f.ID, f.State = finding.Identify(&f, 0), finding.StateOf(&f)
			findings = append(findings, f)
		}
	}
	return findings
}

// UpTo passes over the sources of later periods than p, by the periods of their names.
func (in *Input) UpTo(p period.Period) {
	in.passOverLater("later than "+p.String(), func(of period.Period) bool { return of.Last() > p.Last() })
}

func (in *Input) passOverLater(reason string, isLater func(of period.Period) bool) {
	in.Arrived = slices.DeleteFunc(in.Arrived, func(f finding.Finding) bool {
		of, ok := in.arrivedFor[f.Source]
		return ok && isLater(of)
	})
	in.Set.PassOver(reason, func(i int) bool {
		of, ok := period.Parse(in.Set.Word(i, tally.PeriodWord))
		later := ok && isLater(of)
		if later {
			in.Later = append(in.Later, in.Set.Sources[i].Name)
		}
		return later
	})
}
