// Package nearest finds the name that somebody probably meant.
package nearest

import (
	"fmt"
	"strings"

	"github.com/agnivade/levenshtein"
)

// To returns the name among names that is fewest edits away from given,
// letter case aside. ok is false where none is near: more than a third of the
// letters, and more than two, would have to change.
func To(given string, names []string) (name string, ok bool) {
	limit := max(2, len(given)/3)
	if len(given) <= 3 {
		limit = 1
	}
	best := limit + 1
	for _, candidate := range names {
		d := levenshtein.ComputeDistance(strings.ToLower(given), strings.ToLower(candidate))
		if d < best {
			best, name = d, candidate
		}
	}
	return name, best <= limit
}

// Unknown is an error about a name of some kind that nothing has, with the one that was probably
// meant and all that there are.
func Unknown(what, name string, have []string) error {
	text := fmt.Sprintf("unknown %s %s", what, name)
	if near, ok := To(name, have); ok {
		text += fmt.Sprintf("; did you mean %s?", near)
	}
	return fmt.Errorf("%s\nthere is: %s", text, strings.Join(have, ", "))
}
