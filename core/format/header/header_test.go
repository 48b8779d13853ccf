package header

import (
	"fmt"
	"reflect"
	"slices"
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
		{"a title and a date above", table("Journal", "printed|1 March 2031", "doc|posted|debit|note",
			"A|2031-01-03|1.50|", "B|2031-01-03|2|x"), 0, 2, 1},
		{"a title above records without a header", table("Journal", "A|2031-01-03|1.50", "B|2031-01-03|1.50"), 0, 0, 1},
		{"one column", table("value", "1,50", "2,50"), 0, 0, 1},
		{"two rows", table("Journal", "", "doc|amount||note", "|debit|credit|", "A|1|2|x", "B|1|2|x"), 2, 2, 2},
		{"two rows, the first one narrow", table("doc|amount", "|debit|credit", "A|1|2", "B|1|2"), 2, 0, 2},
		{"years as names", table("account|2030|2031", "4000|1.5|2.5"), 0, 0, 1},
		{"comments above", table("# export of 2031", "# by Corvane, again", "doc|posted|debit", "A|2031-01-03|1.50",
			"B|2031-01-03|2"), 0, 2, 1},
		{"comments as wide as the table", table("# a|b|c", "doc|posted|debit", "A|2031-01-03|1.50", "B|2031-01-03|2"),
			0, 1, 1},
		{"a header that begins with #", table("#doc|posted|debit", "A|2031-01-03|1.50", "B|2031-01-03|2"), 0, 0, 1},
		{"a comment above a header that begins with #",
			table("# export", "#doc|posted|debit", "A|2031-01-03|1.50", "B|2031-01-03|2"), 0, 1, 1},
		{"positions as names", table("#1|#2", "a|b", "c|d"), 0, 0, 1},
		{"a comment above records", table("# export", "A|2031-01-03|1.50", "B|2031-01-03|2"), 0, 1, 0},
		{"one name short", table("posted|debit", "r1|2031-01-03|1.50", "r2|2031-01-03|2"), 0, 0, 1},
		{"a wide note above the header", table("Report||by Corvane||March", "doc|posted|debit|credit|text",
			"A|2031-01-03|1.50||x", "B|2031-01-03||2|y"), 0, 1, 1},
		{"a note of figures above the header",
			table("Page|1||of|2", "doc|posted|debit|credit|text", "A|2031-01-03|1.50||x", "B|2031-01-03||2|y"), 0, 1,
			1},
		{"a header without one name, and texts below", table("|name|town", "a|b|c", "d|e|f"), 0, 0, 1},
		{"a header without one name, and records below", table("|name|debit", "a|b|1", "d|e|2"), 0, 0, 1},
		{"two rows of names, of which the lower ones come twice",
			table("|January||February|", "account|debit|credit|debit|credit", "4000|1|2|3|4", "4100|1|2|3|4"), 0, 0, 1},
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

func TestWidth(t *testing.T) {
	above := strings.Repeat("a line of the preamble|", 30)
	lines := append(strings.Split(strings.TrimSuffix(above, "|"), "|"), "a;b;c", "1;2;3", "4;5;6", "7;8;9")
	rows := make([][]string, len(lines))
	for i, line := range lines {
		rows[i] = strings.Split(line, ";")
	}
	if got := Width(rows); got != 3 {
		t.Errorf("below 30 lines the width is %d, want 3", got)
	}
	if at, found := Find(rows, 0); at != 30 || found != 1 {
		t.Errorf("the header of %d rows is at %d, want 30", found, at)
	}
	// Two widths below the preamble, each in nine of ten rows from its first one on.
	both := slices.Clone(rows[:30])
	both = slices.Concat(both, both[:20], slices.Repeat([][]string{{"a", "b"}}, 40),
		slices.Repeat([][]string{{"a", "b", "c"}}, 4))
	for range 20 {
		if got := Width(both); got != 2 {
			t.Fatalf("of two widths at the end it is %d, want the one of most rows, 2", got)
		}
	}
	for i := 1; i < len(rows); i += 3 { // texts in which a separator stands now and then
		rows[i] = []string{"x", "y"}
	}
	if got := Width(rows[:30]); got != 1 {
		t.Errorf("of texts the width is %d, want 1", got)
	}
}

func TestShortHeaders(t *testing.T) {
	for _, c := range []struct {
		name  string
		rows  [][]string
		short bool
		names string
	}{
		{"names of rows in front", table("posted|debit", "r1|2031-01-03|1", "r2|2031-01-03|2"), true, "|posted|debit"},
		{"a separator behind each record", table("posted|debit", "2031-01-03|1|", "2031-01-03|2|"), true,
			"posted|debit|"},
		{"a name that comes twice", table("posted|debit", "r1|2031-01-03|1", "r1|2031-01-03|2"), false, ""},
		{"a row as short as the header", table("posted|debit", "r1|2031-01-03|1", "2031-01-03|2"), false, ""},
		{"a row without a name", table("posted|debit", "r1|2031-01-03|1", "|2031-01-03|2"), false, ""},
		{"a blank name", table("|debit", "r1|2031-01-03|1", "r2|2031-01-03|2"), false, ""},
		{"values in place of names", table("A|1.50", "r1|2031-01-03|1", "r2|2031-01-03|2"), false, ""},
		{"one record", table("posted|debit", "r1|2031-01-03|1"), false, ""},
	} {
		if got := IsShort(c.rows); got != c.short {
			t.Errorf("%s: %v", c.name, got)
		}
		if c.short {
			if got := strings.Join(Complete(c.rows[0], c.rows[1:]), "|"); got != c.names {
				t.Errorf("%s: names are %q, want %q", c.name, got, c.names)
			}
		}
	}
}

func TestIsProven(t *testing.T) {
	for _, c := range []struct {
		name   string
		rows   [][]string
		proven bool
	}{
		{"names above values", table("name|debit", "Ann|1", "Uwe|2"), true},
		{"texts alone", table("Ann|Lund", "Uwe|Berg", "Ida|Holm"), false},
		{"codes with digits below", table("code|name", "K1|Ann", "K2|Uwe"), true},
		{"a record in front of them", table("K0|Ida", "K1|Ann", "K22|Uwe"), false},
		{"codes of one length", table("currency|town", "eur|Lund", "chf|Bergen"), true},
		{"capitals below", table("town|land", "LUND|SE", "BERGEN|NO"), true},
		{"capital letters in front below", table("town|land", "Lund|Sverige", "Bergen|Norge"), true},
		{"values that come again", table("Open|Lund", "Done|Berg", "Late|Holm", "Done|Lund", "Late|Berg"), true},
		{"of which the first is one", table("Late|Lund", "Done|Berg", "Late|Holm", "Done|Lunds", "Late|Bergen"), false},
		{"one row below", table("Ann|Lund", "Uwe|Berg"), true},
	} {
		if got := IsProven(c.rows); got != c.proven {
			t.Errorf("%s: %v", c.name, got)
		}
	}
}
