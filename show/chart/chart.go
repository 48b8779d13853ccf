// Package chart draws the charts of a report as SVG that stands in a page: without style attributes, so that the
// page's content security policy may forbid them, and with classes in place of colours, so that the page's light and
// dark style hold for them, too. Figures are drawn as floating point numbers; what is written beside a mark is the
// caller's text.
package chart

import (
	"bytes"
	"fmt"
	"image/color"
	"regexp"
	"strings"

	"gonum.org/v1/plot"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgsvg"
)

// Bar is a bar with its name, and the text that stands at its end.
type Bar struct {
	Name, Label string
	Value       float64
	Strong      bool // a total, or what the chart is about
}

// Group are bars that belong together.
type Group struct {
	Name string
	Bars []Bar
}

// What is drawn in which colour; the style of the page says what these are. A text has a colour of its own for each
// place to its point, since the browser has other letters than those that are measured here, and must place it.
var (
	ink    = color.RGBA{0x11, 0x11, 0x11, 0xff}
	faint  = color.RGBA{0x22, 0x22, 0x22, 0xff}
	line   = color.RGBA{0x33, 0x33, 0x33, 0xff}
	accent = color.RGBA{0x44, 0x44, 0x44, 0xff}
	soft   = color.RGBA{0x55, 0x55, 0x55, 0xff}
	warn   = color.RGBA{0x66, 0x66, 0x66, 0xff}
)

// beside and before are what a text's colour is where it stands around its point, and before it.
func beside(of color.RGBA) color.RGBA { return color.RGBA{of.R + 1, of.G, of.B, of.A} }
func before(of color.RGBA) color.RGBA { return color.RGBA{of.R + 2, of.G, of.B, of.A} }

// anchors are the places of texts to their points, by the colours.
var anchors = map[string]string{"#121111": "middle", "#131111": "end", "#232222": "middle", "#242222": "end"}

// classes are what the page's style calls the colours.
var classes = map[string]string{"#121111": "ink", "#131111": "ink", "#232222": "faint", "#242222": "faint",
	"#111111": "ink", "#222222": "faint", "#333333": "line", "#444444": "accent",
	"#555555": "soft", "#666666": "warn"}

const textSize = 11

// canvas is a drawing with its own coordinates: x from the left and y from the top, in points.
type canvas struct {
	draw.Canvas
	svg    *vgsvg.Canvas
	height vg.Length
}

func newCanvas(width, height float64) *canvas {
	svg := vgsvg.NewWith(vgsvg.UseWH(vg.Length(width), vg.Length(height)))
	return &canvas{draw.New(svg), svg, vg.Length(height)}
}

func (c *canvas) at(x, y float64) vg.Point {
	return vg.Point{X: vg.Length(x), Y: c.height - vg.Length(y)}
}

// box fills a rectangle.
func (c *canvas) box(x, y, width, height float64, of color.Color) {
	c.FillPolygon(of, []vg.Point{c.at(x, y), c.at(x+width, y), c.at(x+width, y+height), c.at(x, y+height)})
}

func (c *canvas) line(x1, y1, x2, y2 float64, of color.Color) {
	c.StrokeLine2(draw.LineStyle{Color: of, Width: 1}, vg.Length(x1), c.height-vg.Length(y1), vg.Length(x2),
		c.height-vg.Length(y2))
}

// place is where a text stands to its point.
type place = draw.XAlignment

// text writes a text whose middle height is at y.
func (c *canvas) text(text string, x, y float64, at place, of color.RGBA, strong bool) {
	switch at {
	case draw.XCenter:
		of = beside(of)
	case draw.XRight:
		of = before(of)
	}
	style := styleOf(of, strong)
	style.YAlign = draw.YCenter
	c.FillText(style, c.at(x, y), text)
}

func styleOf(of color.Color, strong bool) draw.TextStyle {
	f := font.Font{Typeface: plot.DefaultFont.Typeface, Variant: "Sans", Size: textSize}
	if strong {
		f.Weight = 2 // bold
	}
	return draw.TextStyle{Color: of, Font: f, Handler: plot.DefaultTextHandler}
}

// widthOf is how wide a text is drawn.
func widthOf(text string) float64 { return float64(styleOf(ink, true).Width(text)) }

// shorten cuts a text that is wider than some points.
func shorten(text string, most float64) string {
	if widthOf(text) <= most {
		return text
	}
	runes := []rune(text)
	for len(runes) > 1 && widthOf(string(runes)+"…") > most {
		runes = runes[:len(runes)-1]
	}
	return string(runes) + "…"
}

var (
	styled   = regexp.MustCompile(`style="([^"]*)"`)
	preamble = regexp.MustCompile(`(?s)^.*?<svg [^>]*viewBox="([^"]*)"[^>]*>`)
)

// end writes the drawing as an element of a page; label says to those who do not see it what it shows.
func (c *canvas) end(label string) (string, error) {
	var out bytes.Buffer
	if _, err := c.svg.WriteTo(&out); err != nil {
		return "", err
	}
	text := out.String()
	at := preamble.FindStringSubmatchIndex(text)
	if at == nil {
		return "", fmt.Errorf("drawing a chart: there is no drawing")
	}
	text = fmt.Sprintf(
		`<svg class="chart" role="img" viewBox="%s" aria-label="%s">`,
		text[at[2]:at[3]],
		escape(label),
	) +
		text[at[1]:]
	return styled.ReplaceAllStringFunc(text, func(style string) string {
		return attributes(styled.FindStringSubmatch(style)[1])
	}), nil
}

// attributes writes a style as attributes and classes.
func attributes(style string) string {
	var names, others []string
	for _, part := range strings.Split(style, ";") {
		name, value, _ := strings.Cut(part, ":")
		switch {
		case (name == "fill" || name == "stroke") && classes[value] != "":
			names = append(names, name+"-"+classes[value])
			if anchor := anchors[value]; anchor != "" {
				others = append(others, fmt.Sprintf(`text-anchor="%s"`, anchor))
			}
		case name == "fill", name == "stroke-width", name == "font-size", name == "font-weight" && value != "normal":
			others = append(others, fmt.Sprintf(`%s="%s"`, name, value))
		}
	}
	if len(names) > 0 {
		others = append(others, fmt.Sprintf(`class="%s"`, strings.Join(names, " ")))
	}
	return strings.Join(others, " ")
}

var escaper = strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;", `"`, "&#34;")

func escape(text string) string { return escaper.Replace(text) }
