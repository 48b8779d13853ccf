package source

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"lastblock/core/record"
	"lastblock/core/source/shape"
	"lastblock/core/value/expression"
)

func parseExpression(t *testing.T, text string) *expression.Expression {
	t.Helper()
	x, err := expression.Parse(text)
	if err != nil {
		t.Fatal(err)
	}
	return x
}

// scan reads a folder with manners and returns the records as texts.
func scan(t *testing.T, dir string, search Search, look bool) (records []string, err error) {
	t.Helper()
	search.Paths = []string{dir}
	set, err := Find(context.Background(), search)
	if err != nil {
		return nil, err
	}
	reading := Reading{Jobs: 1, Memory: 1 << 26}
	if look {
		if err := set.Look(context.Background(), reading); err != nil {
			return nil, err
		}
	}
	visitor := visitFunc(func(b *Batch) {
		var scratch []byte
		for row := range b.Batch.Rows {
			text := fmt.Sprintf("%s:%d", set.Sources[b.Index].Name, b.Line(row))
			for column := range b.Width {
				text += fmt.Sprintf(" %s=%s", b.Head.Layout.Columns[column], b.Text(row, column, &scratch))
			}
			records = append(records, text)
		}
	})
	return records, set.Scan(context.Background(), reading, func() Visitor { return visitor })
}

func TestMannersByName(t *testing.T) {
	dir := folder(t, map[string]string{
		"corvane_1.csv": "Konto;Soll\n1;1,50\n", "corvane_2.txt": "Konto|Soll\n2|2,50\n",
		"eskerby_1.csv": "account,debit\n3,3.50\n",
	})
	german := &Manner{Shape: &shape.Request{Rename: []shape.Rename{{From: "Konto", To: "account"},
		{From: "Soll", To: "debit"}}, As: []shape.As{{Column: "debit", Kind: record.Amount}}}}
	usual := &Manner{Shape: &shape.Request{As: []shape.As{{Column: "debit", Kind: record.Amount}},
		Where: parseExpression(t, "debit > 2")}}
	for _, look := range []bool{false, true} {
		got, err := scan(t, dir, Search{Manner: usual,
			Manners: []NamedManner{{"corvane_*.csv", german}, {"corvane_*", usual}}}, look)
		if err != nil {
			t.Fatal(err)
		}
		want := []string{"corvane_1.csv:2 account=1 debit=1.50", "eskerby_1.csv:2 account=3 debit=3.50"}
		if !slices.Equal(got, want) { // corvane_2 has no debit, so that none of its records is above 2
			t.Errorf("records are %q, want %q", got, want)
		}
	}
}

func TestNamesThatNoSourceHas(t *testing.T) {
	dir := folder(t, map[string]string{"a.csv": "account,debit\n1,2\n", "b.csv": "Konto,debit\n1,2\n", "empty.csv": ""})
	for _, c := range []struct {
		name    string
		request *shape.Request
		want    string // "" for no error
	}{
		{"a rename that one source needs", &shape.Request{Rename: []shape.Rename{{From: "Konto", To: "account"}}}, ""},
		{"a rename that none needs, to a name that is there",
			&shape.Request{Rename: []shape.Rename{{From: "Acct", To: "debit"}}}, ""},
		{"a rename that none needs", &shape.Request{Rename: []shape.Rename{{From: "Acct", To: "x"}}},
			`⟨rename⟩: no source has a column "Acct"`},
		{"a kind for a column of one source", &shape.Request{As: []shape.As{{Column: "Konto", Kind: record.Text}}}, ""},
		{"a kind for a column of none", &shape.Request{As: []shape.As{{Column: "debits", Kind: record.Amount}}},
			`⟨as⟩: no source has a column "debits"; did you mean "debit"?`},
		{"a column dropped that is made", &shape.Request{Make: []shape.Make{{Name: "x",
			Expression: parseExpression(t, "debit * 2")}}, Drop: []string{"x"}}, ""},
		{"a column dropped that none has", &shape.Request{Drop: []string{"debit", "y"}},
			`⟨drop⟩: no source has a column "y"`},
		{"an expression with a made column",
			&shape.Request{Make: []shape.Make{{Name: "x", Expression: parseExpression(t, "debit * 2")}},
				Where: parseExpression(t, "x > 1")}, ""},
		{"an expression with the source", &shape.Request{Where: parseExpression(t, `source == "a.csv"`)}, ""},
		{"an expression with a column of one source",
			&shape.Request{Where: parseExpression(t, `Konto == "1" || account == "1"`)}, ""},
		{"an expression with a column of none", &shape.Request{Where: parseExpression(t, "1 < debits")},
			`⟨where⟩: character 5 of "1 < debits": no source has a column "debits"`},
		{"a computed column of none", &shape.Request{Make: []shape.Make{{Name: "x",
			Expression: parseExpression(t, "z")}}}, `⟨make⟩: character 1 of "z"`},
	} {
		for _, look := range []bool{false, true} {
			_, err := scan(t, dir, Search{Manner: &Manner{Shape: c.request}}, look)
			if c.want == "" && err != nil || c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)) {
				t.Errorf("%s: error is %v, want %q", c.name, err, c.want)
			}
		}
	}
}

func TestColumnModes(t *testing.T) {
	dir := folder(t, map[string]string{"a.csv": "x,y,z\n1,2,3\n", "b.csv": "z,x\n1,2\n", "c.csv": ""})
	for mode, want := range map[ColumnMode][]string{AllColumns: {"x", "y", "z"}, SharedColumns: {"x", "z"},
		StrictColumns: {"x", "y", "z"}, "": {"x", "y", "z"}} {
		set, err := Find(context.Background(), Search{Paths: []string{dir}, Mode: mode})
		if err != nil {
			t.Fatal(err)
		}
		if err := set.Look(context.Background(), Reading{Jobs: 2, Memory: 1 << 20}); err != nil {
			t.Fatal(err)
		}
		if got := set.Columns(); !slices.Equal(got, want) {
			t.Errorf("with %q columns are %q, want %q", mode, got, want)
		}
	}
}

// What is compared with a date is read in the order of its source.
func TestOrderOfDatesInAnExpression(t *testing.T) {
	dir := folder(t, map[string]string{
		"a.csv": "posted,n\n03/04/2031,1\n13/04/2031,2\n",
		"b.csv": "posted,n\n04/03/2031,3\n04/13/2031,4\n03/05/2031,5\n",
	})
	for _, text := range []string{`posted < date("2031-04-05") && posted > date("2031-04-01")`,
		`date(posted) - date("2031-04-03") == 0`, `date("2031-04-03") == posted`} {
		got, err := scan(t, dir, Search{Manner: &Manner{Shape: &shape.Request{Where: parseExpression(t, text)}}}, false)
		if want := []string{"a.csv:2 posted=03/04/2031 n=1", "b.csv:2 posted=04/03/2031 n=3"}; err != nil ||
			!slices.Equal(got, want) {
			t.Errorf("%s: %v, records are %q, want %q", text, err, got, want)
		}
	}
}

// Dates whose order one value proves, be it the last of many.
func TestOrderOfDates(t *testing.T) {
	filler := strings.Repeat("01/02/2031,x\n", 60_000)
	for _, c := range []struct{ text, want, unclear string }{
		{"posted,n\n03/04/2031,1\n13/04/2031,1\n", "2031-04-03", ""},
		{"posted,n\n03/04/2031,1\n04/13/2031,1\n", "2031-03-04", ""},
		{"posted,n\n03/04/2031,1\n" + filler + "12/31/2031,1\n", "2031-03-04", ""},
		{"posted,n\n03/04/2031,1\n", "2031-04-03", "posted 2 03/04/2031"},
		{"posted,n\n2031-04-03,1\n", "2031-04-03", ""},
	} {
		path := filepath.Join(folder(t, map[string]string{"x.csv": c.text}), "x.csv")
		request := &shape.Request{As: []shape.As{{Column: "posted", Kind: record.Date, Order: 3}}}
		set, err := Find(context.Background(), Search{Paths: []string{path}, Manner: &Manner{Shape: request}})
		if err != nil {
			t.Fatal(err)
		}
		first, unclear := "", ""
		visitor := visitFunc(func(b *Batch) {
			if b.First {
				first = string(b.Field(0, 0))
				for _, u := range b.Unclear {
					unclear = fmt.Sprint(u.Column, " ", u.Line, " ", u.Found)
				}
			}
		})
		if err := set.Scan(context.Background(), Reading{Jobs: 1, Memory: 1 << 26},
			func() Visitor { return visitor }); err != nil {
			t.Fatal(err)
		}
		if first != c.want || unclear != c.unclear {
			t.Errorf("%.60q: the first date is %s, unclear %q", c.text, first, unclear)
		}
	}
}
