package doubles

import (
	"cmp"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/value/amount"
)

// report collects what is found.
type report struct {
	list     finding.List
	kinds    map[finding.Kind]*counted
	pairs    map[[2]string]*counted
	proposed Proposal
	prints   map[int]string // of files
}

// counted is a Sum that is being added up.
type counted struct {
	findings, records int
	totals            []amount.Sum
}

func (c *counted) sum() Sum {
	s := Sum{Findings: c.findings, Records: c.records}
	for i := range c.totals {
		s.Totals = append(s.Totals, c.totals[i].Amount())
	}
	return s
}

// double is a finding with what it comes to.
type double struct {
	finding.Finding
	sources []int
	records int             // that are counted twice
	totals  []amount.Amount // of them
}

// tell adds a finding, and adds up what is counted twice by kind and by entities.
func (s *search) tell(d *double) {
	r := &s.report
	if r.kinds == nil {
		r.kinds, r.pairs = make(map[finding.Kind]*counted), make(map[[2]string]*counted)
	}
	add := func(to *counted) *counted {
		if to == nil {
			to = &counted{totals: make([]amount.Sum, len(s.totals))}
		}
		to.findings++
		to.records += d.records
		addTimes(to.totals[:len(d.totals)], d.totals, 1)
		return to
	}
	r.kinds[d.Kind] = add(r.kinds[d.Kind])
	key := s.entitiesOf(d.sources)
	r.pairs[key] = add(r.pairs[key])
	d.Order = d.sources[0]
	of := &s.set.Sources[d.Order]
	d.Source, d.Sheet, d.Count = of.Name, of.Sheet(), d.records
	if len(d.totals) > 0 {
		d.Amount = d.totals[0].String()
	}
	r.list.Add(d.Finding)
}

// entitiesOf are the entities of the first source and of the first one of another
// entity, if there is one.
func (s *search) entitiesOf(sources []int) [2]string {
	first := s.entity(sources[0])
	pair := [2]string{first, first}
	for _, index := range sources {
		if other := s.entity(index); other != first {
			pair[1] = other
			break
		}
	}
	if pair[1] < pair[0] {
		pair[0], pair[1] = pair[1], pair[0]
	}
	return pair
}

// entity is whose a source is, or the source itself where its name does not tell.
func (s *search) entity(index int) string {
	if entity := s.set.Word(index, "entity"); entity != "" {
		return entity
	}
	return s.set.Sources[index].Name
}

func (r *report) sums() (kinds []KindRow, pairs []PairRow) {
	for _, kind := range finding.Doubles {
		if c := r.kinds[kind]; c != nil {
			kinds = append(kinds, KindRow{kind, c.sum()})
		}
	}
	for key, c := range r.pairs {
		pairs = append(pairs, PairRow{key[0], key[1], c.sum()})
	}
	slices.SortFunc(pairs, func(x, y PairRow) int {
		return cmp.Or(cmp.Compare(y.Findings, x.Findings), cmp.Compare(x.A, y.A), cmp.Compare(x.B, y.B))
	})
	return kinds, pairs
}

// filePrint is the fingerprint of the file of a source.
func (s *search) filePrint(index int) (string, error) {
	if s.report.prints == nil {
		s.report.prints = make(map[int]string)
	}
	print, ok := s.report.prints[index]
	if !ok {
		var err error
		if print, err = s.set.FilePrint(index); err != nil {
			return "", err
		}
		s.report.prints[index] = print
	}
	return print, nil
}
