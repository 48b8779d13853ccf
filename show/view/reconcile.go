package view

import (
	"fmt"
	"strings"

	"lastblock/core/capability/reconcile"
	"lastblock/core/month"
	"lastblock/core/source"
	"lastblock/core/value/amount"
	"lastblock/show"
)

// Reconciliation is a reconciliation as it is shown.
type Reconciliation struct {
	*reconcile.Result
	Task        *month.Reconcile   // as it was asked for
	Only        []reconcile.Status // which records are written; nil for all
	Here, There *source.Set
	Stopped     bool // the result was not written, because of findings
}

// Print prints it.
func (r *Reconciliation) Print(s *show.Screen) {
	if r.Task.Mirror != "" {
		r.printCompanies(s)
		r.printPasses(s)
	} else {
		r.printStatuses(s)
		r.printPasses(s)
		r.printFields(s)
		if len(r.Totals) > 0 {
			r.printStatement(s)
		}
	}
	r.printWritten(s)
	printPassedOver(s, r.Here)
	if r.There != r.Here {
		printPassedOver(s, r.There)
	}
	show.Findings(s, r.Findings)
	show.Proof(s, &r.Proof)
}

func (r *Reconciliation) printStatuses(s *show.Screen) {
	t := show.Table{Columns: []show.Column{
		{Name: "status", Key: true, Whole: true}, {Name: "matches", Right: true}, {Name: "in records", Right: true},
		{Name: "in reference", Right: true},
	}}
	for _, status := range reconcile.Statuses() {
		if c := r.Counts[status]; c.Matches > 0 {
			t.Add(status.String(), show.Number(c.Matches), show.Number(c.Here), show.Number(c.There))
		}
	}
	if len(t.Rows) == 0 {
		fmt.Fprintln(s, "neither side has a record")
		return
	}
	t.Print(s)
}

// passName says by what a pass brings records together.
func passName(p *reconcile.Pass) string {
	switch {
	case p.Combine && len(p.Key) == 0:
		return "several that make one"
	case p.Combine:
		return "several that make one, within " + strings.Join(p.Key, ", ")
	}
	return strings.Join(p.Key, ", ")
}

func (r *Reconciliation) printPasses(s *show.Screen) {
	if len(r.Passes) < 2 {
		return
	}
	fmt.Fprintln(s)
	t := show.Table{Columns: []show.Column{{Name: "pass", Right: true, Key: true}, {Name: "by", Key: true},
		{Name: "matches", Right: true}}}
	for i := range r.Passes {
		t.Add(fmt.Sprint(i+1), passName(&r.Passes[i]), show.Number(r.Passes[i].Matches))
	}
	t.Print(s)
}

func (r *Reconciliation) printFields(s *show.Screen) {
	if len(r.Fields) == 0 {
		return
	}
	fmt.Fprintln(s)
	t := show.Table{Columns: []show.Column{{Name: "column", Key: true}, {Name: "differs", Right: true},
		{Name: "reference less records", Right: true}}}
	for i := range r.Fields {
		f := &r.Fields[i]
		apart := ""
		if f.IsAmount {
			apart = f.Difference.Money()
		}
		t.Add(f.Column, show.Number(f.Differs), apart)
	}
	t.Print(s)
}

// moneyOrBlank leaves out what is zero, but for totals.
func moneyOrBlank(value amount.Amount, always bool) string {
	if value.Sign() == 0 && !always {
		return ""
	}
	return value.Money()
}

// printWritten says which files were written.
func (r *Reconciliation) printWritten(s *show.Screen) {
	if r.Stopped {
		fmt.Fprintln(s, "\nthe result was not written, because of \"stop\" findings that are not about the two "+
			"sides; --anyway writes it all the same")
		return
	}
	if r.Task.Out != "" {
		fmt.Fprintf(s, "\n%s: the records with their statuses\n", r.Task.Out)
	}
	if c := r.Corrected; c != nil {
		totals := ""
		for i, name := range r.Totals {
			totals += fmt.Sprintf(", %s %s", name, c.Totals[i].Money())
		}
		fmt.Fprintf(s, "%s: %s with the values of the %s%s\n", r.Task.Corrected, show.Count(c.Records, "record"),
			r.Task.Prefer, totals)
	}
}

// Members are those of its JSON.
func (r *Reconciliation) Members() show.Object {
	doc := show.Object{}
	counts, records := show.Object{}, show.Object{}
	for _, status := range reconcile.Statuses() {
		c := r.Counts[status]
		counts.Add(status.String(), c.Matches)
		records.Add(status.String(), show.Object{{Name: "here", Value: c.Here}, {Name: "there", Value: c.There}})
	}
	doc.Add("counts", counts)
	doc.Add("records", records)
	passes := []show.Object{}
	for i := range r.Passes {
		p := &r.Passes[i]
		o := show.Object{{Name: "key", Value: append([]string{}, p.Key...)}, {Name: "matches", Value: p.Matches}}
		if p.Combine {
			o.Add("combine", r.Task.Combine)
		}
		passes = append(passes, o)
	}
	doc.Add("passes", passes)
	fields := show.Object{}
	for i := range r.Fields {
		f := &r.Fields[i]
		o := show.Object{{Name: "differs", Value: f.Differs}}
		if f.IsAmount {
			o.Add("difference", f.Difference.String())
		}
		fields.Add(f.Column, o)
	}
	doc.Add("fields", fields)
	doc.Add("statement", statementObjects(r, &r.Statement))
	if len(r.Task.By) > 0 {
		groups := []show.Object{}
		for i := range r.Groups {
			by := show.Object{}
			for k, name := range r.Task.By {
				by.Add(name, r.Groups[i].By[k])
			}
			groups = append(groups, show.Object{{Name: "by", Value: by},
				{Name: "statement", Value: statementObjects(r, &r.Groups[i])}})
		}
		doc.Add("groups", groups)
	}
	if r.Task.Mirror != "" {
		doc.Add("companies", companyObjects(r))
	}
	if r.Task.Out != "" && !r.Stopped {
		doc.Add("out", r.Task.Out)
	}
	if r.Corrected != nil {
		doc.Add("corrected", show.Object{
			{Name: "out", Value: r.Task.Corrected}, {Name: "prefer", Value: r.Task.Prefer},
			{Name: "rows", Value: r.Corrected.Records},
			{Name: "totals", Value: show.Amounts(r.Totals, r.Corrected.Totals)},
		})
	}
	over := passedOver(r.Here)
	if r.There != r.Here {
		over = append(over, passedOver(r.There)...)
	}
	doc.Add("passed_over", over)
	doc.Add("findings", r.Findings)
	doc.Add("proof", show.ProofObject(&r.Proof))
	return doc
}

// statementObjects are the lines of a statement: the amount is that of the first total,
// and amounts has all of them.
func statementObjects(r *Reconciliation, s *reconcile.Statement) []show.Object {
	lines := []show.Object{}
	for i := range s.Lines {
		line := &s.Lines[i]
		o := show.Object{{Name: "label", Value: line.Label}, {Name: "count", Value: line.Count}}
		if len(line.Amounts) > 0 {
			o.Add("amount", line.Amounts[0].String())
		}
		if len(line.Amounts) > 1 {
			o.Add("amounts", show.Amounts(r.Totals, line.Amounts))
		}
		if line.Column != "" {
			o.Add("column", line.Column)
			o.Add("pairs", line.Pairs)
		}
		lines = append(lines, o)
	}
	return lines
}

func companyObjects(r *Reconciliation) []show.Object {
	companies := []show.Object{}
	for i := range r.Companies {
		c := &r.Companies[i]
		companies = append(companies, show.Object{
			{Name: "a", Value: c.A}, {Name: "b", Value: c.B},
			{Name: "booked_by_a", Value: c.Here[0].String()}, {Name: "booked_by_b", Value: c.There[0].String()},
			{Name: "difference", Value: c.Difference[0].String()},
			{Name: "keys", Value: c.Keys}, {Name: "differs", Value: c.Differs}, {Name: "ambiguous", Value: c.Ambiguous},
			{Name: "only_a", Value: c.OnlyHere}, {Name: "only_b", Value: c.OnlyThere},
		})
	}
	return companies
}
