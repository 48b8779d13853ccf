package view

import (
	"context"
	"io"
	"strings"

	"lastblock/core/capability/overlay"
	"lastblock/core/format/sheet"
	"lastblock/core/month"
	"lastblock/show"
)

// overlayBook is the workbook of a grid: the form with the sums, a sheet for each branch with what it gave in the same
// cells, and a list of all contributions.
type overlayBook struct {
	*Overlay
	form     *overlay.Form
	scale    int
	branches []string // names of their sheets, by Sources; "" for one that gave nothing
	// first and last are sheets around those of the branches, where these are too many for a formula to name; "" where
	// it names each.
	first, last string
}

// mostArguments and mostFormula are how many arguments a function of a formula can have, and how many characters a
// formula.
const (
	mostArguments = 255
	mostFormula   = 8000
)

func (o *Overlay) writeBook(ctx context.Context, w io.Writer) error {
	form, err := o.Form(ctx)
	if err != nil {
		return err
	}
	book := &overlayBook{Overlay: o, form: form, scale: o.scale()}
	path, looks := o.Set.LooksOf(form.Source)
	writer, err := show.NewGridWriter(w, path, looks)
	if err != nil {
		return err
	}
	defer writer.Abandon()
	name := writer.FreeName(month.GridSheet)
	list, first, last := writer.FreeName("Contributions"), writer.FreeName("First"), writer.FreeName("Last")
	for i := range o.Sources {
		sheet := ""
		if o.Sources[i].Used > 0 {
			sheet = writer.FreeName(o.branchName(o.Sources[i].Index))
		}
		book.branches = append(book.branches, sheet)
	}
	if o.Formulas && !book.canName() {
		book.first, book.last = first, last
	}
	sums := book.grid(name)
	for b := range o.Blocks {
		book.addSums(sums, b)
	}
	if err := writer.Grid(sums); err != nil {
		return err
	}
	if err := book.writeBound(writer, book.first); err != nil {
		return err
	}
	for i := range o.Sources {
		if book.branches[i] == "" {
			continue
		}
		if err := book.writeBranch(writer, i); err != nil {
			return err
		}
	}
	if err := book.writeBound(writer, book.last); err != nil {
		return err
	}
	columns := o.contributionColumns()
	if err := writer.List(list, columns); err != nil {
		return err
	}
	kinds := kindsOf(columns)
	err = o.contributions(func(cells []string) error { return writer.Record(bytesOf(cells), kinds) })
	if err != nil {
		return err
	}
	return writer.Close()
}

// grid is a sheet with the form and no figures.
func (b *overlayBook) grid(name string) *show.Grid {
	g := &show.Grid{Name: name, Merged: b.form.Merged,
		ColumnOf: func(was int) int { return b.form.At(overlay.Columns, was) }}
	for i := range b.form.Cells {
		c := &b.form.Cells[i]
		g.Cells = append(g.Cells, show.GridCell{Row: c.Row, Column: c.Column, LikeRow: c.LikeRow, Like: c.Like,
			Text: c.Text, Kind: c.Kind})
		g.LastColumnWas = max(g.LastColumnWas, c.Like)
	}
	for k := range b.Blocks {
		block := &b.Blocks[k]
		for i := range block.Columns {
			g.LastColumnWas = max(g.LastColumnWas, block.Columns[i].Like)
		}
		if len(block.Rows) > 0 && len(block.Columns) > 0 && g.FirstRow == 0 {
			g.FirstRow, g.FirstColumn = block.Rows[0].At, block.Columns[0].At
		}
	}
	return g
}

// addSums adds the sums of a block, and where the result says something of itself that, below all.
func (b *overlayBook) addSums(g *show.Grid, of int) {
	block := &b.Blocks[of]
	for i := range block.Rows {
		for k := range block.Columns {
			cell := b.cell(block, i, k)
			if f := block.At(i, k); f.From > 0 {
				cell.Figure, cell.Amount = true, f.Amount
				if b.Formulas {
					cell.Formula = b.formula(overlay.Address(cell.Row, cell.Column))
				}
			}
			g.Cells = append(g.Cells, cell)
		}
	}
	if of == len(b.Blocks)-1 && b.Remark != "" {
		last := 0
		for i := range g.Cells {
			last = max(last, g.Cells[i].Row)
		}
		g.Cells = append(g.Cells, show.GridCell{Row: last + 2, Column: 1, LikeRow: last + 2, Like: 1, Text: b.Remark})
	}
}

// cell is a cell of a figure, blank as yet.
func (b *overlayBook) cell(block *overlay.Block, row, column int) show.GridCell {
	r, c := &block.Rows[row], &block.Columns[column]
	return show.GridCell{Row: r.At, Column: c.At, LikeRow: r.Like, Like: c.Like, Scale: b.scale,
		Strong: r.Total || c.Total, Kind: sheet.NumberCell}
}

// canName tells whether a formula can name the sheets of all branches.
func (b *overlayBook) canName() bool {
	const address = len("!XFD1048576,")
	count, length := 0, 0
	for _, name := range b.branches {
		if name != "" {
			count, length = count+1, length+len(quotedSheet(name))+address
		}
	}
	return count <= mostArguments && length <= mostFormula
}

// formula adds up a cell over the sheets of the branches: one by one, or where these are too many over all that stand
// between two other sheets. The names of these need no quotes, which not every program reads in such a formula.
func (b *overlayBook) formula(address string) string {
	if b.first != "" {
		return "SUM(" + b.first + ":" + b.last + "!" + address + ")"
	}
	var parts []string
	for _, name := range b.branches {
		if name != "" {
			parts = append(parts, quotedSheet(name)+"!"+address)
		}
	}
	return "SUM(" + strings.Join(parts, ",") + ")"
}

// writeBound writes one of the sheets around those of the branches; nothing for "".
func (b *overlayBook) writeBound(writer *show.GridWriter, name string) error {
	if name == "" {
		return nil
	}
	text := "The sums add up every sheet from " + b.first + " to " + b.last + "."
	return writer.Grid(&show.Grid{Name: name, ColumnOf: func(was int) int { return was },
		Cells: []show.GridCell{{Row: 1, Column: 1, LikeRow: 1, Like: 1, Text: text}}})
}

// writeBranch writes the sheet of a source: what it gave, in the cells of the result.
func (b *overlayBook) writeBranch(writer *show.GridWriter, source int) error {
	g := b.grid(b.branches[source])
	figures := make(map[[3]int]int)
	for of := range b.Blocks {
		block := &b.Blocks[of]
		for i := range block.Rows {
			for k := range block.Columns {
				figures[[3]int{of, i, k}] = len(g.Cells)
				g.Cells = append(g.Cells, b.cell(block, i, k))
			}
		}
	}
	err := b.EachOf(source, func(c *overlay.Contribution) error {
		cell := &g.Cells[figures[[3]int{c.Block, c.Row, c.Column}]]
		if cell.Figure { // a label that stands twice, and was accepted
			cell.Amount = cell.Amount.Add(c.Amount)
			return nil
		}
		cell.Figure, cell.Amount = true, c.Amount
		return nil
	})
	if err != nil {
		return err
	}
	return writer.Grid(g)
}
