package report

import (
	"fmt"
	"slices"
	"strings"

	"lastblock/core/month/pack"
	"lastblock/core/value/amount"
	"lastblock/core/value/words"
	"lastblock/show"
)

// summaries are the totals by entity and period, and each summary of the plan with what its figures open to.
func summaries(d *draft) []Part {
	parts := d.entities()
	for i := range d.Report.Summaries {
		parts = append(parts, d.summary(&d.Report.Summaries[i]))
	}
	return parts
}

func (d *draft) summary(s *pack.Summary) Part {
	t := &Table{Name: s.Name, Sorts: true}
	p := Part{Title: s.Name, Sheet: "Summary " + s.Name, Table: t}
	if s.Name == "rollup" { // which has no name of its own
		p.Title, p.Sheet = "By "+words.And(s.By...), "Summary"
	}
	for _, name := range s.By {
		t.Columns = append(t.Columns, Column{Name: name})
	}
	named := func(what, sum string) string {
		if len(s.Sums) == 1 {
			return what
		}
		return what + " " + sum
	}
	for _, value := range s.Across {
		if value == "" {
			value = "(blank)"
		}
		for _, sum := range s.Sums {
			t.Columns = append(t.Columns, Column{Name: named(value, sum), Kind: Money, Total: true})
		}
	}
	for _, sum := range s.Sums {
		if s.Column != "" {
			sum = named("total", sum)
		}
		t.Columns = append(t.Columns, Column{Name: sum, Kind: Money, Total: true})
	}
	if s.Share {
		for _, sum := range s.Sums {
			t.Columns = append(t.Columns, Column{Name: named("share in %", sum), Kind: Percent})
		}
	}
	t.Columns = append(t.Columns, Column{Name: "records", Kind: Count, Total: true})
	var total []amount.Amount
	for i := range s.Lines {
		if s.Lines[i].Kind == pack.Total {
			total = s.Lines[i].Sums
		}
		if s.Lines[i].Kind == pack.Subtotal || s.Lines[i].Kind == pack.Rest {
			t.Sorts = false // rows belong to those above them
		}
	}
	lines := 0
	for i := range s.Lines {
		line := &s.Lines[i]
		foot := line.Kind == pack.Total || line.Kind == pack.Suspense
		if !foot {
			if lines++; lines > d.limits.Rows {
				continue
			}
		}
		row := Row{Cells: keyCells(s, line), Strong: line.Kind == pack.Total || line.Kind == pack.Subtotal}
		for a := range s.Across {
			row.Cells = append(row.Cells, d.acrossCells(&p, s, line, a)...)
		}
		for k, sum := range line.Sums {
			if k < len(line.Unread) && line.Unread[k] {
				row.Cells = append(row.Cells, text("not readable"))
				continue
			}
			row.Cells = append(row.Cells, d.sumCell(&p, s, line, sum, k, nil))
		}
		if s.Share {
			for k := range s.Sums {
				c := Cell{}
				if line.Kind != pack.Suspense && total != nil {
					c = percent(line.Sums[k], total[k])
				}
				row.Cells = append(row.Cells, c)
			}
		}
		row.Cells = append(row.Cells, count(line.Records))
		if foot {
			t.Foot = append(t.Foot, row)
		} else {
			t.Rows = append(t.Rows, row)
		}
	}
	if lines > len(t.Rows) || s.Groups > lines && t.Sorts {
		t.Whole = max(lines, s.Groups)
		t.More = "the result itself has all groups" + d.fileOf("rollup", s.Name)
	}
	return p
}

// fileOf says where a result is.
func (d *draft) fileOf(command, name string) string {
	for i := range d.Results {
		if r := &d.Results[i]; r.Command == command && resultName(r) == name && r.As == "" {
			return ": " + r.Name
		}
	}
	return ""
}

// keyCells are the first cells of a line: its group, or what it is.
func keyCells(s *pack.Summary, line *pack.SummaryLine) []Cell {
	cells := make([]Cell, len(s.By))
	for i, value := range line.Key {
		if value == "" {
			value = "(blank)"
		}
		cells[i] = text(value)
	}
	label := ""
	switch line.Kind {
	case pack.Subtotal:
		cells[len(line.Key)] = text("subtotal")
		return cells
	case pack.Rest:
		label = "all others"
	case pack.Total:
		label = "total"
	case pack.Suspense:
		label = "in suspense, not included"
	default:
		return cells
	}
	if len(cells) > 0 {
		cells[0] = text(label)
	}
	return cells
}

// figureOf is what sources gave to the sums of a line, of all values across or of one of them; nil where that is not
// known.
func (d *draft) figureOf(s *pack.Summary, line *pack.SummaryLine, across *string) *pack.Figure {
	switch line.Kind {
	case pack.Group:
		switch {
		case s.Column == "":
			return d.Given.Of("rollup", s.Name, line.Key)
		case across != nil:
			return d.Given.Of("rollup", s.Name, append(slices.Clone(line.Key), *across))
		}
		return d.Given.Together("rollup", s.Name, line.Key, nil)
	case pack.Subtotal:
		return d.Given.Together("rollup", s.Name, line.Key, across)
	case pack.Total:
		if across == nil {
			return d.Given.Of("rollup", s.Name, nil)
		}
		return d.Given.Together("rollup", s.Name, nil, across)
	}
	return nil
}

// sumCell is a sum of a line, which opens where it is known what sources gave to it.
func (d *draft) sumCell(
	p *Part,
	s *pack.Summary,
	line *pack.SummaryLine,
	sum amount.Amount,
	k int,
	across *string,
) Cell {
	c := money(sum)
	of := slices.Clone(line.Key)
	if line.Kind == pack.Total || line.Kind == pack.Subtotal {
		of = append(of, string(line.Kind))
	}
	if across != nil {
		of = append(of, *across)
	}
	c.Opens = d.opening(p, p.Title, d.figureOf(s, line, across), k, append(of, s.Sums[k]))
	return c
}

func (d *draft) acrossCells(p *Part, s *pack.Summary, line *pack.SummaryLine, across int) (cells []Cell) {
	for k := range s.Sums {
		if across >= len(line.Cells) || k >= len(line.Cells[across]) || line.Cells[across][k] == nil {
			cells = append(cells, Cell{})
			continue
		}
		cells = append(cells, d.sumCell(p, s, line, *line.Cells[across][k], k, &s.Across[across]))
	}
	return cells
}

// opening makes a figure of a result open to what each source gave to it, and returns its ID, "" where that is not
// known, or there are too many. of says which figure it is.
func (d *draft) opening(p *Part, result string, f *pack.Figure, sum int, of []string) string {
	if f == nil || len(f.From) == 0 || sum >= len(f.Totals) || d.openings >= d.limits.Openings {
		return ""
	}
	if f.Totals[sum].Sign() == 0 &&
		!slices.ContainsFunc(f.From, func(g pack.From) bool { return g.Totals[sum].Sign() != 0 }) {
		return "" // nobody gave anything
	}
	most := max(3, d.limits.Openings/max(1, d.figureCount()))
	if d.limits == PageLimits {
		most = min(most, 40)
	}
	d.numbered++
	said := slices.DeleteFunc(slices.Clone(of), func(word string) bool { return word == "" })
	o := Opening{ID: fmt.Sprintf("figure-%d", d.numbered), Result: result, Figure: strings.Join(said, ", ")}
	rest := Gave{Records: f.Rows, Amount: f.Totals[sum]} // less what is listed
	for i := range f.From[:min(len(f.From), most)] {
		from := &f.From[i]
		rest.Records, rest.Amount = rest.Records-from.Rows, rest.Amount.Sub(from.Totals[sum])
		o.Rows = append(o.Rows, Gave{Source: from.Source, Place: placeText(from.Place), Link: d.rowOf[from.Source],
			Records: from.Rows, Amount: from.Totals[sum]})
	}
	switch others := len(f.From) + f.Others.Sources - len(o.Rows); {
	case others > 0:
		rest.Source = countOf(others, "more source", "more sources")
		o.Rest = &rest
	case rest.Records != 0 || rest.Amount.Sign() != 0:
		rest.Source = "sources of which nothing is known by group"
		o.Rest = &rest
	}
	o.Total = Gave{Source: show.Count(len(f.From)+f.Others.Sources, "source"), Records: f.Rows, Amount: f.Totals[sum]}
	o.align()
	d.openings += len(o.Rows) + 1
	p.Opens = append(p.Opens, o)
	return o.ID
}

// align gives all amounts as many decimals.
func (o *Opening) align() {
	all := []*amount.Amount{&o.Total.Amount}
	for i := range o.Rows {
		all = append(all, &o.Rows[i].Amount)
	}
	if o.Rest != nil {
		all = append(all, &o.Rest.Amount)
	}
	scale := 0
	for _, a := range all {
		scale = max(scale, a.Scale())
	}
	for _, a := range all {
		*a = a.Add(amount.New(0, scale))
	}
}

// figureCount is roughly how many figures open.
func (d *draft) figureCount() int {
	if d.figures > 0 {
		return d.figures
	}
	for i := range d.Report.Summaries {
		s := &d.Report.Summaries[i]
		d.figures += min(len(s.Lines), d.limits.Rows) * len(s.Sums) * max(1, len(s.Across))
	}
	for i := range d.Report.Grids {
		for b := range d.Report.Grids[i].Blocks {
			d.figures += len(d.Report.Grids[i].Blocks[b].Figures)
		}
	}
	return d.figures
}

// placeText says where in a source something stands.
func placeText(place string) string {
	first, last, several := strings.Cut(place, "-")
	switch {
	case place == "":
		return ""
	case several:
		return "lines " + first + " to " + last
	case place[0] >= '0' && place[0] <= '9':
		return "line " + place
	}
	return "cell " + place
}
