package view

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"path/filepath"

	"lastblock/core/capability/split"
	"lastblock/core/source"
	"lastblock/show"
)

// Parts are the parts of a file as they are shown.
type Parts struct {
	*split.Result
	Set     *source.Set
	Folder  string
	Control string   // the control sheet
	Names   []string // of the files, by part
	Others  []string // files that look like parts, and are none of these
}

// WriteControl writes the control sheet.
func (p *Parts) WriteControl(w io.Writer) error {
	lines := csv.NewWriter(w)
	err := lines.Write(append([]string{"source", "rows"}, p.Columns...))
	for i, part := range p.Result.Parts {
		cells := []string{p.Names[i], fmt.Sprint(part.Rows)}
		for _, total := range part.Totals {
			cells = append(cells, total.String())
		}
		err = errors.Join(err, lines.Write(cells))
	}
	lines.Flush()
	return errors.Join(err, lines.Error())
}

// Members are those of their JSON.
func (p *Parts) Members() show.Object {
	doc := show.Object{}
	parts := []show.Object{}
	rows := 0
	for i, part := range p.Result.Parts {
		rows += part.Rows
		parts = append(parts, show.Object{
			{Name: "source", Value: p.Names[i]}, {Name: "rows", Value: part.Rows},
			{Name: "totals", Value: show.Amounts(p.Columns, part.Totals)},
		})
	}
	doc.Add("parts", parts)
	doc.Add("rows", rows)
	doc.Add("control", p.Control)
	doc.Add("others", p.Others)
	doc.Add("passed_over", passedOver(p.Set))
	doc.Add("findings", p.Findings)
	doc.Add("proof", show.ProofObject(&p.Proof))
	return doc
}

// Print prints them.
func (p *Parts) Print(s *show.Screen) {
	t := show.Table{Columns: []show.Column{{Name: "part", Key: true}, {Name: "rows", Right: true}}}
	for _, column := range p.Columns {
		t.Columns = append(t.Columns, show.Column{Name: column, Right: true, Money: true})
	}
	rows := 0
	for i, part := range p.Result.Parts {
		rows += part.Rows
		cells := []string{p.Names[i], show.Number(part.Rows)}
		for _, total := range part.Totals {
			cells = append(cells, total.Money())
		}
		t.Add(cells...)
	}
	all := []string{"total of " + show.Count(len(p.Result.Parts), "part"), show.Number(rows)}
	for _, total := range p.Proof.Totals {
		all = append(all, total.Used.Money())
	}
	t.AddStrong(all...)
	t.Print(s)
	fmt.Fprintf(s, "\nwritten to %s, with %s\n", p.Folder, filepath.Base(p.Control))
	if n := len(p.Others); n > 0 {
		text := p.Others[0]
		if n > 1 {
			text += fmt.Sprintf(" and %s more", show.Number(n-1))
		}
		fmt.Fprintf(s, "also there, and no part of this: %s; take it away, or the parts are read with it\n", text)
	}
	printPassedOver(s, p.Set)
	show.Findings(s, p.Findings)
	show.Proof(s, &p.Proof)
}
