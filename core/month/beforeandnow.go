package month

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/capability/rollup"
	"lastblock/core/finding"
	"lastblock/core/large/texts"
	"lastblock/core/month/block"
	"lastblock/core/value/amount"
)

// BeforeAndNow are the figures of a block and those of today.
type BeforeAndNow struct {
	*Comparison
	// Mixed are results whose groups are not known by source for all that changed, so that they have no
	// bridges by group, and none by currency.
	Mixed []string
	// Found are findings for sources that are read differently.
	Found []finding.Finding

	plan   *Plan
	now    *Measured // of the sources that have changed, or of all
	before *Measured // of all with the decisions as they were sealed; nil where these are the same
	all    bool      // now is of all
	sealed []sealedResult
	chain  *block.Chain
	keptIn KeptIn // nil where it is not known
}

// KeptIn is the number of the block that says what a source gives to a result, which is what that block has sealed; 0
// where none does.
type KeptIn func(command, title, source string) int

// sealedResult are the figures of a result in a block, by the sources that are looked at.
type sealedResult struct {
	*block.Result
	place  int                                   // in the block, from 1
	given  map[string][]amount.Amount            // by source
	groups map[string][]amount.Amount            // by key; of forms
	within map[string]map[string][]amount.Amount // by source and key
	known  bool                                  // its groups are known
}

// Changes measures what has changed since a block. Where nothing but sources has, only those that have are
// read, unless program, the version of Lastblock, is another one than that which has sealed the block. seen knows files
// that were hashed before.
func (p *Plan) Changes(ctx context.Context, in *Input, chain *block.Chain, e *block.Entry, program string,
	seen *Seen) (b *BeforeAndNow, err error) {
	b = &BeforeAndNow{plan: p}
	if b.Comparison, err = Compare(ctx, p, in, chain, e, seen); err != nil {
		return nil, err
	}
	b.all = b.Plan || b.References || b.Decisions || b.isOtherVersion(program)
	if err := b.measure(ctx, in); err != nil {
		return nil, err
	}
	b.take(b.now)
	if b.all && b.Decisions && (b.Plan || b.References) {
		was := *in
		was.Set, was.Decided = in.Set.Subset(everything(len(in.Set.Sources))), in.Decided.First(e.Decisions.Lines)
		if b.before, err = p.Measure(ctx, &was, nil); err != nil {
			return nil, err
		}
	}
	if err := b.readSealed(chain); err != nil {
		return nil, err
	}
	if b.isOtherVersion(program) {
		b.takeReread(in, program, &Read{Sources: b.now.Sources, Print: b.now.Prints.Of, Set: b.now.Set})
	}
	return b, nil
}

// takeReread takes the sources for such as are read differently of which another version has read the same bytes
// otherwise.
func (b *BeforeAndNow) takeReread(in *Input, program string, read *Read) {
	taken := make(map[string]bool)
	for i := range b.Sources {
		taken[b.Sources[i].Source] = true
	}
	add := func(name string) {
		index, was := b.place[name], slices.IndexFunc(b.Comparison.sealed, func(s block.Source) bool {
			return s.Source == name
		})
		if taken[name] || was < 0 {
			return
		}
		taken[name] = true
		s := SourceChange{Change: Reread, Source: name, Before: figuresOf(&b.Comparison.sealed[was]),
			After: &read.Sources[index], index: index, was: was}
		s.Period = b.periodOf(&s)
		b.Sources, b.Same = append(b.Sources, s), b.Same-1
	}
	for _, r := range b.rereads(in, read, b.hash) {
		add(r.name)
		b.Found = append(b.Found, r.finding(program))
	}
	if b.Decisions || b.now.forms != nil || len(read.Columns) > 0 {
		return // what else differs may be decided, or the totals tell it
	}
	for k := range b.sealed {
		r := &b.sealed[k]
		now := figuresBySource(b.now, r, func(string) bool { return true })
		for i := range b.set.Sources {
			name := b.set.Sources[i].Name
			if _, known := r.given[name]; (known || now.given[name] != nil) && !sameAmounts(r.given[name],
				now.given[name]) {
				add(name)
			}
		}
	}
}

// sameAmounts tells whether amounts are the same; those that are not there count as zero.
func sameAmounts(x, y []amount.Amount) bool {
	for i := range max(len(x), len(y)) {
		if at(x, i).Cmp(at(y, i)) != 0 {
			return false
		}
	}
	return true
}

// ChangesOf holds what a run that reads all sources has measured, and read of them, against a block; m is the caller's.
// keptIn tells of what sources give that is as a block has it, so that it need not be looked at; nil where nobody
// knows.
func (p *Plan) ChangesOf(ctx context.Context, in *Input, m *Measured, read *Read, keptIn KeptIn, chain *block.Chain,
	e *block.Entry, program string, seen *Seen) (b *BeforeAndNow, err error) {
	b = &BeforeAndNow{plan: p, now: m, all: true, keptIn: keptIn}
	if b.Comparison, err = Compare(ctx, p, in, chain, e, seen); err != nil {
		return nil, err
	}
	b.take(m)
	if b.isOtherVersion(program) {
		b.takeReread(in, program, read)
	}
	return b, b.readSealed(chain)
}

// leaveSums takes what is a sum of others out of the sealed figures of a grid, as an earlier version has sealed them
// together.
func (b *BeforeAndNow) leaveSums() {
	isSum := b.now.forms.isSum()
	for i := range b.sealed {
		r := &b.sealed[i]
		if len(r.groups) == 0 {
			continue
		}
		add := func(groups map[string][]amount.Amount) (total []amount.Amount) {
			for key, amounts := range groups {
				if !isSum(key) {
					total = added(total, amounts)
				}
			}
			return total
		}
		of := *r.Result
		of.Totals = slices.Clone(of.Totals)
		total := add(r.groups)
		for k := range of.Totals {
			of.Totals[k].Amount = at(total, k).String()
		}
		r.Result = &of
		for source, groups := range r.within {
			r.given[source] = add(groups)
		}
	}
}

// Forms are the forms that are compared, nil where records are.
func (b *BeforeAndNow) Forms() *Forms { return b.now.forms }

// Close gives back what is held beside memory.
func (b *BeforeAndNow) Close() (err error) {
	for _, m := range []*Measured{b.now, b.before} {
		if m != nil {
			err = errors.Join(err, m.Close())
		}
	}
	return err
}

// measure measures what has changed, or all where that does not do.
func (b *BeforeAndNow) measure(ctx context.Context, in *Input) (err error) {
	indices := b.toMeasure()
	columns := make([]string, len(b.Entry.Totals))
	for i, total := range b.Entry.Totals {
		columns[i] = total.Column
	}
	if !b.all && len(indices) == 0 {
		b.now = b.nothingMeasured(in)
		return nil
	}
	if !b.all {
		some := *in
		some.Set = in.Set.Subset(indices)
		some.Reading.Partial = true // what others have it need not
		if b.now, err = b.plan.Measure(ctx, &some, columns); err == nil || ctx.Err() != nil {
			return err
		}
		b.all = true // they may lack a column that others have
	}
	whole := *in
	whole.Set = in.Set.Subset(everything(len(in.Set.Sources)))
	b.now, err = b.plan.Measure(ctx, &whole, columns)
	return err
}

// nothingMeasured is what no source gives to the results that the block has made, as the plan makes them still.
func (b *BeforeAndNow) nothingMeasured(in *Input) *Measured {
	m := &Measured{Set: in.Set.Subset(nil)}
	measured := []string{NewRollup().Name(), NewCollate().Name(), NewAttach().Name()}
	for i := range b.Entry.Results {
		r := &b.Entry.Results[i]
		if r.As != "" || !slices.Contains(measured, r.Command) {
			continue
		}
		of := &MeasuredResult{Command: r.Command, Title: r.Title}
		for _, total := range r.Totals {
			of.Sums = append(of.Sums, total.Column)
		}
		m.Results = append(m.Results, of)
	}
	return m
}

func everything(n int) (indices []int) {
	for i := range n {
		indices = append(indices, i)
	}
	return indices
}

// readSealed reads the figures of the results that have totals, of sources that are looked at.
func (b *BeforeAndNow) readSealed(chain *block.Chain) error {
	b.chain = chain
	place := make(map[int]int) // among b.sealed, by the result of the block, from 1
	for i := range b.Entry.Results {
		r := &b.Entry.Results[i]
		if r.As == "" && len(r.Totals) > 0 && b.now.Result(r.Command, r.Title) != nil {
			place[i+1] = len(b.sealed)
			b.sealed = append(b.sealed, sealedResult{Result: r, place: i + 1, given: make(map[string][]amount.Amount),
				groups: make(map[string][]amount.Amount), within: make(map[string]map[string][]amount.Amount)})
		}
	}
	take := func(f *block.Figure) error {
		at, ok := place[f.Result]
		if !ok {
			return nil
		}
		totals := make([]amount.Amount, len(f.Totals))
		for i, text := range f.Totals {
			var err error
			if totals[i], err = amount.Parse([]byte(text), '.'); err != nil {
				return fmt.Errorf("the figures of block %d: %w", b.Entry.Number, err)
			}
		}
		r, source := &b.sealed[at], strings.Clone(f.Source)
		switch f.Kind {
		case block.OfGiven:
			r.given[source] = totals
		case block.OfGroup:
			key := b.keyOf(r, f.Group)
			r.groups[key], r.known = added(r.groups[key], totals), true
		case block.OfWithin:
			if r.within[source] == nil {
				r.within[source] = make(map[string][]amount.Amount)
			}
			key := b.keyOf(r, f.Group)
			r.within[source][key] = added(r.within[source][key], totals)
		}
		return nil
	}
	if b.now.forms != nil { // whose sums are taken out of all
		err := chain.Figures(b.Entry, nil, take)
		if err == nil {
			b.leaveSums()
		}
		return err
	}
	looksAt, some := b.looksAt()
	if !some && b.keptIn != nil && !b.hasCurrency() {
		return nil // as of most months: all that is sealed is kept
	}
	known, err := chain.Given(b.Entry, looksAt, take)
	for i := range b.sealed {
		b.sealed[i].known = known[b.sealed[i].place]
	}
	return err
}

// hasCurrency tells whether a result has groups by currency, which have bridges of their own.
func (b *BeforeAndNow) hasCurrency() bool {
	return slices.ContainsFunc(b.sealed, func(r sealedResult) bool { return currencyOf(r.By) >= 0 })
}

// looksAt tells of which sources of the block the figures are looked at: those that have changed, and of all others
// those that do not give all that they gave; some is false where there are none.
func (b *BeforeAndNow) looksAt() (isWanted func(source string) bool, some bool) {
	wanted, changed := make(map[string]bool), make(map[string]bool)
	for i := range b.Sources {
		changed[b.Sources[i].Source] = true
		if at := b.Sources[i].was; at >= 0 {
			wanted[b.sealedName(at)] = true
		}
	}
	for i := range b.Comparison.sealed {
		name := b.Comparison.sealed[i].Source
		for k := range b.sealed {
			if b.all && !changed[name] && !b.isKept(&b.sealed[k], name) {
				wanted[name] = true
			}
		}
	}
	return func(source string) bool { return wanted[source] }, len(wanted) > 0
}

// isKept tells whether a source that is as it was gives to a result what the block says that it gave.
func (b *BeforeAndNow) isKept(r *sealedResult, source string) bool {
	if b.keptIn == nil || b.now.forms != nil {
		return false
	}
	in := b.keptIn(r.Command, r.Title, source)
	return in > 0 && in <= b.Entry.Number
}

// keyOf is the key of a sealed group, in which words of names are written as they are today.
func (b *BeforeAndNow) keyOf(r *sealedResult, group []string) string {
	spelt := group
	for i, column := range r.By {
		if !slices.Contains(b.set.Words(), column) {
			continue
		}
		if as := b.set.Spelling(column, group[i]); as != group[i] {
			if &spelt[0] == &group[0] {
				spelt = slices.Clone(group)
			}
			spelt[i] = as
		}
	}
	return keyOf(spelt)
}

func (b *BeforeAndNow) sealedName(at int) string { return b.Comparison.sealed[at].Source }

// keyOf makes one text of the values of a group, of which valuesOf makes them again.
func keyOf(values []string) string {
	var key []byte
	for _, value := range values {
		key = texts.Append(key, []byte(value))
	}
	return string(key)
}

func valuesOf(key string) []string { return texts.Split([]byte(key)) }

// part is what a source gave before and gives now, of one result, by the place of its totals.
type part struct {
	label, source string
	was, is       []amount.Amount
	wasBy, isBy   map[string][]amount.Amount // by group; nil where the source gave nothing
}

// parts are the sources that have changed, and where all were read the others together, line by line.
func (b *BeforeAndNow) parts(r *sealedResult) (parts []part, known bool, err error) {
	changed := make(map[string]bool)
	for i := range b.Sources {
		changed[b.Sources[i].Source] = b.Sources[i].index >= 0
	}
	now := figuresBySource(b.now, r, func(name string) bool { return changed[name] || !b.isKept(r, name) })
	known = now.err == nil && r.known
	if now.err != nil {
		return nil, false, now.err
	}
	for i := range b.Sources {
		s := &b.Sources[i]
		if s.Change == Moved && !b.tellsMoved() {
			continue
		}
		p := part{label: string(s.Change), source: s.Source}
		if s.was >= 0 {
			name := b.sealedName(s.was)
			p.was, p.wasBy = r.given[name], r.within[name]
			known = known && (p.was == nil || p.wasBy != nil)
		}
		if s.index >= 0 {
			p.is, p.isBy = now.given[s.Source], now.within[s.Source]
			known = known && (p.is == nil || p.isBy != nil)
		}
		parts = append(parts, p)
	}
	if !b.all {
		return parts, known, nil
	}
	others, othersKnown, err := b.others(r, now)
	return append(parts, others...), known && othersKnown, err
}

// tellsMoved tells whether a source that has moved has a line of its own, as where groups are by source: all was read,
// and nothing else has changed that it could go back to.
func (b *BeforeAndNow) tellsMoved() bool { return b.all && !b.Plan && !b.References && !b.Decisions }

// others are lines for what other things than sources have changed: of all sources that are the same.
func (b *BeforeAndNow) others(r *sealedResult, now *bySourceFigures) (parts []part, known bool, err error) {
	changed := make(map[string]bool)
	was := make(map[string]string) // what a source is called in the block
	for i := range b.Sources {
		s := &b.Sources[i]
		changed[s.Source] = s.Change != Moved || b.tellsMoved()
		if s.Change == Moved {
			was[s.Source] = s.Was
		}
	}
	before := now
	if b.before != nil {
		if before = figuresBySource(b.before, r, func(string) bool { return true }); before.err != nil {
			return nil, false, before.err
		}
	}
	config, decided := part{label: b.beside(b.before == nil)}, part{label: LineDecisions}
	known = true
	for i := range b.set.Sources {
		name := b.set.Sources[i].Name
		if changed[name] || was[name] == "" && b.isKept(r, name) {
			continue
		}
		old := cmp.Or(was[name], name)
		config.was, config.is = added(config.was, r.given[old]), added(config.is, before.given[name])
		decided.was, decided.is = added(decided.was, before.given[name]), added(decided.is, now.given[name])
		known = known && (r.given[old] == nil || r.within[old] != nil) &&
			(before.given[name] == nil || before.within[name] != nil) &&
			(now.given[name] == nil || now.within[name] != nil)
		config.wasBy, config.isBy = addedBy(config.wasBy, r.within[old]), addedBy(config.isBy, before.within[name])
		decided.wasBy = addedBy(decided.wasBy, before.within[name])
		decided.isBy = addedBy(decided.isBy, now.within[name])
	}
	if b.before != nil {
		return []part{config, decided}, known, nil
	}
	return []part{config}, known, nil
}

func added(to, values []amount.Amount) []amount.Amount {
	for i, value := range values {
		if i == len(to) {
			to = append(to, amount.Amount{})
		}
		to[i] = to[i].Add(value)
	}
	return to
}

func addedBy(to, values map[string][]amount.Amount) map[string][]amount.Amount {
	if to == nil {
		to = make(map[string][]amount.Amount)
	}
	for key, amounts := range values {
		to[key] = added(to[key], amounts)
	}
	return to
}

// bySourceFigures are what sources give to a result today.
type bySourceFigures struct {
	given  map[string][]amount.Amount
	within map[string]map[string][]amount.Amount
	err    error
}

// figuresBySource takes the figures of a result that was measured, by the totals of the sealed one, of sources that
// isWanted.
func figuresBySource(m *Measured, r *sealedResult, isWanted func(name string) bool) *bySourceFigures {
	of := m.Result(r.Command, r.Title)
	f := &bySourceFigures{given: make(map[string][]amount.Amount), within: make(map[string]map[string][]amount.Amount)}
	columns := make([]int, len(r.Totals)) // of the measured result, by total
	for i, total := range r.Totals {
		columns[i] = slices.Index(of.Sums, total.Column)
	}
	pick := func(sums []amount.Amount) []amount.Amount {
		amounts := make([]amount.Amount, len(columns))
		for i, at := range columns {
			if at >= 0 {
				amounts[i] = sums[at]
			}
		}
		return amounts
	}
	for i := range of.Given {
		if s := &of.Given[i]; s.Used > 0 && isWanted(m.Set.Sources[i].Name) {
			f.given[m.Set.Sources[i].Name] = pick(figuresCounted(s).Totals)
		}
	}
	if of.Within == nil || !slices.Equal(of.By, r.By) {
		return f
	}
	f.err = of.Within(func(index int) bool { return isWanted(m.Set.Sources[index].Name) }, func(index int,
		row rollup.Row) error {
		name := m.Set.Sources[index].Name
		if f.within[name] == nil {
			f.within[name] = make(map[string][]amount.Amount)
		}
		f.within[name][keyOf(row.Key)] = pick(row.Sums)
		return nil
	})
	return f
}
