package tieout

import (
	"context"
	"fmt"
	"slices"

	"lastblock/core/date"
	"lastblock/core/expression"
	"lastblock/core/finding"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
)

// Rule checks that an expression holds for every record.
type Rule struct {
	Name       string
	Expression *expression.Expression
	Words      []string // names in the expression that no column has to bear: those of --name, and source
}

// Columns returns the columns of which the expression speaks.
func (c *Rule) Columns() []string {
	var columns []string
	for _, name := range c.Expression.Columns {
		if !slices.Contains(c.Words, name) {
			columns = append(columns, name)
		}
	}
	return columns
}

// Amounts returns nothing: the expression reads its amounts itself.
func (c *Rule) Amounts() []string { return nil }

func (c *Rule) watch(r *run) watcher {
	w := &ruleWatcher{run: r, check: c, scratch: make([][]byte, len(c.Expression.Columns))}
	for _, name := range c.Expression.Columns {
		w.columns = append(w.columns, column{name: name})
	}
	return w
}

func (c *Rule) finish(context.Context, *run) error { return nil }
func (c *Rule) close() error                       { return nil }

type ruleWatcher struct {
	run     *run
	check   *Rule
	columns []column
	record  expression.Record
	scratch [][]byte
}

func (w *ruleWatcher) batch(b *source.Batch, v *tally.Visitor) error {
	at := make([]int, len(w.columns))
	w.record.Decimal = b.Decimal
	w.record.Texts = make([][]byte, len(at))
	w.record.Plain, w.record.Orders = w.record.Plain[:0], w.record.Orders[:0]
	for k := range w.columns {
		at[k] = w.columns[k].in(b)
		kind, order := record.Text, date.Unclear
		switch {
		case at[k] >= 0:
			if kind = b.Head.Kind(at[k]); kind == record.Date {
				order = date.YearMonthDay
			}
		case w.columns[k].name == source.SourceColumn:
			w.record.Texts[k] = []byte(w.run.set.Sources[b.Index].Name)
		case slices.Contains(w.check.Words, w.columns[k].name):
			w.record.Texts[k] = []byte(w.run.set.Word(b.Index, w.columns[k].name))
		default:
			return nil // a column that the source lacks, which is told
		}
		w.record.Plain = append(w.record.Plain, kind == record.Amount)
		w.record.Orders = append(w.record.Orders, order)
	}
	for i := range v.Usable(b) {
		row := v.Row(i)
		for k := range at {
			if at[k] >= 0 {
				w.record.Texts[k] = b.Text(row, at[k], &w.scratch[k])
			}
		}
		holds, err := w.check.Expression.Holds(&w.record)
		if holds && err == nil {
			continue
		}
		f := w.run.finding(finding.RuleBroken, b, row)
		f.Key, f.Amount = w.check.Name, w.run.money(v, i)
		f.Message = fmt.Sprintf("%s: does not hold", w.check.Name)
		if err != nil {
			f.Message = fmt.Sprintf("%s: cannot be told, as %v", w.check.Name, err)
		}
		v.Findings.Add(f)
	}
	return nil
}
