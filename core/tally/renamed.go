package tally

import (
	"fmt"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/record"
)

// TellRenamed adds a note for each column of ours that had to take another
// name, naming the first source that has taken it.
func (r *Resolver) TellRenamed(findings *finding.List) {
	for _, ours := range r.Ours {
		if ours.Name == ours.Word {
			continue
		}
		for i := range r.set.Sources {
			if r.set.Head(i).Layout.Has(ours.Word) {
				findings.Add(finding.Finding{
					Kind: finding.RenamedColumn, Source: r.set.Sources[i].Name, Order: i, Column: ours.Word,
					Message: fmt.Sprintf("has a column %q of its own, which keeps its name; the one Lastblock adds "+
						"is called %q", ours.Word, ours.Name),
				})
				break
			}
		}
	}
}

// Texts returns what a source has in the columns that Lastblock adds, but for
// the line. They may lie in the room of texts that are not used any more.
func (r *Resolver) Texts(index int, room [][]byte) [][]byte {
	texts := room[:0]
	for _, ours := range r.Ours {
		var text string
		switch ours.Word {
		case record.LineColumn:
			continue
		case record.SourceColumn:
			text = r.set.Sources[index].Name
		default:
			text = r.set.Word(index, ours.Word)
		}
		n := len(texts)
		texts = slices.Grow(texts, 1)[:n+1]
		texts[n] = append(texts[n][:0], text...)
	}
	return texts
}
