package view

import (
	"fmt"
	"io"

	"lastblock/core/capability/overlay"
	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/show"
)

// Overlays are the grids of a run.
type Overlays struct {
	All      []*Overlay
	Findings []finding.Finding
	Withheld bool
}

// Document writes them as JSON. What a single one has stands at the top.
func (s *Overlays) Document(w io.Writer) error {
	d := show.StartDocument(w, show.NewDocument("overlay"))
	if len(s.All) == 1 {
		if err := s.All[0].members(d, !s.Withheld); err != nil {
			return err
		}
	}
	if len(s.All) > 1 || s.All[0].Name != "" {
		err := d.Objects("results", len(s.All), func(i int, o *show.DocumentWriter) error {
			o.Add("name", s.All[i].Name)
			if err := s.All[i].members(o, !s.Withheld && len(s.All) > 1); err != nil {
				return err
			}
			o.Add("proof", s.All[i].proof())
			return nil
		})
		if err != nil {
			return err
		}
	}
	findings := s.Findings
	if findings == nil {
		findings = s.All[0].Findings
	}
	d.Add("passed_over", passedOver(s.All[0].Set))
	d.Add("findings", findings)
	if len(s.All) == 1 {
		d.Add("proof", s.All[0].proof())
	}
	return d.Close()
}

// members writes what the grid has alone, without its cells where there is no result.
func (o *Overlay) members(d *show.DocumentWriter, withCells bool) error {
	meet := "label"
	if !o.ByLabel {
		meet = "position"
		d.Add("cells_at", o.Where)
	}
	d.Add("meet_by", meet)
	sources := []show.Object{}
	for i := range o.Sources {
		sources = append(sources, o.sourceObject(&o.Sources[i]))
	}
	d.Add("sources", sources)
	d.Add("footings", o.footingObjects())
	if !withCells {
		return nil
	}
	err := d.List("cells", func(add func(show.Object)) error {
		return o.EachFigure(func(block, row, column int, from overlay.From) error {
			object, err := o.figureObject(block, row, column, from)
			if err == nil {
				add(object)
			}
			return err
		})
	})
	if o.Out != "" {
		d.Add("out", o.Out)
	}
	return err
}

// figureObject is a figure with what the sources gave to it.
func (o *Overlay) figureObject(block, row, column int, from overlay.From) (show.Object, error) {
	b := &o.Blocks[block]
	object := show.Object{{Name: "row", Value: b.Rows[row].Label}, {Name: "column", Value: b.Columns[column].Label},
		{Name: "cell", Value: overlay.Address(b.Rows[row].At, b.Columns[column].At)},
		{Name: "value", Value: b.At(row, column).Amount.String()}}
	gave := []show.Object{}
	err := from(func(c *overlay.Contribution) error {
		one := show.Object{{Name: "source", Value: o.Set.Sources[c.Source].Name}}
		if sheet := o.Set.Sources[c.Source].Sheet(); sheet != "" {
			one.Add("sheet", sheet)
		}
		one.Add("cell", c.At)
		one.Add("value", c.Amount.String())
		gave = append(gave, one)
		return nil
	})
	object.Add("from", gave)
	return object, err
}

// sourceObject is what a source gave.
func (o *Overlay) sourceObject(g *overlay.Given) show.Object {
	object := sourceObject(o.Set, g.Index)
	object.Add("cells", g.Read)
	object.Add("used", g.Used)
	object.Add("blank", g.Blank)
	object.Add("suspense", g.Suspense)
	object.Add("not_added", g.NotAdded)
	object.Add("dropped", g.Dropped)
	object.Add("figures", g.Figures.String())
	object.Add("total", g.Amount.String())
	return object
}

func (o *Overlay) footingObjects() []show.Object {
	objects := []show.Object{}
	for i := range o.Footings {
		f := &o.Footings[i]
		lines := o.Blocks[f.Block].Rows
		if f.Axis == overlay.Columns {
			lines = o.Blocks[f.Block].Columns
		}
		parts := []string{}
		for _, part := range f.Parts {
			parts = append(parts, lines[part].Name())
		}
		objects = append(objects, show.Object{{Name: f.Axis.String(), Value: lines[f.Line].Name()},
			{Name: "of", Value: parts}, {Name: "named", Value: f.Named}, {Name: "forms", Value: f.Forms}})
	}
	return objects
}

func (o *Overlay) proof() show.Object {
	g := &o.Total
	figures := show.Object{{Name: "read", Value: g.Figures.String()}, {Name: "used", Value: g.Amount.String()},
		{Name: "suspense", Value: g.AmountInSuspense.String()}, {Name: "not_added", Value: g.AmountNotAdded.String()},
		{Name: "dropped", Value: g.AmountDropped.String()}}
	return show.Object{{Name: "cells", Value: g.Read}, {Name: "used", Value: g.Used}, {Name: "blank", Value: g.Blank},
		{Name: "suspense", Value: g.Suspense}, {Name: "not_added", Value: g.NotAdded},
		{Name: "dropped", Value: g.Dropped},
		{Name: "figures", Value: figures}}
}

// Report prints what stands below the grids: the findings and the proofs.
func (s *Overlays) Report(screen *show.Screen, set *source.Set) {
	printPassedOver(screen, set)
	show.Findings(screen, s.Findings)
	for _, one := range s.All {
		if len(s.All) > 1 {
			fmt.Fprintf(screen, "\n%s", screen.Bold(one.Name))
		}
		if !screen.Terminal { // above the grid it stands there
			fmt.Fprintf(screen, "\n%s\n", one.meeting())
		}
		one.PrintProof(screen)
	}
}
