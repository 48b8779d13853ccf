package tally

import (
	"fmt"
	"time"

	"lastblock/core/finding"
	"lastblock/core/finding/decision"
	"lastblock/core/finding/drop"
	"lastblock/core/source"
)

// Decided makes the set of what somebody has decided to leave out of the sources
// of a set; nil for nothing. A file is left out only as long as it has the bytes
// that it had then, and a record as long as one that means the same starts on its
// line; what is not so is told when a tally is finished.
func Decided(set *source.Set, log *decision.Log) (*drop.Set, error) {
	var s *drop.Set
	indices := make(map[string]int)
	for _, d := range log.Current() {
		isKept := d.Verdict == decision.Keep && d.Kind == finding.TotalOrRecord
		if d.Verdict != decision.Drop && !isKept {
			continue
		}
		if s == nil {
			s = new(drop.Set)
		}
		if isKept {
			s.Keep(d.ID, d.State)
			continue
		}
		if len(indices) == 0 {
			for i := range set.Sources {
				indices[set.Sources[i].Name] = i
			}
		}
		reason := drop.Reason{Kind: d.Kind, Text: fmt.Sprintf("%s, %s on %s", d.Reason, d.User,
			d.Time.Format(time.DateOnly))}
		for _, dropped := range d.Dropped {
			index, ok := indices[dropped.Source]
			if !ok {
				continue // it is not among what is read now
			}
			if err := leave(s, set, index, dropped, reason); err != nil {
				return nil, err
			}
		}
	}
	return s, nil
}

func leave(s *drop.Set, set *source.Set, index int, dropped decision.Dropped, reason drop.Reason) error {
	if dropped.Line > 0 {
		print, err := drop.ParsePrint(dropped.Print)
		if err != nil {
			return err
		}
		s.Record(dropped.Source, dropped.Line, print, reason)
		return nil
	}
	print, err := set.FilePrint(index)
	if err != nil {
		return err
	}
	if print == dropped.Print {
		s.File(dropped.Source, reason)
	} else {
		s.Changed(dropped.Source, reason)
	}
	return nil
}

// tellLapsed tells that a file was to be left out and has changed.
func (t *Tally) tellLapsed(index int, reason drop.Reason) {
	of := &t.set.Sources[index]
	t.Findings.Add(finding.Finding{
		Kind: finding.LapsedDrop, Source: of.Name, Sheet: of.Sheet(), Order: index, Expected: reason.Text,
		Message: fmt.Sprintf("the file was to be left out (%s), and has changed since, so that it is counted; look "+
			"for doubles once more", reason.Text),
	})
}
