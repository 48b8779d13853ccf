package view

import (
	"fmt"
	"io"
	"slices"

	"lastblock/core/month"
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
}

// Stops tells whether a finding stops what is reported.
func (r *Report) Stops() bool {
	return slices.ContainsFunc(r.Report.Findings, func(f pack.Finding) bool { return f.Stops() })
}

// Print says what was written, and of what.
func (r *Report) Print(s *show.Screen) {
	for _, m := range r.Made {
		fmt.Fprintf(s, "%s: %s\n", m.Path, show.Count(m.Sections, "section"))
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
		next := "lastblock close seals it"
		if stops > 0 {
			next = "decide about the findings, or mend the files"
		}
		fmt.Fprintf(s, "rehearsed, not sealed: it would be block %d; %s\n", r.Number, next)
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
	d.Add("proof", packProof(&r.Report.Proof))
	return d.Close()
}

// packProof is a proof as other documents have it.
func packProof(p *pack.Proof) show.Object {
	totals := show.Object{}
	for i := range p.Totals {
		t := &p.Totals[i]
		totals.Add(t.Column, show.Object{{Name: "read", Value: t.Read.String()}, {Name: "used", Value: t.Used.String()},
			{Name: "suspense", Value: t.Suspense.String()}, {Name: "dropped", Value: t.Dropped.String()}})
	}
	return show.Object{
		{Name: "read", Value: p.Read},
		{Name: "used", Value: p.Used},
		{Name: "suspense", Value: p.Suspense},
		{Name: "dropped", Value: p.Dropped},
		{Name: "totals", Value: totals},
	}
}

// sourceObjects are the sources as other documents have them, with their SHA-256.
func (r *Report) sourceObjects() []show.Object {
	files := make(map[string]*block.Source)
	for i := range r.Files {
		files[r.Files[i].Of+"\x00"+r.Files[i].Source] = &r.Files[i]
	}
	all := []show.Object{}
	for i := range r.Sources {
		s := &r.Sources[i]
		o := show.Object{{Name: "source", Value: s.Source}}
		columns := r.Columns
		for _, word := range []show.Member{{Name: "of", Value: s.Of}, {Name: "entity", Value: s.Entity},
			{Name: "period", Value: s.Period}} {
			if word.Value != "" {
				o = append(o, word)
			}
		}
		if s.Of != "" {
			columns = []string{month.GridValue}
		}
		o.Add("rows", s.Rows)
		if s.Suspense > 0 {
			o.Add("suspense", s.Suspense)
		}
		if s.Dropped > 0 {
			o.Add("dropped", s.Dropped)
		}
		o.Add("totals", show.Amounts(columns[:min(len(columns), len(s.Totals))], s.Totals))
		if f := files[s.Of+"\x00"+s.Source]; f != nil {
			o.Add("sha256", f.SHA256)
		}
		all = append(all, o)
	}
	return all
}

// ownObject are the figures of a month itself.
func (r *Report) ownObject(own *pack.Own) show.Object {
	o := show.Object{{Name: "period", Value: own.Period}, {Name: "sources", Value: own.Sources}}
	if own.Records >= 0 {
		o.Add("used", own.Records)
	}
	totals := show.Object{}
	for i, column := range r.Columns {
		totals.Add(column, own.Totals[i].String())
	}
	o.Add("totals", totals)
	return o
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
			{Name: "used", Value: r.Report.Proof.Used}, {Name: "totals", Value: r.totals()}}
		if own := r.Month(r.Period); own != nil {
			figures.Add("month", r.ownObject(own))
		}
		if r.Before != nil {
			before := show.Object{{Name: "number", Value: r.Before.Number},
				{Name: "period", Value: r.Before.Period}, {Name: "sources", Value: r.Before.Sources},
				{Name: "rows", Value: r.Before.Rows}, {Name: "used", Value: r.Before.Used},
				{Name: "totals", Value: totalsObject(r.Before.Totals)}}
			if own := r.Before.Own; own != nil {
				before.Add("month", r.ownObject(own))
			}
			figures.Add("before", before)
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
	if slices.Contains(r.Sections, pack.OfSources) {
		d.Add("sources", r.sourceObjects())
	}
	if slices.Contains(r.Sections, pack.OfSources) {
		over := []show.Object{}
		for _, p := range r.PassedOver {
			over = append(over, show.Object{{Name: "source", Value: p.Source},
				{Name: "reason", Value: show.Flags(p.Reason)}})
		}
		d.Add("passed_over", over)
	}
}

// listOf is a list that is not null where it is empty.
func listOf[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

// totals are those of all sources.
func (r *Report) totals() show.Object {
	o := show.Object{}
	for i, column := range r.Columns {
		o.Add(column, r.Total(i).String())
	}
	return o
}
