package finding

import (
	"fmt"
	"math"
)

// restOf stands for findings that are counted and no longer listed.
func restOf(g group, n int) Finding {
	return Finding{
		Kind: g.kind, Severity: g.kind.Severity(), Source: g.source, Column: g.column, Order: g.order,
		Rest: true, Line: math.MaxInt, Count: n, // behind the ones that are listed
		Message: fmt.Sprintf("%d more like this, which are counted and not listed; ⟨suspense⟩ writes every record "+
			"that was set aside", n),
	}
}

// End is the Order of findings that belong to no source of the run.
const End = math.MaxInt

// Stops tells whether any finding is a "stop" finding, and not accepted.
func Stops(findings []Finding) bool {
	for i := range findings {
		if findings[i].Stops() {
			return true
		}
	}
	return false
}

// Stops tells whether a finding keeps results from being written.
func (f *Finding) Stops() bool { return f.Severity == Stop && f.Accepted == "" }
