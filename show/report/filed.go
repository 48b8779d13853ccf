package report

import (
	"fmt"
	"slices"

	"lastblock/core/capability/tieout"
	"lastblock/core/month/pack"
	"lastblock/core/value/amount"
	"lastblock/core/value/words"
	"lastblock/show"
	"lastblock/show/chart"
)

const (
	mostMarks  = 30 // entities in the chart of what is missing
	mostGroups = 8  // entities in the chart of periods
	mostShares = 15 // entities in the chart of shares
	mostSteps  = 18 // sources in the chart of a bridge
)

// filed is who has filed for which period, in words.
func filed(d *draft) []Part {
	f := d.Report.Filed
	if f == nil {
		return nil
	}
	t := &Table{Name: "filed", Columns: []Column{{Name: "entity"}}, Sorts: true, Filters: true}
	for _, p := range f.Periods {
		if p == "" {
			p = "file"
		}
		t.Columns = append(t.Columns, Column{Name: p})
	}
	troubled := 0
	for _, row := range f.Entities {
		cells := []Cell{text(row.Entity)}
		for i := range row.Cells {
			cells = append(cells, filedCell(&row.Cells[i]))
		}
		if isTroubled(&row) {
			troubled++
		}
		t.Rows = append(t.Rows, Row{Cells: cells, Entity: row.Entity})
	}
	if len(t.Rows) > d.limits.Rows { // those with something to look at first
		slices.SortStableFunc(t.Rows, func(a, b Row) int { return rank(b) - rank(a) })
		t.More = "the others have filed; the tie-out lists all of them with --each"
	}
	say := "Everybody has filed once for every period in which they are due."
	if troubled > 0 {
		say = fmt.Sprintf("Of %s, %s a gap, a double or a file that nobody expects.",
			countOf(len(f.Entities), "entity", "entities"), countOf(troubled, "has", "have"))
	}
	part := Part{Sheet: "Completeness", Texts: []string{say}, Table: t}
	if troubled > 0 {
		part.Charts = append(part.Charts, d.missing(f, troubled))
	}
	return []Part{part}
}

// countOf is a number with the word for one or for several.
func countOf(n int, one, several string) string {
	if n == 1 {
		return "1 " + one
	}
	return show.Number(n) + " " + several
}

func rank(r Row) int {
	for _, c := range r.Cells {
		if c.Word == Bad || c.Word == Doubtful {
			return 1
		}
	}
	return 0
}

func isTroubled(row *pack.FiledRow) bool {
	for i := range row.Cells {
		if word := filedCell(&row.Cells[i]).Word; word == Bad || word == Doubtful {
			return true
		}
	}
	return false
}

// filedCell says in words what became of a file.
func filedCell(c *pack.FiledCell) Cell {
	rows := show.Count(c.Rows, "record")
	switch tieout.Status(c.Status) {
	case tieout.NotFiled:
		return Cell{Text: "missing", Word: Bad}
	case tieout.NotDue:
		return Cell{Text: "not due"}
	case tieout.NotRead:
		return Cell{Text: "not read"}
	case tieout.FiledTwice:
		return Cell{Text: fmt.Sprintf("%s in %d files", rows, len(c.Sources)), Word: Bad}
	case tieout.NotAsked:
		return Cell{Text: rows + ", unexpected", Word: Doubtful}
	}
	return Cell{Text: rows, Word: Good}
}

// missing draws what is missing, of those with something to look at.
func (d *draft) missing(f *pack.Filed, troubled int) Chart {
	caption := "What is missing"
	if troubled > mostMarks {
		caption += fmt.Sprintf(", the first %d entities with a gap", mostMarks)
	} else if troubled < len(f.Entities) {
		caption += ", of the entities with a gap"
	}
	return Chart{Caption: caption, Draw: func() (string, error) {
		var names []string
		var marks [][]chart.Mark
		for i := range f.Entities {
			row := &f.Entities[i]
			if !isTroubled(row) || len(names) == mostMarks {
				continue
			}
			names = append(names, row.Entity)
			var of []chart.Mark
			for k := range row.Cells {
				c := filedCell(&row.Cells[k])
				short := c.Text
				switch tieout.Status(row.Cells[k].Status) {
				case tieout.FiledTwice:
					short = "twice"
				case tieout.NotAsked:
					short = "unexpected"
				case tieout.Filed:
					short = "filed"
				}
				of = append(of, chart.Mark{Text: short, There: c.Word != NoWord && c.Word != Bad,
					Trouble: c.Word == Bad || c.Word == Doubtful})
			}
			marks = append(marks, of)
		}
		return chart.Marks(caption, f.Periods, names, marks)
	}}
}

// byEntity is what the sources of each entity come to, by period, in the first total, or records without one.
type byEntity struct {
	names   []string // the largest first
	periods []string
	values  map[string]map[string]amount.Amount // by entity and period
	totals  map[string]amount.Amount
	all     amount.Amount
	of      string // what is added up

	records    map[string]int // by entity
	allRecords int
	currencies []string // that the amounts are in, where they are known to be several
}

// currencyColumn is the column whose values are never added to one another.
const currencyColumn = "currency"

// currencies are those of the amounts, as far as a summary has groups by currency; nil where they are not several.
func (d *draft) currencies() (names []string) {
	for i := range d.Report.Summaries {
		s := &d.Report.Summaries[i]
		at := slices.Index(s.By, currencyColumn)
		for k := range s.Lines {
			if key := s.Lines[k].Key; at >= 0 && at < len(key) && key[at] != "" && !slices.Contains(names, key[at]) {
				names = append(names, key[at])
			}
		}
	}
	if len(names) < 2 {
		return nil
	}
	return names
}

func (d *draft) byEntity() *byEntity {
	b := &byEntity{values: make(map[string]map[string]amount.Amount), totals: make(map[string]amount.Amount),
		periods: d.periods(), of: "records", records: make(map[string]int)}
	if len(d.Columns) > 0 {
		b.of, b.currencies = d.Columns[0], d.currencies()
	}
	for i := range d.Sources {
		s := &d.Sources[i]
		if s.Of != "" || s.Entity == "" {
			continue
		}
		value := amount.New(int64(s.Rows), 0)
		if len(s.Totals) > 0 {
			value = s.Totals[0]
		}
		if b.values[s.Entity] == nil {
			b.values[s.Entity] = make(map[string]amount.Amount)
			b.names = append(b.names, s.Entity)
		}
		b.values[s.Entity][s.Period] = b.values[s.Entity][s.Period].Add(value)
		b.totals[s.Entity] = b.totals[s.Entity].Add(value)
		b.all = b.all.Add(value)
		b.records[s.Entity] += s.Rows
		b.allRecords += s.Rows
	}
	slices.SortStableFunc(b.names, func(x, y string) int { return b.totals[y].Cmp(b.totals[x]) })
	return b
}

// entities are the periods by entity, and each entity's share.
func (d *draft) entities() []Part {
	b := d.byEntity()
	if len(b.names) == 0 {
		return nil
	}
	t := &Table{Name: "entities", Columns: []Column{{Name: "entity"}}, Sorts: true, Filters: true}
	for _, p := range b.periods {
		t.Columns = append(t.Columns, Column{Name: p, Kind: Money, Total: true})
	}
	t.Columns = append(t.Columns, Column{Name: "total " + b.of, Kind: Money, Total: true})
	share := "share in %"
	if b.currencies != nil {
		share = "share of records in %"
	}
	if d.Entity == "" {
		t.Columns = append(t.Columns, Column{Name: share, Kind: Percent})
	}
	foot := make([]amount.Amount, len(b.periods))
	for _, name := range b.names {
		cells := []Cell{text(name)}
		for i, p := range b.periods {
			value, ok := b.values[name][p]
			if !ok {
				cells = append(cells, Cell{})
				continue
			}
			foot[i] = foot[i].Add(value)
			cells = append(cells, money(value))
		}
		cells = append(cells, money(b.totals[name]))
		if d.Entity == "" {
			cells = append(cells, percent(b.part(name)))
		}
		t.Rows = append(t.Rows, Row{Cells: cells, Entity: name})
	}
	if len(t.Rows) > d.limits.Rows {
		t.More = "the smaller ones are in the workbook"
	}
	cells := []Cell{text("total")}
	for _, value := range foot {
		cells = append(cells, money(value))
	}
	cells = append(cells, money(b.all))
	t.Foot = []Row{{Cells: cells, Strong: true}}
	part := Part{Title: "By entity and period", Sheet: "By entity", Table: t}
	if b.currencies != nil {
		part.Texts = []string{
			fmt.Sprintf("Amounts are in %s, and are added up here as they stand, as control totals are.",
				words.And(b.currencies...)),
		}
	}
	if len(b.names) > 1 || len(b.periods) > 1 {
		part.Charts = append(part.Charts, b.periodChart())
	}
	if len(b.names) > 1 && d.Entity == "" {
		part.Charts = append(part.Charts, b.shareChart())
	}
	return []Part{part}
}

// part is what an entity's share is worked out of: amounts of one currency, or records.
func (b *byEntity) part(name string) (part, all amount.Amount) {
	if b.currencies != nil {
		return amount.New(int64(b.records[name]), 0), amount.New(int64(b.allRecords), 0)
	}
	return b.totals[name], b.all
}

func (b *byEntity) periodChart() Chart {
	names, periods := b.names[:min(mostGroups, len(b.names))], b.periods
	const mostPeriods = 6
	periods = periods[max(0, len(periods)-mostPeriods):]
	var values []float64
	for _, name := range names {
		for _, p := range periods {
			values = append(values, float(b.values[name][p]))
		}
	}
	u := unitOf(values)
	of := "Periods by entity: " + b.of
	if b.currencies != nil {
		of += ", each in its own currency"
	}
	caption := u.caption(of)
	if len(names) < len(b.names) {
		caption += fmt.Sprintf("; the %d largest of %s", len(names), show.Number(len(b.names)))
	}
	return Chart{Caption: caption, Draw: func() (string, error) {
		var groups []chart.Group
		for _, name := range names {
			g := chart.Group{Name: name}
			for i, p := range periods {
				value, ok := b.values[name][p]
				bar := chart.Bar{Name: shortPeriod(p), Value: float(value), Strong: i == len(periods)-1}
				if bar.Label = u.label(value); !ok {
					bar.Label = "none"
				}
				g.Bars = append(g.Bars, bar)
			}
			groups = append(groups, g)
		}
		return chart.Columns(caption, groups)
	}}
}

// shortPeriod leaves out the year, which the table has.
func shortPeriod(p string) string {
	const year = len("2031-")
	if len(p) > year && p[year-1] == '-' {
		return p[year:]
	}
	return p
}

func (b *byEntity) shareChart() Chart {
	names := slices.Clone(b.names)
	caption := "Each entity's share: " + b.of
	if b.currencies != nil {
		slices.SortStableFunc(names, func(x, y string) int { return b.records[y] - b.records[x] })
		caption = "Each entity's share: records, since amounts are in several currencies"
	}
	names = names[:min(mostShares, len(names))]
	if len(names) < len(b.names) {
		caption += fmt.Sprintf("; the %d largest of %s", len(names), show.Number(len(b.names)))
	}
	return Chart{Caption: caption, Draw: func() (string, error) {
		var bars []chart.Bar
		for i, name := range names {
			const places = 1
			part, all := b.part(name)
			bar := chart.Bar{Name: name, Value: float(part), Strong: i == 0}
			if share, ok := amount.Share(part, all, places); ok {
				bar.Label = share.Money() + " %"
			}
			bars = append(bars, bar)
		}
		return chart.Rows(caption, bars)
	}}
}
