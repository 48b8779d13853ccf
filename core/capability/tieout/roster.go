package tieout

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/nearest"
	"lastblock/core/value/period"
	"lastblock/core/value/spelling"
)

// Roster is who has to file.
type Roster struct {
	Name    string
	Shown   []string // its columns beside entity, from and until
	Entries []Entry
}

// Entry is an entity on a roster. It has to file for the periods that begin and
// end within those of From and Until, which are in force where they are set.
type Entry struct {
	Entity      string
	From, Until period.Period
	HasFrom     bool
	HasUntil    bool
	Shown       []string // values of Roster.Shown
	Line        int
}

// ReadRoster reads a roster: a column entity, and if they are there from and
// until.
func ReadRoster(table *source.Table) (*Roster, error) {
	if !table.Has(entityColumn) {
		return nil, fmt.Errorf("%s: a roster needs the column %q; there is: %s", table.Name, entityColumn,
			strings.Join(table.Layout.Columns, ", "))
	}
	const fromColumn, untilColumn = "from", "until"
	roster := &Roster{Name: table.Name}
	for _, name := range table.Layout.Columns {
		if name != entityColumn && name != fromColumn && name != untilColumn {
			roster.Shown = append(roster.Shown, name)
		}
	}
	seen := make(map[string]int)
	for i := range table.Rows {
		entry := Entry{Entity: strings.TrimSpace(table.Value(i, entityColumn)), Line: table.Lines[i]}
		if entry.Entity == "" {
			return nil, fmt.Errorf("%s line %d: there is no entity", table.Name, entry.Line)
		}
		if line, twice := seen[fold(entry.Entity)]; twice {
			return nil, fmt.Errorf("%s line %d: %s stands on line %d already", table.Name, entry.Line, entry.Entity,
				line)
		}
		seen[fold(entry.Entity)] = entry.Line
		for _, end := range []struct {
			column string
			period *period.Period
			has    *bool
		}{{fromColumn, &entry.From, &entry.HasFrom}, {untilColumn, &entry.Until, &entry.HasUntil}} {
			text := strings.TrimSpace(table.Value(i, end.column))
			if text == "" {
				continue
			}
			var ok bool
			if *end.period, ok = period.Parse(text); !ok {
				return nil, fmt.Errorf("%s line %d: %s is %q, which is no period such as 2031-01, 2031Q1 or 2031-W05",
					table.Name, entry.Line, end.column, text)
			}
			*end.has = true
		}
		for _, name := range roster.Shown {
			entry.Shown = append(entry.Shown, table.Value(i, name))
		}
		roster.Entries = append(roster.Entries, entry)
	}
	return roster, nil
}

// Names are the entities as the roster writes them.
func (r *Roster) Names() (names []string) {
	for i := range r.Entries {
		names = append(names, r.Entries[i].Entity)
	}
	return names
}

func fold(entity string) string { return spelling.Fold(entity) }

// IsDue tells whether the entity has to file for a period.
func (e *Entry) IsDue(p period.Period) bool {
	return !(e.HasFrom && p.First < e.From.First) && !(e.HasUntil && p.Last() > e.Until.Last())
}

// end has an entity file no more that has ended.
func (e *Entry) end(ended map[string]period.Period) {
	last, is := ended[fold(e.Entity)]
	if is && !(e.HasUntil && e.Until.Last() < last.Last()) {
		e.Until, e.HasUntil = last, true
	}
}

// Status is what became of the file of one entity for one period.
type Status string

// The statuses.
const (
	Filed      Status = "filed"
	NotFiled   Status = "not-filed"
	FiledTwice Status = "filed-twice"
	NotDue     Status = "not-due"       // nothing came, and nothing had to
	NotAsked   Status = "not-on-roster" // something came that is not expected
	NotRead    Status = "not-read"      // nothing was read, and not everything was to be
)

// Matrix shows who has filed for which period.
type Matrix struct {
	Periods  []string // "" alone where the names of the files tell none
	Shown    []string // columns of the roster
	Entities []MatrixRow
}

// MatrixRow is one entity.
type MatrixRow struct {
	Entity string
	Shown  []string
	Cells  []MatrixCell // by Matrix.Periods
}

// MatrixCell is one entity in one period.
type MatrixCell struct {
	Status  Status
	Rows    int // of all its sources
	Sources []string

	indices []int
}

var errNoEntities = errors.New("the files' names have to tell the entity: add ⟨name⟩, for example ⟨name⟩ " +
	"'{entity}_{period}*'")

// matrix finds out who has filed, and tells who has not, who has twice, and
// whose file nobody expects.
func (r *run) matrix(rows []Row) (*Matrix, error) {
	if !slices.Contains(r.set.Words(), entityColumn) {
		return nil, errNoEntities
	}
	g := &gathering{run: r, cells: make(map[filing]*MatrixCell), names: make(map[string]string),
		twice: make(map[int]bool)}
	for _, filing := range tally.Filings(r.set, func(i int) bool { return !r.isGone(i) && !r.set.IsPassedOver(i) }) {
		for _, i := range filing.Sources {
			g.twice[i] = !filing.Parts
		}
	}
	g.gather(rows)
	periods := r.options.Periods
	if len(periods) == 0 {
		periods = g.periods()
	} else if !slices.Contains(r.set.Words(), periodColumn) {
		return nil, errNoPeriods
	}
	m := &Matrix{}
	var entries []Entry
	if r.options.Roster != nil {
		entries, m.Shown = slices.Clone(r.options.Roster.Entries), r.options.Roster.Shown
	}
	onRoster := len(entries)
	known := make(map[string]bool)
	for i := range entries {
		known[fold(entries[i].Entity)] = true
	}
	for _, entity := range g.order {
		if !known[entity] {
			entries = append(entries, Entry{Entity: g.names[entity], Shown: make([]string, len(m.Shown))})
		}
	}
	for i := range entries {
		entries[i].end(r.options.Ended)
	}
	expected := len(periods)
	for _, p := range g.periods() {
		if !slices.Contains(periods, p) {
			periods = append(slices.Clone(periods), p)
		}
	}
	for _, p := range periods {
		m.Periods = append(m.Periods, nameOf(p))
	}
	for i, e := range entries {
		row := MatrixRow{Entity: e.Entity, Shown: e.Shown}
		for k, p := range periods {
			due := k < expected && e.IsDue(p) && (i < onRoster || r.options.Roster == nil)
			row.Cells = append(row.Cells, g.cell(&e, p, due, i < onRoster || r.options.Roster == nil))
		}
		m.Entities = append(m.Entities, row)
	}
	return m, nil
}

// noPeriod stands for files whose names tell no period.
var noPeriod period.Period

func nameOf(p period.Period) string {
	if p == noPeriod {
		return ""
	}
	return p.String()
}

// filing is what a file is for.
type filing struct {
	entity string // folded
	period period.Period
}

// gathering sorts sources by what they are for.
type gathering struct {
	run   *run
	cells map[filing]*MatrixCell
	names map[string]string // entities as the files call them
	order []string          // the same, folded, in the order of the sources
	twice map[int]bool      // sources that are one of several files for one period
}

func (g *gathering) gather(rows []Row) {
	for i := range rows {
		index := rows[i].Index
		name := g.run.set.Word(index, entityColumn)
		if name == "" || g.run.isGone(index) {
			continue // the name of the file tells nothing, which is a finding of its own
		}
		entity := fold(name)
		if _, known := g.names[entity]; !known {
			g.names[entity] = name
			g.order = append(g.order, entity)
		}
		p, _ := period.Parse(g.run.set.Word(index, periodColumn)) // else it is for no period
		cell := g.cells[filing{entity, p}]
		if cell == nil {
			cell = new(MatrixCell)
			g.cells[filing{entity, p}] = cell
		}
		cell.Rows += rows[i].Rows
		cell.indices = append(cell.indices, index)
		cell.Sources = append(cell.Sources, g.run.set.Sources[index].Name)
	}
}

// periods are those of all sources, in order.
func (g *gathering) periods() []period.Period {
	var all []period.Period
	for f := range g.cells {
		if !slices.Contains(all, f.period) {
			all = append(all, f.period)
		}
	}
	slices.SortFunc(all, func(a, b period.Period) int {
		return cmp.Or(cmp.Compare(a.First, b.First), cmp.Compare(a.Unit, b.Unit))
	})
	if len(all) == 0 {
		all = []period.Period{noPeriod}
	}
	return all
}

// cell settles the status of one entity and period, and tells what is wrong.
func (g *gathering) cell(e *Entry, p period.Period, due, onRoster bool) MatrixCell {
	cell := g.cells[filing{fold(e.Entity), p}]
	key := strings.TrimSpace(e.Entity + " " + nameOf(p))
	list := &g.run.tally.Findings
	switch {
	case cell == nil && !due:
		return MatrixCell{Status: NotDue}
	case cell == nil && g.run.options.Partial:
		return MatrixCell{Status: NotRead}
	case cell == nil:
		f := finding.Finding{Kind: finding.NotFiled, Order: finding.End, Source: key, Key: key}
		f.Message = "has not filed; ask the branch for the file"
		if p == noPeriod {
			f.Message = "has not filed anything; ask the branch for its file"
		}
		list.Add(f)
		return MatrixCell{Status: NotFiled}
	}
	cell.Status = Filed
	if slices.ContainsFunc(cell.indices, func(i int) bool { return g.twice[i] }) {
		cell.Status = FiledTwice
	}
	if due {
		return *cell
	}
	if cell.Status == Filed {
		cell.Status = NotAsked
	}
	f := g.run.about(finding.NotOnRoster, cell.indices[0])
	f.Key = key
	switch {
	case !onRoster:
		f.Message = fmt.Sprintf("%s is not on %s%s", e.Entity, g.run.options.Roster.Name, g.meant(e.Entity))
	case g.run.options.Roster != nil && !e.IsDue(p):
		f.Message = fmt.Sprintf("%s does not have to file for %s, says line %d of %s", e.Entity, nameOf(p), e.Line,
			g.run.options.Roster.Name)
	default:
		f.Message = fmt.Sprintf("the period is not one of those asked for, which are %s", g.asked())
		if p == noPeriod {
			f.Message = "its name tells no period"
		}
	}
	list.Add(f)
	return *cell
}

func (g *gathering) meant(entity string) string {
	if near, ok := nearest.To(entity, g.run.options.Roster.Names()); ok {
		return fmt.Sprintf("; is it %s?", near)
	}
	return ""
}

func (g *gathering) asked() string {
	periods := g.run.options.Periods
	first, last := nameOf(periods[0]), nameOf(periods[len(periods)-1])
	if len(periods) == 1 {
		return first
	}
	return first + " to " + last
}
