package month

import (
	"cmp"
	"strconv"

	"lastblock/core/capability/rollup"
	"lastblock/core/month/block"
	"lastblock/core/tally"
)

// AddFigure takes a line of the figures of a result, of which a block then knows which source gave what.
type AddFigure func(*block.Figure) error

// GivenFigures adds what each source gave to a result; name is what a source is called.
func GivenFigures(sources []tally.Source, add AddFigure, name func(index int) string) error {
	for i := range sources {
		s := &sources[i]
		if s.Used == 0 {
			continue
		}
		f := &block.Figure{Kind: block.OfGiven, Source: name(i), Rows: s.Used}
		for k := range s.Totals {
			f.Totals = append(f.Totals, s.Totals[k].Amount().String())
		}
		if err := add(f); err != nil {
			return err
		}
	}
	return nil
}

// SummaryFigures adds those of a summary: by source, by group, and by both.
func SummaryFigures(r *rollup.Result, add AddFigure, name func(index int) string) error {
	err := GivenFigures(r.Sources, add, name)
	if err == nil && r.HasGroups() {
		err = r.EachGroup(func(row rollup.Row) error { return add(figureOf(block.OfGroup, "", row)) })
	}
	if err != nil {
		return err
	}
	return r.EachOfSource(func(index int, row rollup.Row) error {
		return add(figureOf(block.OfWithin, name(index), row))
	})
}

// Figures adds those of the grid: by form, by figure, and by both.
func (f *Forms) Figures(add AddFigure) error {
	name := func(index int) string { return f.In.Set.Sources[index].Name }
	if err := GivenFigures(f.Given(), add, name); err != nil {
		return err
	}
	err := f.EachGroup(func(row rollup.Row) error { return add(figureOf(block.OfGroup, "", row)) })
	if err != nil {
		return err
	}
	return f.Within(func(index int, row rollup.Row) error { return add(figureOf(block.OfWithin, name(index), row)) })
}

// placeOf writes lines as figures have them.
func placeOf(lines rollup.Lines) string {
	switch {
	case lines.First == 0:
		return ""
	case lines.First == lines.Last:
		return strconv.Itoa(lines.First)
	}
	return strconv.Itoa(lines.First) + "-" + strconv.Itoa(lines.Last)
}

func figureOf(kind block.Kind, source string, row rollup.Row) *block.Figure {
	f := &block.Figure{
		Kind:   kind,
		Source: source,
		Group:  row.Key,
		Rows:   row.Records,
		Place:  cmp.Or(row.Cell, placeOf(row.Lines)),
	}
	for _, sum := range row.Sums {
		f.Totals = append(f.Totals, sum.String())
	}
	return f
}
