package source

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"lastblock/core/record"
)

// TrailerPattern is the form of the line with which a source ends and says what
// is in it: "TOTAL {rows} {debit} {credit}". A word in braces takes a figure, and
// a blank stands for any run of blanks and delimiters.
type TrailerPattern struct {
	Words []string
	text  string
	form  *regexp.Regexp
}

// Trailer is such a line, which is no record.
type Trailer struct {
	Line    int
	Figures map[string]string // by the words of the pattern
}

// between stands between the fields of a line while it is compared.
const between = "\x1f"

// ParseTrailerPattern reads a pattern.
func ParseTrailerPattern(text string) (*TrailerPattern, error) {
	p := &TrailerPattern{text: text}
	const gap = `[\s\x1f]+`
	form := "(?i)^[\\s\x1f]*"
	seen := make(map[string]bool)
	for i, part := range strings.Fields(text) {
		if i > 0 {
			form += gap
		}
		for part != "" {
			from := strings.IndexByte(part, '{')
			if from < 0 {
				form += regexp.QuoteMeta(part)
				break
			}
			length := strings.IndexByte(part[from:], '}')
			if length < 0 {
				return nil, fmt.Errorf("%q: a brace is not closed", text)
			}
			word := part[from+1 : from+length]
			if !wordForm.MatchString(word) {
				return nil, fmt.Errorf("%q: {%s} is no word; a word has letters, digits and underscores, as a "+
					"column's name has", text, word)
			}
			if seen[word] {
				return nil, fmt.Errorf("%q: {%s} stands twice", text, word)
			}
			seen[word] = true
			p.Words = append(p.Words, word)
			form += regexp.QuoteMeta(part[:from]) + `([^\x1f]*?)`
			part = part[from+length+1:]
		}
	}
	if len(p.Words) == 0 {
		return nil, errors.New("there is no word in braces; write for example 'TOTAL {rows} {debit}'")
	}
	p.form = regexp.MustCompile(form + "[\\s\x1f]*$")
	return p, nil
}

// match reads the fields of a line, nil where it has not the pattern's form.
func (p *TrailerPattern) match(texts []string) map[string]string {
	line := strings.Join(texts, between)
	found := p.form.FindStringSubmatch(line)
	if found == nil {
		return nil
	}
	figures := make(map[string]string, len(p.Words))
	for i, word := range p.Words {
		figures[word] = strings.TrimSpace(found[i+1])
	}
	return figures
}

// String returns the pattern as it was written.
func (p *TrailerPattern) String() string { return p.text }

// takeTrailer takes the trailer off the end of a source's last batch. What
// stands behind it stays.
func takeTrailer(b *record.Batch, pattern *TrailerPattern, delimiter byte) *Trailer {
	if pattern == nil {
		return nil
	}
	lastRow := 0
	if b.Rows > 0 {
		lastRow = b.Line(b.Rows - 1)
	}
	for i := len(b.Refused) - 1; i >= 0; i-- {
		if at := (ending{b.Refused[i].Line, i}); at.line > lastRow {
			if figures := pattern.match(at.texts(b, delimiter)); figures != nil {
				at.take(b)
				return &Trailer{at.line, figures}
			}
		}
	}
	if b.Rows > 0 {
		at := ending{lastRow, -1}
		if figures := pattern.match(at.texts(b, delimiter)); figures != nil {
			at.take(b)
			return &Trailer{at.line, figures}
		}
	}
	return nil
}

// Trailers are the forms of trailers that the sources of the set have.
func (s *Set) Trailers() []*TrailerPattern {
	var patterns []*TrailerPattern
	for i := range s.Sources {
		if as := s.Sources[i].as; as != nil && as.Trailer != nil && !slices.Contains(patterns, as.Trailer) {
			patterns = append(patterns, as.Trailer)
		}
	}
	return patterns
}

// ending is the last line of a batch: its last record, or a line behind it that
// was refused.
type ending struct {
	line    int
	refused int // index among Refused, -1 for the last record
}

// texts are the fields of the line.
func (at ending) texts(b *record.Batch, delimiter byte) []string {
	if at.refused >= 0 {
		return refusedTexts(&b.Refused[at.refused], delimiter)
	}
	var texts []string
	var scratch []byte
	for column := range b.Width {
		texts = append(texts, string(b.Text(b.Rows-1, column, &scratch)))
	}
	return texts
}

// take takes the line out of the batch.
func (at ending) take(b *record.Batch) {
	if at.refused >= 0 {
		b.Refused = append(b.Refused[:at.refused], b.Refused[at.refused+1:]...)
		return
	}
	b.Without(b.Rows - 1)
}
