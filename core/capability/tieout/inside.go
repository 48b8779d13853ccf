package tieout

import (
	"bytes"
	"context"
	"errors"
	"fmt"

	"lastblock/core/finding"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/date"
	"lastblock/core/value/period"
	"lastblock/core/value/words"
)

// InsidePeriod checks that the dates in a column are in the period that the
// source's name tells. A date in the week that the border of the period cuts is
// counted apart: that week often stands in both files. A date that may be read
// day first or month first is taken as the one that is inside.
type InsidePeriod struct {
	Column string

	watchers []*insideWatcher
}

// Columns returns the column of dates.
func (c *InsidePeriod) Columns() []string { return []string{c.Column} }

// Amounts returns nothing.
func (c *InsidePeriod) Amounts() []string { return nil }

var errNoPeriods = errors.New("the files' names have to tell the period: add ⟨name⟩, for example ⟨name⟩ " +
	"'{entity}_{period}*'")

func (c *InsidePeriod) watch(r *run) watcher {
	w := &insideWatcher{run: r, column: column{name: c.Column}, source: -1}
	c.watchers = append(c.watchers, w)
	return w
}

type insideWatcher struct {
	run    *run
	column column

	source  int
	period  period.Period
	known   bool   // the source has a period
	last    []byte // the text of the record before, if that is inside
	text    []byte
	borders perSource[cutWeek]
}

// cutWeek counts the dates in weeks that the borders of a period cut.
type cutWeek struct{ count, line, first, last int }

func (w *insideWatcher) batch(b *source.Batch, v *tally.Visitor) error {
	at := w.column.in(b)
	if w.source != b.Index {
		w.source, w.last = b.Index, nil
		w.period, w.known = period.Parse(w.run.set.Word(b.Index, periodColumn))
	}
	if at < 0 || !w.known {
		return nil
	}
	for i := range v.Usable(b) {
		row := v.Row(i)
		text := b.Text(row, at, &w.text)
		if len(text) == 0 || w.last != nil && bytes.Equal(text, w.last) {
			continue
		}
		days, readable := readDays(bytes.TrimSpace(text), b, at)
		if !readable {
			if len(bytes.TrimSpace(text)) > 0 {
				w.tell(b, v, i, string(text), fmt.Sprintf("%q is no date", text))
			}
			continue
		}
		if w.period.Covers(days[0]) || w.period.Covers(days[1]) {
			w.last = append(w.last[:0], text...)
			continue
		}
		if w.isCut(days[0]) {
			cut := w.borders.of(b.Index)
			if line := b.Line(row); cut.count == 0 {
				*cut = cutWeek{1, line, days[0], days[0]}
			} else {
				*cut = cutWeek{cut.count + 1, min(cut.line, line), min(cut.first, days[0]), max(cut.last, days[0])}
			}
			continue
		}
		day := date.String(days[0])
		w.tell(b, v, i, day, fmt.Sprintf("%s is not in %s", day, w.period))
	}
	return nil
}

// readDays reads a date, both ways if it can be read both ways.
func readDays(text []byte, b *source.Batch, at int) (days [2]int, ok bool) {
	if b.Head.Kind(at) == record.Date {
		day, ok := date.ParseOrder(text, date.YearMonthDay)
		return [2]int{day, day}, ok
	}
	d, ok := date.Parse(text)
	days = [2]int{d.Days, d.Days}
	if d.Order == date.Unclear {
		days[1] = d.MonthFirst
	}
	return days, ok
}

// isCut tells whether a day is in the ISO week in which the period begins or
// ends.
func (w *insideWatcher) isCut(day int) bool {
	const monday = 4 // 1970-01-05
	week := func(day int) int { return (day - monday + 7_000_000) / 7 }
	return week(day) == week(w.period.First) || week(day) == week(w.period.Last())
}

func (w *insideWatcher) tell(b *source.Batch, v *tally.Visitor, i int, found, message string) {
	f := w.run.finding(finding.OutsidePeriod, b, v.Row(i))
	f.Column, f.Expected, f.Found, f.Amount, f.Totals = b.Head.Layout.Columns[w.column.in(b)], w.period.String(), found,
		w.run.money(v, i), w.run.totals(v, i)
	f.Message = message
	v.Findings.Add(f)
}

func (c *InsidePeriod) finish(_ context.Context, r *run) error {
	told := false
	for _, word := range r.set.Words() {
		told = told || word == periodColumn
	}
	if !told {
		return errNoPeriods
	}
	var parts []*perSource[cutWeek]
	for _, w := range c.watchers {
		parts = append(parts, &w.borders)
	}
	all := inOrder(parts)
	for from := 0; from < len(all); {
		sum, to := all[from].value, from+1
		for ; to < len(all) && all[to].index == all[from].index; to++ {
			next := all[to].value
			sum = cutWeek{sum.count + next.count, min(sum.line, next.line), min(sum.first, next.first),
				max(sum.last, next.last)}
		}
		f := r.about(finding.OutsidePeriod, all[from].index)
		f.Column, f.Line, f.Count, f.Key = c.Column, sum.line, sum.count, "week at the border"
		f.Expected = r.set.Word(all[from].index, periodColumn)
		f.Found = date.String(sum.first)
		if sum.last > sum.first {
			f.Found += " to " + date.String(sum.last)
		}
		f.Message = fmt.Sprintf("%s in the week that the border of %s cuts (%s); the other file may have that week, "+
			"too",
			words.Count(sum.count, "record"), f.Expected, f.Found)
		r.tally.Findings.Add(f)
		from = to
	}
	return nil
}

func (c *InsidePeriod) close() error { return nil }
