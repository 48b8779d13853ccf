package view

import (
	"fmt"
	"io"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/month"
	"lastblock/core/month/block"
	"lastblock/core/value/words"
	"lastblock/show"
)

// Changes is what has changed since a block.
type Changes struct {
	Since    *block.Entry
	Compared *month.BeforeAndNow
	Forms    []*month.BeforeAndNow // of each grid
	Bridges  []month.Bridge
	Findings []finding.Finding // of closed periods
}

// counts are how many sources have become what, in words.
func (c *Changes) counts() string { return countsOf(c.Compared) }

func countsOf(b *month.BeforeAndNow) string {
	of := make(map[month.Change]int)
	for i := range b.Sources {
		of[b.Sources[i].Change]++
	}
	var parts []string
	for _, change := range []month.Change{month.New, month.Changed, month.Moved, month.Gone, month.Reread} {
		if n := of[change]; n > 0 {
			parts = append(parts, fmt.Sprintf("%s %s", show.Number(n), change))
		}
	}
	parts = append(parts, fmt.Sprintf("%s the same", show.Number(b.Same)))
	return strings.Join(parts, ", ")
}

// beside says what has changed beside sources, "" for nothing.
func (c *Changes) beside() string {
	var parts []string
	for _, of := range []struct {
		changed bool
		name    string
	}{{c.Compared.Plan, "the plan"}, {c.Compared.References, "files beside the sources"},
		{c.Compared.Decisions, "decisions"}} {
		if of.changed {
			parts = append(parts, of.name)
		}
	}
	return words.And(parts...)
}

// Print prints it.
func (c *Changes) Print(s *show.Screen) {
	fmt.Fprintln(s, s.Bold(fmt.Sprintf("since block %d of %s: %s", c.Since.Number, c.Since.Period, c.counts())))
	if beside := c.beside(); beside != "" {
		fmt.Fprintf(s, "changed as well: %s\n", beside)
	}
	show.Findings(s, c.Findings)
	c.printSources(s)
	c.printForms(s)
	c.printRecords(s)
	mixed := c.Compared.Mixed
	if len(c.Compared.Sources) == 0 && c.beside() == "" {
		mixed = nil // nothing has changed that would have any
	}
	for _, name := range mixed {
		fmt.Fprintf(s, "\n%s has no bridges by group: it is not known what all that changed gave to each\n", name)
	}
	moved := false
	for _, b := range onceEach(c.Bridges) {
		if len(b.Lines) > 2 {
			printBridge(s, &b, c.Since, shownLines)
			moved = true
		}
	}
	if !moved && len(c.Bridges) > 0 {
		fmt.Fprintln(s, "\nevery figure is as it was sealed")
	}
}

// How many sources a bridge lists of a change, and in a close, which is to fit on a screen.
const (
	shownLines   = 12
	shownInClose = 3
)

// printSources prints the sources that are not the same: those of closed periods first.
func (c *Changes) printSources(s *show.Screen) {
	t := show.Table{Columns: []show.Column{{Name: "source", Key: true}, {Name: "change", Whole: true},
		{Name: "period", Whole: true}, {Name: "rows before", Right: true}, {Name: "now", Right: true}}}
	for _, total := range c.Since.Totals {
		t.Columns = append(t.Columns, show.Column{Name: total.Column + " before", Right: true},
			show.Column{Name: "now", Right: true})
	}
	t.Columns = append(t.Columns, show.Column{Name: "remark"})
	closed := make(map[string]bool)
	for _, source := range c.Compared.Closed() {
		closed[source.Source] = true
	}
	for _, first := range []bool{true, false} {
		for i := range c.Compared.Sources {
			if source := &c.Compared.Sources[i]; closed[source.Source] == first {
				t.Add(c.cells(source, first)...)
			}
		}
	}
	if len(t.Rows) > 0 {
		fmt.Fprintln(s)
		t.Print(s)
	}
}

// printForms prints the forms that are not the same, of each grid.
func (c *Changes) printForms(s *show.Screen) {
	for _, of := range c.Forms {
		fmt.Fprintf(s, "\n%s\n", s.Bold(fmt.Sprintf("forms of %s: %s", of.Forms().Task.ResultName(), countsOf(of))))
		t := show.Table{Columns: []show.Column{{Name: "form", Key: true}, {Name: "change", Whole: true},
			{Name: "period", Whole: true}, {Name: "cells before", Right: true}, {Name: "now", Right: true},
			{Name: "sum before", Right: true}, {Name: "now", Right: true}, {Name: "remark"}}}
		for i := range of.Sources {
			form := &of.Sources[i]
			remark := ""
			if form.Was != "" {
				remark = "was " + form.Was
			}
			t.Add(form.Source, string(form.Change), form.Period, rowsOf(form.Before), rowsOf(form.After),
				totalOf(form.Before, 0), totalOf(form.After, 0), remark)
		}
		if len(t.Rows) > 0 {
			t.Print(s)
		}
	}
}

func (c *Changes) cells(source *month.SourceChange, closed bool) []string {
	cells := []string{source.Source, string(source.Change), source.Period, rowsOf(source.Before), rowsOf(source.After)}
	for i := range c.Since.Totals {
		cells = append(cells, totalOf(source.Before, i), totalOf(source.After, i))
	}
	var remarks []string
	add := func(holds bool, text string) {
		if holds {
			remarks = append(remarks, text)
		}
	}
	add(closed, "of a closed period")
	add(source.Was != "", "was "+source.Was)
	add(source.Later, "was there, and too late for the block")
	for _, r := range source.Renamed {
		add(true, "calls "+r.Was+" "+r.Is+" now")
	}
	if r := source.Records; r != nil {
		add(true, recordsText(r))
	}
	add(len(source.Added) > 0, "has got "+words.And(source.Added...))
	add(len(source.Lost) > 0, "has lost "+words.And(source.Lost...))
	return append(cells, strings.Join(remarks, "; "))
}

func rowsOf(f *month.Figures) string {
	if f == nil {
		return ""
	}
	return show.Number(f.Rows)
}

func totalOf(f *month.Figures, i int) string {
	if f == nil || i >= len(f.Totals) {
		return ""
	}
	return f.Totals[i].Money()
}

// recordsText says how many records are not as they were retained.
func recordsText(r *month.RecordChanges) string {
	var parts []string
	for _, of := range []struct {
		n    int
		what string
	}{{r.Added, "added"}, {r.Gone, "gone"}, {r.Altered, "altered"}} {
		if of.n > 0 {
			parts = append(parts, show.Count(of.n, "record")+" "+of.what)
		}
	}
	if len(parts) == 0 {
		return "with the same records"
	}
	return strings.Join(parts, ", ")
}

// printRecords prints the first records that are not as they were retained.
func (c *Changes) printRecords(s *show.Screen) {
	t := show.Table{Columns: []show.Column{{Name: "source", Key: true}, {Name: "line", Right: true, Key: true},
		{Name: "record", Whole: true}, {Name: "was"}, {Name: "is"}}}
	more := 0
	for i := range c.Compared.Sources {
		source := &c.Compared.Sources[i]
		if source.Records == nil {
			continue
		}
		for _, r := range source.Records.First {
			t.Add(source.Source, show.Number(r.Line), r.Change, recordText(&r, r.Was), recordText(&r, r.Is))
		}
		more += source.Records.Added + source.Records.Gone + source.Records.Altered - len(source.Records.First)
	}
	if len(t.Rows) == 0 {
		return
	}
	fmt.Fprintln(s)
	t.Print(s)
	if more > 0 {
		fmt.Fprintf(s, "and %s more\n", show.Count(more, "record"))
	}
}

// recordText writes what a record says: of one that was altered the columns that differ with their names.
func recordText(r *month.RecordChange, texts []string) string {
	var parts []string
	for i, text := range texts {
		switch {
		case r.Change == "altered":
			parts = append(parts, r.Columns[i]+" "+text)
		case text != "":
			parts = append(parts, text)
		}
	}
	return strings.Join(parts, " | ")
}

// printBridge prints a bridge; of more than most sources that are new, or changed, or gone, one line.
func printBridge(s *show.Screen, b *month.Bridge, since *block.Entry, most int) {
	t := show.Table{Columns: []show.Column{{Name: "step", Whole: true}, {Name: "source"},
		{Name: b.Column, Right: true, Whole: true, Money: true}}}
	lines := b.Short(most)
	for i, line := range lines {
		label := line.Label
		if i == 0 {
			label = fmt.Sprintf("sealed in block %d", since.Number)
		}
		if i == len(lines)-1 {
			t.AddStrong(label, line.Source, line.Amount.Money())
		} else {
			t.Add(label, line.Source, line.Amount.Money())
		}
	}
	fmt.Fprintf(s, "\n%s\n", s.Bold(show.FoldedLines(bridgeTitle(b), s.Width)))
	t.Print(s)
}

func bridgeTitle(b *month.Bridge) string {
	parts := []string{b.Result}
	for _, word := range b.Group {
		parts = append(parts, word.Column+" "+word.Value)
	}
	return strings.Join(parts, ", ")
}

// Document writes its JSON.
func (c *Changes) Document(w io.Writer) error {
	d := show.StartDocument(w, show.NewDocument("changes"))
	d.Add("since", show.Object{{Name: "number", Value: c.Since.Number}, {Name: "period", Value: c.Since.Period},
		{Name: "seal", Value: c.Since.Seal}})
	sources := []show.Object{}
	for i := range c.Compared.Sources {
		sources = append(sources, c.sourceObject(&c.Compared.Sources[i]))
	}
	d.Add("sources", sources)
	d.Add("same", c.Compared.Same)
	d.Add("plan", c.Compared.Plan)
	d.Add("references", c.Compared.References)
	d.Add("decisions", c.Compared.Decisions)
	if len(c.Forms) > 0 {
		d.Add("forms", c.formObjects())
	}
	d.Add("bridges", BridgeObjects(c.Bridges))
	if len(c.Bridges) > 0 {
		d.Add("bridge", lineObjects(c.Bridges[0].Lines))
	} else {
		d.Add("bridge", []show.Object{})
	}
	d.Add("findings", c.Findings)
	return d.Close()
}

// formObjects are the forms of each grid that are not the same.
func (c *Changes) formObjects() []show.Object {
	all := []show.Object{}
	for _, of := range c.Forms {
		sources := []show.Object{}
		for i := range of.Sources {
			form := &of.Sources[i]
			o := show.Object{{Name: "source", Value: form.Source}, {Name: "change", Value: string(form.Change)}}
			if form.Was != "" {
				o.Add("was", form.Was)
			}
			if form.Period != "" {
				o.Add("period", form.Period)
			}
			for _, side := range []struct {
				name string
				of   *month.Figures
			}{{"", form.After}, {"_before", form.Before}} {
				if side.of != nil {
					o.Add("cells"+side.name, side.of.Rows)
				}
				if side.of != nil && len(side.of.Totals) > 0 {
					o.Add("total"+side.name, side.of.Totals[0].String())
				}
			}
			sources = append(sources, o)
		}
		all = append(all, show.Object{{Name: "result", Value: of.Forms().Task.ResultName()},
			{Name: "sources", Value: sources}, {Name: "same", Value: of.Same}})
	}
	return all
}

func (c *Changes) sourceObject(s *month.SourceChange) show.Object {
	o := show.Object{{Name: "source", Value: s.Source}, {Name: "change", Value: string(s.Change)}}
	if s.Was != "" {
		o.Add("was", s.Was)
	}
	if s.Period != "" {
		o.Add("period", s.Period)
	}
	figures := func(rows, totals string, f *month.Figures) {
		if f == nil {
			return
		}
		o.Add(rows, f.Rows)
		of := show.Object{}
		for i, total := range c.Since.Totals {
			if i < len(f.Totals) {
				of.Add(total.Column, f.Totals[i].String())
			}
		}
		o.Add(totals, of)
	}
	figures("rows", "totals", s.After)
	figures("rows_before", "totals_before", s.Before)
	if s.Later {
		o.Add("later", true)
	}
	if len(s.Renamed) > 0 {
		o.Add("columns_renamed", s.Renamed)
	}
	if r := s.Records; r != nil {
		o.Add("records", recordsObject(r))
	}
	if len(s.Added) > 0 {
		o.Add("columns_added", s.Added)
	}
	if len(s.Lost) > 0 {
		o.Add("columns_lost", s.Lost)
	}
	return o
}

func recordsObject(r *month.RecordChanges) show.Object {
	first := []show.Object{}
	for i := range r.First {
		of := &r.First[i]
		o := show.Object{{Name: "change", Value: of.Change}, {Name: "line", Value: of.Line},
			{Name: "columns", Value: of.Columns}}
		if of.Was != nil {
			o.Add("was", of.Was)
		}
		if of.Is != nil {
			o.Add("is", of.Is)
		}
		first = append(first, o)
	}
	return show.Object{{Name: "added", Value: r.Added}, {Name: "gone", Value: r.Gone},
		{Name: "altered", Value: r.Altered}, {Name: "first", Value: first}}
}

// BridgeObjects are bridges as JSON.
func BridgeObjects(bridges []month.Bridge) []show.Object {
	all := []show.Object{}
	for i := range bridges {
		b := &bridges[i]
		group := show.Object{}
		for _, word := range b.Group {
			group.Add(word.Column, word.Value)
		}
		all = append(all, show.Object{{Name: "result", Value: b.Result}, {Name: "column", Value: b.Column},
			{Name: "group", Value: group}, {Name: "lines", Value: lineObjects(b.Lines)}})
	}
	return all
}

func lineObjects(lines []month.BridgeLine) []show.Object {
	all := []show.Object{}
	for i := range lines {
		l := &lines[i]
		o := show.Object{{Name: "label", Value: l.Label}}
		if l.Source != "" {
			o.Add("source", l.Source)
		}
		o.Add("amount", l.Amount.String())
		all = append(all, o)
	}
	return all
}
