package source

import (
	"slices"
	"strings"
	"testing"
)

// separated is how a text's fields are parted, "" where a character does that.
func separated(text string) string {
	u := unwrapper{separate: findSeparation([]byte(text), true)}
	return u.separated()
}

func TestFindSeparation(t *testing.T) {
	for _, c := range []struct {
		rule string
		text string
		want string
	}{
		{"runs of blanks", "doc  debit\nA 1.50\nB  2\n", "blanks"},
		{"runs of blanks below a title of as many words", "Journal 2031\ndoc  debit\nA 1.50\nB  2\n", "blanks"},
		{"a decimal comma is no delimiter", "doc  debit\nA 1,50\nB  2,50\n", "blanks"},
		{"values without a header", "2031-01-03 1.50\n2031-01-04 2\n2031-01-05 3\n", "blanks"},
		{"a column of texts with blanks", "doc text      debit\nA   day pass   1.50\nB              2.00\n",
			"widths 4,10,rest"},
		{"lines that rule off ask for widths", "doc debit\n--- -----\nA    1.50\nB    2.00\n", "widths 4,rest"},
		{"a column in which half of the fields are values", "doc  debit\nA 1.50\nB  n/a\nC  2\nD  none\n", "blanks"},
		{"one in which fewer are", "doc  debit\nA 1.50\nB  n/a\nC  none\n", ""},
		{"texts alone are a list", "room\nRoom A\nRoom B\n", ""},
		{"so are texts with a number", "room\nRoom 1\nRoom 2\nRoom 3\n", ""},
		{"a header one name short", "posted debit\nA 2031-01-03 1.50\nB 2031-01-04 2\n", "blanks"},
		{"an amount below a name", "amount\n1 234.50\n2 345.60\n3 456.70\n", ""},
		{"amounts with blanks between thousands", "1 234.50\n2 345.60\n3 456.70\n", ""},
		{"dates with blanks", "31 Jan 2031\n30 Jan 2031\n29 Jan 2031\n", ""},
		{"a delimiter", "doc,debit text\nA,1 x\nB,2 y\n", ""},
		{"two lines are too few", "doc debit\nA 1\n", ""},
		{"nothing", "", ""},
	} {
		if got := separated(c.text); got != c.want {
			t.Errorf("%s: %q, want %q", c.rule, got, c.want)
		}
		if got := separated(strings.ReplaceAll(c.text, "\n", "\r\n")); got != c.want {
			t.Errorf("%s, with CR LF: %q, want %q", c.rule, got, c.want)
		}
	}
}

// Widths hold from the first line on. A line further down that does not keep to them is no
// record, and never two halves of a value.
func TestWidthsThatDoNotHold(t *testing.T) {
	text := "doc text         debit\n"
	for range separatedLines {
		text += "A   day pass      1.50\n"
	}
	c := mustRead(t, folder(t, map[string]string{"a.txt": text +
		"B   a long text   2.00\nC   a longer text that 9.00\n"}), Manner{})
	if n := len(c.records); n != separatedLines+1 || c.records[n-1] != "202:|B|a long text|2.00" ||
		len(c.refused) != 1 {
		t.Errorf("%d records, the last one %q, refused %q", n, c.records[n-1:], c.refused)
	}
	if !slices.Equal(c.head.Layout.Columns, []string{"doc", "text", "debit"}) {
		t.Errorf("columns are %q", c.head.Layout.Columns)
	}
}
