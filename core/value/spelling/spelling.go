// Package spelling says when two names mean the same entity or period, and which of several spellings a run uses for
// all of them.
package spelling

import (
	"strings"

	"lastblock/core/value/period"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"
)

// PeriodWord is the word of names that tells a period, which has one form: that of ISO 8601.
const PeriodWord = "period"

// Fold is what names have in common that mean the same: letters are composed (Unicode's NFC) and folded to
// one case, and blanks around the name say nothing.
func Fold(name string) string {
	name = strings.TrimSpace(name)
	for i := range len(name) {
		if c := name[i]; c >= 0x80 || 'A' <= c && c <= 'Z' {
			return norm.NFC.String(cases.Fold().String(norm.NFC.String(name)))
		}
	}
	return name
}

// Of is what the values of a word have in common that mean the same: the period as ISO 8601 writes it, of the word
// period, and else Fold.
func Of(word, value string) string {
	if word == PeriodWord {
		if p, ok := period.Parse(value); ok {
			return p.String()
		}
	}
	return Fold(value)
}

// Same tells whether two values of a word mean the same.
func Same(word, a, b string) bool { return a == b || Of(word, a) == Of(word, b) }
