package doubles

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/large/texts"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/words"
)

// tellRecords tells which records stand more than once, as far as that is not told
// with their files.
func (s *search) tellRecords(ctx context.Context) error {
	var runs []run
	left := make([]int, len(s.sources))
	err := eachGroup(s.records.kept, func(g *group) error {
		if err := ctx.Err(); err != nil {
			return err
		}
		runs = s.runs(g, runs)
		s.reduce(g, runs, left, func(index int) bool { return s.sources[index].contained != nil })
		s.tellSameRecord(g, runs, left)
		if s.options.Keep != "" {
			s.proposeOf(g, runs, left)
		}
		return nil
	})
	return err
}

// reduce counts in left how many records of a group each source has that are not
// told with its relation to another one: of what two files share, the one that
// is not kept has none left.
func (s *search) reduce(g *group, runs []run, left []int, isGone func(index int) bool) {
	for _, r := range runs {
		left[r.index] = len(r.members)
		if isGone(r.index) {
			left[r.index] = 0
		}
	}
	for _, r := range runs {
		for _, other := range s.relation.with[r.index] {
			k := slices.IndexFunc(runs, func(o run) bool { return o.index == other })
			if k < 0 || isGone(other) || isGone(r.index) {
				continue
			}
			keep := s.winner([]int{min(r.index, other), max(r.index, other)})
			if keep != r.index || s.options.Keep == None {
				left[r.index] = max(0, min(left[r.index], len(r.members)-s.sharedIn(g, r, runs[k])))
			}
		}
	}
}

// sharedIn is how many records of a group two sources share. Of records that are
// the same in some columns only, those count that are so in all, or that were sent
// again.
func (s *search) sharedIn(g *group, a, b run) int {
	if s.records == s.whole || s.relation.of[coupleOf(a.index, b.index)] == finding.Resubmission {
		return min(len(a.members), len(b.members))
	}
	counts := make(map[string]int)
	for i := range b.members {
		counts[string(g.rest(&b.members[i]))]++
	}
	n := 0
	for i := range a.members {
		if rest := string(g.rest(&a.members[i])); counts[rest] > 0 {
			counts[rest]--
			n++
		}
	}
	return n
}

// tellSameRecord tells of a group what is left of it.
func (s *search) tellSameRecord(g *group, runs []run, left []int) {
	if s.options.Within {
		for i := range runs {
			if n := left[runs[i].index]; n > 1 {
				s.tellGroup(g, runs[i:i+1], left, n-1)
			}
		}
		return
	}
	all, most, sources := 0, 0, 0
	for _, r := range runs {
		n := left[r.index]
		all += n
		most = max(most, n)
		if n > 0 {
			sources++
		}
	}
	switch {
	case s.options.Across && sources > 1:
		s.tellGroup(g, runs, left, all-most)
	case !s.options.Across && all > 1:
		s.tellGroup(g, runs, left, all-1)
	}
}

// tellGroup tells that records of some sources are the same, and that so many of
// them are counted twice.
func (s *search) tellGroup(g *group, runs []run, left []int, more int) {
	d := double{records: more}
	all := 0
	var members []*member
	for _, r := range runs {
		n := left[r.index]
		if n == 0 {
			continue
		}
		d.sources = append(d.sources, r.index)
		all += n
		for i := range r.members[:min(n, tally.MostPlaces)] {
			members = append(members, &r.members[i])
		}
	}
	first := members[0]
	d.Kind, d.Line = finding.SameRecord, first.place.Line()
	sums := make([]amount.Sum, len(s.totals))
	addTimes(sums, s.moneyOf(g.rest(first)), more)
	for i := range sums {
		d.totals = append(d.totals, sums[i].Amount())
	}
	if !s.report.list.Full(d.Kind, d.sources[0], d.Line) {
		d.Places = s.places(g, members)
		d.Message = fmt.Sprintf("found %s: %s; %s", times(all), s.describe(g.rest(first)), s.twice(&d))
		if s.records.rest {
			d.Message = fmt.Sprintf("found %s with the same %s: %s; %s", times(all), words.And(s.options.On...),
				s.describe(g.rest(first)), s.twice(&d))
			s.showDifferences(d.Places)
		}
	}
	s.tell(&d)
}

func times(n int) string {
	if n == 2 {
		return "twice"
	}
	return fmt.Sprintf("%d times", n)
}

// places are the places of members, with all their values.
func (s *search) places(g *group, members []*member) []finding.Place {
	var places []finding.Place
	for i, m := range members[:min(len(members), tally.MostPlaces)] {
		of := &s.set.Sources[m.place.Source()]
		place := finding.Place{
			Letter: finding.Letter(i), Source: of.Name, Sheet: of.Sheet(), Line: m.place.Line(),
			Print: m.print.String(),
		}
		rest := g.rest(m)
		money := s.moneyOf(rest)
		for range s.columns {
			var value []byte
			value, rest = texts.Take(rest)
			place.Texts = append(place.Texts, string(value))
		}
		for i, column := range s.totals {
			if place.Texts[column] != "" {
				place.Texts[column] = money[i].String()
			}
		}
		places = append(places, place)
	}
	return places
}

// printed writes the fingerprint of a record.

// showDifferences gives places the values in which they differ.
func (s *search) showDifferences(places []finding.Place) {
	for i, column := range s.columns {
		if !slices.ContainsFunc(places, func(p finding.Place) bool { return p.Texts[i] != places[0].Texts[i] }) {
			continue
		}
		for k := range places {
			if places[k].Values == nil {
				places[k].Values = make(map[string]string)
			}
			places[k].Values[column] = places[k].Texts[i]
		}
	}
}

// describe says of a record what its first columns hold.
func (s *search) describe(data []byte) string {
	const most, longest = 5, 40
	var parts []string
	for i, column := range s.columns {
		var value []byte
		if value, data = texts.Take(data); len(value) == 0 || slices.Contains(s.totals, i) {
			continue
		}
		if len(parts) == most {
			parts = append(parts, "…")
			break
		}
		parts = append(parts, column+" "+shortened(string(bytes.ToValidUTF8(value, []byte("\ufffd"))), longest))
	}
	return strings.Join(parts, ", ")
}

func shortened(text string, longest int) string {
	if runes := []rune(text); len(runes) > longest {
		return string(runes[:longest]) + "…"
	}
	return text
}

// proposeOf proposes what to leave out of a group.
func (s *search) proposeOf(g *group, runs []run, stay []int) {
	isGone := func(index int) bool {
		_, whole := s.proposal().Drop.Of(s.set.Sources[index].Name).Whole()
		return whole
	}
	s.reduce(g, runs, stay, isGone)
	var sources []int
	all := 0
	for _, r := range runs {
		if stay[r.index] > 0 {
			sources = append(sources, r.index)
		}
		all += stay[r.index]
	}
	kind := finding.SameRecord
	switch {
	case s.options.Within:
		for _, index := range sources {
			if stay[index] > 1 {
				stay[index] = s.one()
			}
		}
	case all > 1 && (!s.options.Across || len(sources) > 1):
		keep := s.winner(sources)
		for _, index := range sources {
			switch {
			case index != keep || s.options.Keep == None:
				stay[index] = 0
			case !s.options.Across:
				stay[index] = 1
			}
		}
	default:
		kind = finding.Overlap
	}
	for _, r := range runs {
		gone := r.members[stay[r.index]:]
		if s.options.Keep == Last {
			gone = r.members[:len(r.members)-stay[r.index]]
		}
		for i := range gone {
			s.proposeRecord(kind, &gone[i])
		}
	}
}

// one is how many of several records stay, of which any would do.
func (s *search) one() int {
	if s.options.Keep == None {
		return 0
	}
	return 1
}
