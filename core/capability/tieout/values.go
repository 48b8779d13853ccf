package tieout

import (
	"bytes"
	"context"
	"fmt"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/nearest"
)

// Required checks that something stands in columns.
type Required struct{ Names []string }

// Columns returns the columns that are required.
func (c *Required) Columns() []string { return c.Names }

// Amounts returns nothing.
func (c *Required) Amounts() []string { return nil }

func (c *Required) watch(r *run) watcher {
	w := &requiredWatcher{run: r}
	for _, name := range c.Names {
		w.columns = append(w.columns, column{name: name})
	}
	return w
}

func (c *Required) finish(context.Context, *run) error { return nil }
func (c *Required) close() error                       { return nil }

type requiredWatcher struct {
	run     *run
	columns []column
	text    []byte
}

func (w *requiredWatcher) batch(b *source.Batch, v *tally.Visitor) error {
	for k := range w.columns {
		at := w.columns[k].in(b)
		if at < 0 {
			continue
		}
		for i := range v.Usable(b) {
			row := v.Row(i)
			if len(bytes.TrimSpace(b.Text(row, at, &w.text))) > 0 {
				continue
			}
			f := w.run.finding(finding.BlankValue, b, row)
			f.Column, f.Amount, f.Totals = b.Head.Layout.Columns[at], w.run.money(v, i), w.run.totals(v, i)
			f.Message = fmt.Sprintf("%s is blank, and is required", f.Column)
			v.Findings.Add(f)
		}
	}
	return nil
}

// Allowed checks that the values of a column are on a list. Blank ones are for
// Required to tell.
type Allowed struct {
	Column string
	List   string // what it is called
	Values []string

	set map[string]bool
}

// Columns returns the column that is compared.
func (c *Allowed) Columns() []string { return []string{c.Column} }

// Amounts returns nothing.
func (c *Allowed) Amounts() []string { return nil }

func (c *Allowed) watch(r *run) watcher {
	if c.set == nil {
		c.set = make(map[string]bool)
		for _, value := range c.Values {
			c.set[value] = true
		}
	}
	return &allowedWatcher{run: r, check: c, column: column{name: c.Column}, near: make(map[string]string)}
}

func (c *Allowed) finish(context.Context, *run) error { return nil }
func (c *Allowed) close() error                       { return nil }

type allowedWatcher struct {
	run    *run
	check  *Allowed
	column column
	last   []byte // the value of the record before, if that is allowed
	text   []byte
	near   map[string]string // values that are not allowed, and what may have been meant
}

func (w *allowedWatcher) batch(b *source.Batch, v *tally.Visitor) error {
	at := w.column.in(b)
	if at < 0 {
		return nil
	}
	for i := range v.Usable(b) {
		row := v.Row(i)
		value := bytes.TrimSpace(b.Text(row, at, &w.text))
		if len(value) == 0 || w.last != nil && bytes.Equal(value, w.last) {
			continue
		}
		if w.check.set[string(value)] {
			w.last = append(w.last[:0], value...)
			continue
		}
		f := w.run.finding(finding.NotAllowed, b, row)
		f.Column, f.Found, f.Amount, f.Totals = b.Head.Layout.Columns[at], string(value), w.run.money(v, i),
			w.run.totals(v, i)
		f.Message = fmt.Sprintf("%q is not in %s%s", f.Found, w.check.List, w.meant(f.Found))
		v.Findings.Add(f)
	}
	return nil
}

// meant says which value of the list may have been meant, once for each value. A
// number is near to many others, which says nothing.
func (w *allowedWatcher) meant(value string) string {
	const most = 1000 // different values of which it is worked out
	text, known := w.near[value]
	if !known && len(w.near) < most && strings.Trim(value, "0123456789") != "" {
		if near, ok := nearest.To(value, w.check.Values); ok {
			text = fmt.Sprintf("; did they mean %q?", near)
		}
		w.near[value] = text
	}
	return text
}
