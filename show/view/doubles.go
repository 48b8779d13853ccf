package view

import (
	"fmt"
	"io"
	"slices"

	"lastblock/core/capability/collate"
	"lastblock/core/capability/doubles"
	"lastblock/core/finding"
	"lastblock/core/finding/proof"
	"lastblock/core/month"
	"lastblock/core/source"
	"lastblock/show"
)

// Doubles is a search for doubles as it is shown.
type Doubles struct {
	*doubles.Result
	Task *month.Doubles // as it was asked for
	Set  *source.Set
	Kept *collate.Result // what was written, nil without
	Each show.EachFinding
}

// proof is that of what was written, or else of what was read.
func (r *Doubles) proof() *proof.Proof {
	if r.Kept != nil {
		return &r.Kept.Proof
	}
	return &r.Result.Proof
}

// Document writes its JSON.
func (r *Doubles) Document(w io.Writer) error {
	sum := func(o show.Object, s *doubles.Sum) show.Object {
		return append(o, show.Object{
			{Name: "findings", Value: s.Findings}, {Name: "records", Value: s.Records},
			{Name: "totals", Value: show.Amounts(r.Totals, s.Totals)},
		}...)
	}
	kinds, pairs := []show.Object{}, []show.Object{}
	for i := range r.Kinds {
		row := &r.Kinds[i]
		kinds = append(kinds, sum(show.Object{{Name: "kind", Value: string(row.Kind)}}, &row.Sum))
	}
	for i := range r.Pairs {
		row := &r.Pairs[i]
		pairs = append(pairs, sum(show.Object{{Name: "a", Value: row.A}, {Name: "b", Value: row.B}}, &row.Sum))
	}
	doc := show.NewDocument("doubles")
	doc.Add("columns", append([]string{}, r.Columns...))
	doc.Add("kinds", kinds)
	doc.Add("pairs", pairs)
	if r.Task.Keep != "" {
		p := &r.Proposed
		doc.Add("proposed", show.Object{{Name: "keep", Value: r.Task.Keep}, {Name: "sources", Value: p.Sources},
			{Name: "records", Value: p.Records}})
	}
	if r.Kept != nil && r.Task.Out != "" {
		doc.Add("out", r.Task.Out)
		doc.Add("rows", r.Kept.Records)
	}
	doc.Add("passed_over", passedOver(r.Set))
	d := show.StartDocument(w, doc)
	if err := d.Findings(r.Each); err != nil {
		return err
	}
	d.Add("proof", show.ProofObject(r.proof()))
	return d.Close()
}

// Print prints it.
func (r *Doubles) Print(s *show.Screen) {
	if len(r.Kinds) == 0 {
		fmt.Fprintf(s, "nothing would be counted twice: %s of %s\n", show.Count(r.Result.Proof.Used, "record"),
			show.Count(len(r.Set.Sources), "source"))
	} else {
		r.printKinds(s)
		r.printPairs(s)
	}
	printPassedOver(s, r.Set)
	show.Findings(s, r.Findings)
	if slices.ContainsFunc(r.Findings, func(f finding.Finding) bool { return len(f.Places) > 0 && f.Accepted == "" }) {
		fmt.Fprintf(s, "\n%s\n", s.Faint("to decide: lastblock decide ID --drop B --reason TEXT leaves B out, "+
			"--keep counts all; --review FILE.xlsx is for many at a time"))
	}
	r.printProposal(s)
	show.Proof(s, r.proof())
}

// columnsWithTotals are those of a table of sums.
func (r *Doubles) columnsWithTotals(keys ...show.Column) []show.Column {
	columns := append(keys, show.Column{Name: "findings", Right: true}, show.Column{Name: "records twice", Right: true})
	for _, total := range r.Totals {
		columns = append(columns, show.Column{Name: total + " twice", Right: true, Money: true})
	}
	return columns
}

func cellsOf(s *doubles.Sum, keys ...string) []string {
	cells := append(keys, show.Number(s.Findings), show.Number(s.Records))
	for _, total := range s.Totals {
		cells = append(cells, total.Money())
	}
	return cells
}

func (r *Doubles) printKinds(s *show.Screen) {
	t := show.Table{Columns: r.columnsWithTotals(show.Column{Name: "kind", Key: true, Whole: true})}
	for i := range r.Kinds {
		row := &r.Kinds[i]
		t.Add(cellsOf(&row.Sum, string(row.Kind))...)
	}
	t.Print(s)
}

// shownPairs is how many pairs of entities are printed; --json has all.
const shownPairs = 20

func (r *Doubles) printPairs(s *show.Screen) {
	fmt.Fprintln(s)
	t := show.Table{Columns: r.columnsWithTotals(show.Column{Name: "between", Key: true},
		show.Column{Name: "and", Key: true})}
	for i := range r.Pairs[:min(len(r.Pairs), shownPairs)] {
		row := &r.Pairs[i]
		other := row.B
		if row.A == row.B {
			other = "itself"
		}
		t.Add(cellsOf(&row.Sum, row.A, other)...)
	}
	t.Print(s)
	if more := len(r.Pairs) - shownPairs; more > 0 {
		fmt.Fprintln(s, s.Faint(fmt.Sprintf("… %s more; --json lists them all", show.Count(more, "pair"))))
	}
}

// printProposal says what --keep leaves out, and what was written.
func (r *Doubles) printProposal(s *show.Screen) {
	f, p := r.Task, &r.Proposed
	if f.Keep != "" {
		text := fmt.Sprintf("--keep %s leaves out %s", f.Keep, show.Count(p.Records, "record"))
		if p.Sources > 0 {
			text += fmt.Sprintf(", those of %s with them", show.Count(p.Sources, "whole file"))
		}
		if f.Out == "" {
			text += "; --out FILE writes what stays, --suspense FILE what does not"
		}
		fmt.Fprintf(s, "\n%s\n", text)
	}
	if r.Kept == nil {
		return
	}
	fmt.Fprintln(s)
	if f.Out != "" {
		fmt.Fprintf(s, "%s: %s\n", f.Out, show.Count(r.Kept.Records, "record"))
	}
	if f.Suspense != "" {
		fmt.Fprintf(s, "%s: %s\n", f.Suspense, show.Count(r.Kept.Proof.Suspense+countLeft(&r.Kept.Proof), "record"))
	}
}

// countLeft is how many records were left out.
func countLeft(p *proof.Proof) int {
	n := 0
	for _, l := range p.Left {
		n += l.Records
	}
	return n
}
