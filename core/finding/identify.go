package finding

import (
	"encoding/base32"
	"encoding/binary"
	"strconv"
	"strings"

	"lastblock/core/option"

	"github.com/zeebo/xxh3"
)

// idLetters are the digits and the letters that nobody takes for a digit.
var idLetters = base32.NewEncoding("0123456789abcdefghjkmnpqrstvwxyz").WithPadding(base32.NoPadding)

// Identify makes the id of a finding from what it is about: its kind, its place
// and its key. What was found there does not count, so that the finding can be
// known again when it has changed; Finding.State tells that. nth, from 0, tells apart
// what would be one.
func Identify(f *Finding, nth int) string {
	hash := xxh3.HashString(joined(string(f.Kind), f.Source, f.Sheet, strconv.Itoa(f.Line), f.Column, f.Key,
		strconv.Itoa(nth)))
	const size = 5 // bytes, eight letters
	return idLetters.EncodeToString(binary.BigEndian.AppendUint64(nil, hash)[:size])
}

// StateOf is a fingerprint of what a finding says of the place it is about: the
// figures, and the record that stands there. Where it has neither it is the
// message, and where it has several places it is what stands in them.
func StateOf(f *Finding) string {
	if len(f.Places) > 0 {
		var prints []string
		if f.Places[0].Line > 0 {
			prints = append(prints, strconv.Itoa(f.Count)) // there may be more than the places that are listed
		}
		for i := range f.Places {
			prints = append(prints, f.Places[i].meant())
		}
		return strconv.FormatUint(xxh3.HashString(joined(prints...)), 16)
	}
	facts := joined(f.Expected, f.Found, f.Difference, f.Amount, strconv.Itoa(f.Count),
		strconv.FormatUint(f.Record, 16))
	if f.Expected+f.Found+f.Difference+f.Amount == "" && f.Record == 0 {
		facts = joined(option.Say(f.Message, dashed, dashed))
	}
	return strconv.FormatUint(xxh3.HashString(facts), 16)
}

// dashed writes the word of an option as messages had it when the first decisions were taken, so
// that these still hold.
func dashed(word string) string { return "--" + word }

// joined joins texts so that no two lists of them give the same.
func joined(texts ...string) string {
	var b strings.Builder
	for _, text := range texts {
		b.WriteString(strconv.Itoa(len(text)))
		b.WriteByte(':')
		b.WriteString(text)
	}
	return b.String()
}

// identifier gives findings that come in their order their ids.
type identifier struct {
	group group // of the last one
	line  int
	seen  map[string]int
}

func (i *identifier) identify(f *Finding) {
	if g := groupOf(*f); g != i.group || f.Line != i.line || i.seen == nil {
		i.group, i.line, i.seen = g, f.Line, make(map[string]int)
	}
	first := Identify(f, 0)
	f.ID = first
	if n := i.seen[first]; n > 0 {
		f.ID = Identify(f, n)
	}
	i.seen[first]++
	f.State = StateOf(f)
}
