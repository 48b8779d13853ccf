package month

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/capability/rollup"
	"lastblock/core/large/texts"
	"lastblock/core/month/block"
	"lastblock/core/value/amount"
	"lastblock/core/value/natural"
	"lastblock/core/value/words"
)

// Bridge leads from a figure as it was sealed to what it is now. Its lines foot.
type Bridge struct {
	Result string       // as the plan calls it, or its command
	Column string       // what is added up
	Group  []block.Word // nil of all groups together
	Lines  []BridgeLine // the first is as sealed, the last is now
}

// Change is what the figure has changed by.
func (b *Bridge) Change() amount.Amount {
	return b.Lines[len(b.Lines)-1].Amount.Sub(b.Lines[0].Amount)
}

// BridgeLine is a line of a bridge.
type BridgeLine struct {
	Label  string // sealed, new, changed, moved, gone, plan, references, decisions, now
	Source string // of new, changed, moved and gone
	Amount amount.Amount
}

// The labels of lines that are about no source.
const (
	LineSealed     = "sealed"
	LinePlan       = "plan"
	LineReferences = "references"
	LineDecisions  = "decisions"
	LineOther      = "other" // nothing of these, as another version of Lastblock
	LineNow        = "now"
)

// currencyColumn is the column whose values are never added to one another.
const currencyColumn = "currency"

// BridgeOptions say which bridges are made.
type BridgeOptions struct {
	By  []string // columns of groups; nil for those of each result
	Top int      // groups that moved most, of each total; 0 for none
}

// FootingError is a bridge whose lines do not come to what the results come to now: an internal error.
type FootingError struct{ Result, Column, Lines, Now string }

func (e *FootingError) Error() string {
	return fmt.Sprintf("internal error: the bridge of %s of %s comes to %s, and the result to %s", e.Column, e.Result,
		e.Lines, e.Now)
}

// BeforeAndNow are the figures of a block and those of today.
type BeforeAndNow struct {
	*Comparison
	// Mixed are results whose groups are not known by source for all that changed, so that they have no
	// bridges by group, and none by currency.
	Mixed []string

	plan   *Plan
	now    *Measured // of the sources that have changed, or of all
	before *Measured // of all with the decisions as they were sealed; nil where these are the same
	all    bool      // now is of all
	sealed []sealedResult
}

// sealedResult are the figures of a result in a block.
type sealedResult struct {
	*block.Result
	given  map[string][]amount.Amount            // by source
	groups map[string][]amount.Amount            // by key
	within map[string]map[string][]amount.Amount // by source and key
}

// Changes measures what has changed since a block. Where nothing but sources has, only those that have are
// read. seen knows files that were hashed before.
func (p *Plan) Changes(ctx context.Context, in *Input, chain *block.Chain, e *block.Entry, seen *Seen) (b *BeforeAndNow,
	err error) {
	b = &BeforeAndNow{plan: p}
	if b.Comparison, err = Compare(ctx, p, in, chain, e, seen); err != nil {
		return nil, err
	}
	b.all = b.Plan || b.References || b.Decisions
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
	return b, b.readSealed(chain)
}

// ChangesOf holds what a run that reads all sources has measured against a block; m is the caller's.
func (p *Plan) ChangesOf(ctx context.Context, in *Input, m *Measured, chain *block.Chain, e *block.Entry,
	seen *Seen) (b *BeforeAndNow, err error) {
	b = &BeforeAndNow{plan: p, now: m, all: true}
	if b.Comparison, err = Compare(ctx, p, in, chain, e, seen); err != nil {
		return nil, err
	}
	b.take(m)
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

func everything(n int) (indices []int) {
	for i := range n {
		indices = append(indices, i)
	}
	return indices
}

// readSealed reads the figures of the results that have totals, of sources that are looked at.
func (b *BeforeAndNow) readSealed(chain *block.Chain) error {
	place := make(map[int]int) // among b.sealed, by the result of the block, from 1
	for i := range b.Entry.Results {
		r := &b.Entry.Results[i]
		if r.As == "" && len(r.Totals) > 0 && b.now.Result(r.Command, r.Title) != nil {
			place[i+1] = len(b.sealed)
			b.sealed = append(b.sealed, sealedResult{r,
				make(map[string][]amount.Amount), make(map[string][]amount.Amount),
				make(map[string]map[string][]amount.Amount)})
		}
	}
	wanted := make(map[string]bool)
	for i := range b.Sources {
		if at := b.Sources[i].was; at >= 0 {
			wanted[b.sealedName(at)] = true
		}
	}
	var isWanted func(source string) bool
	if !b.all {
		isWanted = func(source string) bool { return wanted[source] }
	}
	err := chain.Figures(b.Entry, isWanted, func(f *block.Figure) error {
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
			r.groups[key] = added(r.groups[key], totals)
		case block.OfWithin:
			if r.within[source] == nil {
				r.within[source] = make(map[string][]amount.Amount)
			}
			key := b.keyOf(r, f.Group)
			r.within[source][key] = added(r.within[source][key], totals)
		}
		return nil
	})
	if err == nil && b.now.forms != nil {
		b.leaveSums()
	}
	return err
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
	now := figuresBySource(b.now, r)
	known = now.err == nil && len(r.groups) > 0
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
		if before = figuresBySource(b.before, r); before.err != nil {
			return nil, false, before.err
		}
	}
	config, decided := part{label: b.beside(b.before == nil)}, part{label: LineDecisions}
	known = true
	for i := range b.set.Sources {
		name := b.set.Sources[i].Name
		if changed[name] {
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

// figuresBySource takes the figures of a result that was measured, by the totals of the sealed one.
func figuresBySource(m *Measured, r *sealedResult) *bySourceFigures {
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
		if s := &of.Given[i]; s.Used > 0 {
			f.given[m.Set.Sources[i].Name] = pick(figuresCounted(s).Totals)
		}
	}
	if of.Within == nil || !slices.Equal(of.By, r.By) {
		return f
	}
	f.err = of.Within(func(index int, row rollup.Row) error {
		name := m.Set.Sources[index].Name
		if f.within[name] == nil {
			f.within[name] = make(map[string][]amount.Amount)
		}
		f.within[name][keyOf(row.Key)] = pick(row.Sums)
		return nil
	})
	return f
}

// Bridges are those of each result and total: of all, of each currency where groups have one, and of the groups
// that moved most. The error may be a *FootingError.
func (b *BeforeAndNow) Bridges(o BridgeOptions) (all []Bridge, err error) {
	for i := range b.sealed {
		r := &b.sealed[i]
		parts, known, err := b.parts(r)
		if err != nil {
			return nil, err
		}
		if !known && len(r.By) > 0 {
			b.Mixed = append(b.Mixed, cmp.Or(r.Title, r.Command))
		}
		for k := range r.Totals {
			bridges, err := b.bridgesOf(r, parts, known, k, o)
			if err != nil {
				return nil, err
			}
			all = append(all, bridges...)
		}
	}
	return all, nil
}

// bridgesOf are the bridges of a total of a result.
func (b *BeforeAndNow) bridgesOf(
	r *sealedResult, parts []part, known bool, total int, o BridgeOptions,
) ([]Bridge, error) {
	sealed, err := amount.Parse([]byte(r.Totals[total].Amount), '.')
	if err != nil {
		return nil, err
	}
	whole := b.bridge(r, total, nil, sealed, parts, func(p *part) amount.Amount {
		return at(p.is, total).Sub(at(p.was, total))
	})
	if err := b.checkFooting(r, total, &whole); err != nil {
		return nil, err
	}
	currency := slices.IndexFunc(r.By, func(name string) bool { return strings.EqualFold(name, currencyColumn) })
	all := []Bridge{whole}
	if known && currency >= 0 { // money of several is not added up
		all = b.bridgesBy(r, parts, total, []int{currency}, 0)
	}
	if !known || o.Top == 0 {
		return all, nil
	}
	var columns []int
	for i, name := range r.By {
		if o.By == nil || slices.Contains(o.By, name) || i == currency {
			columns = append(columns, i)
		}
	}
	if len(columns) == 0 || len(columns) == 1 && columns[0] == currency {
		return all, nil
	}
	return append(all, b.bridgesBy(r, parts, total, columns, o.Top)...), nil
}

// at is an amount of a list that may be shorter, as of one who gave nothing.
func at(amounts []amount.Amount, i int) (a amount.Amount) {
	if i < len(amounts) {
		a = amounts[i]
	}
	return a
}

// bridgesBy are the bridges of groups by some of their columns: the most that moved most, or all in the order of
// their names.
func (b *BeforeAndNow) bridgesBy(r *sealedResult, parts []part, total int, columns []int, most int) (all []Bridge) {
	project := func(key string) string {
		values, picked := valuesOf(key), make([]string, len(columns))
		for i, at := range columns {
			picked[i] = values[at]
		}
		return keyOf(picked)
	}
	sealed := make(map[string]amount.Amount)
	for key, amounts := range r.groups {
		sealed[project(key)] = sealed[project(key)].Add(amounts[total])
	}
	changes := make(map[string]map[int]amount.Amount) // by group and part
	for i := range parts {
		for sign, by := range []map[string][]amount.Amount{parts[i].isBy, parts[i].wasBy} {
			for key, amounts := range by {
				group, change := project(key), at(amounts, total)
				if sign == 1 {
					change = change.Neg()
				}
				if changes[group] == nil {
					changes[group] = make(map[int]amount.Amount)
				}
				changes[group][i] = changes[group][i].Add(change)
			}
		}
	}
	groups := make(map[string]bool)
	for group := range sealed {
		groups[group] = most == 0
	}
	for group := range changes {
		groups[group] = true
	}
	for group, wanted := range groups {
		if !wanted {
			continue
		}
		var words []block.Word
		for i, value := range valuesOf(group) {
			words = append(words, block.Word{Column: r.By[columns[i]], Value: value})
		}
		place := -1
		bridge := b.bridge(r, total, words, sealed[group], parts, func(*part) amount.Amount {
			place++
			return changes[group][place]
		})
		if most == 0 || bridge.Change().Sign() != 0 {
			all = append(all, bridge)
		}
	}
	slices.SortFunc(all, func(x, y Bridge) int {
		byName := slices.CompareFunc(x.Group, y.Group, func(v, w block.Word) int {
			return natural.Compare(v.Value, w.Value)
		})
		if most == 0 {
			return byName
		}
		return cmp.Or(y.Change().Abs().Cmp(x.Change().Abs()), byName)
	})
	if most > 0 && len(all) > most {
		all = all[:most]
	}
	return all
}

// bridge makes a bridge of what each part changes.
func (b *BeforeAndNow) bridge(r *sealedResult, total int, group []block.Word, sealed amount.Amount, parts []part,
	change func(*part) amount.Amount) Bridge {
	bridge := Bridge{Result: cmp.Or(r.Title, r.Command), Column: r.Totals[total].Column, Group: group,
		Lines: []BridgeLine{{Label: LineSealed, Amount: sealed}}}
	now := sealed
	for i := range parts {
		if by := change(&parts[i]); by.Sign() != 0 {
			now = now.Add(by)
			bridge.Lines = append(bridge.Lines, BridgeLine{parts[i].label, parts[i].source, by})
		}
	}
	bridge.Lines = append(bridge.Lines, BridgeLine{Label: LineNow, Amount: now})
	return bridge
}

// checkFooting holds the end of a bridge against the result as it is now, where all was read.
func (b *BeforeAndNow) checkFooting(r *sealedResult, total int, bridge *Bridge) error {
	of := b.now.Result(r.Command, r.Title)
	at := slices.Index(of.Sums, r.Totals[total].Column)
	if !b.all || at < 0 {
		return nil
	}
	now, line := of.Total[at], bridge.Lines[len(bridge.Lines)-1].Amount
	if now.Cmp(line) != 0 {
		return &FootingError{bridge.Result, bridge.Column, line.String(), now.String()}
	}
	return nil
}

// mostLines is how many sources a bridge names that is sealed; of more there is a line for each change.
const mostLines = 1000

// Sealed is the bridge as a block has it. Where very many sources are new, changed or gone, each of these has
// one line.
func (b *Bridge) Sealed(since int) block.Bridge {
	sealed := block.Bridge{Since: since, Result: b.Result, Column: b.Column, Group: b.Group}
	if sealed.Group == nil {
		sealed.Group = []block.Word{}
	}
	for _, line := range b.Short(mostLines) {
		sealed.Lines = append(sealed.Lines, block.BridgeLine{Label: line.Label, Source: line.Source,
			Amount: line.Amount.String()})
	}
	return sealed
}

// Short are its lines, those of a label together where there are more than most.
func (b *Bridge) Short(most int) (lines []BridgeLine) {
	count := make(map[string]int)
	for i := range b.Lines {
		count[b.Lines[i].Label]++
	}
	place := make(map[string]int)
	for _, line := range b.Lines {
		if count[line.Label] <= most {
			lines = append(lines, line)
			continue
		}
		at, known := place[line.Label]
		if !known {
			at = len(lines)
			place[line.Label] = at
			lines = append(lines, BridgeLine{Label: line.Label, Source: words.Count(count[line.Label], "source")})
		}
		lines[at].Amount = lines[at].Amount.Add(line.Amount)
	}
	return lines
}
