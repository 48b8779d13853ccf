package view

import (
	"fmt"

	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/show"
)

// listedSources is how many sources are all listed.
const listedSources = 40

// listed are those of n sources that a table lists: all of them where that is asked for or they are not many,
// else those with findings that somebody should look at, the first ones of them. indexOf gives the
// place of a source in the set.
func listed(set *source.Set, n int, indexOf func(i int) int, findings []finding.Finding, every bool) []int {
	var all []int
	if n <= listedSources || every {
		for i := range n {
			all = append(all, i)
		}
		return all
	}
	toLookAt := make(map[string]bool)
	for i := range findings {
		if f := &findings[i]; f.Severity != finding.Note && f.Accepted == "" {
			toLookAt[f.Source] = true
		}
	}
	for i := range n {
		if toLookAt[set.Sources[indexOf(i)].Name] && len(all) < listedSources {
			all = append(all, i)
		}
	}
	return all
}

// notListed says how many sources a table does not list.
func notListed(n, listed int) string {
	if listed == 0 {
		return "nothing to look at; --each lists them"
	}
	return fmt.Sprintf("… %s more sources; --each lists all", show.Number(n-listed))
}
