package cli

import (
	"fmt"
	"slices"
	"strings"

	"lastblock/core/capability/reconcile"
	"lastblock/core/source"
	"lastblock/core/value/amount"
	"lastblock/show"
)

// printReconciled prints the result of a reconciliation.
func (a *app) printReconciled(r *reconciled) {
	s := a.stdout
	if r.flags.mirror != "" {
		a.printCompanies(r)
		a.printPasses(r)
	} else {
		a.printStatuses(r)
		a.printPasses(r)
		a.printFields(r)
		if len(r.Totals) > 0 {
			a.printStatement(r)
		}
	}
	a.printWritten(r)
	a.printPassedOver(r.here.set)
	if r.there != r.here {
		a.printPassedOver(r.there.set)
	}
	show.Findings(s, r.Findings)
	show.Proof(s, &r.Proof)
}

func (a *app) printStatuses(r *reconciled) {
	t := show.Table{Columns: []show.Column{
		{Name: "status", Key: true, Whole: true}, {Name: "matches", Right: true}, {Name: "records here", Right: true}, {Name: "records there", Right: true},
	}}
	for _, status := range reconcile.Statuses() {
		if c := r.Counts[status]; c.Matches > 0 {
			t.Add(status.String(), show.Number(c.Matches), show.Number(c.Here), show.Number(c.There))
		}
	}
	if len(t.Rows) == 0 {
		fmt.Fprintln(a.stdout, "neither side has a record")
		return
	}
	t.Print(a.stdout)
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

func (a *app) printPasses(r *reconciled) {
	if len(r.Passes) < 2 {
		return
	}
	fmt.Fprintln(a.stdout)
	t := show.Table{Columns: []show.Column{{Name: "pass", Right: true, Key: true}, {Name: "by", Key: true}, {Name: "matches", Right: true}}}
	for i := range r.Passes {
		t.Add(fmt.Sprint(i+1), passName(&r.Passes[i]), show.Number(r.Passes[i].Matches))
	}
	t.Print(a.stdout)
}

func (a *app) printFields(r *reconciled) {
	if len(r.Fields) == 0 {
		return
	}
	fmt.Fprintln(a.stdout)
	t := show.Table{Columns: []show.Column{{Name: "column", Key: true}, {Name: "differs", Right: true}, {Name: "there less here", Right: true}}}
	for i := range r.Fields {
		f := &r.Fields[i]
		apart := ""
		if f.IsAmount {
			apart = f.Difference.Money()
		}
		t.Add(f.Column, show.Number(f.Differs), apart)
	}
	t.Print(a.stdout)
}

// printStatement prints the statement, and those by group below it.
func (a *app) printStatement(r *reconciled) {
	fmt.Fprintln(a.stdout)
	t := show.Table{}
	for _, name := range r.flags.by {
		t.Columns = append(t.Columns, show.Column{Name: name, Key: true})
	}
	t.Columns = append(t.Columns, show.Column{Name: "statement", Whole: true}, show.Column{Name: "records", Right: true})
	for _, name := range r.Totals {
		t.Columns = append(t.Columns, show.Column{Name: name, Right: true})
	}
	for _, s := range append(slices.Clone(r.Groups), r.Statement) {
		for i := range s.Lines {
			line := &s.Lines[i]
			var cells []string
			for k := range r.flags.by {
				group := ""
				switch {
				case i > 0:
				case s.By == nil:
					group = "all"
				case s.By[k] == "":
					group = "(blank)"
				default:
					group = s.By[k]
				}
				cells = append(cells, group)
			}
			label, strong := line.Label, i == 0 || i == len(s.Lines)-1
			if !strong {
				label = "  " + label
			}
			count := show.Number(line.Count)
			if !strong && line.Count == 0 {
				count = ""
			}
			cells = append(cells, label, count)
			for _, value := range line.Amounts {
				cells = append(cells, moneyOrBlank(value, strong))
			}
			if i == len(s.Lines)-1 {
				t.AddStrong(cells...)
			} else {
				t.Add(cells...)
			}
		}
	}
	t.Print(a.stdout)
}

// moneyOrBlank leaves out what is zero, but for totals.
func moneyOrBlank(value amount.Amount, always bool) string {
	if value.Sign() == 0 && !always {
		return ""
	}
	return value.Money()
}

// printWritten says which files were written.
func (a *app) printWritten(r *reconciled) {
	s := a.stdout
	if r.stopped {
		fmt.Fprintln(s, "\nthe result was not written, because of \"stop\" findings that are not about the two sides; --anyway writes it all the same")
		return
	}
	if r.flags.writing.out != "" {
		fmt.Fprintf(s, "\n%s: the records with their statuses\n", r.flags.writing.out)
	}
	if c := r.Corrected; c != nil {
		totals := ""
		for i, name := range r.Totals {
			totals += fmt.Sprintf(", %s %s", name, c.Totals[i].Money())
		}
		fmt.Fprintf(s, "%s: %s with the values %s%s\n", r.flags.corrected, show.Count(c.Records, "record"), r.flags.prefer, totals)
	}
}

// printCompanies prints what each two companies have booked about one another, and a
// table of companies with the differences.
func (a *app) printCompanies(r *reconciled) {
	s := a.stdout
	if len(r.Companies) == 0 {
		fmt.Fprintln(s, "no record is about two companies")
		return
	}
	of := r.Totals[0]
	if rates := r.flags.rates; rates != "" {
		fmt.Fprintf(s, "%s converted by %s, each record rounded half to even to 2 digits\n\n", of, rates)
	}
	t := show.Table{Columns: []show.Column{
		{Name: "company", Key: true}, {Name: "and", Key: true}, {Name: "has booked", Right: true}, {Name: "the other one", Right: true}, {Name: "together", Right: true},
		{Name: "do not agree"},
	}}
	for i := range r.Companies {
		c := &r.Companies[i]
		t.Add(c.A, c.B, c.Here[0].Money(), c.There[0].Money(), moneyOrBlank(c.Difference[0], false), disagreement(c))
	}
	t.Print(s)
	fmt.Fprintln(s)
	a.printDifferences(r)
}

// disagreement says on how many keys two companies do not agree, and why.
func disagreement(c *reconcile.Company) string {
	var parts []string
	for _, part := range []struct {
		n    int
		what string
	}{{c.Differs + c.Ambiguous, "differ"}, {c.OnlyHere, "only " + c.A}, {c.OnlyThere, "only " + c.B}} {
		switch {
		case part.n == 1 && part.what == "differ":
			parts = append(parts, "1 differs")
		case part.n > 0:
			parts = append(parts, show.Number(part.n)+" "+part.what)
		}
	}
	return strings.Join(parts, ", ")
}

// printDifferences prints the differences, company by company.
func (a *app) printDifferences(r *reconciled) {
	names, companies := companiesOf(r)
	t := show.Table{Columns: []show.Column{{Name: "differences", Key: true}}}
	for _, name := range names {
		t.Columns = append(t.Columns, show.Column{Name: name, Right: true})
	}
	for _, row := range names {
		cells := []string{row}
		for _, column := range names {
			cell := ""
			if c := companies[[2]string{row, column}]; c != nil {
				if cell = "agrees"; !c.Agrees() {
					cell = c.Difference[0].Money()
				}
			}
			cells = append(cells, cell)
		}
		t.Add(cells...)
	}
	t.Print(a.stdout)
}

// companiesOf are the names of the companies in their order, and what each two of them
// have booked.
func companiesOf(r *reconciled) (names []string, companies map[[2]string]*reconcile.Company) {
	companies = make(map[[2]string]*reconcile.Company)
	for i := range r.Companies {
		c := &r.Companies[i]
		companies[[2]string{c.A, c.B}], companies[[2]string{c.B, c.A}] = c, c
		for _, name := range []string{c.A, c.B} {
			if !slices.Contains(names, name) {
				names = append(names, name)
			}
		}
	}
	slices.SortFunc(names, source.Natural[string])
	return names, companies
}

// document is the JSON of a reconciliation.
func (r *reconciled) document() show.Object {
	doc := show.NewDocument("reconcile")
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
			o.Add("combine", r.flags.combine)
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
	if len(r.flags.by) > 0 {
		groups := []show.Object{}
		for i := range r.Groups {
			by := show.Object{}
			for k, name := range r.flags.by {
				by.Add(name, r.Groups[i].By[k])
			}
			groups = append(groups, show.Object{{Name: "by", Value: by}, {Name: "statement", Value: statementObjects(r, &r.Groups[i])}})
		}
		doc.Add("groups", groups)
	}
	if r.flags.mirror != "" {
		doc.Add("companies", companyObjects(r))
	}
	if r.flags.writing.out != "" && !r.stopped {
		doc.Add("out", r.flags.writing.out)
	}
	if r.Corrected != nil {
		doc.Add("corrected", show.Object{
			{Name: "out", Value: r.flags.corrected}, {Name: "prefer", Value: r.flags.prefer}, {Name: "rows", Value: r.Corrected.Records},
			{Name: "totals", Value: show.Amounts(r.Totals, r.Corrected.Totals)},
		})
	}
	over := passedOver(r.here.set)
	if r.there != r.here {
		over = append(over, passedOver(r.there.set)...)
	}
	doc.Add("passed_over", over)
	doc.Add("findings", r.Findings)
	doc.Add("proof", show.ProofObject(&r.Proof))
	return doc
}

// statementObjects are the lines of a statement: the amount is that of the first total,
// and amounts has all of them.
func statementObjects(r *reconciled, s *reconcile.Statement) []show.Object {
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

func companyObjects(r *reconciled) []show.Object {
	companies := []show.Object{}
	for i := range r.Companies {
		c := &r.Companies[i]
		companies = append(companies, show.Object{
			{Name: "a", Value: c.A}, {Name: "b", Value: c.B},
			{Name: "booked_by_a", Value: c.Here[0].String()}, {Name: "booked_by_b", Value: c.There[0].String()}, {Name: "difference", Value: c.Difference[0].String()},
			{Name: "keys", Value: c.Keys}, {Name: "differs", Value: c.Differs}, {Name: "ambiguous", Value: c.Ambiguous}, {Name: "only_a", Value: c.OnlyHere}, {Name: "only_b", Value: c.OnlyThere},
		})
	}
	return companies
}
