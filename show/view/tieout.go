package view

import (
	"fmt"
	"io"

	"lastblock/core/capability/tieout"
	"lastblock/core/month"
	"lastblock/core/source"
	"lastblock/show"
)

// TieOut is a tie-out as it is shown.
type TieOut struct {
	*tieout.Result
	Set     *source.Set
	Top     int            // so many of the largest sources alone; 0 for all
	Bottom  int            // so many of the smallest
	Every   bool           // list all sources, however many
	Verdict *month.Verdict // nil without a plan
	Each    show.EachFinding
}

// Document writes its JSON.
func (t *TieOut) Document(w io.Writer) error {
	r, set := t.Result, t.Set
	rows := func(rows []tieout.Row) []show.Object {
		objects := []show.Object{}
		for _, row := range rows {
			o := sourceObject(set, row.Index)
			o.Add("rows", row.Rows)
			if row.Suspense > 0 {
				o.Add("suspense", row.Suspense)
			}
			if row.Dropped > 0 {
				o.Add("dropped", row.Dropped)
			}
			o.Add("totals", show.Amounts(r.Columns, row.Totals))
			o.Add("running", show.Amounts(r.Columns, row.Running))
			if len(r.HashTotals) > 0 {
				o.Add("hash_totals", show.Amounts(r.HashTotals, row.HashTotals))
			}
			if len(r.Distinct) > 0 {
				counts := show.Object{}
				for k, column := range r.Distinct {
					counts.Add(column, row.Distinct[k])
				}
				o.Add("distinct", counts)
			}
			objects = append(objects, o)
		}
		return objects
	}
	doc := show.NewDocument("tieout")
	doc.Add("sources", rows(r.Sources))
	if t.Top > 0 {
		doc.Add("top", rows(r.Largest(t.Top)))
	}
	if t.Bottom > 0 {
		doc.Add("bottom", rows(r.Smallest(t.Bottom)))
	}
	doc.Add("rows", r.Rows)
	doc.Add("totals", show.Amounts(r.Columns, r.Totals))
	if r.Matrix != nil {
		doc.Add("matrix", matrixObjects(r.Matrix))
	}
	if t.Verdict != nil {
		doc.Add("tieout", verdictObject(t.Verdict))
	}
	doc.Add("passed_over", passedOver(set))
	d := show.StartDocument(w, doc)
	if err := d.Findings(t.Each); err != nil {
		return err
	}
	d.Add("proof", show.ProofObject(&r.Proof))
	return d.Close()
}

// Print prints it.
func (t *TieOut) Print(s *show.Screen) {
	r := t.Result
	switch {
	case t.Top == 0 && t.Bottom == 0:
		t.printSources(s, t.listed(), true)
	default:
		if t.Top > 0 {
			rows := r.Largest(t.Top)
			fmt.Fprintf(s, "%s\n", s.Bold(fmt.Sprintf("the %d largest of %s", len(rows),
				show.Count(len(r.Sources), "source"))))
			t.printSources(s, rows, false)
		}
		if t.Bottom > 0 {
			if t.Top > 0 {
				fmt.Fprintln(s)
			}
			rows := r.Smallest(t.Bottom)
			fmt.Fprintf(s, "%s\n", s.Bold(fmt.Sprintf("the %d smallest of %s", len(rows),
				show.Count(len(r.Sources), "source"))))
			t.printSources(s, rows, false)
		}
	}
	if r.Matrix != nil {
		printMatrix(s, r.Matrix, t.Every)
	}
	printPassedOver(s, t.Set)
	show.Findings(s, r.Findings)
	PrintVerdict(s, t.Verdict)
	show.Proof(s, &r.Proof)
}

// listed are the sources that the table lists where they stand in their order.
func (t *TieOut) listed() (rows []tieout.Row) {
	all := t.Result.Sources
	for _, i := range listed(t.Set, len(all), func(i int) int { return all[i].Index }, t.Findings, t.Every) {
		rows = append(rows, all[i])
	}
	return rows
}

// printSources prints rows and totals per source, with the running total of
// the first column where the sources stand in their order.
func (t *TieOut) printSources(s *show.Screen, rows []tieout.Row, running bool) {
	r := t.Result
	listing := running
	running = running && len(r.Columns) > 0
	suspense := r.Proof.Suspense > 0
	table := show.Table{Columns: []show.Column{{Name: "source", Key: true}, {Name: "rows", Right: true}}}
	figure := func(name string) {
		table.Columns = append(table.Columns, show.Column{Name: name, Right: true, Money: true})
	}
	if suspense {
		figure("suspense")
	}
	for _, column := range r.Columns {
		figure(column)
	}
	if running {
		figure("running " + r.Columns[0])
	}
	for _, column := range r.HashTotals {
		figure("hash total " + column)
	}
	for _, column := range r.Distinct {
		figure("distinct " + column)
	}
	cells := func(name string, row tieout.Row) []string {
		cells := []string{name, show.Number(row.Rows)}
		if suspense {
			aside := ""
			if row.Suspense > 0 {
				aside = show.Number(row.Suspense)
			}
			cells = append(cells, aside)
		}
		for _, total := range row.Totals {
			cells = append(cells, total.Money())
		}
		if running {
			last := ""
			if row.Running != nil {
				last = row.Running[0].Money()
			}
			cells = append(cells, last)
		}
		for k := range r.HashTotals {
			hash := ""
			if row.HashTotals != nil {
				hash = row.HashTotals[k].String()
			}
			cells = append(cells, hash)
		}
		for k := range r.Distinct {
			count := ""
			if row.Distinct != nil {
				count = show.Number(row.Distinct[k])
			}
			cells = append(cells, count)
		}
		return cells
	}
	for _, row := range rows {
		table.Add(cells(t.Set.Sources[row.Index].Name, row)...)
	}
	if n := len(r.Sources); listing && len(rows) < n {
		table.Add(append([]string{notListed(n, len(rows))}, make([]string, len(table.Columns)-1)...)...)
	}
	all := tieout.Row{Rows: r.Rows, Suspense: r.Proof.Suspense, Totals: r.Totals}
	table.AddStrong(cells("total of "+show.Count(len(r.Sources), "source"), all)...)
	table.Print(s)
}
