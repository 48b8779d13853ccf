package show

import (
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/finding/review"
	"lastblock/core/value/amount"

	"github.com/xuri/excelize/v2"
)

// reviewSheet is what the sheet is called on which to decide.
const reviewSheet = "Review"

// WriteReview writes a workbook in which to decide about the findings that are open: a row for each, or
// for doubles their places under each other, values in which they differ set apart, and in front two empty columns,
// for the decision and for the reason. columns are those of Place.Texts, and totals are the ones of them that
// hold money. What package review needs to know the findings again stands in
// hidden columns.
func WriteReview(w io.Writer, columns, totals []string, findings []finding.Finding) error {
	room, err := newWorkroom()
	if err != nil {
		return err
	}
	defer room.close()
	book := excelize.NewFile(excelize.Options{TmpDir: room.path})
	defer book.Close()
	if err := book.SetDocProps(&excelize.DocProperties{Creator: creator}); err != nil {
		return err
	}
	r := reviewWriter{book: book, columns: columns, totals: make(map[string]bool)}
	for _, total := range totals {
		r.totals[total] = true
	}
	findings = slices.DeleteFunc(slices.Clone(findings), func(f finding.Finding) bool { return !review.IsOpen(&f) })
	slices.SortStableFunc(findings, func(a, b finding.Finding) int {
		return slices.Index(labels, labelOf(&a)) - slices.Index(labels, labelOf(&b))
	})
	if slices.ContainsFunc(findings, func(f finding.Finding) bool { return len(f.Places) == 0 }) {
		r.context = contextColumns
	}
	r.hide(findings)
	if err := r.begin(widest(columns, findings)); err != nil {
		return err
	}
	for i := range findings {
		if err := r.add(&findings[i]); err != nil {
			return err
		}
	}
	if err := r.end(); err != nil {
		return err
	}
	return book.Write(w)
}

type reviewWriter struct {
	book    *excelize.File
	stream  *excelize.StreamWriter
	columns []string
	context []string // columns of what a finding that has no places says
	hidden  []string // columns of which no row has anything
	totals  map[string]bool
	header  []string
	row     int
	styles  map[reviewStyle]int
	offers  [2]offer // without places, and with them
}

// whatColumn has the message of a finding.
const whatColumn = "what"

// hide hides the columns for a place or a sheet where no finding has one.
func (r *reviewWriter) hide(findings []finding.Finding) {
	has := make(map[string]bool)
	for i := range findings {
		for _, p := range review.Places(&findings[i]) {
			has["place"] = has["place"] || p.Letter != ""
			has["sheet"] = has["sheet"] || p.Sheet != ""
		}
	}
	for _, name := range []string{"place", "sheet"} {
		if !has[name] {
			r.hidden = append(r.hidden, name)
		}
	}
}

// contextColumns are what a finding that has no places says, each in a cell of its own.
var contextColumns = []string{"severity", "column", "about", "expected", "found", "difference"}

// offer are the rows for which some decisions are offered.
type offer struct {
	ranges []string
	last   int // row of the last range
	first  int
}

// add takes a row in.
func (o *offer) add(row int) {
	if n := len(o.ranges); n > 0 && o.last == row-1 {
		o.last = row
		o.ranges[n-1] = fmt.Sprintf("A%d:A%d", o.first, row)
		return
	}
	o.first, o.last = row, row
	o.ranges = append(o.ranges, fmt.Sprintf("A%d", row))
}

// reviewStyle is how a cell looks.
type reviewStyle struct{ head, differs, first, entry, money, whole bool }

const (
	differsFill = "FFE699" // amber, as of a marker
	entryFill   = "E2EFDA" // pale green: to be filled in
	ruleColour  = "7F7F7F"
)

func (r *reviewWriter) style(s reviewStyle) (int, error) {
	if id, ok := r.styles[s]; ok {
		return id, nil
	}
	style := &excelize.Style{Font: &excelize.Font{Family: fontName, Size: fontSize, Bold: s.head}, NumFmt: 49}
	if s.whole {
		style.NumFmt = 1 // the built-in format of whole numbers
	}
	if s.money {
		format := "#,##0.00"
		style.NumFmt, style.CustomNumFmt = 0, &format
	}
	switch {
	case s.differs:
		style.Fill = excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{differsFill}}
	case s.entry:
		style.Fill = excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{entryFill}}
	}
	if s.first {
		style.Border = []excelize.Border{{Type: "top", Color: ruleColour, Style: 1}}
	}
	id, err := r.book.NewStyle(style)
	if err != nil {
		return 0, err
	}
	r.styles[s] = id
	return id, nil
}

// widest are the lengths of the longest texts of the first findings, by column.
func widest(columns []string, findings []finding.Finding) []int {
	longest := make([]int, len(columns))
	for i, name := range columns {
		longest[i] = textWidth(name)
	}
	for i := range findings[:min(len(findings), widthRows)] {
		for _, p := range findings[i].Places {
			for k, text := range p.Texts[:min(len(p.Texts), len(longest))] {
				longest[k] = max(longest[k], textWidth(text))
			}
		}
	}
	return longest
}

func (r *reviewWriter) begin(longest []int) error {
	r.styles = make(map[reviewStyle]int)
	if err := r.book.SetSheetName("Sheet1", reviewSheet); err != nil {
		return err
	}
	var err error
	if r.stream, err = newStream(r.book, reviewSheet); err != nil {
		return err
	}
	r.header = slices.Concat(review.Front, r.columns, []string{whatColumn}, r.context, review.Hidden)
	widths := map[string]float64{
		"decision": 10, "reason": 26, "id": 11, "kind": 16, "place": 6, "source": 28, "sheet": 9, "source_line": 11,
		"severity": 9, "column": 14, "about": 20, "expected": 14, "found": 14, "difference": 14,
		whatColumn: 90,
	}
	const most, beside = 34, 2
	for i, name := range r.header {
		width, known := widths[name]
		if at := i - len(review.Front); at >= 0 && at < len(r.columns) {
			width, known = float64(min(max(longest[at], leastWidth), most)+beside), true
		}
		if !known {
			width = leastWidth // of one that is hidden
		}
		if slices.Contains(r.hidden, name) && i < len(review.Front) {
			if err := r.stream.SetColVisible(i+1, i+1, false); err != nil {
				return err
			}
		}
		if err := r.stream.SetColWidth(i+1, i+1, width); err != nil {
			return err
		}
	}
	if err := r.stream.SetColVisible(len(r.header)-len(review.Hidden)+1, len(r.header), false); err != nil {
		return err
	}
	if err := r.stream.SetPanes(&excelize.Panes{Freeze: true, XSplit: 2, YSplit: 1, TopLeftCell: "C2",
		ActivePane: "bottomRight"}); err != nil {
		return err
	}
	var cells []any
	style, err := r.style(reviewStyle{head: true})
	if err != nil {
		return err
	}
	for _, name := range r.header {
		cells = append(cells, excelize.Cell{StyleID: style, Value: name})
	}
	r.row = 1
	return r.stream.SetRow("A1", cells)
}

// add writes a finding, a row for each of its places.
func (r *reviewWriter) add(f *finding.Finding) error {
	places := review.Places(f)
	for i := range places {
		if r.row++; r.row > sheetRows {
			return fmt.Errorf("there is more to decide than the %d rows of a sheet hold; narrow it down, or write "+
				"--findings", sheetRows)
		}
		cells, err := r.cells(f, &places[i], i == 0)
		if err != nil {
			return err
		}
		r.offers[min(len(f.Places), 1)].add(r.row)
		if err := r.stream.SetRow("A"+strconv.Itoa(r.row), cells); err != nil {
			return err
		}
	}
	return nil
}

func (r *reviewWriter) cells(f *finding.Finding, p *finding.Place, isFirst bool) ([]any, error) {
	base := reviewStyle{first: isFirst}
	var cells []any
	add := func(value any, s reviewStyle) error {
		id, err := r.style(s)
		cells = append(cells, excelize.Cell{StyleID: id, Value: value})
		return err
	}
	entry := base
	entry.entry = true
	front := map[string]any{
		"decision": nil, "reason": nil, "id": f.ID, "kind": string(f.Kind), "place": p.Letter, "source": p.Source,
		"sheet": p.Sheet, "source_line": orNone(p.Line),
	}
	for _, name := range review.Front {
		s := base
		switch name {
		case "decision", "reason":
			s = entry
		case "source_line":
			s.whole = true
		}
		if err := add(front[name], s); err != nil {
			return nil, err
		}
	}
	for i, name := range r.columns {
		s, value := base, any(nil)
		if i < len(p.Texts) {
			value = p.Texts[i]
			_, s.differs = p.Values[name]
			if r.totals[name] {
				value, s.money = numberOr(p.Texts[i])
			}
		}
		if err := add(value, s); err != nil {
			return nil, err
		}
	}
	what := ""
	if isFirst {
		what = f.Message
	}
	if err := add(what, base); err != nil {
		return nil, err
	}
	for i, value := range contextOf(f)[:len(r.context)] {
		s := base
		if text, _ := value.(string); i >= len(contextColumns)-3 && f.Difference != "" {
			value, s.money = numberOr(text)
		}
		if err := add(value, s); err != nil {
			return nil, err
		}
	}
	for _, text := range review.Row(f, p) {
		if err := add(text, base); err != nil {
			return nil, err
		}
	}
	return cells, nil
}

// contextOf are the cells of contextColumns, the last three of which are figures where there is a
// difference.
func contextOf(f *finding.Finding) []any {
	return []any{string(f.Severity), f.Column, f.Key, f.Expected, f.Found, f.Difference}
}

func orNone(n int) any {
	if n == 0 {
		return nil
	}
	return n
}

// numberOr makes a number of an amount, as far as a workbook keeps its digits.
func numberOr(text string) (value any, isNumber bool) {
	a, err := amount.Parse([]byte(text), '.')
	coefficient, _, plain := a.Plain()
	if err != nil || !plain || math.Abs(float64(coefficient)) >= 1e15 {
		return text, false
	}
	number, err := strconv.ParseFloat(a.String(), 64)
	return number, err == nil
}

// end offers the decisions there are, and ends the sheet.
func (r *reviewWriter) end() error {
	for i := range r.offers {
		if r.offers[i].ranges == nil {
			continue
		}
		offer := excelize.NewDataValidation(true)
		offer.Sqref = strings.Join(r.offers[i].ranges, " ")
		if err := offer.SetDropList(review.Words(i == 1)); err != nil {
			return err
		}
		if err := r.book.AddDataValidation(reviewSheet, offer); err != nil { // before the end, which writes it
			return err
		}
	}
	return r.stream.Flush()
}
