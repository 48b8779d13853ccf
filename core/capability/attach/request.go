package attach

import (
	"strings"

	"lastblock/core/option"
	"lastblock/core/source"
)

// Request says what is looked up where, in the words of a plan or a command line.
type Request struct {
	From  []string // a file or database for each reference
	Key   []string
	Bring []string
	Valid []string
	Else  string

	IsElse bool // whether Else was given, which may be blank
}

// Options are those of a request.
func (r *Request) Options() option.List {
	return option.List{
		{Word: "from", Value: &r.From, Whole: true, File: option.Read,
			Meaning: "the reference: a file, a folder, or a database as postgres://user@host/name with ⟨from-query⟩"},
		{Word: "key", Value: &r.Key, Whole: true,
			Meaning: "columns by which it is looked up, as 'account=code' where they have other names there"},
		{Word: "bring", Value: &r.Bring, Whole: true,
			Meaning: "columns of the reference to bring, e.g. 'name,group' or 'name=account_name'"},
		{Word: "valid", Value: &r.Valid, Whole: true,
			Meaning: "when a row of the reference holds, e.g. 'posted in from..until'"},
		{Word: "else", Value: &r.Else, IsSet: &r.IsElse, Meaning: "what is written where nothing is found"},
	}
}

// Read reads a request; each reference still needs its set. The error is an *option.Error.
func (r *Request) Read() ([]*Reference, error) {
	switch {
	case len(r.From) == 0:
		return nil, option.Errorf("from", "where are the columns? Name the reference behind ⟨from⟩")
	case len(r.Key) == 0:
		return nil, ErrNoKey
	case len(r.Bring) == 0:
		return nil, option.Errorf("bring", "which columns are brought? Name them")
	}
	for _, given := range []struct {
		word string
		n    int
	}{{"key", len(r.Key)}, {"bring", len(r.Bring)}, {"valid", len(r.Valid)}} {
		if given.n > len(r.From) || given.word == "bring" && given.n < len(r.From) {
			return nil, option.Errorf(given.word,
				"it stands %d times and ⟨from⟩ %d times; each belongs to one reference, in their order",
				given.n, len(r.From))
		}
	}
	var references []*Reference
	for i, from := range r.From {
		reference := &Reference{Name: from, Key: parsePairs(r.Key[min(i, len(r.Key)-1)]), Bring: parsePairs(r.Bring[i])}
		if r.IsElse {
			reference.Else = &r.Else
		}
		if i < len(r.Valid) && r.Valid[i] != "" {
			var err error
			if reference.Valid, err = parseValid(r.Valid[i]); err != nil {
				return nil, err
			}
		}
		references = append(references, reference)
	}
	return references, nil
}

// In gives a reference the set that it is read from.
func (r *Reference) In(set *source.Set) {
	if r.Set = set; source.IsQuery(r.Name) {
		r.Name = set.Sources[0].Name // without what is no part of a name
	}
}

// parsePairs reads 'a=b,c': columns with what they are called elsewhere.
func parsePairs(text string) []Pair {
	var pairs []Pair
	for _, word := range option.Split(text) {
		column, is, renamed := strings.Cut(word, "=")
		if !renamed {
			is = column
		}
		pairs = append(pairs, Pair{Column: strings.TrimSpace(column), Is: strings.TrimSpace(is)})
	}
	return pairs
}

// parseValid reads 'posted in from..until'.
func parseValid(text string) (*Valid, error) {
	date, between, _ := strings.Cut(text, " in ")
	from, until, ok := strings.Cut(between, "..")
	v := &Valid{Date: strings.TrimSpace(date), From: strings.TrimSpace(from), Until: strings.TrimSpace(until)}
	if !ok || v.Date == "" || v.From == "" || v.Until == "" {
		return nil, option.Errorf("valid", "%q is not of the form 'posted in from..until'", text)
	}
	return v, nil
}
