package intake

import (
	"context"
	"fmt"
	"reflect"
	"strings"
	"testing"

	"lastblock/core/finding"
	"lastblock/core/record"
	"lastblock/internal/sourcetest"
)

func TestDatesTellDayAndMonthByTheColumn(t *testing.T) {
	for _, c := range []struct{ rule, values, want string }{
		{"ISO dates", "2031-02-03 2031-01-09", "2031-01-09 2031-02-03"},
		{"a day beyond twelve tells the order of all", "03/04/2031 25/04/2031", "2031-04-03 2031-04-25"},
		{"a month first", "03/04/2031 04/25/2031", "2031-03-04 2031-04-25"},
		{"nothing tells", "03/04/2031 05/04/2031", "unclear"},
		{"both orders", "25/04/2031 04/25/2031", "unclear"},
		{"day and month alike", "05/05/2031", "2031-05-05 2031-05-05"},
	} {
		t.Run(c.rule, func(t *testing.T) {
			files := map[string]string{"a.csv": "posted,n\n"}
			for _, value := range strings.Fields(c.values) {
				files["a.csv"] += value + ",1\n"
			}
			r := run(t, files, 0)
			got := r.Sources[0].FirstDate + " " + r.Sources[0].LastDate
			if got == " " {
				got = "unclear"
			}
			if got != c.want {
				t.Errorf("dates are %s, want %s", got, c.want)
			}
		})
	}
}

func run(t *testing.T, files map[string]string, head int) *Result {
	t.Helper()
	r, err := Run(context.Background(), sourcetest.Set(t, "", files), sourcetest.Reading, Options{Head: head})
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func TestRun(t *testing.T) {
	r := run(t, map[string]string{
		"a.csv": "doc,amount\nA1,1.00\nA2,\nA3,x,y\n",
		"b.csv": "amount;season\n7,00;winter\n",
		"c.csv": "",
	}, 1)
	var got []string
	for _, s := range r.Sources {
		got = append(got, fmt.Sprintf("%d %q rows %d first %q", s.Index, s.Head.Delimiter, s.Rows, s.First))
	}
	want := []string{`0 ',' rows 3 first [["A1" "1.00"]]`, `1 ';' rows 1 first [["7,00" "winter"]]`,
		`2 ',' rows 0 first []`}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("sources are %q, want %q", got, want)
	}
	columns := []Column{{"doc", record.Text, 1, 2, 0, "", 0}, {"amount", record.Amount, 2, 2, 0, "", 2},
		{"season", record.Text, 1, 1, 0, "", 0}}
	if !reflect.DeepEqual(r.Columns, columns) { // 7,00 proves its source's decimal comma
		t.Errorf("columns are %+v", r.Columns)
	}
	if r.Rows != 4 || r.Proof.Read != 4 || r.Proof.Used != 3 || r.Proof.Suspense != 1 {
		t.Errorf("%d rows, proof %+v", r.Rows, r.Proof)
	}
}

// Figures that are taken for codes are told, with the reason.
func TestCodesSayWhy(t *testing.T) {
	r := run(t, map[string]string{"a.csv": "doc,Voucher No,Account " +
		"balance,value,ean\n00417,1,4000,12.50,4006381333931\n00418,2,4010,3.00,4006381333948\n"}, 1)
	want := map[string]string{"doc": "codes, as some have leading zeros", "Voucher No": "codes, by the name",
		"ean": "codes, as all have 13 digits"}
	for _, c := range r.Columns {
		if kind := map[bool]record.Kind{true: record.Text,
			false: record.Amount}[want[c.Name] != ""]; c.Code != want[c.Name] || c.Kind != kind {
			t.Errorf("%s is %s, %q", c.Name, c.Kind, c.Code)
		}
	}
}

// A file that is no UTF-8 is taken for a code page; one that mostly is keeps its
// few damaged bytes.
func TestBytesThatAreNoUTF8AreToldWithTheirLine(t *testing.T) {
	r := run(t, map[string]string{
		"page.csv": "name,n\nplain,1\ncaf\xe9,2\nna\xefve,3\n", "mark.csv": "\ufeffname,n\ncaf\u00e9,1\n",
		"some.csv": "name,n\ncaf\u00e9 \u00e0 la cr\u00e8me,1\nna\xefve,2\n",
	}, 1)
	if got := []string{r.Sources[0].Encoding, r.Sources[1].Encoding, r.Sources[2].Encoding}; !reflect.DeepEqual(got,
		[]string{"utf-8 with mark", "windows-1252", "not utf-8"}) {
		t.Errorf("encodings are %q", got)
	}
	found := r.Findings
	if len(found) != 2 || found[0].Kind != finding.EncodingGuessed || found[0].Line != 3 ||
		found[1].Kind != finding.NotUTF8 || found[1].Line != 3 {
		t.Errorf("findings are %+v", found)
	}
}
