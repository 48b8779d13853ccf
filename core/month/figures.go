package month

import (
	"cmp"
	"strconv"
	"sync"

	"lastblock/core/capability/rollup"
	"lastblock/core/month/block"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
)

// AddFigure takes a line of the figures of a result, of which a block then knows which source gave what.
type AddFigure func(*block.Figure) error

// Gave are the figures of a result: what each source gave to it.
type Gave struct {
	// Given adds what each source gave as a whole.
	Given func(add AddFigure) error
	// Cells visits what each source gave to each group; nil without groups. A cell is good until visit returns.
	Cells func(visit func(source string, c *block.Cell)) error
	// Groups adds the figures of groups, where not all sources are known by group, and what sources that isWanted, nil
	// for all, gave to each group; nil without groups.
	Groups func(isWanted func(source string) bool, add AddFigure) error
}

// GaveOf are the figures of a result without groups; name is what a source is called.
func GaveOf(sources []tally.Source, name func(index int) string) *Gave {
	return &Gave{Given: func(add AddFigure) error { return eachGiven(sources, name, nil, add) }}
}

// eachGiven adds what each source gave; isApart tells whether it is known by group, nil for all.
func eachGiven(sources []tally.Source, name func(index int) string, isApart func(index int) bool, add AddFigure) error {
	for i := range sources {
		s := &sources[i]
		if s.Used == 0 {
			continue
		}
		f := &block.Figure{Kind: block.OfGiven, Source: name(i), Rows: s.Used}
		if isApart != nil && !isApart(i) {
			f.Place = block.WholePlace
		}
		for k := range s.Totals {
			f.Totals = append(f.Totals, s.Totals[k].Amount().String())
		}
		if err := add(f); err != nil {
			return err
		}
	}
	return nil
}

// SummaryGave are the figures of a summary. Those of groups are left out where these are nearly as many as the records.
func SummaryGave(r *rollup.Result, name func(index int) string) *Gave {
	return &Gave{
		Given: func(add AddFigure) error {
			index := 0
			named := func(i int) string {
				index = i
				return name(i)
			}
			return eachGiven(r.Sources, named, r.IsApart, func(f *block.Figure) error {
				f.Kept = r.IsLeft(index)
				return add(f)
			})
		},
		Cells: func(visit func(source string, c *block.Cell)) error {
			c := new(block.Cell)
			var source string
			last := -1
			return r.EachCell(func(index int, cell *rollup.Cell) {
				if index != last {
					source, last = name(index), index
				}
				c.Group, c.Rows, c.Totals = cell.Key, cell.Records, cell.Sums
				c.Place = appendPlace(c.Place[:0], cell.Lines)
				visit(source, c)
			})
		},
		Groups: func(isWanted func(source string) bool, add AddFigure) error {
			known := true
			for i := range r.Sources {
				known = known && (r.Sources[i].Used == 0 || r.IsApart(i))
			}
			if !known && r.HasGroups() {
				err := r.EachGroup(func(row rollup.Row) error { return add(figureOf(block.OfGroup, "", row)) })
				if err != nil {
					return err
				}
			}
			return r.EachOfSource(byName(isWanted, name), func(index int, row rollup.Row) error {
				return add(figureOf(block.OfWithin, name(index), row))
			})
		},
	}
}

// KnownBy tells of what sources, which name names, gave to a summary whether base knows it by a block up to one of a
// number, for rollup.Options.
func KnownBy(base *block.Base, title string, through int, name func(index int) string) func(g *rollup.Gave) bool {
	type room struct {
		block.Printer
		cell  block.Cell
		total []amount.Amount
	}
	rooms := sync.Pool{New: func() any { return new(room) }}
	var columns block.Printer // with the columns alone
	var once sync.Once
	return func(g *rollup.Gave) bool {
		once.Do(func() { columns.Begin(g.Of.Keys(), g.Of.Sums) })
		r := rooms.Get().(*room)
		defer rooms.Put(r)
		rows := 0
		r.Sum, r.total = columns.Sum, append(r.total[:0], make([]amount.Amount, len(g.Of.Sums))...)
		g.Each(func(cell *rollup.Cell) {
			r.cell.Group, r.cell.Rows, r.cell.Totals = cell.Key, cell.Records, cell.Sums
			r.cell.Place = appendPlace(r.cell.Place[:0], cell.Lines)
			r.Cell(&r.cell)
			rows += cell.Records
			for i := range cell.Sums {
				r.total[i] = r.total[i].Add(cell.Sums[i])
			}
		})
		totals := make([]string, len(r.total))
		for i := range r.total {
			totals[i] = r.total[i].String()
		}
		r.Given(rows, totals, "")
		return base.Knows(NewRollup().Name(), title, name(g.Source), through, r.Sum)
	}
}

// byName asks of the name of a source; nil of nil.
func byName(isWanted func(source string) bool, name func(index int) string) func(index int) bool {
	if isWanted == nil {
		return nil
	}
	return func(index int) bool { return isWanted(name(index)) }
}

// Gave are the figures of the grid.
func (f *Forms) Gave() *Gave {
	name := func(index int) string { return f.In.Set.Sources[index].Name }
	return &Gave{
		Given: func(add AddFigure) error { return eachGiven(f.Given(), name, nil, add) },
		Cells: func(visit func(source string, c *block.Cell)) error {
			c := new(block.Cell)
			return f.Within(nil, func(index int, row rollup.Row) error {
				c.Group = c.Group[:0]
				for _, value := range row.Key {
					c.Group = append(c.Group, []byte(value))
				}
				c.Rows, c.Totals, c.Place = row.Records, row.Sums, append(c.Place[:0], row.Cell...)
				visit(name(index), c)
				return nil
			})
		},
		Groups: func(isWanted func(source string) bool, add AddFigure) error {
			return f.Within(byName(isWanted, name), func(index int, row rollup.Row) error {
				return add(figureOf(block.OfWithin, name(index), row))
			})
		},
	}
}

// appendPlace writes lines as figures have them.
func appendPlace(dst []byte, lines rollup.Lines) []byte {
	if lines.First == 0 {
		return dst
	}
	dst = strconv.AppendInt(dst, int64(lines.First), 10)
	if lines.First != lines.Last {
		dst = strconv.AppendInt(append(dst, '-'), int64(lines.Last), 10)
	}
	return dst
}

func figureOf(kind block.Kind, source string, row rollup.Row) *block.Figure {
	f := &block.Figure{
		Kind:   kind,
		Source: source,
		Group:  row.Key,
		Rows:   row.Records,
		Place:  cmp.Or(row.Cell, string(appendPlace(nil, row.Lines))),
	}
	for _, sum := range row.Sums {
		f.Totals = append(f.Totals, sum.String())
	}
	return f
}
