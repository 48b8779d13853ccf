// Package shape gives the records of a source the form that was asked for:
// columns under other names or left out, values read as a kind and written
// plainly, columns that are computed, and a condition that records must meet.
package shape

import (
	"slices"

	"lastblock/core/record"
	"lastblock/core/value/date"
	"lastblock/core/value/expression"
)

// Rename gives a column another name.
type Rename struct{ From, To string }

// As says what kind a column is of.
type As struct {
	Column string
	Kind   record.Kind
	Order  date.Order // of a date's parts, date.Unclear to find out
}

// Make is a column that is computed.
type Make struct {
	Name       string
	Expression *expression.Expression
}

// Request is what was asked for; nil asks for nothing. It is carried out in
// this order, so that each step speaks of the columns as the steps before it
// have left them, but that a dropped column can still be computed with.
type Request struct {
	Rename []Rename
	As     []As
	Make   []Make
	Where  *expression.Expression
	Drop   []string
}

// Over is a request for records to which base was done already. A column that both compute is computed
// as this request says, and so, anew, is what base computes behind it.
func (r *Request) Over(base *Request) *Request {
	if base == nil {
		return r
	}
	over := *r
	over.Make, over.Drop = nil, nil
	for _, name := range r.Drop {
		if !slices.Contains(base.Drop, name) {
			over.Drop = append(over.Drop, name)
		}
	}
	isMade := func(by []Make, name string) int {
		return slices.IndexFunc(by, func(m Make) bool { return m.Name == name })
	}
	for _, m := range base.Make {
		if at := isMade(r.Make, m.Name); at >= 0 {
			over.Make = append(over.Make, r.Make[at])
		} else if over.Make != nil {
			over.Make = append(over.Make, m)
		}
	}
	for _, m := range r.Make {
		if isMade(over.Make, m.Name) < 0 {
			over.Make = append(over.Make, m)
		}
	}
	return &over
}

// Shape is what a request means for sources with one head.
type Shape struct {
	Head *record.Head // as the records come out

	given    *record.Head // as they come in
	kinds    []As         // by column of the source; Kind "" for none
	columns  []column     // of the result, nil where the source's own stay as they are
	makes    []bound
	names    []string // of what is made
	where    *bound
	sent     *record.Layout // the source's own columns, renamed
	Unmet    []string       // columns that were asked for and are not here
	constant []string       // names in expressions that are no columns of the source
	needed   []int          // columns of the source whose values are looked at
}

// column is one of the result: of the source, or made.
type column struct {
	from int // of the source, -1 for one that is made
	make int
}

// bound is an expression whose columns were found.
type bound struct {
	expression *expression.Expression
	from       []column        // by column of the expression
	constants  []string        // names that are none, "" for one that is
	form       expression.Form // of the result
}

// For works out what a request means for a head.
func (r *Request) For(head *record.Head) *Shape {
	if r == nil {
		r = &Request{}
	}
	s := &Shape{Head: head, given: head, sent: head.Layout}
	if head.Empty {
		return s
	}
	s.rename(r.Rename)
	s.readAs(r.As)
	s.prepareMakes(r.Make)
	if r.Where != nil {
		where := s.bind(r.Where, r.Make)
		s.where = &where
	}
	s.arrange(r)
	s.need()
	return s
}

// need works out which values are looked at at all.
func (s *Shape) need() {
	for at := range s.sent.Columns {
		kept := slices.ContainsFunc(s.columns, func(c column) bool { return c.from == at })
		asked := s.kinds != nil && s.kinds[at].Kind != ""
		if kept || asked || slices.Contains(s.Calculated(), at) {
			s.needed = append(s.needed, at)
		}
	}
}

// rename takes other names. Where one is taken already, NameColumns tells.
func (s *Shape) rename(renames []Rename) {
	names := slices.Clone(s.Head.Layout.Columns)
	changed := false
	for _, rename := range renames {
		if at, ok := s.Head.Layout.Find(rename.From); ok {
			names[at] = rename.To
			changed = true
		} else {
			s.Unmet = append(s.Unmet, rename.From)
		}
	}
	if !changed {
		return
	}
	renamed := *s.Head
	renamed.Unnamed = nil
	if i := renamed.Index; i > 0 && names[i-1] != s.Head.Layout.Columns[i-1] {
		renamed.Index = 0 // it was given a name
	}
	for _, n := range s.Head.Unnamed {
		if names[n-1] == s.Head.Layout.Columns[n-1] {
			renamed.Unnamed = append(renamed.Unnamed, n)
		}
	}
	unnamed := renamed.Unnamed
	renamed.NameColumns(names)
	renamed.Unnamed = unnamed
	s.Head, s.sent = &renamed, renamed.Layout
}

// readAs finds the columns whose kind is told.
func (s *Shape) readAs(kinds []As) {
	for _, as := range kinds {
		at, ok := s.sent.Find(as.Column)
		if !ok {
			s.Unmet = append(s.Unmet, as.Column)
			continue
		}
		if s.kinds == nil {
			s.kinds = make([]As, len(s.sent.Columns))
		}
		s.kinds[at] = as
	}
}

func (s *Shape) prepareMakes(makes []Make) {
	for i, m := range makes {
		s.makes = append(s.makes, s.bind(m.Expression, makes[:i]))
		s.names = append(s.names, m.Name)
	}
}

// bind finds the columns of an expression: of the source, made before it, or
// none, when it is a word of the file's name or something that no record has.
func (s *Shape) bind(x *expression.Expression, made []Make) bound {
	b := bound{expression: x, from: make([]column, len(x.Columns)), constants: make([]string, len(x.Columns))}
	forms := make([]expression.Form, len(x.Columns))
	for i, name := range x.Columns {
		b.from[i] = column{from: -1, make: -1}
		at, isSent := s.sent.Find(name)
		if isSent {
			name = s.sent.Columns[at] // it may have been called by its position
		}
		switch before := slices.IndexFunc(made, func(m Make) bool { return m.Name == name }); {
		case before >= 0:
			b.from[i].make = before
			forms[i] = s.makes[before].form
		case isSent:
			b.from[i].from = at
			forms[i] = s.formOf(at)
		default:
			b.constants[i] = name
			s.constant = append(s.constant, name)
			forms[i] = expression.Sent
		}
	}
	b.form = x.Form(forms)
	return b
}

// formOf is the form of a column of the source.
func (s *Shape) formOf(at int) expression.Form {
	kind := s.given.Kind(at)
	if s.kinds != nil && s.kinds[at].Kind != "" {
		kind = s.kinds[at].Kind
	}
	switch {
	case kind != "" && kind != record.Text:
		return expression.Form{Kind: kind}
	case s.given.IsComputed(at):
		return expression.Form{Kind: record.Text}
	}
	return expression.Sent
}

// arrange works out the columns of the result.
func (s *Shape) arrange(r *Request) {
	dropped := make(map[int]bool)
	if s.Head.Index > 0 {
		dropped[s.Head.Index-1] = true
	}
	for _, name := range r.Drop {
		if at, ok := s.sent.Find(name); ok {
			dropped[at] = true
		} else if !slices.ContainsFunc(r.Make, func(m Make) bool { return m.Name == name }) {
			s.Unmet = append(s.Unmet, name)
		}
	}
	if len(dropped) == 0 && len(r.Make) == 0 && s.kinds == nil {
		return
	}
	a := arrangement{shape: s}
	for at, name := range s.sent.Columns {
		over := slices.IndexFunc(r.Make, func(m Make) bool { return m.Name == name })
		switch {
		case dropped[at]:
		case over >= 0:
			a.add(column{from: -1, make: over}, name, at+1)
		default:
			a.add(column{from: at, make: -1}, name, at+1)
		}
	}
	for i, m := range r.Make {
		if !slices.Contains(r.Drop, m.Name) && !slices.Contains(a.names, m.Name) {
			a.add(column{from: -1, make: i}, m.Name, 0)
		}
	}
	head := *s.Head
	head.Layout, head.Kinds, head.Computed = record.Arranged(a.names, a.sent), a.kinds, a.computed
	s.Head = &head
}

// arrangement puts the columns of a result together.
type arrangement struct {
	shape    *Shape
	names    []string
	sent     []int
	kinds    []record.Kind
	computed []bool
}

// add adds a column. sent is its place in the source, from 1, 0 for none.
func (a *arrangement) add(c column, name string, sent int) {
	var kind record.Kind
	computed := false
	switch {
	case c.make >= 0:
		form := a.shape.makes[c.make].form
		if computed = !form.AsSent; computed {
			kind = form.Kind
		}
	case a.shape.kinds != nil && a.shape.kinds[c.from].Kind != "":
		kind = a.shape.kinds[c.from].Kind
	default: // as it came in, which may be in a plain form already
		kind, computed = a.shape.given.Kind(c.from), a.shape.given.IsComputed(c.from)
	}
	a.shape.columns = append(a.shape.columns, c)
	a.names, a.sent = append(a.names, name), append(a.sent, sent)
	a.kinds, a.computed = append(a.kinds, kind), append(a.computed, computed)
}

// Constants are names in expressions that no column bears: words of the file's
// name, or nothing at all.
func (s *Shape) Constants() []string { return s.constant }

// IsNothing tells whether records stay as they are, but for the names of their
// columns.
func (s *Shape) IsNothing() bool { return s.columns == nil && s.where == nil }

// Sent finds a column of the result among those of the source; ok is false for
// one that is made.
func (s *Shape) Sent(name string) (at int, ok bool) { return s.sent.Find(name) }

// SentColumns are the source's own columns, under their new names.
func (s *Shape) SentColumns() []string { return s.sent.Columns }

// Calculated are the columns of the source that are read as amounts, or may be
// in an expression.
func (s *Shape) Calculated() []int {
	var columns []int
	for at := range s.kinds {
		if s.kinds[at].Kind == record.Amount {
			columns = append(columns, at)
		}
	}
	for _, b := range s.bounds() {
		for _, from := range b.from {
			if from.from >= 0 {
				columns = append(columns, from.from)
			}
		}
	}
	return columns
}

// Read are the columns of the source of which each record's value is read: as an amount, a
// date or a flag, or in an expression.
func (s *Shape) Read() []int {
	columns := s.Calculated()
	for at := range s.kinds {
		if kind := s.kinds[at].Kind; kind != "" && kind != record.Text {
			columns = append(columns, at)
		}
	}
	return columns
}

// Dated are the columns of the source that are read as dates of which the order
// has to be found out, be it in an expression.
func (s *Shape) Dated() []int {
	var columns []int
	for at := range s.kinds {
		if s.kinds[at].Kind == record.Date && s.kinds[at].Order == date.Unclear {
			columns = append(columns, at)
		}
	}
	for _, b := range s.bounds() {
		for _, i := range b.expression.Dates {
			at := b.from[i].from
			if at >= 0 && (s.kinds == nil || s.kinds[at].Kind != record.Date) && !slices.Contains(columns, at) {
				columns = append(columns, at)
			}
		}
	}
	return columns
}

// bounds are all expressions.
func (s *Shape) bounds() []bound {
	bounds := slices.Clone(s.makes)
	if s.where != nil {
		bounds = append(bounds, *s.where)
	}
	return bounds
}
