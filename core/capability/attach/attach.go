// Package attach looks columns up in references by key, exactly: a record gets what its
// key has there, and nothing where it has nothing. It leaves the records and their
// order to others.
package attach

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/option"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/words"
)

// Reference is a set of sources in which columns are looked up. All of it is held in
// memory.
type Reference struct {
	Set   *source.Set
	Name  string  // as findings call it
	Key   []Pair  // which columns have to be the same
	Bring []Pair  // which columns are brought, and what they are called then
	Valid *Valid  // when a row holds; nil for always
	Else  *string // what stands where nothing is found; nil for blank
}

// Pair is a column of the records and a column of the reference.
type Pair struct{ Column, Is string }

// Valid says that a row of the reference holds from a day to another one, both of which
// belong to it; a blank one is none.
type Valid struct {
	Date        string // column of the records
	From, Until string // columns of the reference
}

// Options are those of all references.
type Options struct {
	Totals    []string // amounts that are told of records for which nothing is found
	Typed     bool     // columns are brought in the plain form of their kind
	Delimiter byte     // of delimited text that records are written in
}

// Attachment brings the columns of all references, one after another, so that what one
// has brought can be the key of the next. It is what package collate calls an Adder.
type Attachment struct {
	options Options
	tables  []*table
	columns []string
	workers []*Worker
	records *source.Set
}

// Read reads the references. The error is what reading returned, or a
// *tally.UnknownColumnError.
func Read(ctx context.Context, references []*Reference, reading source.Reading, options Options) (*Attachment, error) {
	a := &Attachment{options: options}
	for _, r := range references {
		t, err := readTable(ctx, r, reading, options)
		if err != nil {
			return nil, err
		}
		a.tables = append(a.tables, t)
	}
	return a, nil
}

// Prepare finds the columns of the records that are looked up, once these have been
// looked at, and names those that are brought so that none is called as one there is.
// The error is a *tally.UnknownColumnError.
func (a *Attachment) Prepare(set *source.Set, resolver *tally.Resolver) error {
	a.records = set
	var names record.Names
	for _, name := range resolver.Data() {
		names.Take(name)
	}
	for _, ours := range resolver.Ours {
		names.Take(ours.Name)
	}
	for k, t := range a.tables {
		for _, pair := range t.reference.Key {
			key, err := a.find(resolver, pair.Column, k)
			if err != nil {
				return option.Errorf("key", "%w", err)
			}
			if word := key.column.Word(); word != "" {
				key.spelt = t.spelt(len(t.keys), word, set)
			}
			t.keys = append(t.keys, key)
		}
		if v := t.reference.Valid; v != nil {
			key, err := a.find(resolver, v.Date, k)
			if err != nil {
				return option.Errorf("valid", "%w", err)
			}
			t.date = key
		}
		for i, pair := range t.reference.Bring {
			name := names.Free(pair.Is)
			a.columns = append(a.columns, name)
			t.brought[i].Name = name
		}
	}
	return nil
}

// lookedUp is a column of the records, or one that a reference before has brought.
type lookedUp struct {
	column tally.Column
	table  int               // -1 for a column of the records
	index  int               // of what the table brings
	spelt  map[string][]byte // of a word of names: values that the reference writes otherwise
}

// find finds a column of the records, or of what is brought before the k-th table.
func (a *Attachment) find(resolver *tally.Resolver, name string, k int) (lookedUp, error) {
	for i := k - 1; i >= 0; i-- {
		if at := slices.IndexFunc(a.tables[i].brought, func(c Column) bool { return c.Name == name }); at >= 0 {
			return lookedUp{table: i, index: at}, nil
		}
	}
	column, err := resolver.Resolve(name)
	return lookedUp{column: column, table: -1}, err
}

// Column is a column that is brought.
type Column struct {
	Name  string
	Kind  record.Kind // Text where not all values are of another one
	Scale int         // of amounts
}

// Columns are those that are brought.
func (a *Attachment) Columns() []Column {
	var columns []Column
	for _, t := range a.tables {
		columns = append(columns, t.brought...)
	}
	return columns
}

// Names returns the names of the columns that are brought, in their order.
func (a *Attachment) Names() []string {
	var names []string
	for _, c := range a.Columns() {
		names = append(names, c.Name)
	}
	return names
}

// missing counts the records for which a reference has nothing.
type missing struct {
	records int
	totals  []amount.Sum
	first   place
	key     string
	many    bool // it has several rows
	twice   bool // of which several hold on the day
}

// place is where a record stands.
type place struct{ index, line int }

func (p place) before(o place) bool {
	return p.index < o.index || p.index == o.index && p.line < o.line
}

// Tell adds what was not found, or found more than once, key by key.
func (a *Attachment) Tell(list *finding.List) {
	for k, t := range a.tables {
		all := make(map[string]*missing)
		for _, w := range a.workers {
			for key, m := range w.missing[k] {
				known := all[key]
				if known == nil {
					all[key] = m
					continue
				}
				if m.first.before(known.first) {
					known.first, known.key = m.first, m.key
				}
				known.records += m.records
				for i := range known.totals {
					known.totals[i].Merge(&m.totals[i])
				}
			}
		}
		for _, m := range all {
			list.Add(a.finding(t, m))
		}
	}
}

func (a *Attachment) finding(t *table, m *missing) finding.Finding {
	of := &a.records.Sources[m.first.index]
	f := finding.Finding{
		Kind: finding.NotFound, Source: of.Name, Sheet: of.Sheet(), Order: m.first.index, Line: m.first.line,
		Column: t.reference.Key[0].Column, Key: m.key, Count: m.records,
	}
	money := ""
	for i, name := range a.options.Totals {
		value := m.totals[i].Amount()
		if i == 0 {
			f.Amount = value.String()
		}
		money += fmt.Sprintf(", %s %s", name, value.Money())
	}
	switch {
	case m.twice:
		f.Kind = finding.ValidTwice
		f.Message = fmt.Sprintf("%s: several rows of %s hold on the day, with different values; %s%s", m.key,
			t.reference.Name, words.Count(m.records, "record"), money)
	case m.many:
		f.Kind = finding.ManyFound
		f.Message = fmt.Sprintf("%s is in %s more than once, with different values to bring; %s%s", m.key,
			t.reference.Name, words.Count(m.records, "record"), money)
	default:
		f.Message = fmt.Sprintf("%s is not in %s; %s%s", m.key, t.reference.Name, words.Count(m.records, "record"),
			money)
		if t.reference.Else != nil {
			f.Severity = finding.Review
			f.Message += fmt.Sprintf(", with %q in its place", *t.reference.Else)
		}
	}
	return f
}

// ErrNoKey says that there is nothing to look up by.
var ErrNoKey = option.Errorf("key", "by which columns is it looked up? Name them, as 'account' or 'account=code'")

// keyText writes a key: "account 09999, currency EUR".
func keyText(pairs []Pair, texts [][]byte) string {
	var parts []string
	for i, pair := range pairs {
		text := strings.ToValidUTF8(string(texts[i]), "\ufffd")
		if strings.TrimSpace(text) == "" {
			text = "(blank)"
		}
		parts = append(parts, pair.Column+" "+text)
	}
	return strings.Join(parts, ", ")
}
