package view

import (
	"fmt"
	"slices"
	"strings"

	"lastblock/core/capability/reconcile"
	"lastblock/core/value/natural"
	"lastblock/show"
)

// printCompanies prints what each two companies have booked about one another, and a
// table of companies with the differences.
func (r *Reconciliation) printCompanies(s *show.Screen) {
	if len(r.Companies) == 0 {
		fmt.Fprintln(s, "no record is about two companies")
		return
	}
	of := r.Totals[0]
	if rates := r.Task.Rates; rates != "" {
		fmt.Fprintf(s, "%s converted by %s, each record rounded half to even to 2 digits\n\n", of, rates)
	}
	t := show.Table{Columns: []show.Column{
		{Name: "company", Key: true}, {Name: "and", Key: true}, {Name: "has booked", Right: true},
		{Name: "the other one", Right: true}, {Name: "together", Right: true},
		{Name: "do not agree"},
	}}
	for i := range r.Companies {
		c := &r.Companies[i]
		t.Add(c.A, c.B, c.Here[0].Money(), c.There[0].Money(), moneyOrBlank(c.Difference[0], false), disagreement(c))
	}
	t.Print(s)
	fmt.Fprintln(s)
	r.printDifferences(s)
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
func (r *Reconciliation) printDifferences(s *show.Screen) {
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
	t.Print(s)
}

// companiesOf are the names of the companies in their order, and what each two of them
// have booked.
func companiesOf(r *Reconciliation) (names []string, companies map[[2]string]*reconcile.Company) {
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
	slices.SortFunc(names, natural.Compare[string])
	return names, companies
}
