package doubles

import (
	"bytes"
	"cmp"
	"context"
	"encoding/binary"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/finding/drop"
	"lastblock/core/large/spill"
	"lastblock/core/large/texts"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
	"lastblock/core/value/words"
)

// nearMatcher brings records together that may be almost the same. A record
// belongs to the block of all that agree in what must be the same. Where an amount
// or a date may differ, it also depends on in which bin it is, each as wide as two
// tolerances, and the record belongs to that of the next bin as well; so any two
// that are within the tolerance have a block in common.
type nearMatcher struct {
	near    *Near
	columns []int // of search.columns, by condition

	wanted []*drop.Lines
	kept   []*spill.Sorter
}

// nearWorker makes the blocks of records, for one goroutine.
type nearWorker struct{ block []byte }

// Which of its two blocks a record is in.
const (
	ownBin byte = iota
	nextBin
)

// eachBlock gives what the blocks are known by that a record belongs to. A record
// that lacks what is to be compared belongs to none; blanks are the same as blanks.
func (w *nearWorker) eachBlock(m *nearMatcher, f *fields, visit func(block []byte) error) error {
	sliding := m.near.sliding()
	w.block = w.block[:0]
	for i, c := range m.near.Conditions {
		value := f.value(m.columns[i])
		if len(value) == 0 && c.Kind != Same {
			return nil
		}
		switch c.Kind {
		case Same:
			w.block = append(w.block, f.field(m.columns[i])...)
		case Opposite:
			if _, ok := amountOf(value); !ok || string(value) == "0" {
				return nil
			}
			value = bytes.TrimPrefix(value, []byte("-"))
			w.block = append(binary.AppendUvarint(w.block, uint64(len(value))), value...)
		case Tolerance, Days:
			if i == sliding {
				continue
			}
			if c.Most == 0 && c.Within.Sign() == 0 {
				w.block = append(w.block, f.field(m.columns[i])...)
			}
		}
	}
	if sliding < 0 {
		return visit(append(w.block, ownBin))
	}
	bin, ok := m.near.Conditions[sliding].bin(f.value(m.columns[sliding]))
	if !ok {
		return nil
	}
	from := len(w.block)
	for _, which := range []byte{ownBin, nextBin} {
		w.block = binary.BigEndian.AppendUint64(w.block[:from], uint64(bin+int64(which)))
		if err := visit(w.block); err != nil {
			return err
		}
	}
	return nil
}

// bin is in which stretch of amounts or days a value is.
func (c *Condition) bin(value []byte) (int64, bool) {
	if c.Kind == Days {
		day, ok := equality.Day(value)
		return floorDivided(int64(day), int64(2*c.Most)), ok
	}
	of, ok := amountOf(value)
	if !ok {
		return 0, false
	}
	// of two values that are within the tolerance, the quotients differ by half at
	// most, and so, rounded down, by one at most
	return of.FloorQuo(c.Within.Add(c.Within))
}

func floorDivided(a, b int64) int64 {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}

func amountOf(value []byte) (amount.Amount, bool) {
	if equality.IsCode(value) {
		return amount.Amount{}, false
	}
	a, err := amount.Parse(value, '.')
	return a, err == nil
}

// candidate is a record of a block.
type candidate struct {
	*member
	data   []byte
	values []value // by condition
}

// value is a value of a condition's column.
type value struct {
	text   []byte
	amount amount.Amount
	day    int
	runes  []rune
}

// likeMost is how many records are told for each that are almost the same, so
// that a block in which all are does not take for ever.
const likeMost = 20

// tellNear tells which records are almost the same.
func (s *search) tellNear(ctx context.Context) error {
	for _, m := range s.nears {
		crowd := 0
		err := eachGroup(m.kept, func(g *group) error {
			if err := ctx.Err(); err != nil {
				return err
			}
			crowd += s.tellBlock(g, m)
			return nil
		})
		if err != nil {
			return err
		}
		if crowd > 0 {
			s.report.list.Add(finding.Finding{
				Kind: finding.CommonRecord, Source: s.set.Sources[0].Name, Count: crowd,
				Key: strings.Join(m.near.columns(), ","),
				Message: fmt.Sprintf("%s more than %d others almost like it by %s, of which only so many are told; "+
					"narrow ⟨near⟩ down",
					having(crowd), likeMost, words.And(m.near.columns()...)),
			})
		}
	}
	return nil
}

func having(n int) string {
	if n == 1 {
		return "1 record has"
	}
	return words.Count(n, "record") + " have"
}

// tellBlock compares the records of a block, and returns how many have more others
// like them than are told.
func (s *search) tellBlock(g *group, m *nearMatcher) (crowd int) {
	candidates := s.candidates(g, m)
	own := func(c *candidate) bool { return true }
	sliding := m.near.sliding()
	if sliding >= 0 {
		bin := int64(binary.BigEndian.Uint64(g.key[len(g.key)-8:]))
		own = func(c *candidate) bool {
			of, _ := m.near.Conditions[sliding].bin(c.values[sliding].text)
			return of == bin
		}
	}
	owned := make([]bool, len(candidates))
	for i := range candidates {
		owned[i] = own(&candidates[i])
	}
	found := make([]int, len(candidates))
	try := func(i, k int) bool {
		a, b := &candidates[i], &candidates[k]
		if !owned[i] && !owned[k] || !s.mayBeNear(a, b) {
			return true
		}
		if reason, kind, ok := m.near.compare(a, b); ok {
			if found[i]++; found[i] > likeMost {
				return false
			}
			if a.place > b.place {
				a, b = b, a
			}
			s.tellPair(g, a, b, kind, reason)
		}
		return true
	}
	if pairs := m.pairsByText(candidates); pairs != nil {
		for _, p := range pairs {
			try(p[0], p[1])
		}
	} else {
		// those of the bin before come first, and are compared with one another there
		first := slices.Index(owned, true)
		if first < 0 {
			return 0
		}
		for i := range candidates {
			for k := max(i+1, first); k < len(candidates); k++ {
				if sliding >= 0 && m.near.Conditions[sliding].isBeyond(&candidates[i].values[sliding],
					&candidates[k].values[sliding]) || !try(i, k) {
					break
				}
			}
		}
	}
	for _, n := range found {
		if n > likeMost {
			crowd++
		}
	}
	return crowd
}

// candidates are the records of a block, each set of values once, in the order of
// what may differ.
func (s *search) candidates(g *group, m *nearMatcher) []candidate {
	var candidates []candidate
	seen := make(map[string]bool)
	for i := range g.members {
		member := &g.members[i]
		data := g.rest(member)
		if seen[string(data)] || s.isCopy(member.place.Source()) || s.sources[member.place.Source()].contained != nil {
			continue
		}
		seen[string(data)] = true
		c := candidate{member: member, data: data, values: make([]value, len(m.columns))}
		for k, column := range m.columns {
			v := &c.values[k]
			v.text = texts.Nth(data, column)
			switch m.near.Conditions[k].Kind {
			case Tolerance, Opposite:
				v.amount, _ = amountOf(v.text)
			case Days:
				v.day, _ = equality.Day(v.text)
			case Edits:
				v.runes = []rune(string(v.text))
			}
		}
		candidates = append(candidates, c)
	}
	if sliding := m.near.sliding(); sliding >= 0 {
		slices.SortStableFunc(candidates, func(a, b candidate) int {
			return cmp.Or(a.values[sliding].amount.Cmp(b.values[sliding].amount),
				cmp.Compare(a.values[sliding].day, b.values[sliding].day))
		})
	}
	return candidates
}

// isBeyond tells of two values, the first being the smaller one, that they are
// farther apart than they may be.
func (c *Condition) isBeyond(a, b *value) bool {
	if c.Kind == Days {
		return b.day-a.day > c.Most
	}
	return b.amount.Sub(a.amount).Cmp(c.Within) > 0
}

// fewEnough is how many records a block may have in which all are compared with
// one another although their texts could tell which ones to compare.
const fewEnough = 64

// pairsByText finds which records of a large block to compare, where a text may
// differ by one edit: then leaving out one character of each of two texts, or none,
// makes them equal. It returns nil where all are to be compared.
func (m *nearMatcher) pairsByText(candidates []candidate) [][2]int {
	at := slices.IndexFunc(m.near.Conditions, func(c Condition) bool { return c.Kind == Edits && c.Most == 1 })
	if at < 0 || len(candidates) <= fewEnough {
		return nil
	}
	with := make(map[string][]int)
	for i := range candidates {
		runes := candidates[i].values[at].runes
		last := ""
		with[string(runes)] = append(with[string(runes)], i)
		for k := range runes {
			if shorter := string(runes[:k]) + string(runes[k+1:]); shorter != last {
				with[shorter] = append(with[shorter], i)
				last = shorter
			}
		}
	}
	pairs := [][2]int{}
	for _, same := range with {
		for i, a := range same {
			for _, b := range same[i+1 : min(len(same), i+1+fewEnough)] {
				if a != b {
					pairs = append(pairs, [2]int{min(a, b), max(a, b)})
				}
			}
		}
	}
	slices.SortFunc(pairs, func(a, b [2]int) int { return cmp.Or(cmp.Compare(a[0], b[0]), cmp.Compare(a[1], b[1])) })
	return slices.Compact(pairs)
}

// mayBeNear tells whether two records may be told as almost the same: not across
// files of which it is told with them, nor against the options across-only and within-only,
// nor where it is told with their key.
func (s *search) mayBeNear(a, b *candidate) bool {
	one, other := a.place.Source(), b.place.Source()
	if s.options.Across && one == other || s.options.Within && one != other ||
		s.relation.of[coupleOf(one, other)] == finding.Resubmission {
		return false
	}
	if s.keys == nil {
		return true
	}
	return slices.ContainsFunc(s.keys.columns, func(column int) bool {
		return string(s.options.Loose.Append(nil, texts.Nth(a.data, column))) != string(s.options.Loose.Append(nil,
			texts.Nth(b.data, column)))
	})
}

// compare tells whether two records are almost the same, and why.
func (n *Near) compare(a, b *candidate) (reason string, kind finding.Kind, ok bool) {
	kind = finding.NearRecord
	for i := range n.Conditions {
		if !n.Conditions[i].holds(&a.values[i], &b.values[i]) {
			return "", "", false
		}
		if n.Conditions[i].Kind == Opposite {
			kind = finding.Reversal
		}
	}
	if a.place > b.place {
		a, b = b, a
	}
	var same, parts []string
	for i, c := range n.Conditions {
		x, y := &a.values[i], &b.values[i]
		both := fmt.Sprintf("%s %s/%s", c.Column, x.text, y.text)
		switch {
		case string(x.text) == string(y.text):
			same = append(same, c.Column)
		case c.Kind == Opposite:
			parts = append(parts, both+": the opposite")
		case c.Kind == Tolerance:
			apart := y.amount.Sub(x.amount)
			if apart.Sign() < 0 {
				apart = apart.Neg()
			}
			parts = append(parts, both+": "+apart.String()+" apart")
		case c.Kind == Days:
			parts = append(parts, fmt.Sprintf("%s %s/%s: %s apart", c.Column, x.text, y.text,
				words.Count(max(x.day-y.day, y.day-x.day), "day")))
		case c.Kind == Edits:
			parts = append(parts, both+": "+explain(x.runes, y.runes, editDistance(x.runes, y.runes, c.Most)))
		}
	}
	if len(same) > 0 {
		parts = append([]string{"same " + words.And(same...)}, parts...)
	}
	return strings.Join(parts, ", "), kind, true
}

// holds tells whether a condition holds for two values.
func (c *Condition) holds(a, b *value) bool {
	switch c.Kind {
	case Opposite:
		return a.amount.Sign() == -b.amount.Sign() && a.amount.Cmp(b.amount.Neg()) == 0
	case Tolerance:
		apart := a.amount.Sub(b.amount)
		if apart.Sign() < 0 {
			apart = apart.Neg()
		}
		return apart.Cmp(c.Within) <= 0
	case Days:
		return max(a.day-b.day, b.day-a.day) <= c.Most
	case Edits:
		return editDistance(a.runes, b.runes, c.Most) <= c.Most
	}
	return true // the block is of those
}

func (s *search) tellPair(g *group, a, b *candidate, kind finding.Kind, reason string) {
	d := double{records: 1, sources: []int{a.place.Source()}}
	if other := b.place.Source(); other != d.sources[0] {
		d.sources = append(d.sources, other)
	}
	d.Kind, d.Line = kind, a.place.Line()
	d.totals = s.moneyOf(b.data)
	if kind == finding.Reversal {
		d.records, d.totals = 0, nil // the two make zero, so that nothing is counted twice
	}
	d.Key = fmt.Sprintf("%s:%d", s.set.Sources[b.place.Source()].Name, b.place.Line())
	if !s.report.list.Full(kind, d.sources[0], d.Line) {
		d.Places = s.places(g, []*member{a.member, b.member})
		s.showDifferences(d.Places)
		d.Message = reason
	}
	s.tell(&d)
}
