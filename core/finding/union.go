package finding

import "slices"

// graver are severities, the gravest first.
var graver = []Severity{Stop, Review, Note}

// Union are the findings of several parts of a run, each once: of two with one id the graver one
// stands, in the place of the first.
func Union(lists ...[]Finding) []Finding {
	all := []Finding{}
	at := make(map[string]int)
	for _, list := range lists {
		for _, f := range list {
			i, known := at[f.ID]
			switch {
			case !known:
				at[f.ID] = len(all)
				all = append(all, f)
			case slices.Index(graver, f.Severity) < slices.Index(graver, all[i].Severity):
				all[i] = f
			}
		}
	}
	return all
}
