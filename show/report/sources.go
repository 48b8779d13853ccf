package report

import (
	"fmt"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/month/block"
	"lastblock/core/month/pack"
	"lastblock/core/value/amount"
	"lastblock/show"
)

func sourceID(at int) string { return fmt.Sprintf("source-%d", at+1) }

// listedSources are the sources in the order in which they are listed: where they are too many those with findings
// first.
func (d *draft) listedSources() []pack.Source {
	all := slices.Clone(d.Sources)
	if len(all) <= d.limits.Rows {
		return all
	}
	found := d.findingsBySource()
	slices.SortStableFunc(all, func(a, b pack.Source) int { return has(found[b.Source]) - has(found[a.Source]) })
	return all
}

func has(n int) int { return min(n, 1) }

// findingsBySource counts findings that are more than notes.
func (d *draft) findingsBySource() map[string]int {
	found := make(map[string]int)
	for i := range d.Report.Findings {
		if f := &d.Report.Findings[i]; f.Severity != finding.Note {
			found[f.Source]++
		}
	}
	return found
}

// suspense are the records that were set aside, by source, and why.
func suspense(d *draft) []Part {
	if d.Report.Proof.Suspense == 0 {
		return nil
	}
	why := make(map[string]map[finding.Kind]int)
	for i := range d.Report.Findings {
		f := &d.Report.Findings[i]
		if why[f.Source] == nil {
			why[f.Source] = make(map[finding.Kind]int)
		}
		why[f.Source][f.Kind] += max(1, f.Count)
	}
	t := &Table{Name: "suspense", Sorts: true, Filters: true, Columns: []Column{{Name: "source"}, {Name: "entity"},
		{
			Name: "period",
		}, {Name: "records in suspense", Kind: Count, Total: true}, {Name: "of", Kind: Count, Total: true},
		{Name: "why", Kind: Long}}}
	for i := range d.Sources {
		s := &d.Sources[i]
		if s.Suspense == 0 {
			continue
		}
		var reasons []string
		for _, kind := range finding.Suspending {
			if n := why[s.Source][kind]; n > 0 {
				reasons = append(reasons, fmt.Sprintf("%s %s", show.Number(n), kind))
			}
		}
		t.Rows = append(t.Rows, Row{Cells: []Cell{{Text: s.Source, Link: d.rowOf[s.Source]}, text(s.Entity),
			text(s.Period), count(s.Suspense), count(s.Rows), text(strings.Join(reasons, ", "))}, Entity: s.Entity,
			Period: s.Period})
	}
	t.Foot = []Row{{Cells: []Cell{text("total"), {}, {}, count(d.Report.Proof.Suspense)}, Strong: true}}
	say := []string{fmt.Sprintf("%s set aside until somebody decides; no figure of this report contains them.",
		countOf(d.Report.Proof.Suspense, "record was", "records were"))}
	for _, total := range d.Report.Proof.Totals {
		if total.Unread > 0 {
			say = append(say, fmt.Sprintf("%s of %s cannot be read.", countOf(total.Unread, "amount", "amounts"),
				total.Column))
		}
		if total.Suspense.Sign() != 0 {
			say = append(say, fmt.Sprintf("As far as their amounts can be read: %s %s.", total.Column,
				total.Suspense.Money()))
		}
	}
	return []Part{{Sheet: "Suspense", Texts: say, Table: t}}
}

// sources are all sources with what was read of them, and their SHA-256.
func sources(d *draft) []Part {
	if len(d.Sources) == 0 {
		return nil
	}
	files := make(map[string]*block.Source)
	for i := range d.Files {
		files[d.Files[i].Of+"\x00"+d.Files[i].Source] = &d.Files[i]
	}
	found := d.findingsBySource()
	columns := d.Columns
	for i := range d.Sources {
		if d.Sources[i].Of != "" && len(columns) == 0 {
			columns = []string{"value"}
		}
	}
	forms := slices.ContainsFunc(d.Sources, func(s pack.Source) bool { return s.Of != "" })
	t := &Table{Name: "sources", Sorts: true, Filters: true, Columns: []Column{{Name: "source"}, {Name: "entity"},
		{Name: "period"}}}
	if forms {
		t.Columns = append(t.Columns, Column{Name: "form of"})
	}
	t.Columns = append(t.Columns, Column{Name: "records", Kind: Count, Total: true},
		Column{Name: "suspense", Kind: Count, Total: true}, Column{Name: "left out", Kind: Count, Total: true})
	for _, name := range columns {
		t.Columns = append(t.Columns, Column{Name: name, Kind: Money, Total: true})
	}
	if forms {
		t.Columns = append(t.Columns, Column{Name: "figures of the form", Kind: Money, Total: true})
	}
	t.Columns = append(
		t.Columns,
		Column{Name: "findings", Kind: Count, Total: true},
		Column{Name: "bytes", Kind: Count},
		Column{Name: "SHA-256", Kind: Code},
	)
	sum := sourceSum{totals: make([]amount.Amount, len(columns))}
	for i, s := range d.listedSources() {
		row := Row{ID: sourceID(i), Entity: s.Entity, Period: s.Period, Cells: []Cell{text(s.Source), text(s.Entity),
			text(s.Period)}}
		if forms {
			row.Cells = append(row.Cells, text(s.Of))
		}
		row.Cells = append(row.Cells, count(s.Rows), countOrBlank(s.Suspense), countOrBlank(s.Dropped))
		row.Cells = append(row.Cells, sum.take(&s, found[s.Source], forms)...)
		row.Cells = append(row.Cells, countOrBlank(found[s.Source]))
		if f := files[s.Of+"\x00"+s.Source]; f != nil {
			row.Cells = append(row.Cells, count(int(f.Size)), text(f.SHA256))
		}
		t.Rows = append(t.Rows, row)
	}
	t.Foot = []Row{{Strong: true, Cells: sum.cells(forms)}}
	if len(t.Rows) > d.limits.Rows {
		t.More = "the others have no finding, or are in the workbook; the block has all of them"
	}
	parts := []Part{{Sheet: "Sources", Table: t, Texts: []string{show.Count(len(d.Sources), "source") + "."}}}
	if len(d.PassedOver) > 0 {
		over := &Table{Name: "not_read", Sorts: true, Columns: []Column{{Name: "file"}, {Name: "why", Kind: Long}}}
		for _, p := range d.PassedOver {
			over.Rows = append(over.Rows, Row{Cells: []Cell{text(p.Source), text(show.Flags(p.Reason))}})
		}
		parts = append(parts, Part{Title: "Not read", Sheet: "Not read", Table: over})
	}
	return parts
}

// sourceSum adds up sources.
type sourceSum struct {
	rows, suspense, dropped, findings int
	totals                            []amount.Amount
	forms                             amount.Amount
}

// take adds a source, and makes the cells of its totals: those of a form stand in a column of their own.
func (s *sourceSum) take(of *pack.Source, findings int, forms bool) (cells []Cell) {
	s.rows, s.suspense, s.dropped = s.rows+of.Rows, s.suspense+of.Suspense, s.dropped+of.Dropped
	s.findings += findings
	form := Cell{}
	for i := range s.totals {
		if of.Of != "" || i >= len(of.Totals) {
			cells = append(cells, Cell{})
			continue
		}
		s.totals[i] = s.totals[i].Add(of.Totals[i])
		cells = append(cells, money(of.Totals[i]))
	}
	if of.Of != "" && len(of.Totals) > 0 {
		s.forms = s.forms.Add(of.Totals[0])
		form = money(of.Totals[0])
	}
	if forms {
		cells = append(cells, form)
	}
	return cells
}

// cells are those of the total.
func (s *sourceSum) cells(forms bool) []Cell {
	cells := []Cell{text("total"), {}, {}}
	if forms {
		cells = append(cells, Cell{})
	}
	cells = append(cells, count(s.rows), count(s.suspense), count(s.dropped))
	for _, total := range s.totals {
		cells = append(cells, money(total))
	}
	if forms {
		cells = append(cells, money(s.forms))
	}
	return append(cells, count(s.findings))
}
