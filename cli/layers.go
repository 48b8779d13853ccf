package cli

import (
	"fmt"
	"slices"
	"strings"

	"lastblock/core/month/plan"

	"github.com/spf13/pflag"
)

// added are the flags whose values are added up: those of a plan's read, of a shape, of
// the command's table, and of the command line. Of two that speak of one column the
// later one holds, in the place of the earlier one, and that is told.
var added = map[string]func(text string) string{
	"rename": func(text string) string { return before(text, strings.IndexByte(text, '=')) },
	"as":     func(text string) string { return before(text, strings.LastIndexByte(text, '=')) },
	"make":   func(text string) string { return before(text, strings.IndexByte(text, '=')) },
	"drop":   strings.TrimSpace,
	"where":  func(text string) string { return text }, // all of them must be met
}

func before(text string, at int) string { return strings.TrimSpace(text[:max(0, at)]) }

// layer is what one place says for such a flag.
type layer struct {
	where string // as its user knows it
	texts []string
}

// addUp adds up layers, and says what takes the place of what.
func addUp(flag string, layers ...layer) (texts, replaced []string) {
	nameOf := added[flag]
	from := make(map[string]string)
	for _, l := range layers {
		for _, text := range l.texts {
			name := nameOf(text)
			at := slices.IndexFunc(texts, func(other string) bool { return nameOf(other) == name })
			earlier, known := from[name]
			from[name] = l.where
			switch {
			case at < 0 || known && earlier == l.where: // what one place says twice is its own error
				texts = append(texts, text)
			case texts[at] != text:
				texts[at] = text
				replaced = append(replaced, fmt.Sprintf("%s: %s takes the place of the one in %s", l.where, name, earlier))
			}
		}
	}
	return texts, replaced
}

// valuesOf are the values of such a flag.
func valuesOf(f *pflag.Flag) []string {
	if list, ok := f.Value.(pflag.SliceValue); ok {
		return list.GetSlice()
	}
	if text := f.Value.String(); text != "" {
		return []string{text}
	}
	return nil
}

// setTo sets such a flag. Several conditions become one.
func setTo(f *pflag.Flag, texts []string) error {
	f.Changed = len(texts) > 0
	if list, ok := f.Value.(pflag.SliceValue); ok {
		return list.Replace(texts)
	}
	if len(texts) == 1 {
		return f.Value.Set(texts[0])
	}
	var parts []string
	for _, text := range texts {
		parts = append(parts, "("+text+")")
	}
	return f.Value.Set(strings.Join(parts, " && "))
}

// layerOf is what a table of the plan says for a flag.
func (r *reading) layerOf(p *plan.Plan, table *plan.Table, f *pflag.Flag) (layer, error) {
	if table == nil {
		return layer{}, nil
	}
	e := table.Find(f.Name)
	if e == nil {
		return layer{}, nil
	}
	if err := checkType(p, f, e); err != nil {
		return layer{}, err
	}
	at := fmt.Sprintf("%s line %d, column %d: %s", r.plan, e.Line, e.Column, f.Name)
	return layer{at, listOf(e.Value)}, nil
}

// addedUp is what all places say for a flag, in the order in which the later one
// holds; shape may be nil.
func (r *reading) addedUp(p *plan.Plan, shape, own *plan.Table, f *pflag.Flag) ([]string, error) {
	var layers []layer
	for _, table := range []*plan.Table{&p.Read, shape, own} {
		l, err := r.layerOf(p, table, f)
		if err != nil {
			return nil, err
		}
		layers = append(layers, l)
	}
	layers = append(layers, layer{asFlag(f.Name), r.typed[f.Name]})
	texts, replaced := addUp(f.Name, layers...)
	for _, note := range replaced {
		if !slices.Contains(r.notes, note) {
			r.notes = append(r.notes, note)
		}
	}
	return texts, nil
}
