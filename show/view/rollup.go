package view

import (
	"bufio"
	"fmt"
	"io"
	"slices"
	"strconv"

	"lastblock/core/capability/rollup"
	"lastblock/core/finding"
	"lastblock/core/format/delimited"
	"lastblock/core/month"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/value/amount"
	"lastblock/show"
)

// Rollup is a summary as it is shown and written.
type Rollup struct {
	*rollup.Formed
	Name   string // "" for a result without a name
	Out    string // where it is written, "" for nowhere
	Shield bool   // in delimited text

	Remark string // is said in the result itself; "" for nothing
}

// label is what stands behind the key of a line that is no group; "" for a group.
func label(l *rollup.Line) string {
	switch l.Kind {
	case rollup.Subtotal:
		return "Subtotal"
	case rollup.Rest:
		return fmt.Sprintf("%d more", l.More)
	case rollup.Total:
		return "Total"
	case rollup.Suspense:
		return source.SuspenseLabel
	}
	return ""
}

// isStrong tells whether a line is one of the sums.
func isStrong(l *rollup.Line) bool { return l.Kind == rollup.Subtotal || l.Kind == rollup.Total }

// keys are the cells of the group columns.
func (s *Rollup) keys(l rollup.Line) []string {
	cells := make([]string, len(s.Columns))
	copy(cells, l.Key)
	if text := label(&l); text != "" {
		cells[len(l.Key)] = text
	}
	return cells
}

// header names the columns behind the group columns.
func (s *Rollup) header() []string {
	return append(slices.Concat(s.Names.Cells, s.Names.Sums, s.Names.Shares), s.Names.Records)
}

// figures are the cells behind the group columns.
func (s *Rollup) figures(l rollup.Line, amounts func(amount.Amount) string, count func(int) string) []string {
	var cells []string
	for _, cell := range l.Cells {
		for k := range s.Formed.Result.Sums {
			text := ""
			if cell != nil {
				text = amounts(cell[k])
			}
			cells = append(cells, text)
		}
	}
	for k, sum := range l.Sums {
		if l.Kind == rollup.Suspense && s.IsUnread(k) {
			cells = append(cells, "")
			continue
		}
		cells = append(cells, amounts(sum))
	}
	if s.Share {
		for k := range l.Sums {
			share := ""
			if l.Kind != rollup.Suspense {
				share = s.share(l.Row, k)
			}
			cells = append(cells, share)
		}
	}
	return append(cells, count(l.Records))
}

// share is a sum's share of the grand total in percent, to two places; blank
// where the total is zero.
func (s *Rollup) share(row rollup.Row, sum int) string {
	percent, ok := s.ShareOf(row, sum)
	if !ok {
		return ""
	}
	return percent.String()
}

// shownGroups is how many lines a terminal is given.
const shownGroups = 1000

// Print prints the summary once its proof holds.
func (s *Rollup) Print(screen *show.Screen) error {
	t := new(show.Table)
	for _, name := range s.Names.Groups {
		t.Columns = append(t.Columns, show.Column{Name: name, Key: true})
	}
	for _, name := range s.header() {
		t.Columns = append(t.Columns, show.Column{Name: name, Right: true, Money: true})
	}
	more := 0
	err := s.Lines(func(l rollup.Line) error {
		if len(t.Rows) >= shownGroups && l.Kind < rollup.Total {
			more++
			return nil
		}
		cells := append(s.keys(l), s.figures(l, amount.Amount.Money, show.Number)...)
		if l.Kind == rollup.Suspense {
			cells[0] = "In suspense" // which fits where columns are narrow
		}
		t.Rows = append(t.Rows, show.Row{Cells: cells, Strong: isStrong(&l)})
		return nil
	})
	if err != nil {
		return err
	}
	t.Print(screen)
	if more > 0 {
		fmt.Fprintln(screen, screen.Faint(fmt.Sprintf("… %s more lines above the total; --out writes them all",
			show.Number(more))))
	}
	return nil
}

// Write writes the summary in a format, compressed if that is asked for.
func (s *Rollup) Write(w io.Writer, format show.Format, packed string) error {
	out, err := show.Pack(w, packed)
	if err != nil {
		return err
	}
	switch format {
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

// eachRow gives the cells of each line, and of the remark, which stands in the first column.
func (s *Rollup) eachRow(visit func(cells []string) error) error {
	err := s.Lines(func(l rollup.Line) error {
		return visit(append(s.keys(l), s.figures(l, amount.Amount.String, strconv.Itoa)...))
	})
	if err != nil || s.Remark == "" {
		return err
	}
	remark := make([]string, len(s.Columns)+len(s.header()))
	remark[0] = s.Remark
	return visit(remark)
}

// writeRecords writes the summary, its total last, as records of a format that
// tells texts from amounts, or as a JSON object a line.
func (s *Rollup) writeRecords(w io.Writer, format show.Format) error {
	columns, kinds := s.cells()
	if format == show.JSONL {
		encode := show.JSONRecord(show.NamesOf(columns), false)
		buffer := bufio.NewWriterSize(w, 1<<16)
		var out []byte
		err := s.eachRow(func(cells []string) error {
			out = encode(out[:0], bytesOf(cells), kinds)
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
	if err := s.eachRow(func(cells []string) error { return writer.Write(bytesOf(cells), kinds) }); err != nil {
		return err
	}
	return writer.Close()
}

// cells are the columns of a typed format. A sum has the decimals of its total,
// and a share two.
func (s *Rollup) cells() (columns []show.Cells, kinds []record.Kind) {
	for _, name := range s.Names.Groups {
		columns = append(columns, show.Cells{Name: name, Kind: record.Text})
	}
	names := s.header()
	sums := s.Formed.Result.Sums
	for i, name := range names {
		cells := show.Cells{Name: name, Kind: record.Amount}
		switch {
		case i == len(names)-1: // records
		case s.Share && i >= len(names)-1-len(sums):
			cells.Scale = rollup.SharePlaces
		default:
			cells.Scale = s.Formed.Result.Total.Sums[i%len(sums)].Scale()
		}
		columns = append(columns, cells)
	}
	for _, c := range columns {
		kinds = append(kinds, c.Kind)
	}
	return columns, kinds
}

func bytesOf(cells []string) [][]byte {
	var texts [][]byte
	for _, cell := range cells {
		texts = append(texts, []byte(cell))
	}
	return texts
}

func (s *Rollup) writeDelimited(w io.Writer, delimiter byte) error {
	buffer := bufio.NewWriterSize(w, 1<<16)
	var out, scratch []byte
	add := func(cells []string) error {
		out = out[:0]
		for i, cell := range cells {
			if i > 0 {
				out = append(out, delimiter)
			}
			text := []byte(cell)
			if s.Shield {
				text = delimited.Shield(text, &scratch)
			}
			out = delimited.AppendField(out, text, delimiter)
		}
		_, err := buffer.Write(append(out, '\n'))
		return err
	}
	if err := add(append(slices.Clone(s.Names.Groups), s.header()...)); err != nil {
		return err
	}
	if err := s.eachRow(add); err != nil {
		return err
	}
	return buffer.Flush()
}

// members writes what the summary has alone, without its rows where there is no result.
func (s *Rollup) members(d *show.DocumentWriter, withRows bool) error {
	if withRows {
		if err := s.rows(d); err != nil {
			return err
		}
	}
	if s.Out != "" && withRows {
		d.Add("out", s.Out)
	}
	return nil
}

func (s *Rollup) rows(d *show.DocumentWriter) error {
	r := s.Formed.Result
	var subtotals []show.Object
	var rest, suspended show.Object
	err := d.List("rows", func(add func(show.Object)) error {
		return s.Lines(func(l rollup.Line) error {
			o := show.Object{}
			for i, value := range l.Key {
				o.Add(s.Names.Groups[i], value)
			}
			switch l.Kind {
			case rollup.Total: // which stands behind the rows
			case rollup.Suspense:
				for k, sum := range l.Sums {
					if !s.IsUnread(k) {
						suspended.Add(r.Sums[k], sum.String())
					}
				}
				suspended.Add(rollup.RecordsColumn, l.Records)
			case rollup.Rest:
				rest = append(show.Object{{Name: "groups", Value: l.More}}, s.addFigures(o, l.Row)...)
			case rollup.Subtotal:
				subtotals = append(subtotals, s.addFigures(o, l.Row))
			default:
				add(s.addFigures(o, l.Row))
			}
			return nil
		})
	})
	if err != nil {
		return err
	}
	if s.Subtotals {
		d.Add("subtotals", subtotals)
	}
	if rest != nil {
		d.Add("rest", rest)
	}
	d.Add("total", s.addFigures(show.Object{}, r.Total))
	if suspended != nil {
		d.Add("suspense", suspended)
	}
	return nil
}

// Summaries are the summaries of one reading.
type Summaries struct {
	All      []*Rollup
	Set      *source.Set
	Verdict  *month.Verdict // nil without a tie-out
	Findings []finding.Finding
	Withheld bool
}

// Document writes them as JSON. What a single one has stands at the top.
func (s *Summaries) Document(w io.Writer) error {
	d := show.StartDocument(w, show.NewDocument("rollup"))
	if len(s.All) == 1 {
		if err := s.All[0].members(d, !s.Withheld); err != nil {
			return err
		}
	}
	if len(s.All) > 1 || s.All[0].Name != "" {
		err := d.Objects("results", len(s.All), func(i int, o *show.DocumentWriter) error {
			one := s.All[i]
			o.Add("name", one.Name)
			if err := one.members(o, !s.Withheld); err != nil {
				return err
			}
			o.Add("proof", show.ProofObject(&one.Proof))
			return nil
		})
		if err != nil {
			return err
		}
	}
	addVerdict(d, s.Verdict)
	d.Add("passed_over", passedOver(s.Set))
	d.Add("findings", s.Findings)
	if len(s.All) == 1 {
		d.Add("proof", show.ProofObject(&s.All[0].Proof))
	}
	return d.Close()
}

// Report prints what stands below the summaries: the findings, the verdict, the proofs.
func (s *Summaries) Report(screen *show.Screen) {
	show.Findings(screen, s.Findings)
	PrintVerdict(screen, s.Verdict)
	for _, one := range s.All {
		if len(s.All) > 1 {
			fmt.Fprintf(screen, "\n%s", screen.Bold(one.Name))
		}
		show.Proof(screen, &one.Proof)
	}
}

// addFigures adds the sums by name, the cells by value, shares and records. Of members
// that would be called the same, what a summary adds takes the next free name.
func (s *Rollup) addFigures(o show.Object, row rollup.Row) show.Object {
	r := s.Formed.Result
	var names record.Names
	for _, name := range s.Names.Groups {
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
	if s.Share {
		shares := show.Object{}
		for k := range r.Sums {
			if text := s.share(row, k); text != "" {
				shares.Add(sums[k], text)
			}
		}
		o.Add(names.Free("share"), shares)
	}
	o.Add(names.Free(rollup.RecordsColumn), row.Records)
	return o
}
