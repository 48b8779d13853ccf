package month

import (
	"cmp"
	"slices"
	"strings"

	"lastblock/core/month/block"
	"lastblock/core/value/amount"
	"lastblock/core/value/natural"
)

// Bridges are those of each result and total: of all, of each currency where groups have one, and of the groups
// that moved most. The error may be a *FootingError.
func (b *BeforeAndNow) Bridges(o BridgeOptions) (all []Bridge, err error) {
	var made []*groupBridges
	var asked []*block.Groups
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
			of, err := b.bridgesOf(r, parts, known, k, o)
			if err != nil {
				return nil, err
			}
			for _, g := range of {
				made = append(made, g)
				if g.asked != nil {
					asked = append(asked, g.asked)
				}
			}
		}
	}
	if b.now.forms != nil {
		for _, g := range asked {
			b.sealed[b.placeOf(g.Result)].sumGroups(g)
		}
	} else if err := b.chain.SumGroups(b.Entry, asked); err != nil {
		return nil, err
	}
	for _, g := range made {
		all = append(all, g.bridges()...)
	}
	return all, nil
}

// placeOf is the place among the sealed results of one of the block.
func (b *BeforeAndNow) placeOf(result int) int {
	return slices.IndexFunc(b.sealed, func(r sealedResult) bool { return r.place == result })
}

// sumGroups sums up groups of a result of which all are at hand.
func (r *sealedResult) sumGroups(g *block.Groups) {
	for key, amounts := range r.groups {
		values := valuesOf(key)
		picked := make([]string, len(g.Columns))
		for i, at := range g.Columns {
			picked[i] = values[at]
		}
		if key := g.Key(picked); g.Keys == nil || g.Keys[key] {
			g.Sums[key] = added(g.Sums[key], amounts)
		}
	}
}

// groupBridges are bridges of groups of a total, of which it is still to be read what was sealed.
type groupBridges struct {
	of      *BeforeAndNow
	r       *sealedResult
	parts   []part
	total   int
	most    bool // they are those that moved most, in this order; else all, in the order of their names
	whole   *Bridge
	asked   *block.Groups // nil of the whole
	changes map[string]map[int]amount.Amount
	keys    []string // of the groups that moved most
}

// bridgesOf are the bridges of a total of a result.
func (b *BeforeAndNow) bridgesOf(
	r *sealedResult, parts []part, known bool, total int, o BridgeOptions,
) ([]*groupBridges, error) {
	sealed, err := amount.Parse([]byte(r.Totals[total].Amount), '.')
	if err != nil {
		return nil, err
	}
	whole := b.bridge(r, total, nil, sealed, parts, func(i int) amount.Amount {
		return at(parts[i].is, total).Sub(at(parts[i].was, total))
	})
	if err := b.checkFooting(r, total, &whole); err != nil {
		return nil, err
	}
	currency := currencyOf(r.By)
	all := []*groupBridges{{whole: &whole}}
	if known && currency >= 0 { // money of several is not added up
		all = []*groupBridges{b.bridgesBy(r, parts, total, []int{currency}, 0)}
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
	return append(all, b.bridgesBy(r, parts, total, columns, o.Top)), nil
}

// currencyOf is the place of the currency among some columns, -1 for none.
func currencyOf(columns []string) int {
	return slices.IndexFunc(columns, func(name string) bool { return strings.EqualFold(name, currencyColumn) })
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
func (b *BeforeAndNow) bridgesBy(r *sealedResult, parts []part, total int, columns []int, most int) *groupBridges {
	g := &groupBridges{of: b, r: r, parts: parts, total: total, most: most > 0,
		asked:   &block.Groups{Result: r.place, Columns: columns, Sums: make(map[string][]amount.Amount)},
		changes: make(map[string]map[int]amount.Amount)}
	for _, at := range columns {
		var spell func(string) string
		if column := r.By[at]; slices.Contains(b.set.Words(), column) {
			spell = func(value string) string { return b.set.Spelling(column, value) }
		}
		g.asked.Spell = append(g.asked.Spell, spell)
	}
	picked := make([]string, len(columns))
	for i := range parts {
		for sign, by := range []map[string][]amount.Amount{parts[i].isBy, parts[i].wasBy} {
			for key, amounts := range by {
				values := valuesOf(key)
				for k, at := range columns {
					picked[k] = values[at]
				}
				group, change := keyOf(picked), at(amounts, total)
				if sign == 1 {
					change = change.Neg()
				}
				if g.changes[group] == nil {
					g.changes[group] = make(map[int]amount.Amount)
				}
				g.changes[group][i] = g.changes[group][i].Add(change)
			}
		}
	}
	if most == 0 {
		return g
	}
	moved := make(map[string]amount.Amount)
	for group, by := range g.changes {
		var change amount.Amount
		for _, amount := range by {
			change = change.Add(amount)
		}
		if change.Sign() != 0 {
			moved[group] = change.Abs()
			g.keys = append(g.keys, group)
		}
	}
	slices.SortFunc(g.keys, func(x, y string) int { return cmp.Or(moved[y].Cmp(moved[x]), compareGroups(x, y)) })
	g.keys, g.asked.Keys = g.keys[:min(len(g.keys), most)], make(map[string]bool)
	for _, key := range g.keys {
		g.asked.Keys[key] = true
	}
	return g
}

// compareGroups is the order of groups by the names of their values.
func compareGroups(x, y string) int {
	return slices.CompareFunc(valuesOf(x), valuesOf(y), natural.Compare[string])
}

// bridges are the bridges, when it was read what was sealed.
func (g *groupBridges) bridges() (all []Bridge) {
	if g.whole != nil {
		return []Bridge{*g.whole}
	}
	keys := g.keys
	if !g.most {
		known := make(map[string]bool)
		for key := range g.asked.Sums {
			known[key] = true
		}
		for key := range g.changes {
			known[key] = true
		}
		for key := range known {
			keys = append(keys, key)
		}
		slices.SortFunc(keys, compareGroups)
	}
	for _, key := range keys {
		var words []block.Word
		for i, value := range valuesOf(key) {
			words = append(words, block.Word{Column: g.r.By[g.asked.Columns[i]], Value: value})
		}
		all = append(all, g.of.bridge(g.r, g.total, words, at(g.asked.Sums[key], g.total), g.parts,
			func(i int) amount.Amount { return g.changes[key][i] }))
	}
	return all
}

// bridge makes a bridge of what each part changes.
func (b *BeforeAndNow) bridge(r *sealedResult, total int, group []block.Word, sealed amount.Amount, parts []part,
	change func(part int) amount.Amount) Bridge {
	bridge := Bridge{Result: cmp.Or(r.Title, r.Command), Column: r.Totals[total].Column, Group: group,
		Lines: []BridgeLine{{Label: LineSealed, Amount: sealed}}}
	now := sealed
	for i := range parts {
		if by := change(i); by.Sign() != 0 {
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
