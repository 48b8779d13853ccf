package reconcile

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/value/amount"
	"lastblock/core/value/natural"
)

// finish puts together what the goroutines have found.
func (r *run) finish() (*Result, error) {
	result := &Result{Totals: r.options.Totals, Proof: r.proofOf(), run: r}
	total := r.account()
	groups := make(map[string]*account)
	used := make([]amount.Sum, len(r.sides[0].Amounts))
	fields := make([]fieldCount, len(r.fields))
	matches := make([]int, len(r.passes))
	allMerged := make([]merged, len(r.passes))
	for _, w := range r.workers {
		for status, c := range w.counts {
			to := &result.Counts[status]
			to.Matches += c.Matches
			to.Here += c.Here
			to.There += c.There
		}
		result.Proof.Used += w.members[0] + w.members[1]
		for side := range w.sums {
			total.counts[side] += w.members[side]
			for i := range used {
				if value := w.sums[side][i].Amount(); side == 1 && r.mirror != nil {
					used[i].Sub(value) // its sign was turned
				} else {
					used[i].Add(value)
				}
			}
			for i, of := range r.totals {
				total.sums[side][i].Merge(&w.sums[side][of])
			}
		}
		for i := range fields {
			fields[i].merge(&w.fields[i])
		}
		for i := range matches {
			matches[i] += w.matches[i]
			allMerged[i].merge(&w.merged[i])
		}
		total.merge(&w.total)
		for name, a := range w.groups {
			if groups[name] == nil {
				made := r.account()
				groups[name] = &made
			}
			groups[name].merge(a)
		}
		result.GaveUp += w.gaveUp
		r.list.Merge(&w.findings)
	}
	for i := range used {
		result.Proof.Totals[i].Used = used[i].Amount()
	}
	if err := result.Proof.Check(); err != nil {
		return nil, err
	}
	for i, p := range r.passes {
		if i > 0 && p.settles && len(r.passes) > 1 {
			result.Passes[0].Matches += matches[i]
			continue
		}
		result.Passes = append(result.Passes, Pass{Key: p.names, Combine: p.combine, Matches: matches[i]})
	}
	for i := range fields {
		if f := &r.fields[i]; f.compared && fields[i].differs > 0 {
			field := Field{Column: f.name, Differs: fields[i].differs, IsAmount: r.isAmount[i]}
			if field.IsAmount {
				field.Difference = fields[i].sum.Amount()
			}
			result.Fields = append(result.Fields, field)
		}
	}
	var err error
	counts, sums := r.readTotals()
	if result.Statement, err = r.statement(&total, counts, sums); err != nil {
		return nil, err
	}
	if result.Corrected, err = r.correct(&result.Statement); err != nil {
		return nil, err
	}
	for _, name := range slices.SortedFunc(maps.Keys(groups), natural.Compare[string]) {
		a := groups[name]
		s, err := r.statement(a, a.counts, [2][]amount.Amount{amounts(a.sums[0]), amounts(a.sums[1])})
		if err != nil {
			return nil, err
		}
		s.By = strings.Split(name, "\x00")
		result.Groups = append(result.Groups, s)
	}
	r.tellLoose(allMerged)
	r.tellGaveUp(result.GaveUp)
	if r.mirror != nil {
		r.finishMirror(result)
	}
	result.Findings = r.list.All()
	return result, nil
}

func (c *fieldCount) merge(o *fieldCount) {
	c.differs += o.differs
	c.sum.Merge(&o.sum)
}

func (m *merged) merge(o *merged) {
	if o.keys > 0 && (m.keys == 0 || o.first < m.first) {
		m.first, m.text = o.first, o.text
	}
	m.keys += o.keys
}

// readTotals are the counts and totals of both sides as they were read.
func (r *run) readTotals() (counts [2]int, totals [2][]amount.Amount) {
	for side := range totals {
		sums := make([]amount.Sum, len(r.totals))
		for _, t := range r.takers {
			counts[side] += t.counts[side]
			for i, total := range r.totals {
				sums[i].Merge(&t.sums[side][total])
			}
		}
		totals[side] = amounts(sums)
	}
	return counts, totals
}

// tellLoose tells what was brought together by loose keys.
func (r *run) tellLoose(all []merged) {
	for i, m := range all {
		if m.keys == 0 {
			continue
		}
		r.list.Add(finding.Finding{
			Kind: finding.LooseKey, Source: r.sides[0].Set.Sources[0].Name, Key: strings.Join(r.passes[i].names, ","),
			Count: m.keys, Severity: finding.Note,
			Message: fmt.Sprintf("%s the same only because of ⟨loose⟩, such as %s", havingKeys(m.keys), m.text),
		})
	}
}

func havingKeys(n int) string {
	if n == 1 {
		return "1 key is"
	}
	return fmt.Sprintf("%d keys are", n)
}

// tellGaveUp tells that not everything was tried.
func (r *run) tellGaveUp(records int) {
	if records == 0 {
		return
	}
	name := ""
	if len(r.sides[0].Set.Sources) > 0 {
		name = r.sides[0].Set.Sources[0].Name
	}
	r.list.Add(finding.Finding{
		Kind: finding.GaveUp, Source: name, Count: records,
		Message: fmt.Sprintf("for %d records not everything was tried, as there are too many that may belong "+
			"together; ⟨combine-within⟩, ⟨days⟩ or a key with more columns narrows them down", records),
	})
}

func (r *run) close() error {
	return errors.Join(r.heaps.Close(), r.rows[0].Close(), r.rows[1].Close())
}
