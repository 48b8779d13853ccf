package tally

import (
	"fmt"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/core/value/words"
)

// padded are records that ended early and were filled up with blank fields.
type padded struct {
	records int
	line    int // of the first one
	fewest  int // fields that any of them had
}

// count takes in those of a batch. Total lines are none.
func (p *padded) count(b *source.Batch) {
	for _, short := range b.Padded {
		if !slices.ContainsFunc(b.Totals, func(total source.TotalLine) bool { return total.Line == short.Line }) {
			p.merge(padded{1, short.Line, short.Fields})
		}
	}
}

func (p *padded) merge(o padded) {
	switch {
	case o.records == 0:
	case p.records == 0:
		*p = o
	default:
		*p = padded{p.records + o.records, min(p.line, o.line), min(p.fewest, o.fewest)}
	}
}

// tellShort tells of records that were filled up; severity is Note where that was asked for.
func (t *Tally) tellShort(index int, s *Source, add func(finding.Finding)) {
	p := s.set.seldom().padded
	if p.records == 0 {
		return
	}
	f := finding.Finding{
		Kind: finding.ShortRow, Line: p.line, Count: p.records, Found: fmt.Sprint(p.fewest),
		Message: fmt.Sprintf("%s end early, the shortest after %s; blank fields were added",
			words.Count(p.records, "record"), words.Count(p.fewest, "field")),
	}
	if p.records == 1 {
		f.Message = fmt.Sprintf("the record ends after %s; blank fields were added", words.Count(p.fewest, "field"))
	}
	if t.set.IsToBePadded(index) {
		f.Severity = finding.Note
	} else {
		f.Message += "; ⟨short-rows⟩ suspend sets such records aside"
	}
	add(f)
}
