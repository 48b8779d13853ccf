// Package docs holds the pages for users, as far as the program shows them itself.
package docs

import (
	_ "embed"
	"strings"
)

// Pages that the program shows.
var (
	//go:embed plan.md
	Plan string
	//go:embed reading.md
	Reading string
	//go:embed findings.md
	Findings string
)

// Section is what stands under a heading of a page, up to the next heading that is not below it; ok
// is false where the page has no such heading. The heading is given with its marks, as "### Expressions".
func Section(page, heading string) (text string, ok bool) {
	_, rest, ok := strings.Cut("\n"+page, "\n"+heading+"\n")
	if !ok {
		return "", false
	}
	level := strings.IndexByte(heading, ' ')
	fenced := false
	var lines []string
	for line := range strings.SplitSeq(rest, "\n") {
		if strings.HasPrefix(line, "```") {
			fenced = !fenced
		}
		marks := len(line) - len(strings.TrimLeft(line, "#"))
		if !fenced && marks > 0 && marks <= level && strings.HasPrefix(line[marks:], " ") {
			break
		}
		lines = append(lines, line)
	}
	return strings.Trim(strings.Join(lines, "\n"), "\n") + "\n", true
}

// Headings are the headings of a page that have so many marks.
func Headings(page string, level int) (all []string) {
	fenced := false
	for line := range strings.SplitSeq(page, "\n") {
		if strings.HasPrefix(line, "```") {
			fenced = !fenced
		}
		if title, ok := strings.CutPrefix(line, strings.Repeat("#", level)+" "); ok && !fenced {
			all = append(all, title)
		}
	}
	return all
}
