package source

import (
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"

	"lastblock/core/value/nearest"
)

// NamePattern takes words out of a file's name: "{entity}_{period}*" makes
// entity and period of "brackenfell_2031-01_v2.csv", and "Return {period:MMM YYYY}
// {entity}" of "Return Mar 2031 corvane.xlsx". The ending does not count
// as part of the name. Beside words it is a pattern like any other, see expressionOf; one
// with a slash is matched against the path below the folder that was
// named, any other against the file's name alone. {sheet} is the name of a
// workbook's sheet.
type NamePattern struct {
	Words     []string
	text      string
	withPaths bool
	captures  []capture
	strict    *regexp.Regexp // {period} must look like a period
	loose     *regexp.Regexp
}

// capture is what a pair of parentheses of the regular expressions finds: all of a word,
// or a part of the period.
type capture struct {
	word int // index in Words
	part periodPart
}

// KnownWords are the words of a pattern that Lastblock itself understands; all
// others merely become columns.
var KnownWords = []string{"entity", periodWord, "sheet"}

const periodWord = "period"

// anyPeriod is a year, month, quarter, ISO week or day.
const anyPeriod = `\d{4}(?:-?Q[1-4]|-?W\d{2}|[-_.]?\d{2}(?:[-_.]?\d{2})?)?`

var wordForm = regexp.MustCompile(`^[\pL_][\pL\pN_]*$`)

// ParseNamePattern reads a pattern. A word that is nearly one of KnownWords is
// taken for a slip and refused.
func ParseNamePattern(text string) (*NamePattern, error) {
	fail := func(format string, arguments ...any) (*NamePattern, error) {
		return nil, fmt.Errorf("%q: %w", text, fmt.Errorf(format, arguments...))
	}
	if err := checkPattern(text); err != nil {
		if strings.Count(text, "{") > strings.Count(text, "}") {
			return fail("a brace is not closed")
		}
		return nil, err
	}
	p := &NamePattern{text: text, withPaths: strings.Contains(text, "/")}
	strict, words, err := expressionOf(text, p.strictForm)
	if err != nil {
		return fail("%w", err)
	}
	if words == 0 {
		return fail("there is no word in braces; write for example '{entity}_{period}*'")
	}
	if err := p.checkPeriod(); err != nil {
		return fail("%w", err)
	}
	loose, _, err := expressionOf(text, p.looseForm)
	if err != nil {
		return fail("%w", err)
	}
	if p.strict, err = regexp.Compile("(?s)^(?:" + strict + ")$"); err != nil {
		return fail("it is no pattern of file names")
	}
	if p.loose, err = regexp.Compile("(?s)^(?:" + loose + ")$"); err != nil {
		return fail("it is no pattern of file names")
	}
	return p, nil
}

// strictForm notes a word, and returns the form of its text.
func (p *NamePattern) strictForm(inBraces string) (string, error) {
	word, form, formed := strings.Cut(inBraces, ":")
	at := slices.Index(p.Words, word)
	if err := p.checkWord(word, at >= 0, formed); err != nil {
		return "", err
	}
	if at < 0 {
		at = len(p.Words)
		p.Words = append(p.Words, word)
	}
	if formed {
		expression, parts, err := periodForm(form)
		for _, part := range parts {
			p.captures = append(p.captures, capture{at, part})
		}
		return expression, err
	}
	p.captures = append(p.captures, capture{word: at})
	if word == periodWord {
		return "(" + anyPeriod + ")", nil
	}
	return "([^/]+)", nil
}

// looseForm is strictForm for a period that is written in any way.
func (p *NamePattern) looseForm(inBraces string) (string, error) {
	if _, form, formed := strings.Cut(inBraces, ":"); formed {
		expression, _, err := periodForm(form)
		return expression, err
	}
	return "([^/]+)", nil
}

func (p *NamePattern) checkWord(word string, seen, formed bool) error {
	switch {
	case !wordForm.MatchString(word):
		return fmt.Errorf("{%s} is no word; a word has letters, digits and underscores", word)
	case formed && word != periodWord:
		return fmt.Errorf("{%s} cannot have a form; only {%s} can, as in {%s:MM-YYYY}", word, periodWord, periodWord)
	case seen && !formed:
		return fmt.Errorf("{%s} stands twice", word)
	case slices.Contains(KnownWords, word):
		return nil
	}
	if near, ok := nearest.To(word, KnownWords); ok {
		return fmt.Errorf("unknown word {%s}; did you mean {%s}? Lastblock knows {%s}, and other words become columns",
			word, near, strings.Join(KnownWords, "}, {"))
	}
	return nil
}

// checkPeriod makes sure that the parts of a period are one.
func (p *NamePattern) checkPeriod() error {
	var parts []periodPart
	whole := false
	for _, c := range p.captures {
		if c.part != 0 {
			parts = append(parts, c.part)
		}
		whole = whole || c.part == 0 && p.Words[c.word] == periodWord
	}
	switch {
	case parts == nil:
		return nil
	case whole:
		return fmt.Errorf("{%s} stands twice, with a form and without", periodWord)
	}
	return checkParts(parts)
}

// Match returns the values of the pattern's words for a file, given its path
// below the folder that was named, with slashes, and for a sheet of a workbook
// the sheet's name: that stands behind the file's, as one more part of the path.
func (p *NamePattern) Match(file, sheet string) (values []string, ok bool) {
	names := p.namesOf(file, sheet)
	for _, form := range []*regexp.Regexp{p.strict, p.loose} {
		for _, name := range names {
			if found := form.FindStringSubmatch(name); found != nil {
				if values, ok := p.values(found[1:]); ok {
					return values, true
				}
			}
		}
	}
	return nil, false
}

// values puts together what was found; ok is false where it makes no period.
func (p *NamePattern) values(found []string) (values []string, ok bool) {
	values = make([]string, len(p.Words))
	var parts periodParts
	for i, c := range p.captures {
		if c.part == 0 {
			values[c.word] = found[i]
		} else if !parts.add(c.part, found[i]) {
			return nil, false
		}
	}
	if parts.any {
		if values[slices.Index(p.Words, periodWord)], ok = parts.text(); !ok {
			return nil, false
		}
	}
	return values, true
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
