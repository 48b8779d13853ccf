package show

import (
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"

	"lastblock/core/finding"
	"lastblock/core/finding/review"
	"lastblock/core/value/amount"

	"github.com/xuri/excelize/v2"
)

// reviewSheet is what the sheet is called on which to decide.
const reviewSheet = "Review"

// WriteReview writes a workbook in which to decide about findings that name
// places: each finding with its places under each other, values in which they
// differ set apart, and in front two empty columns, for the decision and for the
// reason. columns are those of Place.Texts, and totals are the ones of them that
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
	r := reviewWriter{book: book, columns: columns, totals: make(map[string]bool)}
	for _, total := range totals {
		r.totals[total] = true
	}
	if err := r.begin(widest(columns, findings)); err != nil {
		return err
	}
	for i := range findings {
		if f := &findings[i]; len(f.Places) > 1 && f.Accepted == "" {
			if err := r.add(f); err != nil {
				return err
			}
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
	totals  map[string]bool
	header  []string
	row     int
	styles  map[reviewStyle]int
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
			for k, text := range p.Texts {
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
	r.header = slices.Concat(review.Front, r.columns, []string{"what"}, review.Hidden)
	widths := map[string]float64{
		"decision": 10, "reason": 26, "id": 11, "kind": 14, "place": 6, "source": 28, "sheet": 9, "source_line": 11,
	}
	const message, most, beside = 100, 34, 2
	for i, name := range r.header {
		width := float64(message)
		switch at := i - len(review.Front); {
		case at < 0:
			width = widths[name]
		case at < len(r.columns):
			width = float64(min(max(longest[at], leastWidth), most) + beside)
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
	for i := range f.Places {
		if r.row++; r.row > sheetRows {
			return fmt.Errorf("there is more to decide than the %d rows of a sheet hold; narrow it down, or write "+
				"--findings", sheetRows)
		}
		cells, err := r.cells(f, i)
		if err != nil {
			return err
		}
		if err := r.stream.SetRow("A"+strconv.Itoa(r.row), cells); err != nil {
			return err
		}
	}
	return nil
}

func (r *reviewWriter) cells(f *finding.Finding, at int) ([]any, error) {
	p := &f.Places[at]
	base := reviewStyle{first: at == 0}
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
	if at == 0 {
		what = f.Message
	}
	for _, text := range append([]string{what}, review.Row(f, p)...) {
		if err := add(text, base); err != nil {
			return nil, err
		}
	}
	return cells, nil
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
	if r.row > 1 {
		offer := excelize.NewDataValidation(true)
		offer.Sqref = fmt.Sprintf("A2:A%d", r.row)
		if err := offer.SetDropList(review.Words); err != nil {
			return err
		}
		if err := r.book.AddDataValidation(reviewSheet, offer); err != nil { // before the end, which writes it
			return err
		}
	}
	return r.stream.Flush()
}
