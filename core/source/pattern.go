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
		return fmt.Errorf("%q has %d lists in braces, and a pattern has at most %d; give several patterns", pattern,
			braces, mostBraces)
	case !doublestar.ValidatePattern(pattern):
		return fmt.Errorf("%q is no pattern of file names", pattern)
	}
	return nil
}

// globs matches names with patterns in linear time: each is made a regular expression
// (RE2) once.
type globs map[string]*regexp.Regexp

// add has a valid pattern be known. One that is not is made a regular expression whenever it is matched.
func (g globs) add(pattern string) { g[pattern] = globForm(pattern) }

// matchesAny matches a pattern with a slash against the path below the folder,
// any other against the name alone.
func (g globs) matchesAny(patterns []string, below string) bool {
	for _, p := range patterns {
		name := below
		if !strings.Contains(p, "/") {
			name = path.Base(below)
		}
		form := g[p]
		if form == nil {
			form = globForm(p)
		}
		if form.MatchString(name) {
			return true
		}
	}
	return false
}

// globForm makes a regular expression of a valid pattern. A word in braces stands for a
// text that is not blank.
func globForm(pattern string) *regexp.Regexp {
	form, _, err := expressionOf(pattern, nil)
	if err != nil {
		form = regexp.QuoteMeta(pattern) // braces that hold no word; it matches nothing but itself
	}
	compiled, err := regexp.Compile(`(?s)^(?:` + form + `)$`)
	if err != nil { // a class that is none; such a pattern matches nothing but itself
		return regexp.MustCompile(`^` + regexp.QuoteMeta(pattern) + `$`)
	}
	return compiled
}

// expressionOf makes a regular expression (RE2) of a pattern:
//
//   - anything but a slash
//     **           between slashes, any folders
//     ?            one character, but no slash
//     [a-z] [^a-z] one of some characters, or none of them
//     {a,b}        either
//     {word}       a text, which formOf turns into a form of its own
//     \*           the character itself
//
// formOf is given what stands in the braces of a word, and may be nil. It returns the form,
// in which only what it has in parentheses is found.
func expressionOf(pattern string, formOf func(word string) (string, error)) (form string, words int, err error) {
	var out strings.Builder
	depth := 0
	for i := 0; i < len(pattern); i++ {
		switch c := pattern[i]; {
		case c == '*' && strings.HasPrefix(pattern[i:], "**/") && (i == 0 || pattern[i-1] == '/'):
			out.WriteString(`(?:[^/]*/)*`)
			i += len("**/") - 1
		case c == '*' && pattern[i:] == "**" && (i == 0 || pattern[i-1] == '/'):
			out.WriteString(`.*`)
			i++
		case c == '*':
			out.WriteString(`[^/]*`)
		case c == '?':
			out.WriteString(`[^/]`)
		case c == '[':
			end := i + 1
			for end < len(pattern) && (pattern[end] != ']' || end == i+1) {
				if pattern[end] == '\\' {
					end++
				}
				end++
			}
			out.WriteString(classForm(pattern[i+1 : min(end, len(pattern))]))
			i = end
		case c == '{':
			word, length, ok := wordAt(pattern[i:])
			if !ok {
				depth++
				out.WriteString(`(?:`)
				break
			}
			form := `[^/]+`
			if formOf != nil {
				if form, err = formOf(word); err != nil {
					return "", 0, err
				}
			}
			out.WriteString(form)
			words++
			i += length - 1
		case c == '}' && depth > 0:
			depth--
			out.WriteString(`)`)
		case c == ',' && depth > 0:
			out.WriteString(`|`)
		case c == '\\' && i+1 < len(pattern):
			i++
			out.WriteString(regexp.QuoteMeta(pattern[i : i+1]))
		default:
			out.WriteString(regexp.QuoteMeta(pattern[i : i+1]))
		}
	}
	return out.String(), words, nil
}

// wordAt reads the braces that a pattern begins with, where they hold no list.
func wordAt(pattern string) (word string, length int, ok bool) {
	end := strings.IndexByte(pattern, '}')
	if end < 0 || strings.ContainsAny(pattern[1:end], "{,*?[\\") {
		return "", 0, false
	}
	return pattern[1:end], end + 1, true
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
