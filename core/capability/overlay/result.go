package overlay

import (
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/large/spill"
	"lastblock/core/large/texts"
	"lastblock/core/value/amount"
)

// Result is a grid of sums. What each source gave is gone through and not listed, as it may be more than memory holds.
type Result struct {
	Blocks  []Block
	ByLabel bool   // forms met by label, else by position
	Where   string // of forms that met by position, where the figures are, as B7:F18
	Found   bool   // that was found, and not said
	Base    int    // the source that has the form of the result

	Sources  []Given // those that were read, in the order of the set
	Total    Given
	Footings []FootingFound
	Findings []finding.Finding

	run *run
}

// Block is an area of figures.
type Block struct {
	Rows, Columns []Line
	Figures       []Figure // row after row
}

// Line is a row or a column of the result.
type Line struct {
	Label  []string // levels, the outermost first
	At     int      // its number in the form of the result, from 1
	Like   int      // the row or the column of the source with that form that it is, or looks like where it was added
	Added  bool     // the form of the result has no such line; others have
	Forms  int      // how many have it
	Total  bool     // it is the sum of others
	IsHead bool     // it has no figures
}

// Name is the label in one text.
func (l *Line) Name() string { return labelOf(l.Label) }

// Figure is a sum.
type Figure struct {
	Amount amount.Amount
	From   int // how many sources gave something; 0 for a cell that is blank
}

// At is a figure of a block.
func (b *Block) At(row, column int) *Figure { return &b.Figures[row*len(b.Columns)+column] }

// Given is what a source gave: cells, and what the amounts in them come to.
type Given struct {
	Index int // of the source in the set; -1 of all
	Counts
	Figures amount.Amount // of all amounts that were read
	Amount  amount.Amount // of those that were used
	// InSuspense, NotAdded and Dropped are amounts that were not used; Unread are cells in suspense that hold none.
	AmountInSuspense, AmountNotAdded, AmountDropped amount.Amount
	Unread                                          int
}

// FootingFound is a line that is the sum of others.
type FootingFound struct {
	Axis  Axis
	Block int
	Line  int
	Parts []int
	Named bool
	Forms int // in which it foots
}

func (g *given) given(index int) Given {
	return Given{Index: index, Counts: g.Counts, Figures: g.read.Amount(), Amount: g.used.Amount(),
		AmountInSuspense: g.suspense.Amount(), AmountNotAdded: g.notAdded.Amount(), AmountDropped: g.dropped.Amount(),
		Unread: g.badUnread}
}

// result makes the result, once its proof holds.
func (r *run) result() (*Result, error) {
	all, err := r.check()
	if err != nil {
		return nil, err
	}
	result := &Result{ByLabel: r.options.Labels != nil, Found: r.options.Areas == nil && r.options.Labels == nil,
		Total: all.given(-1), Base: -1, run: r}
	for i := range r.areas {
		if i > 0 {
			result.Where += ","
		}
		result.Where += addressOf(&r.areas[i])
	}
	for i, f := range r.forms {
		result.Sources = append(result.Sources, r.given[i].given(f.source))
	}
	switch {
	case r.most != nil:
		result.Base = r.most.first
	case len(r.layouts) > 0:
		result.Base = r.layouts[0].first
	}
	for b := range r.grid.blocks {
		result.Blocks = append(result.Blocks, r.blockOf(b))
	}
	for i, f := range r.footings {
		result.Blocks[f.block].lines(f.axis)[f.total].Total = true
		result.Footings = append(result.Footings,
			FootingFound{Axis: f.axis, Block: f.block, Line: f.total, Parts: f.parts,
				Named: f.named, Forms: r.foots[i]})
	}
	result.Findings = r.findings.All()
	return result, nil
}

func (b *Block) lines(axis Axis) []Line {
	if axis == Rows {
		return b.Rows
	}
	return b.Columns
}

func (r *run) blockOf(b int) Block {
	of := &r.grid.blocks[b]
	block := Block{Rows: r.linesOf(b, Rows), Columns: r.linesOf(b, Columns)}
	for i := range len(of.rows) * len(of.columns) {
		figure := Figure{From: r.sum.from[of.offset+i]}
		if figure.From > 0 {
			figure.Amount = r.sum.totals[of.offset+i].Amount()
		}
		block.Figures = append(block.Figures, figure)
	}
	return block
}

func (r *run) linesOf(b int, axis Axis) (lines []Line) {
	for i := range r.grid.blocks[b].lines(axis) {
		l := &r.grid.blocks[b].lines(axis)[i]
		lines = append(lines, Line{Label: l.levels, At: l.at, Like: l.like, Added: l.added, Forms: l.forms,
			IsHead: !r.roles[axis][b][i].numbers})
	}
	return lines
}

// Close gives back what is held beside memory.
func (r *Result) Close() error {
	r.run.close()
	return nil
}

// Contribution is what a source gave to a figure.
type Contribution struct {
	Source             int // its index in the set
	Block, Row, Column int // of the figure in the result
	At                 string
	Amount             amount.Amount
}

// EachOf calls visit for what one of Sources gave, row after row of the result as far as the form has them in its
// order.
func (r *Result) EachOf(source int, visit func(*Contribution) error) error {
	return r.run.eachOf(r.run.forms[source], visit)
}

func (r *run) eachOf(f *form, visit func(*Contribution) error) error {
	if f.to == nil {
		return nil
	}
	var room []byte
	data, err := f.values.read(&room)
	if err != nil {
		return err
	}
	c, values := Contribution{Source: f.source}, newReader(data)
	for b := range f.layout.blocks {
		block := &f.layout.blocks[b]
		for i := range block.rows {
			for k := range block.columns {
				v, err := values.next()
				if err != nil {
					return err
				}
				row, column := f.to[Rows][b][i], f.to[Columns][b][k]
				if row < 0 || column < 0 || !r.isUsed(b, row, column, v.state) {
					continue
				}
				c.Block, c.Row, c.Column, c.Amount = b, row, column, v.amount
				c.At = Address(block.rows[i].at, block.columns[k].at)
				if err := visit(&c); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// isUsed tells whether a value is added to the figure of its cell.
func (r *run) isUsed(b, row, column int, s state) bool {
	return s == number || s == ratio && (r.roles[Rows][b][row].also || r.roles[Columns][b][column].also)
}

// Each calls visit for what every source gave, in the order of the sources.
func (r *Result) Each(visit func(*Contribution) error) error {
	for i := range r.Sources {
		if err := r.EachOf(i, visit); err != nil {
			return err
		}
	}
	return nil
}

// From calls visit for what the sources gave to a figure, in their order.
type From func(visit func(*Contribution) error) error

// EachFigure calls visit for each figure that is not blank, row after row, with what the sources gave to it.
func (r *Result) EachFigure(visit func(block, row, column int, from From) error) (err error) {
	sorter := spill.New(r.run.reading.Memory / 4)
	defer func() { err = errors.Join(err, sorter.Close()) }()
	var item []byte
	err = r.Each(func(c *Contribution) error {
		of := &r.run.grid.blocks[c.Block]
		item = binary.BigEndian.AppendUint32(item[:0], uint32(of.offset+c.Row*len(of.columns)+c.Column))
		item = binary.BigEndian.AppendUint32(item, uint32(c.Source))
		item = texts.Append(item, []byte(c.At))
		item = texts.Append(item, []byte(c.Amount.String()))
		return sorter.Add(item)
	})
	if err != nil {
		return err
	}
	return r.figures(sorter, visit)
}

// figures goes through sorted contributions, figure by figure.
func (r *Result) figures(sorter *spill.Sorter, visit func(block, row, column int, from From) error) error {
	var held []Contribution
	last := -1
	give := func() error {
		if last < 0 {
			return nil
		}
		b, row, column := r.run.grid.place(last)
		return visit(b, row, column, func(visit func(*Contribution) error) error {
			for i := range held {
				if err := visit(&held[i]); err != nil {
					return err
				}
			}
			return nil
		})
	}
	err := spill.Merge([]*spill.Sorter{sorter}, func(item []byte) error {
		cell := int(binary.BigEndian.Uint32(item))
		if cell != last {
			if err := give(); err != nil {
				return err
			}
			last, held = cell, held[:0]
		}
		at, rest := texts.Take(item[8:])
		text, _ := texts.Take(rest)
		value, err := amount.Parse(text, '.')
		if err != nil {
			return fmt.Errorf("reading figures back: %w", err)
		}
		held = append(held, Contribution{Source: int(binary.BigEndian.Uint32(item[4:])), At: string(at), Amount: value})
		return nil
	})
	if err != nil {
		return err
	}
	return give()
}

// Print is the fingerprint of what was read of a source, by its index: of its labels, where they stand, and of its
// figures. It is 32 hexadecimal digits.
func (r *Result) Print(index int) string {
	var digits [16]byte
	binary.BigEndian.PutUint64(digits[:], r.run.forms[index].print)
	binary.BigEndian.PutUint64(digits[8:], r.run.forms[index].places)
	return hex.EncodeToString(digits[:])
}

// IsSum tells whether a figure is a sum of others: its row or its column was found, or named, to be one. Of such
// figures none is part of a total of the grid.
func (r *Result) IsSum(block, row, column int) bool {
	b := &r.Blocks[block]
	return b.Rows[row].Total || b.Columns[column].Total
}

// Find finds the figure that a row and a column have in common, by their labels: all levels of a label in one text, or
// the innermost alone. Several are found where labels stand in several blocks.
func (r *Result) Find(row, column string) (figures [][3]int) {
	is := func(l *Line, label string) bool {
		return l.Name() == label || len(l.Label) > 0 && l.Label[len(l.Label)-1] == label
	}
	for b := range r.Blocks {
		block := &r.Blocks[b]
		for i := range block.Rows {
			for k := range block.Columns {
				if is(&block.Rows[i], row) && is(&block.Columns[k], column) {
					figures = append(figures, [3]int{b, i, k})
				}
			}
		}
	}
	return figures
}

// Labels are the labels of all rows, or columns.
func (r *Result) Labels(axis Axis) (labels []string) {
	for b := range r.Blocks {
		for i := range r.Blocks[b].lines(axis) {
			if name := r.Blocks[b].lines(axis)[i].Name(); !slices.Contains(labels, name) {
				labels = append(labels, name)
			}
		}
	}
	return labels
}
