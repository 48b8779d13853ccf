package source

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
)

func TestTrailerPatterns(t *testing.T) {
	for _, c := range []struct {
		pattern string
		line    []string
		want    string // the figures, "" where the line has another form
	}{
		{"TOTAL {rows} {debit}", []string{"TOTAL", "12", "1,234.50"}, "map[debit:1,234.50 rows:12]"},
		{"TOTAL {rows} {debit}", []string{"TOTAL 12 1,234.50"}, "map[debit:1,234.50 rows:12]"},
		{"TOTAL {rows} {debit}", []string{"", "total", "", "12", "5", ""}, "map[debit:5 rows:12]"},
		{"TOTAL {rows} {debit}", []string{"TOTAL", "12"}, ""},
		{"TOTAL {rows} {debit}", []string{"D1", "12", "5"}, ""},
		{"TOTAL {rows} {debit}", []string{"TOTAL", "12", "1 234,50"}, "map[debit:1 234,50 rows:12]"},
		{"*** {rows} records ***", []string{"*** 12 records ***"}, "map[rows:12]"},
		{"rows={rows}; sum={v}", []string{"rows=12; sum=7"}, "map[rows:12 v:7]"},
		{"{rows}", []string{"12"}, "map[rows:12]"},
		{"END {rows} (checked)", []string{"END", "3", "(checked)"}, "map[rows:3]"},
	} {
		p, err := ParseTrailerPattern(c.pattern)
		if err != nil {
			t.Fatal(err)
		}
		got := ""
		if figures := p.match(c.line); figures != nil {
			got = fmt.Sprint(figures)
		}
		if got != c.want || p.String() != c.pattern {
			t.Errorf("%q has of %q the figures %s, want %s", c.pattern, c.line, got, c.want)
		}
	}
	for pattern, reason := range map[string]string{
		"TOTAL":               "no word in braces",
		"TOTAL {rows":         "a brace is not closed",
		"TOTAL {a b}":         "a brace is not closed",
		"TOTAL {a-b}":         "is no word",
		"TOTAL {rows} {rows}": "stands twice",
	} {
		if _, err := ParseTrailerPattern(pattern); err == nil || !strings.Contains(err.Error(), reason) {
			t.Errorf("%q: error %v, want %q", pattern, err, reason)
		}
	}
}

// trailed reads a file with a trailer, and returns its records and what was
// taken for the trailer.
type trailed struct {
	rows    int
	refused int
	trailer *Trailer
	totals  []TotalLine
}

func (v *trailed) Batch(b *Batch) error {
	v.rows += b.Batch.Rows
	v.refused += len(b.Refused)
	if b.Trailer != nil {
		v.trailer = b.Trailer
	}
	v.totals = append(v.totals, b.Totals...)
	return nil
}

func (v *trailed) Flush(context.Context, int) error { return nil }

func TestTrailersAreNoRecords(t *testing.T) {
	pattern, err := ParseTrailerPattern("TOTAL {rows} {v}")
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		rule, content string
		rows, refused int
		line          int // of the trailer, 0 for none
	}{
		{"with as many fields as a record", "k,n,v\nA,1,2\nTOTAL,1,2\n", 1, 0, 3},
		{"with fewer", "k,n,v,w\nA,1,2,3\nTOTAL,1,2\n", 1, 0, 3},
		{"as one field", "k,n,v\nA,1,2\nTOTAL 1 2\n", 1, 0, 3},
		{"with blank lines behind it", "k,n,v\nA,1,2\nTOTAL,1,2\n\n\n", 1, 0, 3},
		{"with another line behind it", "k,n,v\nA,1,2\nTOTAL 1 2\nprinted by hand\n", 1, 1, 3},
		{"alone below the header", "k,n,v\nTOTAL 0 0\n", 0, 0, 2},
		{"not there", "k,n,v\nA,1,2\n", 1, 0, 0},
		{"in the middle it is none", "k,n,v\nTOTAL,1,2\nA,1,2\n", 2, 0, 0},
	} {
		t.Run(c.rule, func(t *testing.T) {
			dir := t.TempDir()
			if err := os.WriteFile(filepath.Join(dir, "a.csv"), []byte(c.content), 0o644); err != nil {
				t.Fatal(err)
			}
			set, err := Find(t.Context(), Search{Paths: []string{dir}, Jobs: 1, Manner: &Manner{Trailer: pattern}})
			if err != nil {
				t.Fatal(err)
			}
			v := new(trailed)
			if err := set.Scan(t.Context(), Reading{Jobs: 1, Memory: 1 << 30},
				func() Visitor { return v }); err != nil {
				t.Fatal(err)
			}
			line := 0
			if v.trailer != nil {
				line = v.trailer.Line
			}
			if v.rows != c.rows || v.refused != c.refused || line != c.line || v.totals != nil {
				t.Errorf("%d records, %d refused, trailer on line %d, total line %v", v.rows, v.refused, line, v.totals)
			}
			if patterns := set.Trailers(); len(patterns) != 1 || patterns[0] != pattern {
				t.Errorf("the forms of trailers are %v", patterns)
			}
		})
	}
}

func TestReadGrid(t *testing.T) {
	for _, c := range []struct{ rule, content, want string }{
		{"semicolons", "rows;12\r\nsum;1.234,50\r\n", `[1 2] [["rows" "12"] ["sum" "1.234,50"]] ,`},
		{"a header with the figures below", "rows,sum\n12,\"1,234.50\"\n",
			`[1 2] [["rows" "sum"] ["12" "1,234.50"]] .`},
		{"equals signs", "rows = 12\nsum = 1.50\n", `[1 2] [["rows " " 12"] ["sum " " 1.50"]] .`},
		{"colons, and blank lines", "rows: 12\n\nsum: 1,50\n", `[1 3] [["rows" " 12"] ["sum" " 1,50"]] ,`},
		{"blanks before a figure", "Number of lines 12\n", `[1] [["Number of lines " "12"]] `},
		{"a text alone", "Declaration\n", `[1] [["Declaration"]] `},
		{"a mark in front, and tabs", "\ufeffrows\t12\n", `[1] [["rows" "12"]] `},
		{"UTF-16", "\xff\xfer\x00;\x001\x00\n\x00", `[1] [["r" "1"]] `},
		{"nothing", "", `[] [] `},
	} {
		t.Run(c.rule, func(t *testing.T) {
			path := filepath.Join(t.TempDir(), "a.ctl")
			if err := os.WriteFile(path, []byte(c.content), 0o644); err != nil {
				t.Fatal(err)
			}
			grid, err := ReadGrid(path)
			if err != nil {
				t.Fatal(err)
			}
			got := fmt.Sprintf("%v %q ", grid.Lines, grid.Cells)
			if grid.Decimal != 0 {
				got += string(grid.Decimal)
			}
			if got != c.want {
				t.Errorf("the grid is %s, want %s", got, c.want)
			}
		})
	}
	large := filepath.Join(t.TempDir(), "large.ctl")
	if err := os.WriteFile(large, bytes.Repeat([]byte("rows;12\n"), mostGrid/8+1), 0o644); err != nil {
		t.Fatal(err)
	}
	if _, err := ReadGrid(large); err == nil || !strings.Contains(err.Error(), "larger than") {
		t.Errorf("error %v", err)
	}
	if _, err := ReadGrid(filepath.Join(t.TempDir(), "none.ctl")); err == nil {
		t.Error("a file that is not there is read")
	}
}

// A workbook with a covering sheet is one source: the other sheet.
func TestCoveringSheets(t *testing.T) {
	book := excelize.NewFile()
	for sheet, rows := range map[string][][]any{
		"Cover":   {{"Journal of Eskerby"}, {"Number of lines", 2}, {"", "Sum debit"}, {nil, 3.75}},
		"Journal": {{"k", "debit"}, {"A", 1.5}, {"B", 2.25}},
	} {
		if _, err := book.NewSheet(sheet); err != nil {
			t.Fatal(err)
		}
		for i, row := range rows {
			if err := book.SetSheetRow(sheet, fmt.Sprintf("A%d", i+1), &row); err != nil {
				t.Fatal(err)
			}
		}
	}
	if err := book.DeleteSheet("Sheet1"); err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	if err := book.SaveAs(filepath.Join(dir, "eskerby.xlsx")); err != nil {
		t.Fatal(err)
	}
	if _, err := Find(t.Context(), Search{Paths: []string{dir}, Jobs: 1}); err == nil {
		t.Error("of two sheets one is chosen without a word")
	}
	for _, sheet := range []string{"", "*"} {
		set, err := Find(t.Context(), Search{Paths: []string{dir}, Jobs: 1,
			Manner: &Manner{Choice: Choice{Sheet: sheet, Cover: "cover"}}})
		if err != nil || len(set.Sources) != 1 || set.Sources[0].Sheet() != "Journal" {
			t.Fatalf("sources are %+v, %v", set, err)
		}
		grid, ok, err := set.ReadCover(0, 1<<20)
		want := `[1 2 3 4] [["Journal of Eskerby"] ["Number of lines" "2"] ["" "Sum debit"] ["" "3.75"]]`
		if got := fmt.Sprintf("%v %q", grid.Lines, grid.Cells); err != nil || !ok || got != want ||
			grid.Name != "eskerby.xlsx, sheet Cover" {
			t.Errorf("the cover %s is %s, %v, %v", grid.Name, got, ok, err)
		}
	}
	set, err := Find(t.Context(), Search{Paths: []string{dir}, Jobs: 1,
		Manner: &Manner{Choice: Choice{Sheet: "Journal", Cover: "Other"}}})
	if err != nil {
		t.Fatal(err)
	}
	if _, ok, err := set.ReadCover(0, 1<<20); ok || err != nil || set.CoverName(0) != "Other" {
		t.Errorf("a covering sheet that is not there is read: %v, %v", ok, err)
	}
}
