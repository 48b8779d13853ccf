package tally

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/finding/suspense"
	"lastblock/core/source"
	"lastblock/core/value/amount"

	"github.com/zeebo/xxh3"
)

// readAmounts reads the amount columns of all rows, column by column, and then
// adds up what can be used, row by row.
func (v *Visitor) readAmounts(b *source.Batch, entry *Source) {
	if v.OnlySums && !isBroken() && v.sumUp(b, entry) {
		return
	}
	width := len(v.columns)
	if need := width * b.Batch.Rows; cap(v.Values) < need {
		v.Values = make([]amount.Amount, need)
	} else {
		v.Values = v.Values[:need]
	}
	v.bad = v.bad[:0]
	for i, column := range v.columns {
		v.batch[i] = amount.Sum{}
		if column >= 0 {
			v.readColumn(b, entry, i, column)
			v.read[i].Merge(&v.batch[i])
			continue
		}
		v.Plain = false
		for at := i; at < len(v.Values); at += width {
			v.Values[at] = amount.Amount{}
		}
	}
	if len(v.bad) > 0 {
		v.setAside(b, entry)
	}
	changed := v.breakAmount()
	if len(v.bad) == 0 && !changed { // what was read can be used
		for i := range v.batch {
			entry.Totals[i].Merge(&v.batch[i])
		}
		return
	}
	for at := 0; at < len(v.Values); at += width {
		for i, value := range v.Values[at : at+width] {
			entry.Totals[i].Add(value)
		}
	}
}

// sumUp adds the amounts of all rows up, and reports false, with nothing done, where some are not written plainly.
func (v *Visitor) sumUp(b *source.Batch, entry *Source) bool {
	for i, column := range v.columns {
		v.batch[i] = amount.Sum{}
		if column < 0 {
			continue
		}
		if b.Amounts(column) != nil {
			return false // they are read already
		}
		sum, decimal := &v.batch[i], b.DecimalOf(column)
		for row := range b.Batch.Rows {
			from, to := b.Extent(row, column)
			coef, scale, ok := amount.ParsePlainAt(b.Data, from, to, decimal)
			if !ok {
				return false
			}
			if !sum.AddPlain(coef, scale) {
				sum.Add(amount.New(coef, int(scale)))
			}
		}
	}
	for i := range v.batch {
		v.read[i].Merge(&v.batch[i])
		entry.Totals[i].Merge(&v.batch[i])
	}
	return true
}

// readColumn reads one amount column of all rows.
func (v *Visitor) readColumn(b *source.Batch, entry *Source, i, column int) {
	decimal, width, read := b.DecimalOf(column), len(v.columns), &v.batch[i]
	v.Plain = v.Plain && decimal == '.'
	if shared := b.Amounts(column); shared != nil {
		v.takeColumn(shared, entry, i)
		return
	}
	at := i
	for row := range b.Batch.Rows {
		from, to := b.Extent(row, column)
		coef, scale, ok := amount.ParsePlainAt(b.Data, from, to, decimal)
		value := amount.New(coef, int(scale))
		if !ok {
			v.Plain = false
			var err error
			value, err = amount.Parse(b.Text(row, column, &v.scratch), decimal)
			switch err {
			case nil:
			case amount.ErrBlank:
				entry.Blank[i]++
			default:
				v.bad = append(v.bad, badValue{row, i})
			}
		}
		if !ok || !read.AddPlain(coef, scale) {
			read.Add(value) // zero, where there is none
		}
		v.Values[at] = value
		at += width
	}
}

// takeColumn is readColumn for a column whose amounts were read for several.
func (v *Visitor) takeColumn(shared []source.Parsed, entry *Source, i int) {
	width, read := len(v.columns), &v.batch[i]
	at := i
	for row := range shared {
		p := &shared[row]
		if p.State != source.PlainAmount {
			v.Plain = false
			switch p.State {
			case source.BlankAmount:
				entry.Blank[i]++
			case source.NoAmount:
				v.bad = append(v.bad, badValue{row, i})
			}
		}
		if coef, scale, ok := p.Value.Plain(); !ok || !read.AddPlain(coef, scale) {
			read.Add(p.Value)
		}
		v.Values[at] = p.Value
		at += width
	}
}

// badValue is a text that should be an amount.
type badValue struct{ row, amount int }

// setAside takes the rows out of Values, and so of Rows, in which an amount is
// none. Their other amounts are proven as set aside.
func (v *Visitor) setAside(b *source.Batch, entry *Source) {
	slices.SortFunc(v.bad, func(a, b badValue) int {
		return cmp.Or(cmp.Compare(a.row, b.row),
			cmp.Compare(a.amount, b.amount))
	})
	width := len(v.columns)
	v.Rows = make([]int, 0, b.Batch.Rows)
	kept := v.Values[:0]
	next := 0
	for row := range b.Batch.Rows {
		values := v.Values[row*width : (row+1)*width]
		if next == len(v.bad) || v.bad[next].row != row {
			v.Rows = append(v.Rows, row)
			kept = append(kept, values...)
			continue
		}
		v.tellBad(b, entry, v.bad[next])
		for next < len(v.bad) && v.bad[next].row == row {
			entry.set.unread[v.bad[next].amount]++
			next++
		}
		for i, value := range values {
			if column := v.columns[i]; column >= 0 && value == (amount.Amount{}) &&
				isBlank(b.Text(row, column, &v.scratch)) {
				entry.Blank[i]-- // blank is told of the records that are used
			}
			entry.set.totals[i].Add(value)
		}
	}
	v.Values = kept
}

func isBlank(text []byte) bool {
	_, err := amount.Parse(text, '.')
	return err == amount.ErrBlank
}

// tellBad puts a row into suspense, naming its first bad value.
func (v *Visitor) tellBad(b *source.Batch, entry *Source, bad badValue) {
	entry.Suspense++
	row, index := bad.row, v.columns[bad.amount]
	column := b.Head.Layout.Columns[index]
	text := b.Text(row, index, &v.scratch)
	name := v.tally.set.Sources[b.Index].Name
	v.giveRow(&b.Batch, row, Suspended, whyRefused(finding.BadValue, column))
	v.suspense.Add(suspense.Entry{Reason: finding.BadValue, Source: name, Line: b.Line(row), Column: column,
		Found: text, Record: b.Raw(row)})
	f := finding.Finding{Kind: finding.BadValue, Source: name, Sheet: v.tally.set.Sources[b.Index].Sheet(),
		Order: b.Index, Line: b.Line(row), Column: column, Record: xxh3.Hash(b.Raw(row))}
	if !v.Findings.Full(f.Kind, f.Order, f.Line) {
		f.Found, f.Expected = shorten(text), "an amount"
		f.Message = fmt.Sprintf("%q is not an amount; the record is in suspense", f.Found)
	}
	v.Findings.Add(f)
}

// shorten keeps a message readable whatever a field holds.
func shorten(text []byte) string {
	const most = 60
	s := strings.ToValidUTF8(string(text[:min(len(text), 4*most)]), "\ufffd")
	if runes := []rune(s); len(runes) > most {
		return string(runes[:most]) + "…"
	}
	return s
}
