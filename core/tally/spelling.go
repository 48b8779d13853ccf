package tally

import (
	"fmt"
	"strconv"

	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/core/value/words"
)

// TellSpellings adds a finding for each word of which names of sources write values otherwise than all records have
// them.
func TellSpellings(set *source.Set, findings *finding.List) {
	const most = 3
	all := set.Respelled()
	for len(all) > 0 {
		n := 1
		for n < len(all) && all[n].Word == all[0].Word {
			n++
		}
		first, count := all[0].First, 0
		var written []string
		for _, r := range all[:n] {
			first, count = min(first, r.First), count+r.Sources
			var ways []string
			for _, way := range r.Written {
				ways = append(ways, strconv.Quote(way))
			}
			written = append(written, r.As+" for "+words.AndMore(most, ways...))
		}
		of := &set.Sources[first]
		findings.Add(finding.Finding{
			Kind: finding.SpelledOtherwise, Source: of.Name, Sheet: of.Sheet(), Order: first, Key: all[0].Word,
			Count: count,
			Message: fmt.Sprintf("{%s} is written in several ways, and has one in all records: %s", all[0].Word,
				words.AndMore(most, written...)),
		})
		all = all[n:]
	}
}
