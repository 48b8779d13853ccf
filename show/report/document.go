// Package report lays out what a month end came to for those who are reported to: sections with their texts, tables and
// charts. The page and the workbook are made of the same document, each by a package of its own. A section is one
// file here.
package report

import (
	"slices"
	"time"

	"lastblock/core/month/pack"
	"lastblock/core/value/amount"
)

// Document is a report as it is laid out.
type Document struct {
	Title    string
	Entity   string // whose own it is; "" for all
	Unsealed string // why it is not sealed, to stand at its top and its end; "" for one that is
	Passed   bool
	Verdict  string // in one sentence
	Facts    []Fact
	Sections []Section

	Entities, Periods []string // by which tables can be filtered
}

// Fact is something to know about the report.
type Fact struct {
	Name, Text string
	Code       bool // digits of a seal
}

// Section is a section with its parts.
type Section struct {
	ID, Title string
	Parts     []Part
}

// Part is a table with what belongs to it; Sheet is what a workbook calls it, and Title may be blank for the only part
// of a section.
type Part struct {
	Title  string
	Sheet  string
	Texts  []string // above the table
	Charts []Chart
	Table  *Table
	After  []string // below it
	Opens  []Opening
}

// Chart draws itself.
type Chart struct {
	Caption string
	Draw    func() (svg string, err error)
}

// Kind is what a column holds.
type Kind byte

// The kinds.
const (
	Text Kind = iota
	Count
	Money
	Percent
	Moment // a point in time
	Code   // digits of a seal, or an ID
	Long   // a text that may take several lines
)

// IsNumber tells whether cells of a kind are numbers.
func (k Kind) IsNumber() bool { return k == Count || k == Money || k == Percent }

// Column is a column of a table.
type Column struct {
	Name  string
	Kind  Kind
	Total bool // its shown cells can be added up
}

// Table is a table. Its rows can be sorted unless they lead from one to the next.
type Table struct {
	Name    string
	Columns []Column
	Rows    []Row
	Foot    []Row // totals
	Sorts   bool
	Filters bool   // rows have an entity, a period or a severity
	More    string // that rows were left out, and where they are
	// Whole is how many rows there were, where some were left out, else 0.
	Whole int
}

// Row is a row.
type Row struct {
	ID                       string // by which it can be linked to
	Cells                    []Cell
	Strong                   bool
	Indent                   bool
	Entity, Period, Severity string
}

// Cell is a cell.
type Cell struct {
	Text   string
	Number *amount.Amount // of a number
	Whole  bool           // it is a count
	Time   time.Time
	Opens  string // the ID of what it opens to
	Link   string // the ID of the row that it leads to
	Word   Word
}

// Word is a cell that is a state, beside its text.
type Word byte

// The states.
const (
	NoWord Word = iota
	Good
	Bad
	Doubtful
)

// Opening is what a figure opens to: what each source gave.
type Opening struct {
	ID     string
	Result string
	Figure string // which of the result it is
	Rows   []Gave
	Rest   *Gave // of sources that are not listed; its Source says how many
	Total  Gave
}

// Gave is what a source gave.
type Gave struct {
	Source, Place string
	Link          string
	Records       int
	Amount        amount.Amount
}

// build makes a section of a report, nil where there is nothing to show.
type build func(d *draft) []Part

// kinds of sections, in the order of the report.
var sections = []struct {
	id, title string
	build     build
}{
	{pack.KeyFigures, "Key figures", keyFigures},
	{pack.WhoFiled, "Who has filed", filed},
	{pack.OfSummaries, "Summaries", summaries},
	{pack.OfBridges, "What changed since", bridges},
	{pack.ControlTotals, "Control totals", controlTotals},
	{pack.OfDoubles, "Doubles", doubles},
	{pack.OfStatements, "Reconciliations", reconciliations},
	{pack.OfGrids, "Grids", grids},
	{pack.OfFindings, "Findings and decisions", findings},
	{pack.InSuspense, "Suspense", suspense},
	{pack.OfSources, "Sources", sources},
	{pack.OfProof, "Proof", proof},
}

// Limits are how much a document may hold; what is more is counted.
type Limits struct {
	Rows     int // of a table
	Openings int // lines of all openings together
}

// The limits of a page, of which people read the beginning, and of a workbook.
var (
	PageLimits = Limits{Rows: 1000, Openings: 5000}
	BookLimits = Limits{Rows: 200_000, Openings: 20_000}
)

// draft is a document on its way.
type draft struct {
	*pack.Report
	limits   Limits
	shows    []string
	rowOf    map[string]string // the ID of a source's row, by its name
	openings int               // lines so far
	figures  int               // that open
	numbered int               // openings so far
}

// Lay lays out a report, of which only some sections are wanted.
func Lay(r *pack.Report, wanted []string, limits Limits) *Document {
	d := &draft{Report: r, limits: limits, shows: wanted, rowOf: make(map[string]string)}
	doc := &Document{Entity: r.Entity, Periods: d.periods()}
	d.head(doc)
	for i, s := range d.listedSources() {
		d.rowOf[s.Source] = sourceID(i)
	}
	for _, s := range sections {
		if !slices.Contains(wanted, s.id) {
			continue
		}
		if parts := s.build(d); len(parts) > 0 {
			doc.Sections = append(doc.Sections, Section{ID: s.id, Title: s.title, Parts: parts})
		}
	}
	for i := range doc.Sections {
		for k := range doc.Sections[i].Parts {
			doc.Sections[i].Parts[k].Table.finish(limits.Rows)
		}
	}
	doc.Entities = doc.listed(r.Entities)
	doc.prune()
	return doc
}

// tables calls visit for each table.
func (doc *Document) tables(visit func(t *Table)) {
	for i := range doc.Sections {
		for k := range doc.Sections[i].Parts {
			if t := doc.Sections[i].Parts[k].Table; t != nil {
				visit(t)
			}
		}
	}
}

// prune takes away links to rows that are not listed.
func (doc *Document) prune() {
	there := make(map[string]bool)
	doc.tables(func(t *Table) {
		for i := range t.Rows {
			there[t.Rows[i].ID] = true
		}
	})
	doc.tables(func(t *Table) {
		for i := range t.Rows {
			for k := range t.Rows[i].Cells {
				if c := &t.Rows[i].Cells[k]; !there[c.Link] {
					c.Link = ""
				}
			}
		}
	})
	for i := range doc.Sections {
		for k := range doc.Sections[i].Parts {
			for _, o := range doc.Sections[i].Parts[k].Opens {
				for j := range o.Rows {
					if !there[o.Rows[j].Link] {
						o.Rows[j].Link = ""
					}
				}
			}
		}
	}
}

// listed are those of some entities that rows are about.
func (doc *Document) listed(entities []string) []string {
	has := make(map[string]bool)
	doc.tables(func(t *Table) {
		for i := range t.Rows {
			has[t.Rows[i].Entity] = true
		}
	})
	return slices.DeleteFunc(slices.Clone(entities), func(name string) bool { return !has[name] })
}

// finish leaves out rows that are too many, and gives the amounts of a column as many decimals.
func (t *Table) finish(most int) {
	if t == nil {
		return
	}
	if len(t.Rows) > most {
		t.Whole = len(t.Rows)
		t.Rows = t.Rows[:most]
	}
	t.Align()
}

// Align gives the amounts of a column as many decimals.
func (t *Table) Align() {
	for k := range t.Columns {
		if t.Columns[k].Kind != Money {
			continue
		}
		scale := 0
		each := func(visit func(c *Cell)) {
			for _, rows := range [][]Row{t.Rows, t.Foot} {
				for i := range rows {
					if k < len(rows[i].Cells) && rows[i].Cells[k].Number != nil && !rows[i].Cells[k].Whole {
						visit(&rows[i].Cells[k])
					}
				}
			}
		}
		each(func(c *Cell) { scale = max(scale, c.Number.Scale()) })
		each(func(c *Cell) {
			value := c.Number.Add(amount.New(0, scale))
			c.Number = &value
		})
	}
}

// cut leaves the first columns.
func (t *Table) cut(columns int) {
	t.Columns = t.Columns[:columns]
	for _, rows := range [][]Row{t.Rows, t.Foot} {
		for i := range rows {
			rows[i].Cells = rows[i].Cells[:min(len(rows[i].Cells), columns)]
		}
	}
}
