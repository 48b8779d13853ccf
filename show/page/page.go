// Package page writes a report as one HTML file that asks for nothing else: its style, script and charts stand in it,
// its content security policy forbids all else, and whatever a source holds is text.
package page

import (
	"bufio"
	"crypto/sha256"
	_ "embed"
	"encoding/base64"
	"errors"
	"fmt"
	"html/template"
	"io"
	"regexp"

	"lastblock/show"
	"lastblock/show/report"
)

var (
	//go:embed page.html
	markup string
	//go:embed page.css
	style string
	//go:embed page.js
	script string
)

// page is a document with what belongs to its page.
type page struct {
	*report.Document
	Policy string
	Style  template.CSS
	Script template.JS
}

// cell is a cell as the page has it.
type cell struct {
	report.Cell
	Head   bool // it names its row
	Number bool
	Class  string
	Value  string // to sort and add up by
}

var pageTemplate = template.Must(template.New("page").Funcs(template.FuncMap{
	"draw":        draw,
	"cells":       cellsOf,
	"headClass":   func(c report.Column) string { return classOf(c.Kind) },
	"rowClass":    rowClass,
	"more":        moreOf,
	"number":      show.Number,
	"hasSeverity": hasSeverity,
	"wideClass":   wideClass,
}).Parse(markup))

// Write writes the page of a document. The error is what writing or drawing a chart returned.
func Write(w io.Writer, d *report.Document) error {
	p := page{Document: d, Style: template.CSS(style + printed(d)), Script: template.JS(script)}
	p.Policy = fmt.Sprintf("default-src 'none'; style-src '%s'; script-src '%s'; base-uri 'none'; form-action 'none'",
		hashOf(string(p.Style)), hashOf(string(p.Script)))
	out := bufio.NewWriterSize(w, 64<<10) // a page is made of very many small pieces
	return errors.Join(pageTemplate.ExecuteTemplate(out, "page", p), out.Flush())
}

// hashOf is the source of an inline style or script, as Content Security Policy Level 3 has it.
func hashOf(text string) string {
	sum := sha256.Sum256([]byte(text))
	return "sha256-" + base64.StdEncoding.EncodeToString(sum[:])
}

// notPlain is what does not go into a text of a style.
var notPlain = regexp.MustCompile(`[^0-9A-Za-z .,-]`)

// printed is the style of printed pages, with what stands at their edges.
func printed(d *report.Document) string {
	head := notPlain.ReplaceAllString(d.Title, " ")
	if d.Unsealed != "" {
		head += ", not sealed"
	}
	return fmt.Sprintf(`@page { size: A4 landscape; margin: 16mm 12mm 14mm;
  @top-left { content: "%s"; font: 8pt system-ui, sans-serif; }
  @bottom-right { content: "page " counter(page) " of " counter(pages); font: 8pt system-ui, sans-serif; }
}
`, head)
}

func draw(c report.Chart) (template.HTML, error) {
	svg, err := c.Draw()
	return template.HTML(svg), err // in which every text is escaped
}

func classOf(k report.Kind) string {
	switch {
	case k.IsNumber():
		return "n"
	case k == report.Long:
		return "long"
	case k == report.Code:
		return "code"
	case k == report.Moment:
		return "when"
	}
	return "text"
}

func rowClass(r report.Row) string {
	switch {
	case r.Strong:
		return "strong"
	case r.Indent:
		return "indent"
	}
	return ""
}

// Columns from which on a table is printed smaller, to be within one page's width.
const (
	wideColumns   = 10
	widerColumns  = 16
	widestColumns = 23
)

// wideClass says how small a table is printed.
func wideClass(t *report.Table) string {
	switch n := len(t.Columns); {
	case n >= widestColumns:
		return "widest"
	case n >= widerColumns:
		return "wider"
	case n >= wideColumns:
		return "wide"
	}
	return ""
}

func hasSeverity(t *report.Table) bool {
	for i := range t.Rows {
		if t.Rows[i].Severity != "" {
			return true
		}
	}
	return false
}

// moreOf says that rows were left out.
func moreOf(t *report.Table) string {
	if t.Whole == 0 {
		return ""
	}
	return fmt.Sprintf("%s of %s rows are listed; %s.", show.Number(len(t.Rows)), show.Number(t.Whole), t.More)
}

const sealDigits = 64 // of a SHA-256

// cellsOf makes the cells of a row.
func cellsOf(t *report.Table, r report.Row) (cells []cell) {
	for i := range r.Cells {
		c := cell{Cell: r.Cells[i], Head: i == 0}
		kind := report.Text
		if i < len(t.Columns) {
			kind = t.Columns[i].Kind
		}
		c.Number, c.Class = kind.IsNumber(), classOf(kind)
		if c.Cell.Number != nil {
			c.Value = c.Cell.Number.String()
			if c.Text == "" {
				c.Text = c.Cell.Number.Money()
			}
		}
		switch {
		case kind == report.Code && len(c.Text) == sealDigits:
			c.Class = "code seal"
		case c.Word == report.Bad:
			c.Class += " bad"
		case c.Word == report.Doubtful:
			c.Class += " doubt"
		case kind == report.Text && r.Indent:
			c.Class = "label"
		}
		if c.Class == "text" && !c.Head {
			c.Class = ""
		}
		cells = append(cells, c)
	}
	for len(cells) < len(t.Columns) {
		cells = append(cells, cell{Number: true})
	}
	return cells
}
