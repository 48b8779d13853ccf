package tally

import (
	"fmt"

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
// the line.
func (r *Resolver) Texts(index int) [][]byte {
	var texts [][]byte
	for _, ours := range r.Ours {
		switch ours.Word {
		case record.LineColumn:
		case record.SourceColumn:
			texts = append(texts, []byte(r.set.Sources[index].Name))
		default:
			texts = append(texts, []byte(r.set.Word(index, ours.Word)))
		}
	}
	return texts
}
