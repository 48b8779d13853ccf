package chart

import (
	"encoding/xml"
	"io"
	"math"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"lastblock/internal/reporttest"
)

// all are charts of each kind, with names.
func all(t *testing.T, name func(i int) string) map[string]string {
	t.Helper()
	bars := []Bar{
		{name(0), "10", 10, true},
		{name(1), "-4", -4, false},
		{name(2), "0", 0, false},
		{name(3), "6", 6, true},
	}
	charts := make(map[string]string)
	for kind, draw := range map[string]func() (string, error){
		"columns": func() (string, error) {
			return Columns(name(4), []Group{{name(5), bars}, {name(6), bars[:2]}, {"", nil}})
		},
		"rows":   func() (string, error) { return Rows(name(4), bars) },
		"bridge": func() (string, error) { return Bridge(name(4), bars) },
		"marks": func() (string, error) {
			return Marks(name(4), []string{name(5), name(6)}, []string{name(7)}, [][]Mark{{{name(8), true, false},
				{name(9), false, true}}})
		},
	} {
		svg, err := draw()
		if err != nil {
			t.Fatalf("%s: %v", kind, err)
		}
		charts[kind] = svg
	}
	return charts
}

// A chart is well formed whatever its names are, runs nothing, and has no colour and no style of its own.
func TestChartsAreSafe(t *testing.T) {
	for kind, svg := range all(t, func(i int) string { return reporttest.Hostile[i] }) {
		decoder, elements := xml.NewDecoder(strings.NewReader(svg)), make(map[string]bool)
		for {
			token, err := decoder.Token()
			if err == io.EOF {
				break
			}
			if err != nil {
				t.Fatalf("%s: %v\n%s", kind, err, svg)
			}
			if of, ok := token.(xml.StartElement); ok {
				elements[of.Name.Local] = true
				for _, a := range of.Attr {
					if a.Name.Local == "style" || strings.HasPrefix(a.Name.Local, "on") ||
						strings.HasPrefix(a.Value, "#") {
						t.Errorf("%s has %s=%q", kind, a.Name.Local, a.Value)
					}
				}
			}
		}
		for name := range elements {
			if !strings.Contains(" svg g path text ", " "+name+" ") {
				t.Errorf("%s has an element %s", kind, name)
			}
		}
		if !elements["path"] || !elements["text"] {
			t.Errorf("%s draws nothing: %s", kind, svg)
		}
	}
}

// box is a filled rectangle of a chart.
type box struct{ left, right, bottom, top float64 }

var filled = regexp.MustCompile(`<path d="M([-\d.]+),([-\d.]+)L[-\d.,]+L([-\d.]+),([-\d.]+)L[^"]*Z" class="fill-(\w+)"`)

func boxes(t *testing.T, svg string) (all []box) {
	t.Helper()
	for _, m := range filled.FindAllStringSubmatch(svg, -1) {
		var n [4]float64
		for i := range n {
			var err error
			if n[i], err = strconv.ParseFloat(m[i+1], 64); err != nil {
				t.Fatal(err)
			}
		}
		all = append(all, box{math.Min(n[0], n[2]), math.Max(n[0], n[2]), math.Min(n[1], n[3]), math.Max(n[1], n[3])})
	}
	return all
}

func near(a, b float64) bool { return math.Abs(a-b) < 0.5 }

// The bars of a chart are as long as its figures are large.
func TestBarsAreAsLongAsTheirFigures(t *testing.T) {
	charts := all(t, strconv.Itoa)
	upright := boxes(t, charts["columns"])
	if len(upright) != 6 || !near((upright[0].top-upright[0].bottom)*4, (upright[1].top-upright[1].bottom)*10) ||
		!near(upright[0].bottom, upright[1].top) {
		t.Errorf("columns are %v", upright)
	}
	lying := boxes(t, charts["rows"])
	if len(lying) != 4 || !near((lying[0].right-lying[0].left)*4, (lying[1].right-lying[1].left)*10) ||
		!near(lying[0].left, lying[1].right) {
		t.Errorf("rows are %v", lying)
	}
}

// A step of a bridge begins where the one before ends, and the last total stands where the steps lead to.
func TestABridgeIsWhole(t *testing.T) {
	steps := boxes(t, all(t, strconv.Itoa)["bridge"])
	if len(steps) != 4 || !near(steps[0].right, steps[1].right) || !near(steps[1].left, steps[2].left) ||
		!near(steps[3].right, steps[1].left) {
		t.Errorf("steps are %v", steps)
	}
	small := []Bar{{Value: 1000, Strong: true}, {Value: 5}, {Value: -3}, {Value: 1002, Strong: true}}
	if begins := Begins(small); begins <= 900 || begins >= 1000 {
		t.Errorf("of small steps the axis begins at %v", begins)
	}
	if begins := Begins([]Bar{{Value: 1000, Strong: true}, {Value: 900}, {Value: 1900, Strong: true}}); begins != 0 {
		t.Errorf("of large steps the axis begins at %v", begins)
	}
	if begins := Begins([]Bar{{Value: -5, Strong: true}, {Value: 1}, {Value: -4, Strong: true}}); begins != 0 {
		t.Errorf("below zero the axis begins at %v", begins)
	}
}

// A text that is too wide is cut, and says so.
func TestShorten(t *testing.T) {
	long := strings.Repeat("Übertrag ", 40)
	if got := shorten(long, 100); !strings.HasSuffix(got, "…") || widthOf(got) > 100 || !strings.HasPrefix(long,
		strings.TrimSuffix(got, "…")) {
		t.Errorf("%q is %v wide", got, widthOf(got))
	}
	if got := shorten("short", 100); got != "short" {
		t.Errorf("%q", got)
	}
}
