package source

import (
	"fmt"
	"slices"
	"strings"

	"lastblock/core/expression"
	"lastblock/core/nearest"
	"lastblock/core/shape"
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
	byManner := make(map[*Manner][]*shape.Shape)
	for key, s := range f.shapes {
		if key.manner != nil && key.manner.Shape != nil && !s.Head.Empty {
			byManner[key.manner] = append(byManner[key.manner], s)
		}
	}
	for manner, shapes := range byManner {
		if err := f.checkRequest(manner.Shape, shapes); err != nil {
			return err
		}
	}
	return nil
}

func (f *feed) checkRequest(r *shape.Request, shapes []*shape.Shape) error {
	var have []string
	for _, s := range shapes {
		for _, name := range s.SentColumns() {
			if !slices.Contains(have, name) {
				have = append(have, name)
			}
		}
	}
	slices.SortFunc(have, Natural)
	unmet := func(name string) bool {
		return !slices.ContainsFunc(shapes, func(s *shape.Shape) bool { return !slices.Contains(s.Unmet, name) })
	}
	for _, rename := range r.Rename {
		renamed := !slices.ContainsFunc(shapes, func(s *shape.Shape) bool { _, ok := s.Sent(rename.To); return !ok })
		if unmet(rename.From) && !renamed {
			return unknownColumn("--rename", rename.From, have)
		}
	}
	for _, as := range r.As {
		if unmet(as.Column) {
			return unknownColumn("--as", as.Column, have)
		}
	}
	for _, name := range r.Drop {
		if unmet(name) {
			return unknownColumn("--drop", name, have)
		}
	}
	for _, made := range r.Make {
		if err := f.checkExpression("--make", made.Expression, shapes, have); err != nil {
			return err
		}
	}
	if r.Where != nil {
		return f.checkExpression("--where", r.Where, shapes, have)
	}
	return nil
}

func (f *feed) checkExpression(flag string, x *expression.Expression, shapes []*shape.Shape, have []string) error {
	for i, name := range x.Columns {
		if f.set.known(name) || slices.ContainsFunc(shapes, func(s *shape.Shape) bool { return !slices.Contains(s.Constants(), name) }) {
			continue
		}
		return fmt.Errorf("%s: %w", flag, &expression.SyntaxError{Text: x.Text, Column: x.Places[i], Reason: unknownColumn("", name, have).Error()})
	}
	return nil
}

func unknownColumn(flag, name string, have []string) error {
	text := fmt.Sprintf("no source has a column %q", name)
	if near, ok := nearest.To(name, have); ok {
		text += fmt.Sprintf("; did you mean %q?", near)
	}
	if flag != "" {
		text = flag + ": " + text
	}
	return fmt.Errorf("%s\nthere is: %s", text, strings.Join(have, ", "))
}
