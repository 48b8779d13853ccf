package view

import (
	"fmt"
	"io"
	"slices"

	"lastblock/core/month/block"
	"lastblock/core/month/pack"
	"lastblock/show"
)

// Report is a report as it is shown where it was asked for.
type Report struct {
	*pack.Report
	Sections []string
	Made     []Made
}

// Made is a file that was written.
type Made struct {
	Path     string
	Sections int
	Bytes    int64
}

// Stops tells whether a finding stops what is reported.
func (r *Report) Stops() bool {
	return slices.ContainsFunc(r.Report.Findings, func(f pack.Finding) bool { return f.Stops() })
}

// Print says what was written, and of what.
func (r *Report) Print(s *show.Screen) {
	for _, m := range r.Made {
		fmt.Fprintf(s, "%s: %s, %s\n", m.Path, show.Count(m.Sections, "section"), show.Size(m.Bytes))
	}
	stops := 0
	for i := range r.Report.Findings {
		if r.Report.Findings[i].Stops() {
			stops++
		}
	}
	text := fmt.Sprintf("%s: %s", r.Period, r.Verdict)
	if r.Entity != "" {
		text = r.Entity + ", " + text
	}
	if stops > 0 {
		text += fmt.Sprintf(", %s open", show.Count(stops, "\"stop\" finding"))
	}
	fmt.Fprintln(s, s.Bold(text))
	if r.State == pack.Rehearsed {
		fmt.Fprintf(s, "not sealed: this is a rehearsal; it would be block %d\n", r.Number)
	} else {
		fmt.Fprintf(s, "block %d, seal %s\n", r.Number, block.Short(r.Seal))
	}
}

// Document writes its JSON: what its sections are made of.
func (r *Report) Document(w io.Writer) error {
	d := show.StartDocument(w, show.NewDocument("report"))
	d.Add("period", r.Period)
	d.Add("verdict", string(r.Verdict))
	d.Add("sealed", r.State != pack.Rehearsed)
	o := show.Object{{Name: "number", Value: r.Number}}
	if r.Seal != "" {
		o.Add("seal", r.Seal)
	}
	if r.Previous != nil {
		o.Add("previous", r.Previous.Seal)
	}
	d.Add("block", o)
	if r.Entity != "" {
		d.Add("for", r.Entity)
	}
	made := []string{}
	for _, m := range r.Made {
		made = append(made, m.Path)
	}
	d.Add("out", made)
	r.addSections(d)
	findings := []pack.Finding{}
	if slices.Contains(r.Sections, pack.OfFindings) {
		findings = append(findings, r.Report.Findings...)
	}
	d.Add("findings", findings)
	d.Add("proof", r.Report.Proof)
	return d.Close()
}

// addSections adds what sections are made of, those that are wanted.
func (r *Report) addSections(d *show.DocumentWriter) {
	add := func(section, name string, value any) {
		if slices.Contains(r.Sections, section) {
			d.Add(name, value)
		}
	}
	if slices.Contains(r.Sections, pack.KeyFigures) {
		figures := show.Object{{Name: "sources", Value: len(r.Sources)}, {Name: "rows", Value: r.Report.Proof.Read},
			{Name: "totals", Value: proofTotals(&r.Report.Proof)}}
		if r.Before != nil {
			figures.Add("before", show.Object{{Name: "number", Value: r.Before.Number},
				{Name: "period", Value: r.Before.Period}, {Name: "sources", Value: r.Before.Sources},
				{Name: "rows", Value: r.Before.Rows}, {Name: "totals", Value: totalsObject(r.Before.Totals)}})
		}
		d.Add("figures", figures)
	}
	add(pack.WhoFiled, "filed", r.Filed)
	add(pack.OfSummaries, "summaries", listOf(r.Summaries))
	add(pack.OfBridges, "bridges", listOf(r.Report.Bridges))
	add(pack.ControlTotals, "declared", listOf(r.Declared))
	add(pack.OfDoubles, "doubles", r.Report.Doubles)
	add(pack.OfStatements, "reconciliations", listOf(r.Reconciliations))
	add(pack.OfGrids, "grids", listOf(r.Grids))
	add(pack.OfSources, "sources", listOf(r.Sources))
	add(pack.OfSources, "passed_over", listOf(r.PassedOver))
}

// listOf is a list that is not null where it is empty.
func listOf[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

// proofTotals are the totals of all that was used.
func proofTotals(p *pack.Proof) show.Object {
	o := show.Object{}
	for _, t := range p.Totals {
		o.Add(t.Column, t.Used.String())
	}
	return o
}
