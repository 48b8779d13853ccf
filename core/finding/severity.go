package finding

import (
	"fmt"
	"slices"

	"lastblock/core/option"
	"lastblock/core/value/nearest"
)

// Severity is how much a finding matters.
type Severity string

// The severities: a Stop keeps results from being written and makes the exit code
// 1, a Review is something a person should look at, a Note is good to know.
const (
	Stop   Severity = "stop"
	Review Severity = "review"
	Note   Severity = "note"
)

// Severities are severities that kinds of findings have in a run, instead of their own.
type Severities map[Kind]Severity

// ParseSeverities reads texts such as 'only-there=review'. Of two about one kind the later one
// holds.
func ParseSeverities(texts []string) (Severities, error) {
	all := make(Severities)
	for _, text := range texts {
		kind, severity, ok := option.Pair(text)
		switch {
		case !ok:
			return nil, fmt.Errorf("%q is not of the form 'only-there=review'", text)
		case !slices.Contains(Kinds(), Kind(kind)):
			var kinds []string
			for _, k := range Kinds() {
				kinds = append(kinds, string(k))
			}
			slices.Sort(kinds)
			return nil, nearest.Unknown("kind of finding", kind, kinds)
		case !slices.Contains([]Severity{Stop, Review, Note}, Severity(severity)):
			return nil, fmt.Errorf("%q is neither stop, review nor note", severity)
		}
		all[Kind(kind)] = Severity(severity)
	}
	return all, nil
}

// Set gives a finding the severity of its kind, where there is one.
func (s Severities) Set(f *Finding) {
	if severity, ok := s[f.Kind]; ok {
		f.Severity = severity
	}
}
