package source

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/record"
	"lastblock/core/source/shape"
	"lastblock/core/value/nearest"
)

// Table is a small source that is held whole: a control sheet, a list.
type Table struct {
	Name   string
	Layout *record.Layout
	Rows   [][]string
	Lines  []int // on which each row starts

	Decimal byte // the decimal mark of its amounts
}

// ReadTable reads a whole source. A record that cannot be read is an error,
// since nobody would miss it in a list. decimal is the mark of its amounts, in
// case that they do not tell themselves; 0 for the point.
func ReadTable(ctx context.Context, path string, reading Reading, decimal byte) (*Table, error) {
	set, err := Find(ctx, Search{Paths: []string{path}, Jobs: 1})
	if err != nil {
		return nil, err
	}
	if len(set.Sources) != 1 {
		return nil, fmt.Errorf("%s: a single file is needed here", path)
	}
	reading.Jobs, reading.OwnOutputs, reading.Progress = 1, true, nil
	table := &Table{Name: path, Layout: record.NewLayout(nil), Decimal: decimal}
	if err := set.Scan(ctx, reading, func() Visitor { return (*tableVisitor)(table) }); err != nil {
		return nil, err
	}
	return table, nil
}

// Rename gives columns other names, which are called by their name or position. A column that
// is not there, and a name that is taken, are errors.
func (t *Table) Rename(renames []shape.Rename) error {
	names := slices.Clone(t.Layout.Columns)
	for _, rename := range renames {
		at, ok := t.Layout.Find(rename.From)
		if !ok {
			text := fmt.Sprintf("%s has no column %q", t.Name, rename.From)
			if near, ok := nearest.To(rename.From, t.Layout.Columns); ok {
				text += fmt.Sprintf("; did you mean %q?", near)
			}
			return fmt.Errorf("%s\nthere is: %s", text, strings.Join(t.Layout.Columns, ", "))
		}
		names[at] = rename.To
	}
	for i, name := range names {
		if slices.Contains(names[:i], name) {
			return fmt.Errorf("%s would have two columns %q", t.Name, name)
		}
	}
	t.Layout = record.NewLayout(names)
	return nil
}

// Value returns what stands in a column of a row, "" where there is no such
// column.
func (t *Table) Value(row int, column string) string {
	if i, ok := t.Layout.Find(column); ok {
		return t.Rows[row][i]
	}
	return ""
}

// Has tells whether there is a column of this name.
func (t *Table) Has(column string) bool { return t.Layout.Has(column) }

type tableVisitor Table

func (t *tableVisitor) Batch(b *Batch) error {
	if len(b.Refused) > 0 {
		return &Error{t.Name, fmt.Errorf("line %d cannot be read: it does not have the %d fields of its header, or "+
			"a quote in it is not closed", b.Refused[0].Line, b.Width)}
	}
	if len(b.Doubtful) > 0 {
		return &Error{t.Name, fmt.Errorf("line %d begins with %q and is not what the lines above it come to; "+
			"correct it, or take it out", b.Doubtful[0].Line, b.Doubtful[0].Word)}
	}
	t.Layout = b.Head.Layout
	isUnclear := slices.ContainsFunc(b.Unclear, func(u Unclear) bool { return u.Kind == record.Amount })
	if t.Decimal == 0 || !isUnclear {
		t.Decimal = b.Decimal
	}
	var scratch []byte
	for row := range b.Batch.Rows {
		values := make([]string, b.Width)
		for column := range values {
			values[column] = string(b.Text(row, column, &scratch))
		}
		t.Rows = append(t.Rows, values)
		t.Lines = append(t.Lines, b.Line(row))
	}
	return nil
}

func (t *tableVisitor) Flush(context.Context, int) error { return nil }
