package tally

import (
	"context"
	"fmt"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/core/value/amount"
	"lastblock/core/value/words"
)

// LookForTwins makes Finish tell which sources are the same bytes, and would be
// counted twice. It reads only files of one size, and is called before the scan.
func (t *Tally) LookForTwins(ctx context.Context, jobs int) (err error) {
	t.twins, err = t.set.Twins(ctx, jobs, func(index int) bool {
		_, whole := t.options.Drop.Of(t.set.Sources[index].Name).Whole()
		return !whole
	})
	return err
}

// tellTwins tells the twins that hold records.
func (t *Tally) tellTwins() error {
	for _, same := range t.twins {
		first := &t.Sources[same[0]]
		if first.Used == 0 {
			continue
		}
		print, err := t.set.FilePrint(same[0])
		if err != nil {
			return err
		}
		f, err := SameFile(t.set, same, SameBytes, func(int) (string, error) { return print, nil })
		if err != nil {
			return err
		}
		f.Count = (len(same) - 1) * first.Used
		var totals []amount.Amount
		for i := range t.options.Amounts {
			totals = append(totals, first.Totals[i].Amount().Mul(amount.New(int64(len(same)-1), 0)))
		}
		if len(totals) > 0 {
			f.Amount = totals[0].String()
		}
		f.Message += "; " + Twice(f.Count, t.options.Amounts, totals)
		t.Findings.Add(f)
	}
	return nil
}

// In what sources are the same; it is part of what such a finding is about.
const (
	SameBytes   = "the same bytes"
	SameRecords = "the same records in other bytes"
)

// MostPlaces is how many places a finding lists; it counts all of them.
const MostPlaces = 100

// SameFile makes the finding that some sources are the same. print is asked for
// the fingerprints of their files.
func SameFile(set *source.Set, same []int, how string, print func(index int) (string, error)) (finding.Finding, error) {
	first := &set.Sources[same[0]]
	f := finding.Finding{Kind: finding.SameFile, Source: first.Name, Sheet: first.Sheet(), Order: same[0], Key: how}
	var err error
	f.Places, err = FilePlaces(set, same, print)
	verb := "holds"
	if len(same) > 2 {
		verb = "hold"
	}
	f.Message = fmt.Sprintf("%s %s %s", Names(set, same[1:]), verb, how)
	return f, err
}

// FilePlaces are the places of whole sources, with the fingerprints of their
// files.
func FilePlaces(set *source.Set, indices []int, print func(index int) (string, error)) ([]finding.Place, error) {
	shown := indices[:min(len(indices), MostPlaces)]
	places := make([]finding.Place, 0, len(shown))
	for i, index := range shown {
		of, err := print(index)
		if err != nil {
			return nil, err
		}
		places = append(places, finding.Place{Letter: finding.Letter(i), Source: set.Sources[index].Name,
			Sheet: set.Sources[index].Sheet(), Print: of})
	}
	return places, nil
}

// Twice says what is counted twice.
func Twice(records int, columns []string, totals []amount.Amount) string {
	text := words.Count(records, "record")
	if len(totals) > 0 {
		text += " with " + Money(columns, totals)
	}
	if records == 1 {
		return text + " is counted twice"
	}
	return text + " are counted twice"
}

// Money says what totals are: "debit 1,234.00, credit 1,234.00". Those that are
// zero are left out, unless all are.
func Money(columns []string, totals []amount.Amount) string {
	var parts []string
	for i, total := range totals {
		if total.Sign() != 0 {
			parts = append(parts, columns[i]+" "+total.Money())
		}
	}
	if len(parts) == 0 {
		return columns[0] + " " + totals[0].Money()
	}
	return strings.Join(parts, ", ")
}

// Names lists some sources by their names.
func Names(set *source.Set, indices []int) string {
	const most = 5
	names := make([]string, len(indices))
	for i, index := range indices {
		names[i] = set.Sources[index].Name
	}
	return words.AndMore(most, names...)
}
