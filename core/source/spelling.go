package source

import (
	"cmp"
	"maps"
	"slices"

	"lastblock/core/value/period"
	"lastblock/core/value/spelling"
)

// Respelled is a value of a word that names of sources write in several ways: all records have it in one.
type Respelled struct {
	Word    string
	As      string   // how the run writes it
	Written []string // the other ways
	First   int      // the first source, by its index, that writes it otherwise
	Sources int      // how many do
}

// unifyWords gives the values of each word that mean the same one spelling: a period that of ISO 8601, else the one
// among spellings, else that of the earliest period's first source.
func (s *Set) unifyWords(spellings map[string][]string) {
	s.spelt = make(map[string]map[string]string)
	for i := range s.Sources {
		if of := &s.Sources[i]; of.sent != nil {
			of.Words, of.sent = of.sent, nil
		}
	}
	order := s.byPeriod()
	for at, word := range s.words {
		spelt := make(map[string]string)
		for _, value := range spellings[word] {
			if key := spelling.Of(word, value); spelt[key] == "" {
				spelt[key] = value
			}
		}
		s.spelt[word] = spelt
		s.unify(at, order)
	}
}

// Prefer has values of a word be written as some spellings are, such as those of a roster.
func (s *Set) Prefer(word string, spellings []string) {
	s.unifyWords(map[string][]string{word: spellings})
}

// byPeriod are the sources with words, those of the earliest period first.
func (s *Set) byPeriod() (order []int) {
	at := slices.Index(s.words, spelling.PeriodWord)
	days := make([]int, len(s.Sources))
	for i := range s.Sources {
		if s.Sources[i].Words == nil {
			continue
		}
		order = append(order, i)
		if at >= 0 {
			p, _ := period.Parse(s.Sources[i].Words[at])
			days[i] = p.First
		}
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(days[a], days[b]) })
	return order
}

// unify gives the values of one word their spelling.
func (s *Set) unify(at int, order []int) {
	word := s.words[at]
	as := make(map[string]string) // by value as it is written
	for _, i := range order {
		of := &s.Sources[i]
		value := of.Words[at]
		if value == "" {
			continue
		}
		use, known := as[value]
		if !known {
			use = s.spell(s.spelt[word], word, value)
			as[value] = use
		}
		if use == value {
			continue
		}
		if of.sent == nil {
			of.sent = slices.Clone(of.Words)
		}
		of.Words[at] = use
	}
}

// Respelled are the values of words that names of sources write otherwise than the run does; of periods those that
// they write in several ways.
func (s *Set) Respelled() (all []Respelled) {
	if !slices.ContainsFunc(s.Sources, func(of Source) bool { return of.sent != nil }) {
		return nil
	}
	for at, word := range s.words {
		found := make(map[string]*Respelled)
		for i := range s.Sources {
			of := &s.Sources[i]
			if of.Words == nil || of.Words[at] == "" {
				continue
			}
			written := s.SentWord(i, word)
			r := found[of.Words[at]]
			if r == nil {
				r = &Respelled{Word: word, As: of.Words[at], First: -1}
				found[r.As] = r
			}
			if !slices.Contains(r.Written, written) {
				r.Written = append(r.Written, written)
			}
			if written != r.As {
				if r.Sources++; r.First < 0 {
					r.First = i
				}
			}
		}
		for _, as := range slices.Sorted(maps.Keys(found)) {
			if r := found[as]; r.Sources > 0 && (word != spelling.PeriodWord || len(r.Written) > 1) {
				r.Written = slices.DeleteFunc(r.Written, func(value string) bool { return value == as })
				all = append(all, *r)
			}
		}
	}
	return all
}

// spell is the spelling of a value, which may be the first of its kind.
func (s *Set) spell(spelt map[string]string, word, value string) string {
	key := spelling.Of(word, value)
	if word == spelling.PeriodWord {
		if _, ok := period.Parse(value); ok {
			return key
		}
	}
	if spelt[key] == "" {
		spelt[key] = value
	}
	return spelt[key]
}

// Spelling is how the run writes a value of a word, which is the value itself where no name of a source has it.
func (s *Set) Spelling(word, value string) string {
	if as := s.spelt[word][spelling.Of(word, value)]; as != "" {
		return as
	}
	if word == spelling.PeriodWord {
		if p, ok := period.Parse(value); ok {
			return p.String()
		}
	}
	return value
}

// Spellings are how the run writes the values of each word.
func (s *Set) Spellings() map[string][]string {
	all := make(map[string][]string)
	for word, spelt := range s.spelt {
		all[word] = slices.Sorted(maps.Values(spelt))
	}
	return all
}
