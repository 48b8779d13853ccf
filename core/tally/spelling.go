package tally

import (
	"fmt"
	"strconv"

	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/core/value/words"
)

// TellSpellings adds a finding for each value of a word that names of sources write in several ways, and that has one
// in the run.
func TellSpellings(set *source.Set, findings *finding.List) {
	for _, r := range set.Respelled() {
		const most = 3
		var written []string
		for _, value := range r.Written {
			written = append(written, strconv.Quote(value))
		}
		of := &set.Sources[r.First]
		findings.Add(finding.Finding{
			Kind: finding.SpelledOtherwise, Source: of.Name, Sheet: of.Sheet(), Order: r.First, Key: r.Word + " " + r.As,
			Expected: r.As, Found: r.Written[0], Count: r.Sources,
			Message: fmt.Sprintf("the %s %s is written %s in %s; all records have %s", r.Word, r.As,
				words.AndMore(most, written...), words.Count(r.Sources, "name"), r.As),
		})
	}
}
