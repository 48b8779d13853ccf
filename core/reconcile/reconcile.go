// Package reconcile brings two sets of records together by key: which agree, which
// differ and in what, which only one side has, and what leads from the total of one
// side to that of the other. It can do so within one set as well, where companies
// book what they owe one another.
package reconcile

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/amount"
	"lastblock/core/drop"
	"lastblock/core/finding"
	"lastblock/core/matching"
	"lastblock/core/meaning"
	"lastblock/core/proof"
	"lastblock/core/record"
	"lastblock/core/source"
)

// Status says of a record, or of records that belong together, how the two sides
// stand to one another.
type Status byte

// The statuses.
const (
	Agrees    Status = iota // both sides have it, with the same values
	Differs                 // both sides have it, with different values
	OnlyHere                // the reference lacks it
	OnlyThere               // only the reference has it
	Ambiguous               // its key stands more than once, and does not pair off

	statuses = 5
)

var statusWords = [statuses]string{"agrees", "differs", "only-here", "only-there", "ambiguous"}

func (s Status) String() string { return statusWords[s] }

// Statuses are all statuses, in the order in which they are told.
func Statuses() []Status { return []Status{Agrees, Differs, OnlyHere, OnlyThere, Ambiguous} }

// ParseStatus reads a status. The error names what there is.
func ParseStatus(word string) (Status, error) {
	if at := slices.Index(statusWords[:], word); at >= 0 {
		return Status(at), nil
	}
	return 0, fmt.Errorf("%q: it is %s", word, strings.Join(statusWords[:], ", "))
}

// Loose says what makes no difference in a column of a key.
type Loose struct {
	Column string // "" for all
	Loose  meaning.Loose
}

// Tolerance says by how much amounts of a column may differ and still agree.
type Tolerance struct {
	Column  string
	Within  amount.Amount
	Percent bool // Within is percent of the larger of the two
}

// Days says how many days the dates of a column may lie apart and still agree.
type Days struct {
	Column string
	Most   int
}

// Options say how records are brought together and compared. Columns are called by
// their names, which are those of both sides.
type Options struct {
	Keys       [][]string // of the first pass, and of those for what is left then
	Loose      []Loose
	Compare    []string // columns to compare; nil for all that both sides have
	Tolerances []Tolerance
	Days       []Days
	Sum        []string // amounts that are added up by key on each side first

	Combine       int      // look for so many records on one side that together make one on the other; 0 for no
	CombineWithin []string // only among records that have these columns in common

	Totals  []string // amounts of which there is a statement
	By      []string // columns by which there is one more
	Weights map[finding.Kind]finding.Weight
	Drop    [2]*drop.Set // what is left out here and there
	Rows    bool         // the records are to be written
	Kinds   bool         // in a format that tells the kinds of columns apart

	Mirror *Mirror // within one set; nil for no
}

// Count counts what has a status.
type Count struct {
	Matches     int // records that belong together count once
	Here, There int
}

// Pass is one pass over what is left.
type Pass struct {
	Key     []string
	Combine bool
	Matches int
}

// Field is a column that was compared.
type Field struct {
	Column     string
	Differs    int  // pairs that differ in it
	IsAmount   bool // of amounts, by how much they do
	Difference amount.Amount
}

// Result is what came of it.
type Result struct {
	Counts    [statuses]Count
	Passes    []Pass
	Fields    []Field
	Totals    []string
	Statement Statement
	Groups    []Statement // with Options.By
	Companies []Company   // with Options.Mirror
	Corrected *Corrected  // nil where it is not written
	GaveUp    int         // records for which no combination was looked for any further
	Findings  []finding.Finding
	Proof     proof.Proof
	run       *run
}

// ErrNoKey says that there is nothing to bring records together by.
var ErrNoKey = errors.New("no key: name the columns that say which records belong together")

// Sides are both sides, read and ready to be matched.
type Sides struct{ run *run }

// Read reads the records of both sides, each once. The error is what reading returned,
// or a *tally.UnknownColumnError.
func Read(ctx context.Context, here, there *source.Set, reading source.Reading, options Options) (*Sides, error) {
	r := &run{reading: reading, options: options}
	r.sides[0] = &matching.Side{Set: here, Drop: options.Drop[0], Kinds: options.Kinds}
	r.sides[1] = r.sides[0]
	if options.Mirror == nil {
		r.sides[1] = &matching.Side{Set: there, Drop: options.Drop[1], Kinds: options.Kinds}
	}
	err := r.bind(ctx)
	if err == nil {
		err = r.read(ctx)
	}
	if err != nil {
		return nil, errors.Join(err, r.close())
	}
	return &Sides{r}, nil
}

// Match brings the records of both sides together. Values are compared by what they
// mean, see package meaning; those of Totals, Sum and Tolerances are amounts, of which
// a blank one is nought. It can be called once. The error is a *proof.FailedError, or
// says what cannot be put aside.
func (s *Sides) Match(ctx context.Context, writing Writing) (*Result, error) {
	s.run.writing = writing
	err := s.run.match(ctx)
	if err == nil {
		var result *Result
		if result, err = s.run.finish(); err == nil {
			return result, nil
		}
	}
	return nil, errors.Join(err, s.run.close())
}

// Close gives back what is held.
func (s *Sides) Close() error { return s.run.close() }

// Close gives back what the result holds to be written.
func (r *Result) Close() error { return r.run.close() }

// run is one reconciliation.
type run struct {
	reading source.Reading
	options Options
	sides   [2]*matching.Side
	names   [2][]string // columns of the items of each side

	fields []field
	values [2][]int // columns of the amounts: sides' Amounts, and with rates the converted one
	totals []int    // of values
	by     [2][]int
	passes []pass
	mirror *mirror

	isAmount []bool // by field: it holds amounts
	alike    bool   // both sides have the same columns in the same order, and one decimal mark

	writing   Writing
	columns   []Column
	corrected []Column

	heaps   *matching.Heaps
	rows    [2]*matching.Rows // with statuses, and corrected; nil where they are not written
	takers  []*taker
	workers []*worker
	list    finding.List
}

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
func sideError(side int, flag string, err error) error {
	if side == 1 {
		return fmt.Errorf("%s: in the reference, %w", flag, err)
	}
	return fmt.Errorf("%s: %w", flag, err)
}

// find finds a column on both sides.
func (r *run) find(flag, name string) (at [2]int, err error) {
	for side := range at {
		if at[side], err = r.sides[side].Find(name); err != nil {
			return at, sideError(side, flag, err)
		}
	}
	return at, nil
}

// bind finds the columns that options name.
func (r *run) bind(ctx context.Context) error {
	o := &r.options
	reading := r.reading
	reading.Amounts = slices.Concat(o.Totals, o.Sum)
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
			return sideError(0, "--by", missing)
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
		f, err := r.field("--compare", name)
		if err != nil {
			return err
		}
		f.compared = true
	}
	addAmount := func(flag, name string) (*field, error) {
		f, err := r.field(flag, name)
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
		f, err := addAmount("--total", name)
		if err != nil {
			return err
		}
		if o.Compare == nil {
			f.compared = true
		}
		r.totals = append(r.totals, f.amount)
	}
	for _, name := range o.Sum {
		f, err := addAmount("--sum", name)
		if err != nil {
			return err
		}
		f.compared = true
	}
	for _, t := range o.Tolerances {
		f, err := addAmount("--tolerance", t.Column)
		if err != nil {
			return err
		}
		f.within, f.percent, f.tolerance = t.Within, t.Percent, true
	}
	for _, d := range o.Days {
		f, err := r.field("--days", d.Column)
		if err != nil {
			return err
		}
		f.days = d.Most
	}
	return nil
}

// field returns the field of a column, which is made where there is none yet.
func (r *run) field(flag, name string) (*field, error) {
	at, err := r.find(flag, name)
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
		flag := "--key"
		if n > 0 {
			flag = "--then-key"
		}
		p, err := r.pass(flag, names, n > 0)
		if err != nil {
			return err
		}
		r.passes = append(r.passes, p)
	}
	if o.Mirror != nil && len(o.Keys) == 0 {
		r.passes = append(r.passes, pass{keys: [2]*matching.Key{{}, {}}})
	}
	if o.Combine > 0 {
		p, err := r.pass("--combine-within", o.CombineWithin, false)
		if err != nil {
			return err
		}
		if len(r.totals) == 0 && len(o.Sum) == 0 {
			return errors.New("--combine: what is to be added up? Name the amount with --total")
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
func (r *run) pass(flag string, names []string, tolerant bool) (pass, error) {
	p := pass{names: names, keys: [2]*matching.Key{{}, {}}}
	for _, name := range names {
		at, err := r.find(flag, name)
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
		var loose meaning.Loose
		for _, l := range r.options.Loose {
			if l.Column == "" || l.Column == name {
				loose = l.Loose
			}
		}
		for side := range p.keys {
			p.keys[side].Columns = append(p.keys[side].Columns, at[side])
			p.keys[side].Loose = append(p.keys[side].Loose, loose)
		}
	}
	return p, nil
}

// proofOf puts the proofs of reading both sides together.
func (r *run) proofOf() proof.Proof {
	p := r.sides[0].Proof()
	p.Totals = slices.Clone(p.Totals)
	if r.sides[1] != r.sides[0] {
		q := r.sides[1].Proof()
		p.Read += q.Read
		p.Suspense += q.Suspense
		p.Dropped += q.Dropped
		for i := range p.Totals {
			t, o := &p.Totals[i], &q.Totals[i]
			t.Read, t.Suspense, t.Dropped = t.Read.Add(o.Read), t.Suspense.Add(o.Suspense), t.Dropped.Add(o.Dropped)
		}
		p.Left = append(slices.Clone(p.Left), q.Left...)
	}
	for _, t := range r.takers {
		p.Suspense += t.without.suspense
		p.Dropped += t.without.dropped
		for i := range p.Totals {
			p.Totals[i].Suspense = p.Totals[i].Suspense.Add(t.without.suspended[i].Amount())
			p.Totals[i].Dropped = p.Totals[i].Dropped.Add(t.without.left[i].Amount())
		}
	}
	return p
}

// read reads both sides and deals their records for the first pass.
func (r *run) read(ctx context.Context) error {
	size := r.bytes()
	r.heaps = matching.NewHeaps(size, r.reading.Memory/2, r.reading.Jobs)
	var dealers [2][]*matching.Dealer
	for side, s := range r.sides {
		if side == 1 && s == r.sides[0] {
			break
		}
		err := s.Read(ctx, r.reading, func() matching.Taker {
			t := r.taker(side)
			r.takers = append(r.takers, t)
			dealers[side] = append(dealers[side], t.dealers[side])
			return t
		})
		if err != nil {
			return err
		}
		r.list.Merge(&s.Tally.Findings)
	}
	if r.mirror != nil {
		r.finishReading()
	}
	r.findAmounts()
	r.alike = slices.Equal(r.names[0], r.names[1]) && r.sides[0].OneDecimal() == r.sides[1].OneDecimal() && r.sides[0].OneDecimal() != 0
	return nil
}

// findAmounts finds out which fields hold amounts: it was said, or the values that
// sources begin with do, and some have decimals, so that they are no codes.
func (r *run) findAmounts() {
	for i := range r.fields {
		f := &r.fields[i]
		isAmount := f.amount >= 0
		if !isAmount {
			scale := 0
			isAmount = true
			for side, s := range r.sides {
				e := &s.Evidence[f.at[side]]
				kind, others := e.Kind(f.name)
				isAmount = isAmount && (e.Filled == 0 || kind == record.Amount && others == 0)
				scale = max(scale, e.Scale)
			}
			isAmount = isAmount && scale > 0
		}
		r.isAmount = append(r.isAmount, isAmount)
	}
}

// bytes is roughly how large both sides are. What comes from elsewhere than a file
// is taken to be large.
func (r *run) bytes() int64 {
	const unknown = 64 << 20
	size := int64(0)
	for side, s := range r.sides {
		if side == 1 && s == r.sides[0] {
			break
		}
		for i := range s.Set.Sources {
			if n := s.Set.Sources[i].Size; n < 0 {
				size += unknown
			} else {
				size += n
			}
		}
	}
	return size
}

// taker deals the records that one goroutine reads.
type taker struct {
	run     *run
	side    int
	dealers [2]*matching.Dealer
	key     *matching.Key
	room    []byte
	counts  [2]int
	sums    [2][]amount.Sum // by run.values
	without without
	mirror  *mirrorTaker
}

// without are records that take no part.
type without struct {
	suspense, dropped int
	suspended, left   []amount.Sum
}

func (r *run) taker(side int) *taker {
	n := len(r.sides[side].Amounts)
	t := &taker{run: r, side: side, key: r.passes[0].keys[side].Clone()}
	for i := range t.sums {
		t.sums[i] = make([]amount.Sum, len(r.values[side]))
	}
	t.without.suspended, t.without.left = make([]amount.Sum, n), make([]amount.Sum, n)
	t.dealers[side] = r.heaps.Dealer(side)
	if r.mirror != nil {
		t.dealers[1] = r.heaps.Dealer(1)
		t.mirror = r.mirror.taker()
	}
	return t
}

func (t *taker) Take(record *matching.Record) error {
	side := t.side
	key, blank := t.room[:0], false
	if t.mirror != nil {
		var ok bool
		if side, key, ok = t.mirror.turn(t, record, key); !ok {
			return nil
		}
	}
	before := len(key)
	key, blank = t.key.Append(key, record.Texts, record.Decimals)
	blank = blank && before == 0
	t.room = key
	t.counts[side]++
	for i, value := range record.Values {
		t.sums[side][i].Add(value)
	}
	for i := len(record.Values); i < len(t.sums[side]); i++ {
		t.sums[side][i].Add(amountOf(record.Texts[t.run.values[side][i]]))
	}
	return t.dealers[side].Put(record, key, blank, side)
}
