package pack

import (
	"cmp"
	"slices"

	"lastblock/core/capability/doubles"
	"lastblock/core/capability/overlay"
	"lastblock/core/capability/reconcile"
	"lastblock/core/capability/rollup"
	"lastblock/core/capability/tieout"
	"lastblock/core/finding"
	"lastblock/core/finding/decision"
	"lastblock/core/finding/proof"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/period"
)

// MostGroups is how many rows of a summary are kept. The summary itself has all.
const MostGroups = 20_000

// entityOf and periodOf are what the names of files tell of a source.
func entityOf(set *source.Set, index int) string { return set.Word(index, tally.EntityWord) }

func periodOf(set *source.Set, index int) string {
	if p, ok := period.Parse(set.Word(index, tally.PeriodWord)); ok {
		return p.String()
	}
	return ""
}

// TakeTie takes what the tie-out came to: who has filed, what was declared, the sources, and the proof.
func (p *Pack) TakeTie(set *source.Set, tied *tieout.Result) {
	for _, row := range tied.Sources {
		p.Sources = append(p.Sources, Source{Source: set.Sources[row.Index].Name, Entity: entityOf(set, row.Index),
			Period: periodOf(set, row.Index), Rows: row.Rows, Suspense: row.Suspense, Dropped: row.Dropped,
			Totals: row.Totals})
	}
	for _, d := range tied.Declared {
		p.Declared = append(p.Declared, Declared{Source: set.Sources[d.Index].Name, Figure: d.Figure,
			Declared: d.Declared, Found: d.Found, Difference: d.Found.Sub(d.Declared)})
	}
	for _, over := range set.PassedOver {
		p.PassedOver = append(p.PassedOver, PassedOver{over.Source, over.Reason})
	}
	p.Proof = proofOf(&tied.Proof)
	if tied.Matrix == nil {
		return
	}
	p.Filed = &Filed{Periods: tied.Matrix.Periods}
	for _, row := range tied.Matrix.Entities {
		of := FiledRow{Entity: row.Entity}
		for _, cell := range row.Cells {
			of.Cells = append(of.Cells, FiledCell{string(cell.Status), cell.Rows, cell.Sources})
		}
		p.Filed.Entities = append(p.Filed.Entities, of)
	}
}

func proofOf(of *proof.Proof) Proof {
	p := Proof{Read: of.Read, Used: of.Used, Suspense: of.Suspense, Dropped: of.Dropped}
	for _, t := range of.Totals {
		p.Totals = append(p.Totals, ProofTotal{t.Column, t.Read, t.Used, t.Suspense, t.Dropped, t.Unread})
	}
	return p
}

// TakeFindings takes all findings, when all else was taken. of are the sources that they may be about, and log is what
// was decided, nil for nothing.
func (p *Pack) TakeFindings(findings []finding.Finding, of []*source.Set, log *decision.Log) {
	type about struct{ entity, period string }
	known := make(map[string]about)
	for _, set := range of {
		for i := range set.Sources {
			known[set.Sources[i].Name] = about{entityOf(set, i), periodOf(set, i)}
		}
	}
	if p.Filed != nil {
		for _, row := range p.Filed.Entities {
			for _, name := range p.Filed.Periods {
				known[row.Entity+" "+name] = about{row.Entity, name} // of a finding that nothing has come
			}
		}
	}
	for _, f := range findings {
		who := known[f.Source]
		own := Finding{Finding: f, Entity: who.entity, Period: who.period, Mutual: p.mutual[f.ID]}
		for _, place := range f.Places {
			own.Mutual = own.Mutual || known[place.Source].entity != who.entity
		}
		if log != nil && f.Accepted != "" {
			if d, ok := log.Of(f.ID); ok {
				own.User, own.Time, own.Decision = d.User, &d.Time, d.Verdict
			}
		}
		p.Findings = append(p.Findings, own)
	}
}

// AddSummary adds a summary under its name. The error is what reading groups back returned.
func (p *Pack) AddSummary(name string, f *rollup.Formed) error {
	s := Summary{Name: cmp.Or(name, "rollup"), By: f.Columns, Sums: f.Sums, Across: f.Across, Share: f.Share,
		Groups: f.Count}
	if keys := f.Keys(); len(keys) > len(f.Columns) {
		s.Column = keys[len(f.Columns)]
	}
	kinds := map[rollup.LineKind]LineKind{rollup.Group: Group, rollup.Subtotal: Subtotal, rollup.Rest: Rest,
		rollup.Total: Total, rollup.Suspense: Suspense}
	err := f.Lines(func(l rollup.Line) error {
		if len(s.Lines) >= MostGroups && l.Kind != rollup.Total && l.Kind != rollup.Suspense {
			return nil
		}
		line := SummaryLine{Kind: kinds[l.Kind], Key: slices.Clone(l.Key), Records: l.Records, Sums: l.Sums}
		for _, cell := range l.Cells {
			line.Cells = append(line.Cells, pointers(cell))
		}
		for i := range f.Sums {
			if l.Kind == rollup.Suspense {
				line.Unread = append(line.Unread, f.IsUnread(i))
			}
		}
		s.Lines = append(s.Lines, line)
		return nil
	})
	p.Summaries = append(p.Summaries, s)
	return err
}

// pointers are amounts of a cell, nil where it has none.
func pointers(values []amount.Amount) (all []*amount.Amount) {
	for i := range values {
		all = append(all, &values[i])
	}
	return all
}

// SetDoubles takes what the search for doubles came to.
func (p *Pack) SetDoubles(r *doubles.Result) {
	row := func(s *doubles.Sum) DoubleRow {
		return DoubleRow{Findings: s.Findings, Records: s.Records, Totals: s.Totals}
	}
	p.Doubles = &Doubles{Totals: r.Totals, Kinds: []DoubleRow{}}
	for i := range r.Kinds {
		of := row(&r.Kinds[i].Sum)
		of.Kind = r.Kinds[i].Kind
		p.Doubles.Kinds = append(p.Doubles.Kinds, of)
	}
	for i := range r.Pairs {
		p.Doubles.Pairs = append(p.Doubles.Pairs, DoublePair{r.Pairs[i].A, r.Pairs[i].B, row(&r.Pairs[i].Sum)})
	}
}

// AddReconciliation adds the statement of a reconciliation, by some columns; mutual tells that it is between the
// entities.
func (p *Pack) AddReconciliation(name string, by []string, mutual bool, r *reconcile.Result) {
	for i := range r.Findings {
		if mutual {
			if p.mutual == nil {
				p.mutual = make(map[string]bool)
			}
			p.mutual[r.Findings[i].ID] = true
		}
	}
	of := Reconciliation{Name: cmp.Or(name, "reconcile"), By: by, Totals: r.Totals, Mutual: mutual}
	for _, s := range append([]reconcile.Statement{r.Statement}, r.Groups...) {
		statement := Statement{Group: s.By}
		for _, line := range s.Lines {
			statement.Lines = append(statement.Lines, StatementLine{line.Label, line.Count, line.Amounts})
		}
		of.Statements = append(of.Statements, statement)
	}
	p.Reconciliations = append(p.Reconciliations, of)
}

// AddGrid adds what forms came to, with the forms as sources; by are the columns of its figures.
func (p *Pack) AddGrid(name string, by []string, set *source.Set, r *overlay.Result) {
	g := Grid{Name: name, By: by, Forms: len(r.Sources)}
	lines := func(of []overlay.Line) (lines []GridLine) {
		for i := range of {
			lines = append(lines, GridLine{of[i].Name(), of[i].Total, of[i].IsHead})
		}
		return lines
	}
	for b := range r.Blocks {
		from := &r.Blocks[b]
		block := GridBlock{Rows: lines(from.Rows), Columns: lines(from.Columns)}
		for i := range from.Rows {
			for k := range from.Columns {
				figure := GridFigure{Cell: overlay.Address(from.Rows[i].At, from.Columns[k].At)}
				if of := from.At(i, k); of.From > 0 {
					figure.Amount = &of.Amount
				}
				block.Figures = append(block.Figures, figure)
			}
		}
		g.Blocks = append(g.Blocks, block)
	}
	p.Grids = append(p.Grids, g)
	for i := range r.Sources {
		of := &r.Sources[i]
		p.Sources = append(p.Sources, Source{Source: set.Sources[of.Index].Name, Of: name,
			Entity: entityOf(set, of.Index), Period: periodOf(set, of.Index), Rows: of.Read - of.Blank,
			Suspense: of.Suspense, Dropped: of.Dropped, Totals: []amount.Amount{of.Amount}})
	}
}
