package month

import (
	"cmp"
	"slices"

	"lastblock/core/month/block"
	"lastblock/core/option"
	"lastblock/core/source/shape"
	"lastblock/core/tally"
	"lastblock/core/value/nearest"
)

// figureOfPlan is a figure that is traced: of a result of the plan.
type figureOfPlan struct {
	Asked
	by, sums []string
	across   string // the last of by, whose values stand across; "" for none
	chosen   bool   // a condition of its own has chosen the records
}

// figure finds the result that is meant: the one that is named, else of those that sum up what is asked for the one
// that has the words among its groups, those that are said first before others.
func (p *Plan) figure(t *Tracing, say []block.Word) (*figureOfPlan, error) {
	all, err := p.figures()
	if err != nil {
		return nil, err
	}
	if len(t.Named) > 1 {
		return nil, option.Errorf("named", "one result has the figure")
	}
	var names []string
	for i := range all {
		names = append(names, cmp.Or(all[i].Name(), all[i].Command()))
	}
	if len(t.Named) == 1 {
		at := slices.Index(names, t.Named[0])
		if at < 0 {
			return nil, option.Errorf("named", "%w", nearest.Unknown("result", t.Named[0], names))
		}
		return &all[at], nil
	}
	best, most := &figureOfPlan{}, -1
	for i := range all {
		f := &all[i]
		if t.Sum == "" && len(f.sums) > 0 || slices.Contains(f.sums, t.Sum) {
			if has := f.has(say); has > most {
				best, most = f, has
			}
		}
	}
	return best, nil
}

// has weighs how many of the words are groups of the result: the ones that are said first count more.
func (f *figureOfPlan) has(say []block.Word) (weight int) {
	for _, w := range say {
		weight *= 2
		if slices.Contains(f.by, w.Column) {
			weight++
		}
	}
	return weight
}

// figures are the results of the plan that sum something up, summaries first.
func (p *Plan) figures() (all []figureOfPlan, err error) {
	if typed := NewRollup(); p.Has(typed.Name()) {
		results, _, err := Results(p, typed, AllOptions(typed), NewRollup)
		if err != nil {
			return nil, err
		}
		for _, r := range results {
			o, _, err := r.Task.Request.Read()
			if err != nil {
				return nil, r.Err(err)
			}
			f := figureOfPlan{Asked: r, by: slices.Clone(o.By), sums: o.Sum, chosen: chooses(r.Narrow)}
			if o.Across != "" {
				f.by, f.across = append(f.by, o.Across), o.Across
			}
			all = append(all, f)
		}
	}
	collated, err := figuresOfRecords(p, NewCollate, func(t *Collate) []string { return t.Totals })
	if err != nil {
		return nil, err
	}
	attached, err := figuresOfRecords(p, NewAttach, func(t *Attach) []string { return t.Totals })
	return slices.Concat(all, collated, attached), err
}

// figuresOfRecords are results of records that have totals.
func figuresOfRecords[T Maker](p *Plan, make func() T, totals func(T) []string) (all []figureOfPlan, err error) {
	typed := make()
	if !p.Has(typed.Name()) {
		return nil, nil
	}
	results, _, err := Results(p, typed, AllOptions(typed), make)
	for _, r := range results {
		all = append(all, figureOfPlan{Asked: r, sums: totals(r.Task), chosen: chooses(r.Narrow)})
	}
	return all, err
}

func chooses(narrow *shape.Request) bool { return narrow != nil && narrow.Where != nil }

// named is what the result is called.
func (f *figureOfPlan) named() string { return cmp.Or(f.Name(), f.Command()) }

// columns are those that are traced, one after another, until one is not zero: the one that is asked for, or all, and
// the first once more, for where all of them are.
func (f *figureOfPlan) columns(t *Tracing) []string {
	if t.Sum != "" || len(f.sums) == 0 {
		return []string{t.Sum}
	}
	if len(f.sums) == 1 {
		return f.sums
	}
	return append(slices.Clone(f.sums), f.sums[0])
}

// split parts the words into those of groups of the result, and words of the names of files.
func (f *figureOfPlan) split(say []block.Word) (groups, names []block.Word, ok bool) {
	for _, w := range say {
		switch {
		case slices.Contains(f.by, w.Column):
			groups = append(groups, w)
		case w.Column == tally.EntityWord || w.Column == tally.PeriodWord:
			names = append(names, w)
		default:
			return nil, nil, false
		}
	}
	return groups, names, len(f.by) > 0 || len(groups) == 0
}
