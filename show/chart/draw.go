package chart

import (
	"math"

	"gonum.org/v1/plot/vg/draw"
)

// width is that of all charts, in points.
const width = 900

// extent is from the least to the most of values, and zero.
func extent(values []float64) (least, most float64) {
	for _, v := range values {
		least, most = math.Min(least, v), math.Max(most, v)
	}
	if least == most {
		most = 1
	}
	return least, most
}

// Columns draws groups of upright bars beside one another, each with its label at its end and its name below; the last
// bar of a group is the one that the chart is about.
func Columns(label string, groups []Group) (string, error) {
	const (
		height, top, bottom = 270.0, 22.0, 40.0
		gap                 = 0.35 // of a bar, between groups
	)
	var values []float64
	bars := 0
	for _, g := range groups {
		for _, b := range g.Bars {
			values = append(values, b.Value)
		}
		bars = max(bars, len(g.Bars))
	}
	least, most := extent(values)
	c := newCanvas(width, height)
	plotted := height - top - bottom
	if least < 0 {
		plotted -= textSize + 4 // for labels below
	}
	y := func(v float64) float64 { return top + plotted*(most-v)/(most-least) }
	room := width / float64(max(1, len(groups)))
	one := math.Min(64, room/(float64(bars)+2*gap))
	for i, g := range groups {
		left := room*float64(i) + (room-one*float64(len(g.Bars)))/2
		for k, b := range g.Bars {
			of, x := soft, left+one*float64(k)
			if b.Strong {
				of = accent
			}
			c.box(x+2, math.Min(y(b.Value), y(0)), one-4, math.Abs(y(b.Value)-y(0)), of)
			at := y(b.Value) - 8
			if b.Value < 0 {
				at = y(b.Value) + 8
			}
			c.text(shorten(b.Label, one*1.15), x+one/2, at, draw.XCenter, ink, b.Strong)
			c.text(shorten(b.Name, one), x+one/2, height-bottom+12, draw.XCenter, faint, false)
		}
		c.text(shorten(g.Name, room-6), room*(float64(i)+0.5), height-bottom+28, draw.XCenter, ink, true)
	}
	c.line(0, y(0), width, y(0), line)
	return c.end(label)
}

// Rows draws lying bars below one another: the name on the left, the label at the end.
func Rows(label string, bars []Bar) (string, error) {
	const each, names = 24.0, 190.0
	var values []float64
	room := 0.0
	for _, b := range bars {
		values, room = append(values, b.Value), math.Max(room, widthOf(b.Label))
	}
	least, most := extent(values)
	c := newCanvas(width, each*float64(len(bars))+6)
	plotted := width - names - 2*(room+12)
	if least >= 0 {
		plotted += room + 12
	}
	zero := names + plotted*(0-least)/(most-least)
	if least < 0 {
		zero += room + 12
	}
	for i, b := range bars {
		y := each*float64(i) + 3
		long := plotted * b.Value / (most - least)
		of := soft
		if b.Strong {
			of = accent
		}
		c.box(math.Min(zero, zero+long), y+3, math.Abs(long), each-8, of)
		if b.Value < 0 {
			c.text(b.Label, zero+long-6, y+each/2-1, draw.XRight, ink, false)
		} else {
			c.text(b.Label, zero+long+6, y+each/2-1, draw.XLeft, ink, false)
		}
		c.text(shorten(b.Name, names-14), names-10, y+each/2-1, draw.XRight, ink, false)
	}
	c.line(zero, 0, zero, each*float64(len(bars))+6, line)
	return c.end(label)
}

// Bridge draws how one total becomes another: the totals, which are Strong, stand on zero, and every bar between them
// begins where the one before has ended. Names stand on the left, since they are names of files.
func Bridge(label string, steps []Bar) (string, error) {
	const each, names = 26.0, 250.0
	ends, room := endsOf(steps), 0.0
	for _, s := range steps {
		room = math.Max(room, widthOf(s.Label))
	}
	least, most := window(steps, ends)
	c := newCanvas(width, each*float64(len(steps))+6)
	left, plotted := names+room+12, width-names-2*(room+12)
	x := func(v float64) float64 { return left + plotted*(v-least)/(most-least) }
	before := 0.0
	for i, s := range steps {
		y := each*float64(i) + 3
		from, to, of := before, ends[i], accent
		switch {
		case s.Strong:
			from, of = math.Max(least, math.Min(0, most)), soft
		case s.Value < 0:
			of = warn
		}
		c.box(math.Min(x(from), x(to)), y+4, math.Max(1.5, math.Abs(x(to)-x(from))), each-9, of)
		if i > 0 {
			c.line(x(before), y-5, x(before), y+4, line)
		}
		if to < from {
			c.text(s.Label, x(to)-6, y+each/2-1, draw.XRight, ink, s.Strong)
		} else {
			c.text(s.Label, x(to)+6, y+each/2-1, draw.XLeft, ink, s.Strong)
		}
		c.text(shorten(s.Name, names-14), names-10, y+each/2-1, draw.XRight, ink, s.Strong)
		before = ends[i]
	}
	return c.end(label)
}

// endsOf are where the steps of a bridge end.
func endsOf(steps []Bar) (ends []float64) {
	reached := 0.0
	for _, s := range steps {
		if s.Strong {
			reached = s.Value
		} else {
			reached += s.Value
		}
		ends = append(ends, reached)
	}
	return ends
}

// Begins is where the axis of a bridge begins: at zero, but where its steps are small beside its totals.
func Begins(steps []Bar) float64 {
	least, _ := window(steps, endsOf(steps))
	return math.Max(0, least)
}

// window is what a bridge shows: from zero on, or where its steps are small beside its totals, that around them.
func window(steps []Bar, ends []float64) (least, most float64) {
	const small = 0.2
	low, high := ends[0], ends[0]
	for _, end := range ends {
		low, high = math.Min(low, end), math.Max(high, end)
	}
	if steps[0].Value > 0 && low > 0 && high-low < small*high {
		return math.Max(0, low-(high-low)*0.8), high + 1e-9
	}
	return extent(ends)
}

// Mark is a cell of a grid of what is there.
type Mark struct {
	Text    string
	There   bool
	Trouble bool // it is missing, or there twice
}

// Marks draws a grid of what is there and what is not: columns, and rows with their names. What is in trouble has a
// frame and its word, and what is there is filled.
func Marks(label string, columns, rows []string, marks [][]Mark) (string, error) {
	const each, names, top = 26.0, 190.0, 24.0
	c := newCanvas(width, top+each*float64(len(rows))+4)
	one := math.Min(150, (width-names)/float64(max(1, len(columns))))
	for k, name := range columns {
		c.text(shorten(name, one-4), names+one*(float64(k)+0.5), top/2, draw.XCenter, faint, false)
	}
	for i, name := range rows {
		y := top + each*float64(i)
		c.text(shorten(name, names-14), names-10, y+each/2, draw.XRight, ink, false)
		for k, m := range marks[i] {
			x := names + one*float64(k)
			of := ink
			if m.There && !m.Trouble {
				c.box(x+2, y+2, one-4, each-4, soft)
			}
			if m.Trouble {
				c.frame(x+2.5, y+2.5, one-5, each-5)
				of = ink
			}
			c.text(shorten(m.Text, one-10), x+one/2, y+each/2, draw.XCenter, of, m.Trouble)
		}
	}
	return c.end(label)
}

// frame draws the outline of a rectangle.
func (c *canvas) frame(x, y, width, height float64) {
	c.line(x, y, x+width, y, warn)
	c.line(x+width, y, x+width, y+height, warn)
	c.line(x+width, y+height, x, y+height, warn)
	c.line(x, y+height, x, y, warn)
}
