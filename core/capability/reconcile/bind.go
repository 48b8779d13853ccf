package reconcile

import (
	"context"
	"slices"

	"lastblock/core/option"
	"lastblock/core/tally/matching"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
)

// field is a column that is compared.
type field struct {
	name      string
	at        [2]int // of the columns of each side
	amount    int    // of sides' Amounts, -1 where it was not said that it is one
	within    amount.Amount
	percent   bool
	tolerance bool
	days      int // -1 for none
	compared  bool
}

// sideError says which side an error is about.
func sideError(side int, word string, err error) error {
	if side == 1 {
		return option.Errorf(word, "in the reference, %w", err)
	}
	return option.Errorf(word, "%w", err)
}

// find finds a column on both sides.
func (r *run) find(word, name string) (at [2]int, err error) {
	for side := range at {
		if at[side], err = r.sides[side].Find(name); err != nil {
			return at, sideError(side, word, err)
		}
	}
	return at, nil
}

// bind finds the columns that options name.
func (r *run) bind(ctx context.Context) error {
	o := &r.options
	reading := r.reading
	for side, s := range r.sides {
		if side == 1 && s == r.sides[0] {
			break
		}
		if err := s.Look(ctx, reading); err != nil {
			return err
		}
	}
	for side := range r.names {
		r.names[side] = slices.Clone(r.sides[side].Columns)
	}
	if o.Mirror != nil {
		if err := r.bindMirror(ctx); err != nil {
			return err
		}
	} else if len(o.Keys) == 0 || len(o.Keys[0]) == 0 {
		return ErrNoKey
	}
	if err := r.bindFields(); err != nil {
		return err
	}
	for side := range r.values {
		r.values[side] = slices.Clone(r.sides[side].Amounts)
	}
	if r.mirror != nil {
		r.convert()
	}
	if err := r.bindBy(); err != nil {
		return err
	}
	if err := r.bindPasses(); err != nil {
		return err
	}
	r.markUnused()
	for side, s := range r.sides {
		s.Require = r.passes[0].keys[side].Columns
		s.Needed = r.passes[0].keys[side].Columns
		if r.mirror != nil { // which changes texts, and so needs all of them
			s.Needed = nil
			for column := range s.Columns {
				s.Needed = append(s.Needed, column)
			}
		}
	}
	return nil
}

// markUnused marks the columns that nobody needs.
func (r *run) markUnused() {
	if r.options.Rows {
		return
	}
	for side, s := range r.sides {
		if r.mirror != nil && side == 1 {
			break
		}
		used := slices.Concat(r.by[side], r.values[side])
		for i := range r.fields {
			used = append(used, r.fields[i].at[side])
		}
		for i := range r.passes {
			used = append(used, r.passes[i].keys[side].Columns...)
		}
		if m := r.mirror; m != nil {
			used = append(used, m.entity, m.counterparty, m.currency, m.date)
		}
		s.Unused = slices.Repeat([]bool{true}, len(s.Columns))
		for _, column := range used {
			if column >= 0 && column < len(s.Unused) {
				s.Unused[column] = false
			}
		}
		if !slices.Contains(s.Unused, true) {
			s.Unused = nil
		}
	}
}

// bindBy finds the columns of Options.By, which one of the sides may lack.
func (r *run) bindBy() error {
	for _, name := range r.options.By {
		found := false
		var at [2]int
		var missing error
		for side := range r.sides {
			var err error
			if at[side], err = r.sides[side].Find(name); err != nil {
				at[side], missing = -1, err
			} else {
				found = true
			}
		}
		if !found {
			return sideError(0, "by", missing)
		}
		for side := range r.by {
			r.by[side] = append(r.by[side], at[side])
		}
	}
	return nil
}

// bindFields finds what is compared, and what is read as amounts.
func (r *run) bindFields() error {
	o := &r.options
	compare := o.Compare
	switch {
	case compare != nil:
	case o.Mirror != nil || o.Sum != nil:
		compare = []string{}
	default:
		for _, name := range r.names[0] {
			if slices.Contains(r.names[1], name) {
				compare = append(compare, name)
			}
		}
	}
	for _, name := range compare {
		f, err := r.field("compare", name)
		if err != nil {
			return err
		}
		f.compared = true
	}
	addAmount := func(word, name string) (*field, error) {
		f, err := r.field(word, name)
		if err != nil {
			return nil, err
		}
		if f.amount < 0 {
			for side := range r.sides {
				f.amount = r.sides[side].ReadAmounts(f.at[side])
			}
		}
		return f, nil
	}
	for _, name := range o.Totals {
		f, err := addAmount("total", name)
		if err != nil {
			return err
		}
		if o.Compare == nil {
			f.compared = true
		}
		r.totals = append(r.totals, f.amount)
	}
	for _, name := range o.Sum {
		f, err := addAmount("sum", name)
		if err != nil {
			return err
		}
		f.compared = true
	}
	for _, t := range o.Tolerances {
		f, err := addAmount("tolerance", t.Column)
		if err != nil {
			return err
		}
		f.within, f.percent, f.tolerance = t.Within, t.Percent, true
	}
	for _, d := range o.Days {
		f, err := r.field("days", d.Column)
		if err != nil {
			return err
		}
		f.days = d.Most
	}
	return nil
}

// field returns the field of a column, which is made where there is none yet.
func (r *run) field(word, name string) (*field, error) {
	at, err := r.find(word, name)
	if err != nil {
		return nil, err
	}
	for i := range r.fields {
		if r.fields[i].at == at {
			return &r.fields[i], nil
		}
	}
	r.fields = append(r.fields, field{name: r.sides[0].Columns[at[0]], at: at, amount: -1, days: -1})
	return &r.fields[len(r.fields)-1], nil
}

// pass is a pass over what is left.
type pass struct {
	names   []string
	keys    [2]*matching.Key // by which records are brought together
	near    []int            // of fields, those of the key that may differ a little
	combine bool
	settles bool  // what is left is told
	part    []int // of fields, those that are part of the key, and so not compared
}

// bindPasses finds the keys.
func (r *run) bindPasses() error {
	o := &r.options
	for n, names := range o.Keys {
		word := "key"
		if n > 0 {
			word = "then-key"
		}
		p, err := r.pass(word, names, n > 0)
		if err != nil {
			return err
		}
		r.passes = append(r.passes, p)
	}
	if o.Mirror != nil && len(o.Keys) == 0 {
		r.passes = append(r.passes, pass{keys: [2]*matching.Key{{}, {}}})
	}
	if o.Combine > 0 {
		p, err := r.pass("combine-within", o.CombineWithin, false)
		if err != nil {
			return err
		}
		if len(r.totals) == 0 && len(o.Sum) == 0 {
			return option.Errorf("combine", "what is to be added up? Name the amount with ⟨total⟩")
		}
		p.combine = true
		r.passes = append(r.passes, p)
	}
	if len(r.passes) > 1 {
		again := r.passes[0] // what is left then is told by its key
		r.passes = append(r.passes, again)
	}
	r.passes[len(r.passes)-1].settles = true
	return nil
}

// pass makes a pass. Of a key, what has a tolerance may differ by that, unless it is
// the first one.
func (r *run) pass(word string, names []string, tolerant bool) (pass, error) {
	p := pass{names: names, keys: [2]*matching.Key{{}, {}}}
	for _, name := range names {
		at, err := r.find(word, name)
		if err != nil {
			return p, err
		}
		known := slices.IndexFunc(r.fields, func(f field) bool { return f.at == at })
		if known >= 0 {
			p.part = append(p.part, known)
			if f := &r.fields[known]; tolerant && (f.tolerance || f.days >= 0) {
				p.near = append(p.near, known)
				continue
			}
		}
		var loose equality.Loose
		for _, l := range r.options.Loose {
			if l.Column == "" || l.Column == name {
				loose = l.Loose
			}
		}
		word := r.wordOf(at)
		for side := range p.keys {
			p.keys[side].Words = append(p.keys[side].Words, word)
			p.keys[side].Columns = append(p.keys[side].Columns, at[side])
			p.keys[side].Loose = append(p.keys[side].Loose, loose)
		}
	}
	for side := range p.keys {
		if !slices.ContainsFunc(p.keys[side].Words, func(word string) bool { return word != "" }) {
			p.keys[side].Words = nil
		}
	}
	return p, nil
}

// wordOf is the word of names of sources that a column is on either side, "" for none.
func (r *run) wordOf(at [2]int) string {
	for side, column := range at {
		if word := r.sides[side].Word(column); word != "" {
			return word
		}
	}
	return ""
}
