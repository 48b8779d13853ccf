package month

import (
	"context"
	"errors"

	"lastblock/core/capability/overlay"
	"lastblock/core/capability/rollup"
	"lastblock/core/month/block"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
)

// The columns of the groups of a grid, and of its sums, as blocks have them.
const (
	GridRow    = "row"
	GridColumn = "column"
	GridCell   = "cell" // where labels alone do not tell figures apart
	GridValue  = "value"
)

// Forms are forms that were added up, as a part of a month end.
type Forms struct {
	*Result[*Overlay]
	In   *Input
	Done *overlay.Result
	by   []string

	total amount.Amount   // of the figures that are no sums of others
	given []amount.Amount // what each of Done.Sources gave to these
}

// Overlays are the grids that the plan asks for.
func (p *Plan) Overlays() ([]*Result[*Overlay], error) {
	typed := NewOverlay()
	if !p.Has(typed.Name()) {
		return nil, nil
	}
	typed.Plan = p.parsed.File
	options := AllOptions(typed)
	options.Find("plan").Given.Typed = true
	results, _, err := Results(p, typed, options, NewOverlay)
	return results, err
}

// ReadForms adds up the forms of a grid of the plan that are compared with those of a block, nil for none. asSealed
// says that forms of later periods than that of the block do not count. The error is an *option.Error, or what reading
// returned.
func ReadForms(ctx context.Context, r *Result[*Overlay], e *block.Entry, asSealed bool, machine int64) (*Forms, error) {
	in, err := r.Task.OpenForms(ctx, nil, machine)
	if err != nil {
		return nil, r.Err(err)
	}
	if e != nil {
		r.Task.limit(in, e.Period, asSealed)
	} else if err := r.Task.Choose(in, r.plan); err != nil {
		return nil, r.Err(err)
	}
	f, err := AddUp(ctx, r, in)
	if err != nil {
		return nil, err
	}
	if err := f.SumUp(); err != nil {
		return nil, errors.Join(err, f.Close())
	}
	return f, nil
}

// AddUp adds up forms that were found.
func AddUp(ctx context.Context, r *Result[*Overlay], in *Input) (*Forms, error) {
	options, err := r.Task.Ask(in)
	if err != nil {
		return nil, r.Err(err)
	}
	done, err := overlay.Run(ctx, in.Set, in.Reading, options)
	if err != nil {
		return nil, r.Err(err)
	}
	f := &Forms{Result: r, In: in, Done: done, by: []string{GridRow, GridColumn}}
	if !f.isTold() {
		f.by = append(f.by, GridCell)
	}
	return f, nil
}

// SumUp adds up the figures that are no sums of others, for Total and Given.
func (f *Forms) SumUp() error {
	var total amount.Sum
	for i := range f.Done.Sources {
		given := f.Done.Sources[i].Amount
		if len(f.Done.Footings) > 0 {
			var own amount.Sum
			err := f.Done.EachOf(i, func(c *overlay.Contribution) error {
				if !f.Done.IsSum(c.Block, c.Row, c.Column) {
					own.Add(c.Amount)
				}
				return nil
			})
			if err != nil {
				return err
			}
			given = own.Amount()
		}
		f.given = append(f.given, given)
		total.Add(given)
	}
	f.total = total.Amount()
	return nil
}

// Total is what the figures of the grid come to, without those that are sums of others.
func (f *Forms) Total() amount.Amount { return f.total }

// isSum tells whether a group of the grid is a sum of others, by its labels.
func (f *Forms) isSum() func(key string) bool {
	sums := make(map[string]bool)
	for b := range f.Done.Blocks {
		block := &f.Done.Blocks[b]
		for i := range block.Rows {
			for k := range block.Columns {
				if f.Done.IsSum(b, i, k) {
					sums[keyOf(f.group(b, i, k))] = true
				}
			}
		}
	}
	return func(key string) bool { return sums[key] }
}

// Close gives back what is held beside memory.
func (f *Forms) Close() error { return f.Done.Close() }

// isTold tells whether the labels of rows and columns tell all figures apart.
func (f *Forms) isTold() bool {
	seen := make(map[string]bool)
	for b := range f.Done.Blocks {
		block := &f.Done.Blocks[b]
		for i := range block.Rows {
			for k := range block.Columns {
				key := keyOf([]string{block.Rows[i].Name(), block.Columns[k].Name()})
				if seen[key] {
					return false
				}
				seen[key] = true
			}
		}
	}
	return true
}

// By are the columns of the groups.
func (f *Forms) By() []string { return f.by }

// group are the values of a figure in the columns of the groups.
func (f *Forms) group(b, row, column int) []string {
	block := &f.Done.Blocks[b]
	key := []string{block.Rows[row].Name(), block.Columns[column].Name()}
	if len(f.by) > len(key) {
		key = append(key, overlay.Address(block.Rows[row].At, block.Columns[column].At))
	}
	return key
}

// EachGroup calls visit for each figure that is not blank.
func (f *Forms) EachGroup(visit func(row rollup.Row) error) error {
	for b := range f.Done.Blocks {
		block := &f.Done.Blocks[b]
		for i := range block.Rows {
			for k := range block.Columns {
				figure := block.At(i, k)
				if figure.From == 0 {
					continue
				}
				err := visit(rollup.Row{Key: f.group(b, i, k), Records: figure.From,
					Sums: []amount.Amount{figure.Amount}})
				if err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// Within calls visit for what each source gave to each figure, in the order of the sources; of those that isWanted, nil
// for all.
func (f *Forms) Within(isWanted func(source int) bool, visit func(source int, row rollup.Row) error) error {
	for i := range f.Done.Sources {
		if isWanted != nil && !isWanted(f.Done.Sources[i].Index) {
			continue
		}
		var cells [][3]int
		sums := make(map[[3]int]*rollup.Row)
		err := f.Done.EachOf(i, func(c *overlay.Contribution) error {
			cell := [3]int{c.Block, c.Row, c.Column}
			row := sums[cell]
			if row == nil {
				row = &rollup.Row{Key: f.group(c.Block, c.Row, c.Column), Sums: make([]amount.Amount, 1), Cell: c.At}
				sums[cell], cells = row, append(cells, cell)
			}
			row.Records++
			row.Sums[0] = row.Sums[0].Add(c.Amount)
			return nil
		})
		if err != nil {
			return err
		}
		for _, cell := range cells {
			if err := visit(f.Done.Sources[i].Index, *sums[cell]); err != nil {
				return err
			}
		}
	}
	return nil
}

// Given are the counts of each source, by its index.
func (f *Forms) Given() []tally.Source {
	given := make([]tally.Source, len(f.In.Set.Sources))
	for i := range f.Done.Sources {
		of := &f.Done.Sources[i]
		s := &given[of.Index]
		s.Read, s.Used, s.Suspense, s.Dropped = of.Read-of.Blank, of.Used, of.Suspense, of.Dropped
		s.Totals = make([]amount.Sum, 1)
		s.Totals[0].Add(f.given[i])
	}
	return given
}

// Measured is what the forms give to the grid.
func (f *Forms) Measured() *Measured {
	m := &Measured{Set: f.In.Set, forms: f}
	given := f.Given()
	for i := range given {
		m.Sources = append(m.Sources, figuresCounted(&given[i]))
	}
	m.Results = []*MeasuredResult{{Command: f.Task.Name(), Title: f.Name(), By: f.by, Sums: []string{GridValue},
		Total: []amount.Amount{f.total}, Given: given, Within: f.Within}}
	return m
}

// sourcesOf are those of a block that a result has of its own, or "" those that all results share.
func sourcesOf(all []block.Source, of string) (some []block.Source) {
	for i := range all {
		if all[i].Of == of {
			some = append(some, all[i])
		}
	}
	return some
}

// FormChanges holds the forms of each grid of the plan against a block. The caller gives them back with Close.
func (p *Plan) FormChanges(ctx context.Context, chain *block.Chain, e *block.Entry, program string, seen *Seen,
	machine int64) (
	all []*BeforeAndNow, err error) {
	defer func() {
		if err != nil {
			for _, b := range all {
				err = errors.Join(err, b.Close())
			}
		}
	}()
	results, err := p.Overlays()
	if err != nil {
		return nil, err
	}
	for _, r := range results {
		forms, err := ReadForms(ctx, r, e, false, machine)
		if err != nil {
			return all, err
		}
		b, err := p.ChangesOf(ctx, forms.In, forms.Measured(), forms.Read(), nil, chain, e, program, seen)
		if err != nil {
			return all, errors.Join(err, forms.Close())
		}
		all = append(all, b)
	}
	return all, nil
}

// FormInputs finds the forms of each grid of the plan.
func (p *Plan) FormInputs(ctx context.Context, machine int64) (inputs []*Input, err error) {
	results, err := p.Overlays()
	for _, r := range results {
		in, err := r.Task.OpenForms(ctx, nil, machine)
		if err != nil {
			return nil, r.Err(err)
		}
		inputs = append(inputs, in)
	}
	return inputs, err
}
