package tieout

import (
	"context"
	"fmt"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/date"
	"lastblock/core/value/expression"
)

// Rule checks that an expression holds for every record.
type Rule struct {
	Name       string
	Expression *expression.Expression
	Words      []string // names in the expression that no column has to bear: those of file names, and source

	watchers []*ruleWatcher
}

// Columns returns nothing: has may ask for a column that is in no source, and what a
// source lacks is told by the records that need it.
func (c *Rule) Columns() []string { return nil }

// Amounts returns nothing: the expression reads its amounts itself.
func (c *Rule) Amounts() []string { return nil }

func (c *Rule) watch(r *run) watcher {
	w := &ruleWatcher{run: r, check: c, scratch: make([][]byte, len(c.Expression.Columns)),
		missed: make(map[string]bool)}
	for _, name := range c.Expression.Columns {
		w.columns = append(w.columns, column{name: name})
	}
	c.watchers = append(c.watchers, w)
	return w
}

// finish makes sure that each column of which the rule speaks is in some source.
func (c *Rule) finish(_ context.Context, r *run) error {
	watchers := c.watchers
	c.watchers = nil
	for _, name := range c.Expression.Columns {
		asked := slices.ContainsFunc(watchers, func(w *ruleWatcher) bool { return w.missed[name] })
		if asked && !r.tally.Has(name) {
			return &tally.UnknownColumnError{Column: name, Have: r.tally.Columns()}
		}
	}
	return nil
}

func (c *Rule) close() error { return nil }

type ruleWatcher struct {
	run     *run
	check   *Rule
	columns []column
	record  expression.Record
	scratch [][]byte
	missed  map[string]bool
}

// bind finds the columns of the expression in a batch: where each is, -1 for one that
// has the same text in all records.
func (w *ruleWatcher) bind(b *source.Batch) []int {
	at := make([]int, len(w.columns))
	n := len(at)
	w.record = expression.Record{
		Decimal: b.Decimal, Texts: make([][]byte, n), Plain: make([]bool, n), Orders: make([]date.Order, n),
		Lacks: make([]bool, n), Words: make([]string, n),
	}
	for k := range w.columns {
		at[k] = w.columns[k].in(b)
		w.record.Orders[k] = b.Order
		switch name := w.columns[k].name; {
		case at[k] >= 0:
			w.record.Plain[k] = b.Head.IsPlain(at[k])
			if b.Head.Kind(at[k]) == record.Date {
				w.record.Orders[k] = date.YearMonthDay
			}
		case name == record.SourceColumn:
			w.record.Texts[k] = []byte(w.run.set.Sources[b.Index].Name)
		case slices.Contains(w.check.Words, name):
			w.record.Texts[k], w.record.Words[k] = []byte(w.run.set.Word(b.Index, name)), name
		default:
			w.record.Lacks[k] = true
		}
	}
	return at
}

// miss tells which columns the expression asked a record for in vain.
func (w *ruleWatcher) miss(b *source.Batch, v *tally.Visitor, row int) {
	var names []string
	for _, i := range w.record.Missed {
		names = append(names, w.check.Expression.Columns[i])
		w.missed[names[len(names)-1]] = true
	}
	v.Missed(b, row, names)
}

func (w *ruleWatcher) batch(b *source.Batch, v *tally.Visitor) error {
	at := w.bind(b)
	for i := range v.Usable(b) {
		row := v.Row(i)
		for k := range at {
			if at[k] >= 0 {
				w.record.Texts[k] = b.Text(row, at[k], &w.scratch[k])
			}
		}
		w.record.Missed = w.record.Missed[:0]
		holds, err := w.check.Expression.Holds(&w.record)
		if len(w.record.Missed) > 0 {
			w.miss(b, v, row)
			continue
		}
		if holds && err == nil {
			continue
		}
		f := w.run.finding(finding.RuleBroken, b, row)
		f.Key, f.Amount, f.Totals = w.check.Name, w.run.money(v, i), w.run.totals(v, i)
		f.Message = fmt.Sprintf("%s: fails", w.check.Name)
		if err != nil {
			f.Message = fmt.Sprintf("%s: cannot be told, as %v", w.check.Name, err)
		}
		v.Findings.Add(f)
	}
	return nil
}
