package source

import (
	"fmt"
	"slices"
	"strings"

	"lastblock/core/option"
	"lastblock/core/record"
	"lastblock/core/source/shape"
	"lastblock/core/value/expression"
	"lastblock/core/value/natural"
	"lastblock/core/value/nearest"
)

// checkNames makes sure that each column of which a request speaks is one that
// some source has: a slip of the pen would otherwise change nothing, and
// nobody would know.
func (f *feed) checkNames() error {
	if f.reading.Partial {
		return nil
	}
	f.shaping.Lock()
	defer f.shaping.Unlock()
	var requests []asked
	for key, s := range f.shapes {
		if key.manner != nil && key.manner.Shape != nil && !s.Head.Empty {
			requests = append(requests, asked{key.manner.Shape, s})
		}
	}
	var have []string
	for _, r := range requests {
		for _, name := range r.shape.SentColumns() {
			if !slices.Contains(have, name) {
				have = append(have, name)
			}
		}
	}
	slices.SortFunc(have, natural.Compare)
	for _, r := range requests {
		if err := f.checkRequest(r.request, requests, have); err != nil {
			return err
		}
	}
	return nil
}

// asked is a request and what it came to for one head.
type asked struct {
	request *shape.Request
	shape   *shape.Shape
}

func (f *feed) checkRequest(r *shape.Request, all []asked, have []string) error {
	// A name is met where any source has it, be it one of another shape: a plan
	// may say of all branches what only some of them send.
	unmet := func(name string) bool {
		return !slices.ContainsFunc(all, func(a asked) bool { _, ok := a.shape.Sent(name); return ok })
	}
	for _, rename := range r.Rename {
		missed := !slices.ContainsFunc(all, func(a asked) bool {
			asks := slices.ContainsFunc(a.request.Rename, func(other shape.Rename) bool { return other == rename })
			return asks && !slices.Contains(a.shape.Unmet, rename.From)
		})
		if missed && unmet(rename.To) {
			return f.unknownColumn("rename", rename.From, have)
		}
	}
	for _, as := range r.As {
		if unmet(as.Column) {
			return f.unknownColumn("as", as.Column, have)
		}
	}
	for _, name := range r.Drop {
		made := slices.ContainsFunc(r.Make, func(m shape.Make) bool { return m.Name == name })
		if unmet(name) && !made {
			return f.unknownColumn("drop", name, have)
		}
	}
	for _, made := range r.Make {
		if err := f.checkExpression("make", made.Expression, all, have); err != nil {
			return err
		}
	}
	if r.Where != nil {
		return f.checkExpression("where", r.Where, all, have)
	}
	return nil
}

func (f *feed) checkExpression(word string, x *expression.Expression, all []asked, have []string) error {
	for i, name := range x.Columns {
		met := slices.ContainsFunc(all, func(a asked) bool {
			_, sent := a.shape.Sent(name)
			return sent || a.shape.Head.Layout.Has(name)
		})
		if met || f.set.known(name) || !f.missed[name] {
			continue // has asks for one on purpose, and so does what is never evaluated
		}
		reason := unknownColumn(name, have)
		if _, near := nearest.To(name, have); !near {
			reason = strings.Replace(reason, "\n", fmt.Sprintf("; a text stands in quotes, as %q\n", name), 1)
		}
		return option.Errorf(word, "%w", &expression.SyntaxError{Text: x.Text, Column: x.Places[i], Reason: reason})
	}
	return nil
}

// noteMissed notes for which columns expressions have asked in vain.
func (f *feed) noteMissed(missed []record.Told) {
	if missed == nil {
		return
	}
	f.shaping.Lock()
	defer f.shaping.Unlock()
	for i := range missed {
		f.missed[missed[i].Column] = true
	}
}

// unknownColumn is what is wrong with a column that an option names.
func (f *feed) unknownColumn(word, name string, have []string) error {
	return option.Errorf(word, "%s", unknownColumn(name, have))
}

func unknownColumn(name string, have []string) string {
	text := fmt.Sprintf("no source has a column %q", name)
	if near, ok := nearest.To(name, have); ok {
		text += fmt.Sprintf("; did you mean %q?", near)
	}
	return fmt.Sprintf("%s\nthere is: %s", text, strings.Join(have, ", "))
}
