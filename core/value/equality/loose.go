package equality

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"unicode"
)

// Loose says what makes no difference in a key.
type Loose struct {
	Blanks      bool // blanks of any kind, wherever they stand
	Case        bool // capital and small letters
	Zeros       bool // leading zeros
	Punctuation bool // everything that is no letter, no digit and no blank
}

var looseWords = []string{"blanks", "case", "zeros", "punctuation"}

// ParseLoose reads the words blanks, case, zeros and punctuation. The error names
// a word that is none of them.
func ParseLoose(words []string) (Loose, error) {
	var l Loose
	for _, word := range words {
		switch word {
		case "blanks":
			l.Blanks = true
		case "case":
			l.Case = true
		case "zeros":
			l.Zeros = true
		case "punctuation":
			l.Punctuation = true
		default:
			return Loose{}, fmt.Errorf("%q: it is %s", word, strings.Join(looseWords, ", "))
		}
	}
	return l, nil
}

// String lists what makes no difference.
func (l Loose) String() string {
	is := []bool{l.Blanks, l.Case, l.Zeros, l.Punctuation}
	words := slices.Clone(looseWords)
	return strings.Join(slices.DeleteFunc(words, func(word string) bool { return !is[slices.Index(looseWords, word)] }),
		",")
}

// Append appends a value of a key without what makes no difference. What is left
// without anything of it, as "---" without punctuation, stays as it was.
func (l Loose) Append(dst, text []byte) []byte {
	if l == (Loose{}) {
		return append(dst, text...)
	}
	from := len(dst)
	for _, r := range string(text) {
		switch {
		case unicode.IsSpace(r):
			if !l.Blanks {
				dst = append(dst, string(r)...)
			}
		case l.Punctuation && !unicode.IsLetter(r) && !unicode.IsDigit(r) && !unicode.IsMark(r):
		case l.Case:
			dst = append(dst, string(unicode.ToLower(unicode.ToUpper(r)))...)
		default:
			dst = append(dst, string(r)...)
		}
	}
	if l.Zeros {
		rest := bytes.TrimLeft(dst[from:], "0")
		if len(rest) == 0 && len(dst) > from {
			rest = dst[len(dst)-1:]
		}
		dst = dst[:from+copy(dst[from:], rest)]
	}
	if len(dst) == from {
		return append(dst, text...)
	}
	return dst
}
