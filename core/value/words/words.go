// Package words puts counts and names into sentences, in one way for all messages.
package words

import (
	"fmt"
	"strings"
)

// Count puts a number before a noun whose plural ends in s: "1 record", "2 records".
func Count(n int, noun string) string {
	if n == 1 {
		return "1 " + noun
	}
	return fmt.Sprintf("%d %ss", n, noun)
}

// And lists names: "a", "a and b", "a, b and c". Of no names it is "".
func And(names ...string) string {
	n := len(names)
	if n < 2 {
		return strings.Join(names, "")
	}
	return strings.Join(names[:n-1], ", ") + " and " + names[n-1]
}

// AndMore lists the first names and counts the others: "a, b and 3 more". Where no more than
// most are given it is And.
func AndMore(most int, names ...string) string {
	if len(names) <= most {
		return And(names...)
	}
	return fmt.Sprintf("%s and %d more", strings.Join(names[:most], ", "), len(names)-most)
}
