package doubles

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/finding/drop"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/date"
	"lastblock/core/value/words"
)

// tellFiles tells what files have to do with one another.
func (s *search) tellFiles(ctx context.Context) error {
	if err := s.countChanged(); err != nil {
		return err
	}
	if err := s.tellCopies(); err != nil {
		return err
	}
	for i := range s.sources {
		if s.sources[i].contained != nil {
			if err := s.tellContained(i); err != nil {
				return err
			}
		}
	}
	for _, key := range s.relation.overlaps {
		if err := s.tellOverlap(key); err != nil {
			return err
		}
	}
	for _, key := range s.relation.resubmissions {
		if err := s.tellResubmission(key); err != nil {
			return err
		}
	}
	if n := s.relation.common; n > 0 {
		s.report.list.Add(finding.Finding{
			Kind: finding.CommonRecord, Source: s.set.Sources[0].Name, Count: n,
			Message: fmt.Sprintf("%s in more than %s each, which is too many to compare these two by two for it; "+
				"such a record is told as a record, and makes no files overlap", standing(n),
				words.Count(s.relation.most, "source")),
		})
	}
	return ctx.Err()
}

func standing(n int) string {
	if n == 1 {
		return "1 record is"
	}
	return words.Count(n, "record") + " are"
}

// totalsOf are the totals of a source.
func (s *search) totalsOf(index int) []amount.Amount {
	var totals []amount.Amount
	for i := range s.tally.Sources[index].Totals {
		totals = append(totals, s.tally.Sources[index].Totals[i].Amount().Add(s.zero(i)))
	}
	return totals
}

// tellCopies tells which sources are copies of one another: of the same bytes, and
// in other bytes. A copy of a copy is told with the first one.
func (s *search) tellCopies() error {
	type copies struct{ twins, others []int }
	of := make(map[int]*copies)
	for i := range s.sources {
		first := s.sources[i].copyOf
		if first == i || s.sources[first].records == 0 {
			continue
		}
		if of[first] == nil {
			of[first] = new(copies)
		}
		if s.sources[i].twin {
			of[first].twins = append(of[first].twins, i)
		} else {
			of[first].others = append(of[first].others, i)
		}
	}
	for i := range s.sources {
		c := of[i]
		if c == nil {
			continue
		}
		for _, told := range []struct {
			copies []int
			how    string
		}{{c.twins, "the same bytes"}, {c.others, "the same records in other bytes"}} {
			if len(told.copies) == 0 {
				continue
			}
			if err := s.tellSame(append([]int{i}, told.copies...), told.how); err != nil {
				return err
			}
		}
	}
	return nil
}

func (s *search) tellSame(same []int, how string) error {
	f, err := tally.SameFile(s.set, same, how, s.filePrint)
	if err != nil {
		return err
	}
	n := len(same) - 1
	d := double{Finding: f, sources: same, records: n * s.sources[same[0]].records}
	for _, total := range s.totalsOf(same[0]) {
		d.totals = append(d.totals, total.Mul(amount.New(int64(n), 0)))
	}
	d.Message += "; " + s.twice(&d)
	s.tell(&d)
	s.proposeFiles(finding.SameFile, same)
	return nil
}

func (s *search) twice(d *double) string { return tally.Twice(d.records, s.options.Totals, d.totals) }

// tellContained tells that all records of a source stand in another one, or in
// several together.
func (s *search) tellContained(index int) error {
	of := &s.sources[index]
	d := double{sources: append([]int{index}, of.contained...), records: of.records, totals: s.totalsOf(index)}
	d.Kind, d.Key = finding.ContainedFile, tally.Names(s.set, of.contained)
	all := "all its " + words.Count(of.records, "record")
	if of.records == 1 {
		all = "its only record"
	}
	are := "are"
	if of.records == 1 {
		are = "is"
	}
	if len(of.contained) == 1 {
		d.Message = fmt.Sprintf("%s %s in %s as well, which has %d", all, are, d.Key,
			s.sources[of.contained[0]].records)
	} else {
		d.Message = fmt.Sprintf("%s %s in %s together", all, are, d.Key)
	}
	d.Message += "; " + s.twice(&d)
	var err error
	if d.Places, err = tally.FilePlaces(s.set, d.sources, s.filePrint); err != nil {
		return err
	}
	s.tell(&d)
	s.proposeContained(index)
	return nil
}

// tellOverlap tells that two sources have many records in common.
func (s *search) tellOverlap(key couple) error {
	a, b := &s.sources[key[0]], &s.sources[key[1]]
	of := s.relation.shared[key]
	other := s.set.Sources[key[1]].Name
	d := double{sources: key[:], records: of.records}
	d.Kind, d.Key = finding.Overlap, other
	for i := range of.totals {
		d.totals = append(d.totals, of.totals[i].Amount())
	}
	share, _ := amount.Share(amount.New(int64(of.records), 0), amount.New(int64(min(a.records, b.records)), 0), 1)
	are := "are"
	if of.records == 1 {
		are = "is"
	}
	d.Message = fmt.Sprintf("%d of its %s %s in %s as well, %s %% of the smaller file: %s of A, %s of B",
		of.records, words.Count(a.records, "record"), are, other, share, lines(&of.all[0]), lines(&of.all[1]))
	if of.dated {
		d.Message += fmt.Sprintf(", %s %s", s.columns[s.relation.dated], days(of.days))
	}
	switch {
	case of.lines[0][0] > a.first && of.lines[0][1] == a.last && of.lines[1][0] == b.first && of.lines[1][1] < b.last:
		d.Message += "; they are the end of A and the start of B"
	case of.lines[0][0] == a.first && of.lines[0][1] < a.last && of.lines[1][0] > b.first && of.lines[1][1] == b.last:
		d.Message += "; they are the start of A and the end of B"
	}
	d.Message += fmt.Sprintf("; %s, %s", s.onlyIn("A", key[0], of), s.onlyIn("B", key[1], of))
	d.Message += "; " + s.twice(&d)
	var err error
	if d.Places, err = tally.FilePlaces(s.set, d.sources, s.filePrint); err != nil {
		return err
	}
	markLines(d.Places, of)
	s.tell(&d)
	return nil
}

// onlyIn says what one of two sources has for itself.
func (s *search) onlyIn(where string, index int, of *shared) string {
	n := s.sources[index].records - of.records
	text := fmt.Sprintf("%s only in %s", words.Count(n, "record"), where)
	if n == 0 || len(s.totals) == 0 {
		return text
	}
	var rest []amount.Amount
	for i, total := range s.totalsOf(index) {
		rest = append(rest, total.Sub(of.totals[i].Amount()))
	}
	return text + " with " + tally.Money(s.options.Totals, rest)
}

// lines says on which lines records stand.
func lines(of *drop.Lines) string {
	const most = 4
	ranges := of.Ranges()
	if len(ranges) == 1 && ranges[0][0] == ranges[0][1] {
		return fmt.Sprintf("line %d", ranges[0][0])
	}
	var parts []string
	for i, r := range ranges {
		if i == most && len(ranges) > most+1 {
			parts = append(parts, fmt.Sprintf("and more up to %d", ranges[len(ranges)-1][1]))
			break
		}
		part := fmt.Sprint(r[0])
		if r[1] > r[0] {
			part = fmt.Sprintf("%d to %d", r[0], r[1])
		}
		parts = append(parts, part)
	}
	return "lines " + strings.Join(parts, ", ")
}

// mostRanges is how many stretches of lines a place lists.
const mostRanges = 1000

// markLines says in the places of two sources on which lines the records stand that
// they share.
func markLines(places []finding.Place, of *shared) {
	for side := range of.all {
		var parts []string
		for i, r := range of.all[side].Ranges() {
			if i == mostRanges {
				parts = append(parts, "…")
				break
			}
			part := fmt.Sprint(r[0])
			if r[1] > r[0] {
				part = fmt.Sprintf("%d-%d", r[0], r[1])
			}
			parts = append(parts, part)
		}
		places[side].Lines = strings.Join(parts, ",")
	}
}

func days(of [2]int) string {
	if of[0] == of[1] {
		return date.String(of[0])
	}
	return date.String(of[0]) + " to " + date.String(of[1])
}

// tellResubmission tells that two sources are of one entity and period, and what
// the later one changes.
func (s *search) tellResubmission(key couple) error {
	a, b := &s.sources[key[0]], &s.sources[key[1]]
	of := s.relation.shared[key]
	if of == nil {
		of = &shared{totals: make([]amount.Sum, len(s.totals))}
	}
	later := s.set.Sources[key[1]].Name
	d := double{sources: key[:]}
	d.Kind, d.Key = finding.Resubmission, later
	// else it is told with that
	if a.contained == nil && b.contained == nil && !slices.Contains(s.relation.overlaps, key) {
		d.records = of.records
		for i := range of.totals {
			d.totals = append(d.totals, of.totals[i].Amount())
		}
	}
	d.Message = fmt.Sprintf("%s is of the same entity and period: %d records the same, %d added, %d gone",
		later, of.records, b.records-of.records-of.changed, a.records-of.records-of.changed)
	if s.keys != nil {
		d.Message += fmt.Sprintf(", %d changed", of.changed)
	} else if of.records < min(a.records, b.records) {
		d.Message += " (say which ones are changed with ⟨key⟩)"
	}
	d.Message += s.effect(key)
	var err error
	if d.Places, err = tally.FilePlaces(s.set, d.sources, s.filePrint); err != nil {
		return err
	}
	markLines(d.Places, of)
	s.tell(&d)
	s.proposeFiles(finding.Resubmission, key[:])
	return nil
}

// effect says what the later one of two sources does to the totals.
func (s *search) effect(key couple) string {
	before, after := s.totalsOf(key[0]), s.totalsOf(key[1])
	text := ""
	for i, column := range s.options.Totals {
		switch change := after[i].Sub(before[i]); change.Sign() {
		case 0:
			text += fmt.Sprintf("; %s stays %s", column, after[i].Money())
		default:
			text += fmt.Sprintf("; %s goes from %s to %s (%s)", column, before[i].Money(), after[i].Money(),
				signed(change))
		}
	}
	return text
}

// signed writes an amount with its sign.
func signed(a amount.Amount) string {
	if a.Sign() > 0 {
		return "+" + a.Money()
	}
	return a.Money()
}
