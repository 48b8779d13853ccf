package page

import (
	"bytes"
	"fmt"
	"math"
	"regexp"
	"strings"
	"testing"

	"lastblock/core/month/pack"
	"lastblock/internal/reporttest"
	"lastblock/show/report"

	"golang.org/x/net/html"
)

func written(t *testing.T, r *pack.Report) string {
	t.Helper()
	var out bytes.Buffer
	if err := Write(&out, report.Lay(r, pack.Sections(), report.PageLimits)); err != nil {
		t.Fatal(err)
	}
	return out.String()
}

// each calls visit for each element of a page.
func each(t *testing.T, page string, visit func(n *html.Node)) {
	t.Helper()
	root, err := html.Parse(strings.NewReader(page))
	if err != nil {
		t.Fatal(err)
	}
	for n := range root.Descendants() {
		if n.Type == html.ElementNode {
			visit(n)
		}
	}
}

func attribute(n *html.Node, name string) string {
	for _, a := range n.Attr {
		if a.Key == name {
			return a.Val
		}
	}
	return ""
}

// textOf is the text of an element.
func textOf(n *html.Node) string {
	var b strings.Builder
	for d := range n.Descendants() {
		if d.Type == html.TextNode {
			b.WriteString(d.Data)
		}
	}
	return b.String()
}

// Whatever sources are called and hold is text: nothing of it becomes an element, an attribute, a link or a style, and
// what the page runs and looks like is what its policy allows by its hash.
func TestNothingOfASourceRuns(t *testing.T) {
	r := reporttest.Report(len(reporttest.Hostile), 2, func(i int) string { return reporttest.Hostile[i] })
	r.Reason, r.User = reporttest.Hostile[0], reporttest.Hostile[1]
	page := written(t, r)
	scripts, styles, policy := 0, 0, ""
	shown := make(map[string]bool)
	each(t, page, func(n *html.Node) {
		switch n.Data {
		case "script":
			scripts++
			if !strings.Contains(policy, hashOf(textOf(n))) {
				t.Errorf("the policy %q does not allow the script", policy)
			}
		case "style":
			styles++
			if !strings.Contains(policy, hashOf(textOf(n))) {
				t.Errorf("the policy %q does not allow the style", policy)
			}
		case "meta":
			if attribute(n, "http-equiv") == "Content-Security-Policy" {
				policy = attribute(n, "content")
			}
		case "img", "iframe", "object", "embed", "link", "base", "image", "use", "foreignObject":
			t.Errorf("there is an element %s", n.Data)
		case "th":
			shown[textOf(n)] = true
		}
		for _, a := range n.Attr {
			if strings.HasPrefix(a.Key, "on") || a.Key == "style" || a.Key == "src" || a.Key == "action" ||
				a.Key == "href" && !strings.HasPrefix(a.Val, "#") {
				t.Errorf("%s has %s=%q", n.Data, a.Key, a.Val)
			}
		}
	})
	if scripts != 1 || styles != 1 || !strings.HasPrefix(policy, "default-src 'none';") {
		t.Errorf("%d scripts, %d styles, policy %q", scripts, styles, policy)
	}
	for _, name := range append(reporttest.Hostile, reporttest.Account(reporttest.Groups-1)) {
		if !shown[name] {
			t.Errorf("%q is not shown as it is", name)
		}
	}
	if strings.Contains(page, "http:") || strings.Contains(page, "https:") {
		t.Error("the page names an address")
	}
}

// A page can be read without seeing it: landmarks, headings of tables, names of what can be used, and texts in the
// direction that is theirs.
func TestThePageCanBeHeard(t *testing.T) {
	page := written(t, reporttest.Report(3, 2, func(i int) string { return fmt.Sprint("unit", i) }))
	count := make(map[string]int)
	ids := make(map[string]bool)
	each(t, page, func(n *html.Node) {
		count[n.Data]++
		if id := attribute(n, "id"); id != "" {
			if ids[id] {
				t.Errorf("two elements are called %s", id)
			}
			ids[id] = true
		}
		switch n.Data {
		case "th":
			if s := attribute(n, "scope"); s != "col" && s != "row" {
				t.Errorf("a heading %q has scope %q", textOf(n), s)
			}
		case "svg":
			if attribute(n, "role") != "img" || attribute(n, "aria-label") == "" {
				t.Error("a chart has no name")
			}
		case "table":
			if n.Parent.Data != "div" ||
				attribute(n.Parent, "class") == "scroll" && attribute(n.Parent, "tabindex") != "0" &&
					attribute(n.Parent.Parent, "class") != "gave" {
				t.Error("a table that is too wide cannot be reached by the keyboard")
			}
		case "section":
			if !ids[attribute(n, "id")] || attribute(n, "aria-labelledby") == "" {
				t.Error("a section has no name")
			}
		case "td":
			if !strings.Contains(attribute(n, "class"), "n") && attribute(n, "dir") == "" && textOf(n) != "" &&
				attribute(n.Parent.Parent.Parent.Parent.Parent, "class") != "gave" {
				t.Errorf("a text %q has no direction of its own", textOf(n))
			}
		case "html":
			if attribute(n, "lang") == "" {
				t.Error("the page has no language")
			}
		}
	})
	for _, name := range []string{"header", "nav", "main", "footer", "h1"} {
		if count[name] != 1 {
			t.Errorf("there are %d %s", count[name], name)
		}
	}
	each(t, page, func(n *html.Node) {
		if to, is := strings.CutPrefix(attribute(n, "href"), "#"); is && !ids[to] {
			t.Errorf("a link to %s leads nowhere", to)
		}
	})
}

// luminance is the relative luminance of a colour, as WCAG 2 has it.
func luminance(t *testing.T, colour string) float64 {
	t.Helper()
	var rgb [3]int
	if _, err := fmt.Sscanf(colour, "#%02x%02x%02x", &rgb[0], &rgb[1], &rgb[2]); err != nil {
		t.Fatalf("%s: %v", colour, err)
	}
	var of [3]float64
	for i, c := range rgb {
		if of[i] = float64(c) / 255 / 12.92; c > 10 {
			of[i] = math.Pow((float64(c)/255+0.055)/1.055, 2.4)
		}
	}
	return 0.2126*of[0] + 0.7152*of[1] + 0.0722*of[2]
}

// Every colour of a text can be read on every paper, in light and in dark: its contrast is that of level AA of WCAG 2.
func TestContrasts(t *testing.T) {
	themes := regexp.MustCompile(`(?s):root \{(.*?)\}`).FindAllStringSubmatch(style, -1)
	if len(themes) != 3 {
		t.Fatalf("there are %d themes", len(themes))
	}
	for i, theme := range themes {
		colours := make(map[string]float64)
		for _, m := range regexp.MustCompile(`--(\w+): (#[0-9a-f]+)`).FindAllStringSubmatch(theme[1], -1) {
			colour := m[2]
			if len(colour) == 4 { // #abc
				colour = "#" + strings.Repeat(
					colour[1:2],
					2,
				) + strings.Repeat(
					colour[2:3],
					2,
				) + strings.Repeat(
					colour[3:],
					2,
				)
			}
			colours[m[1]] = luminance(t, colour)
		}
		for _, text := range []string{"ink", "faint", "accent", "bad", "doubt"} {
			for _, paper := range []string{"paper", "shade"} {
				light, dark := max(colours[text], colours[paper]), min(colours[text], colours[paper])
				if ratio := (light + 0.05) / (dark + 0.05); ratio < 4.5 {
					t.Errorf("theme %d: %s on %s has a contrast of %.2f", i+1, text, paper, ratio)
				}
			}
		}
		if light, dark := max(colours["ink"], colours["soft"]), min(colours["ink"], colours["soft"]); (light+0.05)/
			(dark+0.05) < 4.5 {
			t.Errorf("theme %d: a label on a mark cannot be read", i+1)
		}
	}
}

// A rehearsal says at its top and at its end that it is not sealed, and on every printed page.
func TestARehearsalSaysSo(t *testing.T) {
	r := reporttest.Report(2, 0, func(i int) string { return fmt.Sprint("unit", i) })
	if n := strings.Count(written(t, r), "Not sealed."); n != 0 {
		t.Errorf("a sealed report says %d times that it is not", n)
	}
	r.State = pack.Rehearsed
	page := written(t, r)
	var places []int
	for _, at := range regexp.MustCompile("Not sealed").FindAllStringIndex(page, -1) {
		places = append(places, at[0])
	}
	if len(places) != 2 || places[0] > strings.Index(page, "<h1") || places[1] < strings.Index(page, "</main>") ||
		!strings.Contains(page, "2031-03, not sealed\"") {
		t.Errorf("it says so at %v", places)
	}
}

// The page of ten thousand sources and two hundred findings stays below two megabytes.
func TestThePageStaysSmall(t *testing.T) {
	page := written(
		t,
		reporttest.Report(10_000, 50, func(i int) string { return fmt.Sprintf("branch office %05d", i) }),
	)
	if len(page) > 2_000_000 {
		t.Errorf("it has %d bytes", len(page))
	}
	if !strings.Contains(page, "1,000 of 10,000 rows are listed;") || !strings.Contains(page, "more sources</th>") {
		t.Error("it does not say what it lacks")
	}
}
