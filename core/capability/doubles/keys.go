package doubles

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/large/texts"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
	"lastblock/core/value/words"
)

// eachKeyed gives the records that have one key, those of copies left out.
func (s *search) eachKeyed(visit func(g *group, runs []run) error) error {
	if s.keys == nil {
		return nil
	}
	var runs []run
	return eachGroup(s.keys.kept, func(g *group) error {
		runs = s.runs(g, runs)
		return visit(g, runs)
	})
}

// countChanged counts for each resubmission the records that have their key in
// both files, and other values in the later one.
func (s *search) countChanged() error {
	if len(s.relation.resubmissions) == 0 {
		return nil
	}
	counts := make(map[string]int)
	return s.eachKeyed(func(g *group, runs []run) error {
		for k := 1; k < len(runs); k++ {
			for i := range k {
				key := couple{runs[i].index, runs[k].index}
				if !slices.Contains(s.relation.resubmissions, key) {
					continue
				}
				clear(counts)
				for m := range runs[i].members {
					counts[string(g.rest(&runs[i].members[m]))]++
				}
				unlike := [2]int{len(runs[i].members), len(runs[k].members)}
				for m := range runs[k].members {
					if rest := string(g.rest(&runs[k].members[m])); counts[rest] > 0 {
						counts[rest]--
						unlike[0]--
						unlike[1]--
					}
				}
				s.sharedOf(key).changed += min(unlike[0], unlike[1])
			}
		}
		return nil
	})
}

// sharedOf is what two sources share, which may be nothing.
func (s *search) sharedOf(key couple) *shared {
	of := s.relation.shared[key]
	if of == nil {
		of = &shared{totals: make([]amount.Sum, len(s.totals))}
		s.relation.shared[key] = of
	}
	return of
}

// tellKeys tells which records have the same key and other values.
func (s *search) tellKeys(ctx context.Context) error {
	return s.eachKeyed(func(g *group, runs []run) error {
		if err := ctx.Err(); err != nil {
			return err
		}
		runs = s.unexplained(runs)
		if s.options.Within {
			for i := range runs {
				s.tellSameKey(g, runs[i:i+1])
			}
			return nil
		}
		if s.options.Across && len(runs) < 2 {
			return nil
		}
		s.tellSameKey(g, runs)
		return nil
	})
}

// unexplained leaves out what is told with the files: those that stand in others,
// and the later one of a resubmission.
func (s *search) unexplained(runs []run) []run {
	return slices.DeleteFunc(slices.Clone(runs), func(r run) bool {
		if s.sources[r.index].contained != nil {
			return true
		}
		return slices.ContainsFunc(runs, func(o run) bool {
			return s.relation.of[couple{o.index, r.index}] == finding.Resubmission
		})
	})
}

// tellSameKey tells that records of some sources have one key and other values, if
// they have.
func (s *search) tellSameKey(g *group, runs []run) {
	var members []*member // one for each set of values
	all := 0
	for _, r := range runs {
		all += len(r.members)
		for i := range r.members {
			m := &r.members[i]
			if !slices.ContainsFunc(members, func(o *member) bool { return string(g.rest(o)) == string(g.rest(m)) }) &&
				len(members) < mostVersions {
				members = append(members, m)
			}
		}
	}
	if len(members) < 2 {
		return
	}
	d := double{records: len(members) - 1}
	for _, m := range members {
		if index := m.place.Source(); !slices.Contains(d.sources, index) {
			d.sources = append(d.sources, index)
		}
	}
	first := members[0]
	d.Kind, d.Line, d.Key = finding.SameKey, first.place.Line(), s.keyOf(g.rest(first))
	sums := make([]amount.Sum, len(s.totals))
	for _, m := range members[1:] {
		addTimes(sums, s.moneyOf(g.rest(m)), 1)
	}
	for i := range sums {
		d.totals = append(d.totals, sums[i].Amount())
	}
	if !s.report.list.Full(d.Kind, d.sources[0], d.Line) {
		d.Places = s.places(g, members)
		s.showDifferences(d.Places)
		d.Message = fmt.Sprintf("%s has %d different sets of values: %s", d.Key, len(members),
			s.differences(d.Places))
		if more := all - len(members); more > 0 {
			d.Message += fmt.Sprintf("; %d more records are like one of these", more)
		}
		if loose := s.options.Loose; loose != (equality.Loose{}) && s.keysDiffer(d.Places) {
			d.Message += fmt.Sprintf("; the keys are one only without %s",
				words.And(strings.Split(loose.String(), ",")...))
		}
	}
	s.tell(&d)
	s.proposeKeyed(g, runs)
}

// mostVersions is how many different records of one key are told side by side.
const mostVersions = 100

// keyOf writes the key of a record: "document D1, line 2".
func (s *search) keyOf(data []byte) string {
	var parts []string
	for _, column := range s.keys.columns {
		parts = append(parts, s.columns[column]+" "+string(texts.Nth(data, column)))
	}
	return strings.Join(parts, ", ")
}

// keysDiffer tells whether places differ in a column of the key.
func (s *search) keysDiffer(places []finding.Place) bool {
	return slices.ContainsFunc(s.keys.columns, func(column int) bool {
		_, differs := places[0].Values[s.columns[column]]
		return differs
	})
}

// differences says in which columns places differ, with their values side by side.
func (s *search) differences(places []finding.Place) string {
	const most, longest = 4, 30
	var parts []string
	for _, column := range s.columns {
		if _, differs := places[0].Values[column]; !differs {
			continue
		}
		var values []string
		for i := range places[:min(len(places), most)] {
			value := shortened(places[i].Values[column], longest)
			if value == "" {
				value = "(blank)"
			}
			values = append(values, value)
		}
		if len(places) > most {
			values = append(values, "…")
		}
		parts = append(parts, column+" "+strings.Join(values, " / "))
	}
	return strings.Join(parts, ", ")
}

// proposeKeyed proposes to keep one of the records that have one key.
func (s *search) proposeKeyed(g *group, runs []run) {
	if s.options.Keep == "" {
		return
	}
	var members []*member
	var sources []int
	for _, r := range runs {
		for i := range r.members {
			if m := &r.members[i]; !s.isProposed(m) {
				members = append(members, m)
				if !slices.Contains(sources, r.index) {
					sources = append(sources, r.index)
				}
			}
		}
	}
	if len(members) < 2 {
		return
	}
	keep := s.winner(sources)
	kept := slices.IndexFunc(members, func(m *member) bool { return m.place.Source() == keep })
	if s.options.Keep == Last {
		kept = len(members) - 1
	}
	for i, m := range members {
		if i != kept || s.options.Keep == None {
			s.proposeRecord(finding.SameKey, m)
		}
	}
}
