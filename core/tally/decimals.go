package tally

import (
	"fmt"

	"lastblock/core/finding"
	"lastblock/core/record"
)

// TellDecimals adds a finding for every source whose amounts would be put among
// those of others as they were sent, with the other decimal mark than these.
// It is called after Finish.
func (t *Tally) TellDecimals() {
	for _, column := range t.options.Amounts {
		var with [2][]int // sources by their mark, the point first
		for i := range t.Sources {
			s := &t.Sources[i]
			if s.Head == nil || s.Read == 0 {
				continue
			}
			at, ok := s.Head.Layout.Find(column)
			switch {
			case !ok || s.Head.Kind(at) == record.Amount: // it is written plainly
			case s.Decimal == ',':
				with[1] = append(with[1], i)
			default:
				with[0] = append(with[0], i)
			}
		}
		fewer := with[1]
		if len(with[0]) < len(with[1]) {
			fewer = with[0]
		}
		if len(with[0]) == 0 || len(with[1]) == 0 {
			continue
		}
		for _, i := range fewer {
			t.Findings.Add(finding.Finding{
				Kind: finding.DecimalsDiffer, Source: t.set.Sources[i].Name, Sheet: t.set.Sources[i].Sheet(), Order: i,
				Column: column, Found: string(t.Sources[i].Decimal),
				Message: fmt.Sprintf("writes amounts with %q as decimal mark, and others do not; ⟨as⟩ %s=amount "+
					"writes all alike", t.Sources[i].Decimal, column),
			})
		}
	}
}
