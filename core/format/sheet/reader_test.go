package sheet

import (
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"testing"

	"lastblock/core/record"
)

// grid is a sheet in memory: a line for each row, with bars between cells; a
// cell that begins with '!' is an error value, a row with '~' is hidden.
type grid struct {
	rows   []string
	merges []Merge
	next   int
}

func (g *grid) Next(row *Row) error {
	for g.next < len(g.rows) {
		text := g.rows[g.next]
		g.next++
		*row = Row{Number: g.next}
		if row.Hidden = strings.HasPrefix(text, "~"); row.Hidden {
			text = text[1:]
		}
		if strings.Trim(text, "|") == "" {
			continue
		}
		for _, cell := range strings.Split(text, "|") {
			value, isError := strings.CutPrefix(cell, "!")
			row.Cells = append(row.Cells, Cell{Text: []byte(value), Error: isError})
		}
		return nil
	}
	return io.EOF
}

func (g *grid) Hidden() string          { return "" }
func (g *grid) Merged() ([]Area, error) { return nil, nil }

func (g *grid) Merges(int) ([]Merge, error) { return g.merges, nil }
func (g *grid) Behind() ([]string, error)   { return nil, nil }
func (g *grid) Close()                      {}

// result is what a reader made of a grid.
type result struct {
	head    *record.Head
	records []string
	refused []string
	batches int
	blank   int
	again   []int
	hidden  int
}

func read(t *testing.T, request Request, merges []Merge, rows ...string) result {
	t.Helper()
	r := NewReader(&grid{rows: rows, merges: merges}, request)
	if err := r.Peek("grid"); err != nil {
		t.Fatal(err)
	}
	got := result{head: r.Head()}
	var b record.Batch
	var data, scratch []byte
	for {
		var err error
		data, err = r.Next(&b, data)
		if errors.Is(err, io.EOF) {
			return got
		}
		if err != nil {
			t.Fatal(err)
		}
		got.batches++
		got.blank += b.Blank
		got.hidden += b.Hidden
		got.again = append(got.again, b.Repeated...)
		for row := range b.Rows {
			text := fmt.Sprint(b.Line(row), ":")
			for column := range b.Width {
				text += "|" + string(b.Text(row, column, &scratch))
			}
			got.records = append(got.records, text)
		}
		for _, refused := range b.Refused {
			got.refused = append(got.refused,
				fmt.Sprint(refused.Line, " ", refused.Reason, " ", refused.Column, " ", string(refused.Raw)))
		}
		if last := len(got.records) > 0 && strings.HasPrefix(got.records[len(got.records)-1],
			fmt.Sprint(len(rows), ":")); last && !b.Last {
			t.Error("the last batch does not say that it is")
		}
	}
}

func TestReader(t *testing.T) {
	got := read(t, Request{}, nil,
		"Journal of Corvane", "", "||doc|debit|note", "||A|1.50|\"x\",y", "~||B|2", "", "", "||doc|debit|note",
		"||C|!#N/A|z", "||D|4|z|more|still", "||E|5|", "")
	// every column that is seen is kept
	if want := []string{"doc", "debit", "note", "#4", "#5"}; !slices.Equal(got.head.Layout.Columns, want) {
		t.Errorf("columns are %q, want %q", got.head.Layout.Columns, want)
	}
	if want := []string{"4:|A|1.50|\"x\",y||", "5:|B|2|||", "10:|D|4|z|more|still",
		"11:|E|5|||"}; !slices.Equal(got.records, want) {
		t.Errorf("records are %q, want %q", got.records, want)
	}
	if want := []string{fmt.Sprint("9 ", record.BadValue, " debit C,#N/A,z,,")}; !slices.Equal(got.refused, want) {
		t.Errorf("refused are %q, want %q", got.refused, want)
	}
	if got.head.Line != 3 || got.head.Above != 1 || got.blank != 2 || got.hidden != 1 ||
		!slices.Equal(got.again, []int{8}) {
		t.Errorf("header on line %d below %d, %d blank, %d hidden, header again on %v", got.head.Line, got.head.Above,
			got.blank, got.hidden, got.again)
	}
}

func TestManyRowsAreSeveralBatches(t *testing.T) {
	rows := []string{"doc|n"}
	for i := range 5000 {
		rows = append(rows, fmt.Sprintf("D%d|%d", i, i))
	}
	rows = append(rows, "more|fields|than|the|header")
	got := read(t, Request{}, nil, rows...)
	if len(got.records) != 5000 || got.batches != 3 || got.records[4321] != "4323:|D4321|4321" ||
		len(got.refused) != 1 {
		t.Errorf("%d records in %d batches, %d refused", len(got.records), got.batches, len(got.refused))
	}
}

func TestMergedHeadings(t *testing.T) {
	for _, c := range []struct {
		name   string
		lines  int
		merges []Merge
		want   []string
	}{
		{"one row", 1, []Merge{{1, 2, 3}}, []string{"doc", "amount", "amount_2", "note"}},
		{"two rows", 2, []Merge{{1, 2, 3}}, []string{"doc", "amount debit", "amount credit", "note"}},
		{"no merge", 2, nil, []string{"doc", "amount debit", "credit", "note"}},
		{"a merge elsewhere", 2, []Merge{{7, 2, 3}, {1, 9, 12}}, []string{"doc", "amount debit", "credit", "note"}},
	} {
		rows := []string{"doc|amount||note", "|debit|credit|", "A|1|2|x", "B|3|4|y"}
		if c.lines == 1 {
			rows = slices.Delete(rows, 1, 2)
		}
		got := read(t, Request{HeaderLines: c.lines}, c.merges, rows...)
		if !slices.Equal(got.head.Layout.Columns, c.want) {
			t.Errorf("%s: columns are %q, want %q", c.name, got.head.Layout.Columns, c.want)
		}
		if want := fmt.Sprint(c.lines+1, ":|A|1|2|x"); got.records[0] != want {
			t.Errorf("%s: the first record is %q, want %q", c.name, got.records[0], want)
		}
	}
}

func TestAreasAndRequests(t *testing.T) {
	rows := []string{"title|x|y", "|doc|debit|other", "|A|1|z", "|B|2|z", "|Sum|3|z"}
	for _, c := range []struct {
		name    string
		request Request
		columns []string
		records []string
	}{
		{"an area", Request{HeaderLines: 1, Area: Area{2, 4, 2, 3}}, []string{"doc", "debit"},
			[]string{"3:|A|1", "4:|B|2"}},
		{"an area that is open below", Request{HeaderLines: 1, Area: Area{FirstRow: 2, FirstColumn: 2, LastColumn: 3}},
			[]string{"doc", "debit"}, []string{"3:|A|1", "4:|B|2", "5:|Sum|3"}},
		{"an area without a header", Request{NoHeader: true, Area: Area{3, 4, 2, 3}}, []string{"#1", "#2"},
			[]string{"3:|A|1", "4:|B|2"}},
		{"rows above that are told", Request{SkipRows: 2}, []string{"#1", "#2", "#3"},
			[]string{"3:|A|1|z", "4:|B|2|z", "5:|Sum|3|z"}},
	} {
		got := read(t, c.request, nil, rows...)
		if !slices.Equal(got.head.Layout.Columns, c.columns) || !slices.Equal(got.records, c.records) {
			t.Errorf("%s: columns %q, records %q", c.name, got.head.Layout.Columns, got.records)
		}
	}
	if got := read(t, Request{}, nil, "", "||", ""); !got.head.Empty || got.batches != 1 {
		t.Errorf("a blank sheet is %+v", got)
	}
	if got := read(t, Request{}, nil, "doc|debit"); got.head.Empty || len(got.records) != 0 ||
		got.head.Layout.Columns[1] != "debit" {
		t.Errorf("a header alone is %+v", got)
	}
}

func TestReferences(t *testing.T) {
	for text, want := range map[string][2]int{"A1": {1, 1}, "$B$7": {7, 2}, "XFD1048576": {1048576, 16384},
		"zz10": {10, 702}} {
		if row, column, ok := Reference(text); !ok || row != want[0] || column != want[1] {
			t.Errorf("%s is row %d, column %d, %v", text, row, column, ok)
		}
	}
	for _, text := range []string{"", "A", "7", "XFE1", "A99999999999", "A1B", "Ä1"} {
		if row, column, ok := Reference(text); ok {
			t.Errorf("%s is row %d, column %d", text, row, column)
		}
	}
	for n := range 2000 {
		if n > 0 && ColumnNumber(ColumnLetters(n)) != n {
			t.Errorf("column %d is %s", n, ColumnLetters(n))
		}
	}
}

// A preamble may be longer than the table, and a note in it as wide.
func TestLongPreambles(t *testing.T) {
	for _, above := range []int{30, 60, 900} {
		rows := slices.Repeat([]string{"a line of the preamble"}, above)
		rows = append(rows, "doc|posted|debit", "A|2031-01-03|1", "B|2031-01-04|2", "C|2031-01-05|3")
		got := read(t, Request{}, nil, rows...)
		if got.head.Above != above || len(got.records) != 3 ||
			!slices.Equal(got.head.Layout.Columns, []string{"doc", "posted", "debit"}) {
			t.Errorf("below %d rows: %d above, columns %q, records %q", above, got.head.Above, got.head.Layout.Columns,
				got.records)
		}
	}
	got := read(t, Request{}, nil, "Report||by Corvane||March", "doc|posted|debit|credit|text", "A|2031-01-03|1.50||x",
		"B|2031-01-03||2|y")
	if got.head.Above != 1 || got.head.Layout.Columns[0] != "doc" {
		t.Errorf("below a wide note: %d above, columns %q", got.head.Above, got.head.Layout.Columns)
	}
}

func TestTextsAloneProveNoHeader(t *testing.T) {
	if got := read(t, Request{}, nil, "Ann|Lund", "Uwe|Berg", "Ida|Holm"); !got.head.Unproven {
		t.Error("the header of texts is proven")
	}
	if got := read(t, Request{HeaderLines: 1}, nil, "Ann|Lund", "Uwe|Berg", "Ida|Holm"); got.head.Unproven {
		t.Error("what was said is not proven")
	}
	if got := read(t, Request{}, nil, "name|debit", "Uwe|1", "Ida|2"); got.head.Unproven {
		t.Error("names above values prove nothing")
	}
}
