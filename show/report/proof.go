package report

import (
	"fmt"

	"lastblock/core/month/block"
	"lastblock/core/month/pack"
)

// proof shows that everything that was read is accounted for, with the files that were made.
func proof(d *draft) []Part {
	p := &d.Report.Proof
	t := &Table{Name: "proof", Columns: []Column{{Name: "of"}, {Name: "read", Kind: Money}, {Name: "used", Kind: Money},
		{Name: "suspense", Kind: Money}, {Name: "left out", Kind: Money}, {Name: "holds"}}}
	holds := Cell{Text: "yes", Word: Good}
	row := Row{Cells: []Cell{text("records"), count(p.Read), count(p.Used), count(p.Suspense), count(p.Dropped), holds}}
	t.Rows = append(t.Rows, row)
	for _, total := range p.Totals {
		t.Rows = append(t.Rows, Row{Cells: []Cell{text(total.Column), money(total.Read), money(total.Used),
			money(total.Suspense), money(total.Dropped), holds}})
	}
	parts := []Part{
		{Sheet: "Proof", Table: t, Texts: []string{"What was read is what was used, set aside and left out."}},
	}
	if len(d.Results) > 0 {
		made := &Table{Name: "results", Sorts: true, Columns: []Column{{Name: "result"}, {Name: "file"},
			{Name: "rows", Kind: Count}, {Name: "SHA-256", Kind: Code}}}
		for i := range d.Results {
			r := &d.Results[i]
			name := resultName(r)
			if r.As != "" {
				name += ", " + r.As
			}
			cells := []Cell{text(name), text(r.Name), countOrBlank(r.Rows), text(r.SHA256)}
			made.Rows = append(made.Rows, Row{Cells: cells})
		}
		parts = append(parts, Part{Title: "Results", Sheet: "Results", Table: made})
	}
	return append(parts, Part{Title: "How to check", Sheet: "About", Table: d.about()})
}

// about says what the report is, and how it can be checked.
func (d *draft) about() *Table {
	t := &Table{Name: "about", Columns: []Column{{Name: "what"}, {Name: "is"}}}
	add := func(name, is string) {
		if is != "" {
			t.Rows = append(t.Rows, Row{Cells: []Cell{text(name), text(is)}})
		}
	}
	add("period", d.Period)
	add("state", map[pack.State]string{pack.Rehearsed: "not sealed: a rehearsal of the close",
		pack.Closing: fmt.Sprintf("sealed with block %d", d.Number),
		pack.Sealed:  fmt.Sprintf("made of block %d", d.Number)}[d.State])
	add("verdict", string(d.Verdict))
	add("by", d.User)
	t.Rows = append(t.Rows, Row{Cells: []Cell{text("at (UTC)"), moment(d.Time)}})
	add("Lastblock", d.Program)
	add("seal", d.Seal)
	if d.Previous != nil {
		add(fmt.Sprintf("seal of block %d", d.Previous.Number), d.Previous.Seal)
	}
	add("plan", d.Plan.Name)
	add("SHA-256 of the plan", d.Plan.SHA256)
	add("SHA-256 of the figures", d.Figures.SHA256)
	if d.Decided.Lines > 0 {
		add("decisions", fmt.Sprintf("%d, the last with seal %s", d.Decided.Lines, block.Short(d.Decided.Seal)))
	}
	if d.State == pack.Rehearsed {
		add("how to seal it", "lastblock close")
	} else {
		add("has anything been touched?", "lastblock verify --sources")
		add("this report again", fmt.Sprintf("lastblock report --block %d --out pack.html", d.Number))
	}
	add("where a figure comes from", "lastblock trace COLUMN=VALUE")
	return t
}
