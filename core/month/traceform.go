package month

import (
	"cmp"
	"context"
	"errors"
	"slices"

	"lastblock/core/capability/overlay"
	"lastblock/core/format/sheet"
	"lastblock/core/month/block"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/core/value/amount"
	"lastblock/core/value/nearest"
)

// TracedForm is where a figure of a grid comes from. The caller gives it back with Close.
type TracedForm struct {
	Of          string // the result
	Row, Column string // its labels
	Cell        string // in the form of the result
	Amount      amount.Amount
	Set         *source.Set
	Answers     []overlay.Answer // what each form says of it, the largest first

	Entry  *block.Entry // that has sealed it; nil for none
	Sealed amount.Amount
	Known  bool // Sealed is known
	Was    []TracedSource
	Bridge []BridgeLine // from the figure as it was sealed to what it is now

	forms *Forms
}

// Close gives back what is held beside memory.
func (t *TracedForm) Close() error { return t.forms.Close() }

// IsGridFigure tells whether words ask for a figure of a grid of the plan: for a row or a column.
func (p *Plan) IsGridFigure(t *Tracing, say []block.Word) bool {
	_, hasRow := wordOf(say, GridRow)
	_, hasColumn := wordOf(say, GridColumn)
	if !hasRow && !hasColumn || !p.Has(NewOverlay().Name()) {
		return false
	}
	results, err := p.Overlays()
	return err != nil || len(t.Named) == 0 || slices.ContainsFunc(results, func(r *Result[*Overlay]) bool {
		return slices.Contains(t.Named, r.Task.ResultName())
	})
}

func wordOf(say []block.Word, column string) (value string, ok bool) {
	for _, w := range say {
		if w.Column == column {
			return w.Value, true
		}
	}
	return "", false
}

// TraceForm finds what each form gave to a figure of a grid, which a row and a column name. The error is an
// *option.Error, or what reading returned.
func (p *Plan) TraceForm(ctx context.Context, t *Tracing, say []block.Word, machine int64) (traced *TracedForm,
	err error) {
	r, err := p.grid(t)
	if err != nil {
		return nil, err
	}
	chain, entry, err := p.tracedBlock(t)
	if err != nil {
		return nil, err
	}
	forms, err := ReadForms(ctx, r, entry, t.Block > 0, machine)
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			err = errors.Join(err, forms.Close())
		}
	}()
	row, hasRow := wordOf(say, GridRow)
	column, hasColumn := wordOf(say, GridColumn)
	if !hasRow || !hasColumn {
		return nil, errors.New("a figure of a grid is named by its row and its column, as 'Wages' 'Q2'")
	}
	figures := forms.Done.Find(row, column)
	if cell, ok := wordOf(say, GridCell); ok {
		figures = slices.DeleteFunc(figures, func(f [3]int) bool { return forms.cell(f) != cell })
	}
	switch {
	case len(figures) > 1:
		return nil, option.Errorf("named", "%q of %q is there %d times, in %s and %s; add for example cell=%s", column,
			row,
			len(figures), forms.cell(figures[0]), forms.cell(figures[1]), forms.cell(figures[0]))
	case len(figures) == 0 && !slices.Contains(forms.Done.Labels(overlay.Rows), row):
		return nil, nearest.Unknown("row", row, forms.Done.Labels(overlay.Rows))
	case len(figures) == 0:
		return nil, nearest.Unknown("column", column, forms.Done.Labels(overlay.Columns))
	}
	at := figures[0]
	b := &forms.Done.Blocks[at[0]]
	traced = &TracedForm{Of: r.Task.ResultName(), Row: b.Rows[at[1]].Name(), Column: b.Columns[at[2]].Name(),
		Cell: forms.cell(at), Amount: b.At(at[1], at[2]).Amount, Set: forms.In.Set, forms: forms}
	if traced.Answers, err = forms.Done.Answers(at[0], at[1], at[2]); err != nil {
		return nil, err
	}
	if entry == nil {
		return traced, nil
	}
	return traced, traced.ask(ctx, p, chain, entry, forms.group(at[0], at[1], at[2]))
}

// tracedBlock is the block that has sealed a figure: the one that is asked for, or the newest; nil where there is none.
func (p *Plan) tracedBlock(t *Tracing) (*block.Chain, *block.Entry, error) {
	chain, err := p.Chain()
	if err != nil {
		return nil, nil, err
	}
	switch n := len(chain.Entries); {
	case t.Block < 0 || t.Block > n:
		return nil, nil, option.Errorf("block", "there is no block %d; there are %d", t.Block, n)
	case n == 0:
		return chain, nil, nil
	case t.Block > 0:
		return chain, &chain.Entries[t.Block-1], nil
	}
	return chain, chain.Latest(), nil
}

// cell is where a figure stands in the form of the result.
func (f *Forms) cell(at [3]int) string {
	b := &f.Done.Blocks[at[0]]
	return overlay.Address(b.Rows[at[1]].At, b.Columns[at[2]].At)
}

// grid is the grid that is meant: the one that is named, or the only one.
func (p *Plan) grid(t *Tracing) (*Result[*Overlay], error) {
	results, err := p.Overlays()
	if err != nil {
		return nil, err
	}
	var names []string
	for _, r := range results {
		names = append(names, r.Task.ResultName())
	}
	if len(t.Named) == 0 && len(results) > 1 {
		return nil, option.Errorf("named", "whose figure? The plan has the grids %v", names)
	}
	if len(t.Named) == 0 {
		return results[0], nil
	}
	at := slices.Index(names, t.Named[0])
	if at < 0 {
		return nil, option.Errorf("named", "%w", nearest.Unknown("result", t.Named[0], names))
	}
	return results[at], nil
}

// ask asks a block for the figure, and bridges it to what it is now.
func (t *TracedForm) ask(ctx context.Context, p *Plan, chain *block.Chain, entry *block.Entry, group []string) error {
	w := block.Wish{Result: t.Of, Sum: GridValue}
	for i, column := range t.forms.By() {
		w.Words = append(w.Words, block.Word{Column: column, Value: group[i]})
	}
	gave, err := chain.Gave(entry, w)
	if err != nil || gave == nil {
		return err
	}
	compared, err := Compare(ctx, p, t.forms.In, chain, entry, source.ReadSeen(t.forms.In.Seen))
	if err != nil {
		return err
	}
	t.Entry, t.Sealed, t.Known = entry, gave.Amount, true
	t.bridge(compared, gave)
	return nil
}

// bridge leads from the figure as it was sealed to what it is now, form by form.
func (t *TracedForm) bridge(compared *Comparison, gave *block.Gave) {
	now := make(map[string]amount.Amount)
	for i := range t.Answers {
		if a := &t.Answers[i]; a.Gave {
			now[t.Set.Sources[a.Source].Name] = a.Amount
		}
	}
	change := make(map[string]*SourceChange)
	for i := range compared.Sources {
		change[compared.Sources[i].Source] = &compared.Sources[i]
		if c := &compared.Sources[i]; c.Change == Moved {
			gave.By[c.Source] = gave.By[c.Was]
			delete(gave.By, c.Was)
		}
	}
	names := make(map[string]bool)
	for _, by := range []map[string]amount.Amount{now, gave.By} {
		for name := range by {
			names[name] = true
		}
	}
	var all []string
	for name := range names {
		all = append(all, name)
		t.Was = append(t.Was, TracedSource{Source: name, Amount: now[name], Was: gave.By[name]})
	}
	slices.Sort(all)
	slices.SortFunc(t.Was, func(a, b TracedSource) int {
		return cmp.Or(b.Was.Abs().Cmp(a.Was.Abs()), cmp.Compare(a.Source, b.Source))
	})
	lines := []BridgeLine{{Label: LineSealed, Amount: t.Sealed}}
	for _, name := range all {
		by := now[name].Sub(gave.By[name])
		if by.Sign() == 0 {
			continue
		}
		label := compared.beside(true)
		if c := change[name]; c != nil && c.Change != Moved {
			label = string(c.Change)
		}
		lines = append(lines, BridgeLine{label, name, by})
	}
	if len(lines) > 1 {
		t.Bridge = append(lines, BridgeLine{Label: LineNow, Amount: t.Amount})
	}
}

// GridFigureIn is a figure of a grid as a file has it that was handed out: a workbook in the cell of the result,
// and any other file in the line of its row. ok is false where it has none.
func GridFigureIn(ctx context.Context, file string, t *TracedForm, machine int64) (figure amount.Amount, ok bool,
	err error) {
	forms := NewOverlay()
	forms.Manner.Sheet = GridSheet
	in, err := forms.Open(ctx, []string{file}, machine)
	if err == nil && in.Set.Sources[0].Sheet() == GridSheet {
		row, column, _ := sheet.Reference(t.Cell)
		err = in.Set.ReadCells(ctx, in.Reading, func() func(*source.Cells) error {
			return func(c *source.Cells) error {
				if err := c.Parse(); err != nil {
					return err
				}
				for i := range c.Rows {
					if r := &c.Rows[i]; r.Number == row && column <= len(r.Cells) {
						figure, _, ok = c.Amount(&r.Cells[column-1])
					}
				}
				return nil
			}
		})
		return figure, ok, err
	}
	records := NewTracing()
	records.Sum, records.Top = t.Column, 1
	if in, err = records.Open(ctx, []string{file}, machine); err != nil {
		return figure, false, ctx.Err()
	}
	in.Reading.OwnOutputs = true
	found, err := TraceSources(ctx, in, records, []block.Word{{Column: GridLine, Value: t.Row}})
	if err != nil {
		return figure, false, ctx.Err() // it has no such columns any more
	}
	return found.Amount, true, found.Close()
}

// What a grid that is written calls its sheet of sums, and where it is a table its column of labels.
const (
	GridSheet = "Sum"
	GridLine  = "line"
)
