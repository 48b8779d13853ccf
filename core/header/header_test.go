package header

import (
	"fmt"
	"reflect"
	"strings"
	"testing"
)

// table makes rows of lines with bars between fields.
func table(lines ...string) [][]string {
	var rows [][]string
	for _, line := range lines {
		rows = append(rows, strings.Split(line, "|"))
	}
	return rows
}

func TestFind(t *testing.T) {
	for _, c := range []struct {
		name      string
		rows      [][]string
		lines     int
		at, found int
	}{
		{"a header", table("doc|posted|debit", "A|2031-01-03|1.50"), 0, 0, 1},
		{"none", table("A|2031-01-03|1.50", "B|2031-01-04|2.50"), 0, 0, 0},
		{"a title above", table("Journal", "doc|posted|debit", "A|2031-01-03|1.50", "B|2031-01-03|1.50"), 0, 1, 1},
		{"a title and a date above", table("Journal", "printed|1 March 2031", "doc|posted|debit|note", "A|2031-01-03|1.50|", "B|2031-01-03|2|x"), 0, 2, 1},
		{"a title above records without a header", table("Journal", "A|2031-01-03|1.50", "B|2031-01-03|1.50"), 0, 0, 1},
		{"one column", table("value", "1,50", "2,50"), 0, 0, 1},
		{"two rows", table("Journal", "", "doc|amount||note", "|debit|credit|", "A|1|2|x", "B|1|2|x"), 2, 2, 2},
		{"two rows, the first one narrow", table("doc|amount", "|debit|credit", "A|1|2", "B|1|2"), 2, 0, 2},
		{"years as names", table("account|2030|2031", "4000|1.5|2.5"), 0, 0, 1},
		{"more rows than there are", table("a|b"), 5, 0, 1},
		{"nothing", nil, 0, 0, 0},
	} {
		if at, found := Find(c.rows, c.lines); at != c.at || found != c.found {
			t.Errorf("%s: %d rows at %d, want %d at %d", c.name, found, at, c.found, c.at)
		}
	}
}

func TestJoin(t *testing.T) {
	got := Join(table(" amount ||note", "debit|credit", "EUR|EUR|"))
	if want := []string{"amount debit EUR", "credit EUR", "note"}; !reflect.DeepEqual(got, want) {
		t.Errorf("names are %q, want %q", got, want)
	}
}

func TestIsNumbering(t *testing.T) {
	for text, want := range map[string]bool{
		"0 1 2": true, "1 2": true, "1 2 -": true, "1": false, "2 3": false, "1 3": false, "0 x": false, "01 02": true,
	} {
		var rows [][]string
		for _, n := range strings.Fields(text) {
			rows = append(rows, []string{strings.Trim(n, "-"), "x"})
		}
		if got := IsNumbering([]string{"", "doc"}, rows); got != want {
			t.Errorf("%s: %v", text, got)
		}
		if IsNumbering([]string{"n", "doc"}, rows) {
			t.Error(fmt.Sprint("a column with a name is no numbering: ", text))
		}
	}
}

func TestContinues(t *testing.T) {
	for _, c := range []struct {
		rows [][]string
		want bool
	}{
		{table("|debit|credit|", "A|1.50|2|x", "B|3|4|y"), true},
		{table("|debit|credit|", "A|||x", "B|||y"), false},         // no values below
		{table("A|debit|credit|x", "B|1|2|y", "C|3|4|z"), false},   // nothing is blank
		{table("|1.50|debit|", "A|1|2|x", "B|3|4|y"), false},       // it holds a value
		{table("Opening balance|||", "A|1|2|x", "B|3|4|y"), false}, // a text over texts
		{table("|debit", "A|1"), false},
		{nil, false},
	} {
		if got := Continues(c.rows); got != c.want {
			t.Errorf("%q: %v", c.rows, got)
		}
	}
}
