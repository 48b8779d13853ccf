package tally

import (
	"cmp"
	"fmt"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/value/words"
)

// Missed notes that an expression of the capability asked a record for columns that
// its source lacks.
func (v *Visitor) Missed(b *source.Batch, row int, columns []string) {
	entry := v.enter(b)
	for _, column := range columns {
		entry.set.noted().missed = record.AppendTold(entry.set.noted().missed,
			record.Told{Column: column, Records: 1, Line: b.Line(row)})
	}
}

func (a *seldom) noteExpressions(missed, blanked []record.Told) {
	for _, t := range missed {
		a.missed = record.AppendTold(a.missed, t)
	}
	for _, t := range blanked {
		a.blanked = record.AppendTold(a.blanked, t)
	}
}

// hasMissed tells whether an expression asked for a column in vain.
func (a *seldom) hasMissed(column string) bool {
	return slices.ContainsFunc(a.missed, func(t record.Told) bool { return t.Column == column })
}

// tellExpressions tells what was noticed while expressions were evaluated.
func (s *Source) tellExpressions(add func(finding.Finding)) {
	byColumn := func(a, b record.Told) int { return cmp.Compare(a.Column, b.Column) }
	slices.SortFunc(s.set.seldom().missed, byColumn)
	slices.SortFunc(s.set.seldom().blanked, byColumn)
	for _, t := range s.set.seldom().missed {
		add(finding.Finding{
			Kind: finding.MissingColumn, Column: t.Column, Count: t.Records,
			Message: fmt.Sprintf("has no column %q, which an expression uses for %s; rename the column that it is "+
				"here, or ask on purpose, as has(%s) ? %s : \"\"", t.Column, words.Count(t.Records, "record"), t.Column,
				t.Column),
		})
	}
	for _, t := range s.set.seldom().blanked {
		what := fmt.Sprintf("%q is blank", t.Column)
		if t.Column == "" {
			what = "a condition cannot be true"
		}
		add(finding.Finding{
			Kind: finding.BlankDate, Column: t.Column, Count: t.Records,
			Message: fmt.Sprintf("%s in %s, since a date that it is calculated from is", what,
				words.Count(t.Records, "record")),
		})
	}
}
