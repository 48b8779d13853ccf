package view

import (
	"context"
	"fmt"
	"io"
	"path"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/capability/overlay"
	"lastblock/core/format/delimited"
	"lastblock/core/month"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/show"
)

// Overlay is a grid of sums as it is shown and written.
type Overlay struct {
	*overlay.Result
	Set      *source.Set
	Name     string // "" for a result without a name
	Out      string // where it is written, "" for nowhere
	Shield   bool   // in delimited text
	Formulas bool   // in a workbook
	Remark   string // is said in the result itself; "" for nothing
}

// labelNames name the columns that hold labels of rows.
func (o *Overlay) labelNames() []string {
	levels := o.levels()
	if levels == 1 {
		return []string{month.GridLine}
	}
	var names []string
	for i := range levels {
		names = append(names, month.GridLine+" "+strconv.Itoa(i+1))
	}
	return names
}

// levels is how many levels labels of rows have.
func (o *Overlay) levels() int {
	most := 1
	for i := range o.Blocks {
		for k := range o.Blocks[i].Rows {
			most = max(most, len(o.Blocks[i].Rows[k].Label))
		}
	}
	return most
}

// meeting says how figures have met.
func (o *Overlay) meeting() string {
	forms := show.Count(len(o.Sources), "form")
	switch {
	case o.ByLabel:
		return forms + ", added up by label"
	case o.Found:
		return fmt.Sprintf("%s, added up by position: figures were found in %s", forms, o.Where)
	}
	return fmt.Sprintf("%s, added up by position in %s", forms, o.Where)
}

// Print prints the grids.
func (o *Overlay) Print(s *show.Screen) {
	fmt.Fprintf(s, "%s\n\n", o.meeting())
	for i := range o.Blocks {
		if i > 0 {
			fmt.Fprintln(s)
		}
		o.table(&o.Blocks[i]).Print(s)
	}
	o.printSuspense(s)
}

func (o *Overlay) table(b *overlay.Block) *show.Table {
	t := new(show.Table)
	for _, name := range o.labelNames() {
		t.Columns = append(t.Columns, show.Column{Name: name, Key: true})
	}
	for k := range b.Columns {
		t.Columns = append(t.Columns, show.Column{Name: b.Columns[k].Name(), Right: true, Money: true})
	}
	for i := range b.Rows {
		cells := make([]string, o.levels())
		copy(cells, b.Rows[i].Label)
		for k := range b.Columns {
			text := ""
			if f := b.At(i, k); f.From > 0 {
				text = f.Amount.Money()
			}
			cells = append(cells, text)
		}
		t.Rows = append(t.Rows, show.Row{Cells: cells, Strong: b.Rows[i].Total})
	}
	return t
}

// printSuspense says directly below the sums what is not in them.
func (o *Overlay) printSuspense(s *show.Screen) {
	t := &o.Total
	if t.Suspense == 0 {
		return
	}
	text := "In suspense, and not in these sums: "
	if read := t.Suspense - t.Unread; read > 0 {
		text += fmt.Sprintf("%s of %s in all", show.Count(read, "cell"), t.AmountInSuspense.Money())
	}
	if t.Unread > 0 && t.Unread < t.Suspense {
		text += ", and "
	}
	if t.Unread > 0 {
		text += show.Count(t.Unread, "cell") + " without an amount"
	}
	fmt.Fprintln(s, s.Bold(text))
}

// shownForms is up to how many forms are all listed in the proof; of more, those of which not all was used.
const shownForms = 12

// PrintProof prints that every cell that was read has gone somewhere, for each form as well.
func (o *Overlay) PrintProof(s *show.Screen) {
	fmt.Fprintln(s)
	const notAdded, dropped = "+ not added", "+ dropped"
	t := show.Table{Columns: []show.Column{{Name: "proof", Key: true}, {Name: "read", Right: true},
		{Name: "= used", Right: true}, {Name: "+ blank", Right: true}, {Name: "+ suspense", Right: true},
		{Name: notAdded, Right: true}, {Name: dropped, Right: true}, {Name: "sum", Right: true, Money: true}}}
	add := func(what string, g *overlay.Given, sum string) {
		t.Add(what, show.Number(g.Read), show.Number(g.Used), show.Number(g.Blank), show.Number(g.Suspense),
			show.Number(g.NotAdded), show.Number(g.Dropped), sum)
	}
	for i := range o.Sources {
		if g := &o.Sources[i]; len(o.Sources) <= shownForms || g.Used+g.Blank < g.Read {
			add(o.Set.Sources[g.Index].Name, g, g.Amount.Money())
		}
	}
	g := &o.Total
	add("cells", g, "")
	t.AddStrong("figures", g.Figures.Money(), g.Amount.Money(), "", g.AmountInSuspense.Money(),
		g.AmountNotAdded.Money(), g.AmountDropped.Money(), g.Amount.Money())
	if g.NotAdded == 0 {
		t.Drop(notAdded)
	}
	if g.Dropped == 0 {
		t.Drop(dropped)
	}
	t.Print(s)
}

// columns are the columns of the result as records: labels, and the figures of each column; at tells in which of them
// a column of a block stands. Columns of several blocks with one label are one.
func (o *Overlay) columns() (names []string, at [][]int) {
	if len(o.Blocks) > 1 {
		names = append(names, "block")
	}
	names = append(names, o.labelNames()...)
	var taken record.Names
	for _, name := range names {
		taken.Take(name)
	}
	where := make(map[string]int)
	for b := range o.Blocks {
		times := make(map[string]int)
		var of []int
		for k := range o.Blocks[b].Columns {
			label := o.Blocks[b].Columns[k].Name()
			times[label]++
			key := label + "\x00" + strconv.Itoa(times[label])
			if _, known := where[key]; !known {
				where[key] = len(names)
				names = append(names, taken.Free(label))
			}
			of = append(of, where[key])
		}
		at = append(at, of)
	}
	return names, at
}

// each gives the cells of each row.
func (o *Overlay) each(visit func(cells []string) error) error {
	names, at := o.columns()
	for b := range o.Blocks {
		block := &o.Blocks[b]
		for i := range block.Rows {
			cells := make([]string, len(names))
			first := 0
			if len(o.Blocks) > 1 {
				cells[0], first = strconv.Itoa(b+1), 1
			}
			copy(cells[first:first+o.levels()], block.Rows[i].Label)
			for k := range block.Columns {
				if f := block.At(i, k); f.From > 0 {
					cells[at[b][k]] = f.Amount.String()
				}
			}
			if err := visit(cells); err != nil {
				return err
			}
		}
	}
	if o.Remark == "" {
		return nil
	}
	remark := make([]string, len(names))
	remark[0] = o.Remark
	return visit(remark)
}

// scale is the most digits that figures have behind the decimal mark.
func (o *Overlay) scale() int {
	most := 0
	for b := range o.Blocks {
		for i := range o.Blocks[b].Figures {
			most = max(most, o.Blocks[b].Figures[i].Amount.Scale())
		}
	}
	return most
}

// Write writes the grid in a format, compressed if that is asked for.
func (o *Overlay) Write(ctx context.Context, w io.Writer, format show.Format, packed string) error {
	switch format {
	case show.Workbook:
		return o.writeBook(ctx, w)
	case show.JSON:
		return show.WritePacked(w, packed, (&Overlays{All: []*Overlay{o}}).Document)
	}
	names, _ := o.columns()
	f := &show.RecordFormat{Format: format, Packed: packed, Shield: o.Shield}
	kinds := make([]record.Kind, len(names))
	figures := o.levels()
	if len(o.Blocks) > 1 {
		figures++
	}
	for i, name := range names {
		c := show.Cells{Name: name, Kind: record.Text}
		if i >= figures {
			c.Kind, c.Scale = record.Amount, o.scale()
		}
		f.Columns, kinds[i] = append(f.Columns, c), c.Kind
	}
	return writeRecords(w, f, kinds, o.each)
}

// writeRecords writes records whose cells are texts.
func writeRecords(w io.Writer, f *show.RecordFormat, kinds []record.Kind,
	each func(visit func(cells []string) error) error) error {
	encode := f.Encoder()
	return f.Write(w, func(w io.Writer) error {
		var out []byte
		return each(func(cells []string) error {
			texts := make([][]byte, len(cells))
			for i, cell := range cells {
				if texts[i] = []byte(cell); cell == "" && kinds[i] == record.Amount {
					texts[i] = nil
				}
			}
			out = encode(out[:0], texts, slices.Clone(kinds))
			_, err := w.Write(out)
			return err
		})
	})
}

// contributionColumns are the columns of what each source gave to each figure.
func (o *Overlay) contributionColumns() (columns []show.Cells) {
	text := func(names ...string) {
		for _, name := range names {
			columns = append(columns, show.Cells{Name: name, Kind: record.Text})
		}
	}
	text("row", "column", "cell")
	text(o.Set.Words()...)
	text("source", "sheet", "source_cell")
	// a sum has those of its parts
	return append(columns, show.Cells{Name: "value", Kind: record.Amount, Scale: o.scale()})
}

// contributions gives what each source gave to each figure, source after source.
func (o *Overlay) contributions(visit func(cells []string) error) error {
	return o.Each(func(c *overlay.Contribution) error {
		b := &o.Blocks[c.Block]
		cells := []string{b.Rows[c.Row].Name(), b.Columns[c.Column].Name(),
			overlay.Address(b.Rows[c.Row].At, b.Columns[c.Column].At)}
		for _, word := range o.Set.Words() {
			cells = append(cells, o.Set.Word(c.Source, word))
		}
		of := &o.Set.Sources[c.Source]
		return visit(append(cells, of.Name, of.Sheet(), c.At, c.Amount.String()))
	})
}

// WriteContributions writes what each source gave to each figure in a format, compressed if that is asked for.
func (o *Overlay) WriteContributions(w io.Writer, format show.Format, packed string) error {
	f := &show.RecordFormat{Format: format, Packed: packed, Shield: o.Shield, Columns: o.contributionColumns()}
	return writeRecords(w, f, kindsOf(f.Columns), o.contributions)
}

func kindsOf(columns []show.Cells) (kinds []record.Kind) {
	for _, c := range columns {
		kinds = append(kinds, c.Kind)
	}
	return kinds
}

// branchName is what the sheet of a source is called.
func (o *Overlay) branchName(index int) string {
	if entity := o.Set.Word(index, "entity"); entity != "" {
		return entity
	}
	name := path.Base(o.Set.Sources[index].Name)
	return strings.TrimSuffix(name, path.Ext(name))
}

// quotedSheet writes the name of a sheet as formulas have it (ISO/IEC 29500-1, 18.17).
func quotedSheet(name string) string { return "'" + strings.ReplaceAll(name, "'", "''") + "'" }

// WriteDelimited writes the grid as CSV.
func (o *Overlay) WriteDelimited(w io.Writer) error {
	var out []byte
	line := func(cells []string) error {
		texts := bytesOf(cells)
		if o.Shield {
			for i := range texts {
				var room []byte
				texts[i] = delimited.Shield(texts[i], &room)
			}
		}
		out = delimited.AppendRecord(out[:0], texts, ',')
		_, err := w.Write(out)
		return err
	}
	names, _ := o.columns()
	if err := line(names); err != nil {
		return err
	}
	return o.each(line)
}
