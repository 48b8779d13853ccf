package source

import (
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"

	"lastblock/core/nearest"
)

// NamePattern takes words out of a file's name: "{entity}_{period}*" makes
// entity and period of "brackenfell_2031-01_v2.csv". The ending does not count
// as part of the name. '*' stands for any characters and '?' for one; a
// pattern with a slash is matched against the path below the folder that was
// named, any other against the file's name alone. {sheet} is the name of a
// workbook's sheet.
type NamePattern struct {
	Words     []string
	text      string
	withPaths bool
	strict    *regexp.Regexp // {period} must look like a period
	loose     *regexp.Regexp
}

// KnownWords are the words of a pattern that Lastblock itself understands; all
// others merely become columns.
var KnownWords = []string{"entity", "period", "sheet"}

// periodForm is a year, month, quarter, ISO week or day.
const periodForm = `\d{4}(?:-?Q[1-4]|-?W\d{2}|[-_.]?\d{2}(?:[-_.]?\d{2})?)?`

var wordForm = regexp.MustCompile(`^[\pL_][\pL\pN_]*$`)

// ParseNamePattern reads a pattern. A word that is nearly one of KnownWords is
// taken for a slip and refused.
func ParseNamePattern(text string) (*NamePattern, error) {
	if stars := strings.Count(text, "*"); stars > mostStars {
		return nil, fmt.Errorf("--name %q has %d stars, and a pattern has at most %d", text, stars, mostStars)
	}
	p := &NamePattern{text: text, withPaths: strings.Contains(text, "/")}
	var strict, loose strings.Builder
	seen := make(map[string]bool)
	for rest := text; rest != ""; {
		switch rest[0] {
		case '{':
			end := strings.IndexByte(rest, '}')
			if end < 0 {
				return nil, fmt.Errorf("--name %q: the brace at character %d is not closed", text, len(text)-len(rest)+1)
			}
			word := rest[1:end]
			rest = rest[end+1:]
			if err := checkWord(word, seen); err != nil {
				return nil, fmt.Errorf("--name %q: %w", text, err)
			}
			p.Words = append(p.Words, word)
			if word == "period" {
				strict.WriteString("(" + periodForm + ")")
			} else {
				strict.WriteString("([^/]+)")
			}
			loose.WriteString("([^/]+)")
		case '*', '?':
			form := map[byte]string{'*': "[^/]*", '?': "[^/]"}[rest[0]]
			strict.WriteString(form)
			loose.WriteString(form)
			rest = rest[1:]
		default:
			end := strings.IndexAny(rest, "{*?")
			if end < 0 {
				end = len(rest)
			}
			literal := regexp.QuoteMeta(rest[:end])
			strict.WriteString(literal)
			loose.WriteString(literal)
			rest = rest[end:]
		}
	}
	if len(p.Words) == 0 {
		return nil, fmt.Errorf("--name %q: there is no word in braces; write for example '{entity}_{period}*'", text)
	}
	p.strict = regexp.MustCompile("^" + strict.String() + "$")
	p.loose = regexp.MustCompile("^" + loose.String() + "$")
	return p, nil
}

func checkWord(word string, seen map[string]bool) error {
	if !wordForm.MatchString(word) {
		return fmt.Errorf("{%s} is no word; a word has letters, digits and underscores", word)
	}
	if seen[word] {
		return fmt.Errorf("{%s} stands twice", word)
	}
	seen[word] = true
	for _, known := range KnownWords {
		if word == known {
			return nil
		}
	}
	if near, ok := nearest.To(word, KnownWords); ok {
		return fmt.Errorf("unknown word {%s}; did you mean {%s}? Lastblock knows {%s}, and other words become columns", word, near, strings.Join(KnownWords, "}, {"))
	}
	return nil
}

// Match returns the values of the pattern's words for a file, given its path
// below the folder that was named, with slashes, and for a sheet of a workbook
// the sheet's name: that stands behind the file's, as one more part of the path.
func (p *NamePattern) Match(file, sheet string) (values []string, ok bool) {
	names := p.namesOf(file, sheet)
	for _, form := range []*regexp.Regexp{p.strict, p.loose} {
		for _, name := range names {
			if found := form.FindStringSubmatch(name); found != nil {
				return found[1:], true
			}
		}
	}
	return nil, false
}

// namesOf are the names by which a pattern may know a file or a sheet.
func (p *NamePattern) namesOf(file, sheet string) []string {
	whole, base := Stem(file), Stem(path.Base(file))
	switch asked := slices.Contains(p.Words, "sheet"); {
	case asked && !p.withPaths:
		return []string{sheet}
	case asked:
		return []string{whole + "/" + sheet, base + "/" + sheet}
	case !p.withPaths:
		return []string{base}
	case sheet != "":
		return []string{whole, whole + "/" + sheet, base + "/" + sheet}
	}
	return []string{whole}
}

// String returns the pattern as it was written.
func (p *NamePattern) String() string { return p.text }
