package tally

import (
	"fmt"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/core/value/nearest"
	"lastblock/core/value/words"
)

// UnknownColumnError is a column that no source has.
type UnknownColumnError struct {
	Column string
	Have   []string // columns that there are
}

func (e *UnknownColumnError) Error() string {
	text := fmt.Sprintf("no source has a column %q", e.Column)
	if near, ok := nearest.To(e.Column, e.Have); ok {
		text += fmt.Sprintf("; did you mean %q?", near)
	}
	if slices.Contains(source.KnownWords, e.Column) {
		text += "; where the files' names tell it, add ⟨name⟩, for example ⟨name⟩ '{entity}_{period}*'"
	}
	return text + "\nthere is: " + list(e.Have)
}

// checkColumns tells which sources lack a column that others have; one that
// none has is an error. Sources that hold nothing are not asked.
func (t *Tally) checkColumns() error {
	for _, column := range t.options.Amounts {
		if slices.Contains(t.options.Optional, column) {
			continue
		}
		if err := t.checkColumn(column, "that total is without its"); err != nil {
			return err
		}
	}
	for _, column := range t.options.Columns {
		if slices.Contains(t.options.Amounts, column) && !slices.Contains(t.options.Optional, column) {
			continue
		}
		if err := t.checkColumn(column, "nothing is checked there in its"); err != nil {
			return err
		}
	}
	return nil
}

// Has tells whether any source has a column. It is known once Finish has been
// called.
func (t *Tally) Has(column string) bool {
	return slices.ContainsFunc(t.Sources, func(s Source) bool {
		if s.Head == nil || s.Head.Empty {
			return false
		}
		_, ok := s.Head.Layout.Find(column)
		return ok
	})
}

func (t *Tally) checkColumn(column, so string) error {
	var lacking []int
	asked := false
	for i := range t.Sources {
		head := t.Sources[i].Head
		if head == nil || head.Empty {
			continue
		}
		asked = true
		if _, ok := head.Layout.Find(column); !ok && t.Sources[i].Read > 0 && !t.isGone(i) &&
			!t.Sources[i].set.seldom().hasMissed(column) {
			lacking = append(lacking, i)
		}
	}
	if asked && !t.Has(column) {
		return &UnknownColumnError{Column: column, Have: t.Columns()}
	}
	for _, i := range lacking {
		t.Findings.Add(finding.Finding{
			Kind: finding.MissingColumn, Source: t.set.Sources[i].Name, Sheet: t.set.Sources[i].Sheet(), Order: i,
			Column:  column,
			Message: fmt.Sprintf("has no column %q, so %s %s", column, so, words.Count(t.Sources[i].Read, "record")),
		})
	}
	return nil
}

// Columns are all columns there are, in the order in which sources bring them.
// They are known once Finish has been called.
func (t *Tally) Columns() []string {
	var columns []string
	seen := make(map[string]bool)
	for i := range t.Sources {
		if t.Sources[i].Head == nil {
			continue
		}
		for _, name := range t.Sources[i].Head.Layout.Columns {
			if !seen[name] {
				seen[name] = true
				columns = append(columns, name)
			}
		}
	}
	return columns
}
