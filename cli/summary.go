package cli

import (
	"bufio"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/capability/rollup"
	"lastblock/core/format/delimited"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/value/amount"
	"lastblock/show"
)

// summary is a result in the order and with the rows that the flags ask for.
type summary struct {
	flags  *rollupFlags
	set    *source.Set
	result *rollup.Result
	order  rollup.Order // of --sort
	names  rollup.Names
}

// line is a row of a summary and what kind of row it is.
type line struct {
	rollup.Row
	label  string // for a row that is no group: what stands behind its key
	strong bool
	level  int // of a subtotal: how many group columns it keeps
	others int // of the rest: how many groups it holds
}

func newSummary(f *rollupFlags, set *source.Set, r *rollup.Result) (*summary, error) {
	s := &summary{flags: f, set: set, result: r, names: r.Names(f.share)}
	if f.sort == "" {
		return s, nil
	}
	column, direction, _ := strings.Cut(f.sort, ":")
	if direction != "" && direction != "up" && direction != "down" {
		return nil, fmt.Errorf("--sort %s: behind the column may stand :up or :down", f.sort)
	}
	if i := slices.Index(f.sum, column); i >= 0 {
		column = r.Sums[i] // which may have been called by its position
	}
	s.order = rollup.Order{Column: column, Up: direction == "up", Down: direction == "down"}
	if !r.Knows(s.order) {
		return nil, unknownName("column", "", column, slices.Concat(r.Columns, r.Sums, []string{rollup.RecordsColumn}))
	}
	return s, nil
}

// each calls visit for each line, the grand total last.
func (s *summary) each(visit func(line) error) error {
	if err := s.eachGroup(visit); err != nil {
		return err
	}
	return visit(line{Row: s.result.Total, label: "Total", strong: true})
}

func (s *summary) eachGroup(visit func(line) error) error {
	switch {
	case s.flags.top > 0:
		return s.eachTop(visit)
	case s.flags.subtotals:
		return s.eachWithSubtotals(visit)
	case s.flags.sort != "":
		rows, err := s.result.Sorted(s.order)
		if err != nil {
			return err
		}
		for _, row := range rows {
			if err := visit(line{Row: row}); err != nil {
				return err
			}
		}
		return nil
	}
	return s.result.Each(func(row rollup.Row) error { return visit(line{Row: row}) })
}

func (s *summary) eachTop(visit func(line) error) error {
	top, rest, others, err := s.result.Top(s.flags.top, s.order)
	if err != nil {
		return err
	}
	for _, row := range top {
		if err := visit(line{Row: row}); err != nil {
			return err
		}
	}
	if others == 0 {
		return nil
	}
	return visit(line{Row: rest, label: fmt.Sprintf("%d more", others), others: others})
}

// eachWithSubtotals puts behind the groups that agree in their first columns
// their subtotal, the one over the fewest groups first.
func (s *summary) eachWithSubtotals(visit func(line) error) error {
	levels := len(s.result.Columns) - 1
	open := make([]*rollup.Adder, levels) // open[i] adds up what agrees in i+1 columns
	var last []string
	closeFrom := func(level int) error {
		for i := levels - 1; i >= level; i-- {
			if open[i] == nil {
				continue
			}
			subtotal := line{Row: open[i].Row(last[:i+1]), label: "Subtotal", strong: true, level: i + 1}
			open[i] = nil
			if err := visit(subtotal); err != nil {
				return err
			}
		}
		return nil
	}
	err := s.result.Each(func(row rollup.Row) error {
		same := 0
		for same < levels && last != nil && row.Key[same] == last[same] {
			same++
		}
		if err := closeFrom(same); err != nil {
			return err
		}
		last = row.Key
		for i := range open {
			if open[i] == nil {
				open[i] = s.result.NewAdder()
			}
			open[i].Add(row)
		}
		return visit(line{Row: row})
	})
	if err != nil {
		return err
	}
	return closeFrom(0)
}

// keys are the cells of the group columns.
func (s *summary) keys(l line) []string {
	cells := make([]string, len(s.result.Columns))
	copy(cells, l.Key)
	if l.label != "" {
		cells[len(l.Key)] = l.label
	}
	return cells
}

// header names the columns behind the group columns.
func (s *summary) header() []string {
	return append(slices.Concat(s.names.Cells, s.names.Sums, s.names.Shares), s.names.Records)
}

// figures are the cells behind the group columns.
func (s *summary) figures(l line, amounts func(amount.Amount) string, count func(int) string) []string {
	var cells []string
	for _, cell := range l.Cells {
		for k := range s.result.Sums {
			text := ""
			if cell != nil {
				text = amounts(cell[k])
			}
			cells = append(cells, text)
		}
	}
	for _, sum := range l.Sums {
		cells = append(cells, amounts(sum))
	}
	if s.flags.share {
		for k := range l.Sums {
			cells = append(cells, s.share(l, k))
		}
	}
	return append(cells, count(l.Records))
}

const sharePlaces = 2

// share is a sum's share of the grand total in percent, to two places; blank
// where the total is zero.
func (s *summary) share(l line, sum int) string {
	percent, ok := amount.Share(l.Sums[sum], s.result.Total.Sums[sum], sharePlaces)
	if !ok {
		return ""
	}
	return percent.String()
}

// shownGroups is how many lines a terminal is given.
const shownGroups = 1000

// printTable prints the summary once its proof holds.
func (s *summary) printTable(screen *show.Screen) error {
	t := new(show.Table)
	for _, name := range s.names.Groups {
		t.Columns = append(t.Columns, show.Column{Name: name, Key: true})
	}
	for _, name := range s.header() {
		t.Columns = append(t.Columns, show.Column{Name: name, Right: true})
	}
	more := 0
	err := s.each(func(l line) error {
		if len(t.Rows) >= shownGroups && l.label != "Total" {
			more++
			return nil
		}
		cells := append(s.keys(l), s.figures(l, amount.Amount.Money, show.Number)...)
		t.Rows = append(t.Rows, show.Row{Cells: cells, Strong: l.strong})
		return nil
	})
	if err != nil {
		return err
	}
	t.Print(screen)
	if more > 0 {
		fmt.Fprintln(screen, screen.Faint(fmt.Sprintf("… %s more lines above the total; --out writes them all", show.Number(more))))
	}
	return nil
}

// write writes the summary in a format, compressed if that is asked for.
func (s *summary) write(w io.Writer, format show.Format, packed string) error {
	out, err := show.Pack(w, packed)
	if err != nil {
		return err
	}
	switch format {
	case show.JSON:
		err = s.writeJSON(out, true)
	case show.TSV:
		err = s.writeDelimited(out, '\t')
	case show.CSV:
		err = s.writeDelimited(out, ',')
	default:
		err = s.writeRecords(out, format)
	}
	if err != nil {
		return err
	}
	return out.Close()
}

// writeRecords writes the summary, its total last, as records of a format that
// tells texts from amounts, or as a JSON object a line.
func (s *summary) writeRecords(w io.Writer, format show.Format) error {
	columns, kinds := s.cells()
	if format == show.JSONL {
		encode := jsonRecord(namesOf(columns), false)
		buffer := bufio.NewWriterSize(w, 1<<16)
		var out []byte
		err := s.each(func(l line) error {
			out = encode(out[:0], s.texts(l), kinds)
			_, err := buffer.Write(append(out, '\n'))
			return err
		})
		if err != nil {
			return err
		}
		return buffer.Flush()
	}
	writer, err := show.NewRecordWriter(w, format, columns)
	if err != nil {
		return err
	}
	defer show.LetGo(writer)
	if err := s.each(func(l line) error { return writer.Write(s.texts(l), kinds) }); err != nil {
		return err
	}
	return writer.Close()
}

// cells are the columns of a typed format. A sum has the decimals of its total,
// and a share two.
func (s *summary) cells() (columns []show.Cells, kinds []record.Kind) {
	for _, name := range s.names.Groups {
		columns = append(columns, show.Cells{Name: name, Kind: record.Text})
	}
	names := s.header()
	sums := s.result.Sums
	for i, name := range names {
		cells := show.Cells{Name: name, Kind: record.Amount}
		switch {
		case i == len(names)-1: // records
		case s.flags.share && i >= len(names)-1-len(sums):
			cells.Scale = sharePlaces
		default:
			cells.Scale = s.result.Total.Sums[i%len(sums)].Scale()
		}
		columns = append(columns, cells)
	}
	for _, c := range columns {
		kinds = append(kinds, c.Kind)
	}
	return columns, kinds
}

// texts are all cells of a line.
func (s *summary) texts(l line) [][]byte {
	var texts [][]byte
	for _, cell := range append(s.keys(l), s.figures(l, amount.Amount.String, strconv.Itoa)...) {
		texts = append(texts, []byte(cell))
	}
	return texts
}

func (s *summary) writeDelimited(w io.Writer, delimiter byte) error {
	buffer := bufio.NewWriterSize(w, 1<<16)
	var out, scratch []byte
	add := func(cells []string) error {
		out = out[:0]
		for i, cell := range cells {
			if i > 0 {
				out = append(out, delimiter)
			}
			text := []byte(cell)
			if s.flags.writing.shield {
				text = delimited.Shield(text, &scratch)
			}
			out = delimited.AppendField(out, text, delimiter)
		}
		_, err := buffer.Write(append(out, '\n'))
		return err
	}
	if err := add(append(slices.Clone(s.names.Groups), s.header()...)); err != nil {
		return err
	}
	err := s.each(func(l line) error {
		return add(append(s.keys(l), s.figures(l, amount.Amount.String, strconv.Itoa)...))
	})
	if err != nil {
		return err
	}
	return buffer.Flush()
}

// writeJSON writes the summary as a document, without its rows where there is
// no result.
func (s *summary) writeJSON(w io.Writer, withRows bool) error {
	r := s.result
	d := show.StartDocument(w, show.NewDocument("rollup"))
	if withRows {
		var subtotals []show.Object
		var rest show.Object
		err := d.List("rows", func(add func(show.Object)) error {
			return s.eachGroup(func(l line) error {
				o := show.Object{}
				for i, value := range l.Key {
					o.Add(s.names.Groups[i], value)
				}
				switch o = s.addFigures(o, l.Row); {
				case l.others > 0:
					rest = append(show.Object{{Name: "groups", Value: l.others}}, o...)
				case l.level > 0:
					subtotals = append(subtotals, o)
				default:
					add(o)
				}
				return nil
			})
		})
		if err != nil {
			return err
		}
		if s.flags.subtotals {
			d.Add("subtotals", subtotals)
		}
		if rest != nil {
			d.Add("rest", rest)
		}
		d.Add("total", s.addFigures(show.Object{}, r.Total))
	}
	d.Add("passed_over", passedOver(s.set))
	d.Add("findings", r.Findings)
	d.Add("proof", show.ProofObject(&r.Proof))
	return d.Close()
}

// addFigures adds the sums by name, the cells by value, shares and records. Of members
// that would be called the same, what a summary adds takes the next free name.
func (s *summary) addFigures(o show.Object, row rollup.Row) show.Object {
	r := s.result
	var names record.Names
	for _, name := range s.names.Groups {
		names.Take(name)
	}
	sums := make([]string, len(r.Sums))
	for k, sum := range r.Sums {
		sums[k] = names.Free(sum)
	}
	o = append(o, show.Amounts(sums, row.Sums)...)
	if len(r.Across) > 0 {
		across := show.Object{}
		for i, cell := range row.Cells {
			if cell != nil {
				across.Add(r.Across[i], show.Amounts(sums, cell))
			}
		}
		o.Add(names.Free("across"), across)
	}
	if s.flags.share {
		shares := show.Object{}
		for k := range r.Sums {
			if text := s.share(line{Row: row}, k); text != "" {
				shares.Add(sums[k], text)
			}
		}
		o.Add(names.Free("share"), shares)
	}
	o.Add(names.Free(rollup.RecordsColumn), row.Records)
	return o
}
