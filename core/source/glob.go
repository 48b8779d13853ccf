package source

import (
	"fmt"
	"path"
	"regexp"
	"strings"

	"github.com/bmatcuk/doublestar/v4"
)

// mostStars is how many stars a pattern has at most, and mostBraces how many lists in
// braces.
const (
	mostStars  = 64
	mostBraces = 8
)

// checkPattern makes sure that a pattern of file names is one, and that it costs little to
// match.
func checkPattern(pattern string) error {
	stars, braces := strings.Count(pattern, "*"), strings.Count(pattern, "{")
	switch {
	case stars > mostStars:
		return fmt.Errorf("%q has %d stars, and a pattern has at most %d", pattern, stars, mostStars)
	case braces > mostBraces:
		return fmt.Errorf("%q has %d lists in braces, and a pattern has at most %d; give several patterns", pattern, braces, mostBraces)
	case !doublestar.ValidatePattern(pattern):
		return fmt.Errorf("%q is no pattern of file names", pattern)
	}
	return nil
}

// globs matches names with patterns in linear time: each is made a regular expression
// (RE2) once.
type globs map[string]*regexp.Regexp

// matchesAny matches a pattern with a slash against the path below the folder,
// any other against the name alone.
func (g globs) matchesAny(patterns []string, below string) bool {
	for _, p := range patterns {
		name := below
		if !strings.Contains(p, "/") {
			name = path.Base(below)
		}
		if g[p] == nil {
			g[p] = globForm(p)
		}
		if g[p].MatchString(name) {
			return true
		}
	}
	return false
}

// globForm makes a regular expression of a valid pattern: * and ? stand for anything but a
// slash, ** between slashes for any folders, [a-z] and [^a-z] for one of some characters,
// {a,b} for either; a backslash takes its meaning from the next character.
func globForm(pattern string) *regexp.Regexp {
	var form strings.Builder
	depth := 0
	for i := 0; i < len(pattern); i++ {
		switch c := pattern[i]; {
		case c == '*' && strings.HasPrefix(pattern[i:], "**/") && (i == 0 || pattern[i-1] == '/'):
			form.WriteString(`(?:[^/]*/)*`)
			i += len("**/") - 1
		case c == '*' && pattern[i:] == "**" && (i == 0 || pattern[i-1] == '/'):
			form.WriteString(`.*`)
			i++
		case c == '*':
			form.WriteString(`[^/]*`)
		case c == '?':
			form.WriteString(`[^/]`)
		case c == '[':
			end := i + 1
			for end < len(pattern) && (pattern[end] != ']' || end == i+1) {
				if pattern[end] == '\\' {
					end++
				}
				end++
			}
			form.WriteString(classForm(pattern[i+1 : min(end, len(pattern))]))
			i = end
		case c == '{':
			depth++
			form.WriteString(`(?:`)
		case c == '}' && depth > 0:
			depth--
			form.WriteString(`)`)
		case c == ',' && depth > 0:
			form.WriteString(`|`)
		case c == '\\' && i+1 < len(pattern):
			i++
			form.WriteString(regexp.QuoteMeta(pattern[i : i+1]))
		default:
			form.WriteString(regexp.QuoteMeta(string(c)))
		}
	}
	compiled, err := regexp.Compile(`(?s)^(?:` + form.String() + `)$`)
	if err != nil { // a class that is none; such a pattern matches nothing but itself
		return regexp.MustCompile(`^` + regexp.QuoteMeta(pattern) + `$`)
	}
	return compiled
}

// classForm makes the form of what stands in [ ].
func classForm(class string) string {
	not := ""
	if strings.HasPrefix(class, "^") || strings.HasPrefix(class, "!") {
		not, class = "^/", class[1:]
	}
	var form strings.Builder
	for i := 0; i < len(class); i++ {
		switch c := class[i]; {
		case c == '\\' && i+1 < len(class):
			i++
			form.WriteString(regexp.QuoteMeta(class[i : i+1]))
		case c == '-':
			form.WriteByte(c)
		case c == '[' || c == '^' || c == ']' || c == '&' || c == '~':
			form.WriteString(`\` + string(c))
		default:
			form.WriteByte(c)
		}
	}
	return "[" + not + form.String() + "]"
}
