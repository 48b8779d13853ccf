package intake

import (
	"context"
	"fmt"
	"reflect"
	"strings"
	"testing"

	"lastblock/core/finding"
	"lastblock/core/internal/sourcetest"
)

func TestKinds(t *testing.T) {
	for _, c := range []struct {
		rule   string
		name   string
		values string
		kind   Kind
		others int
	}{
		{"amounts in any dress", "value", "1.50 (2.00) 3,000.00 -4", Amount, 0},
		{"one slip in ten does not hide the kind", "value", "1 2 3 4 5 6 7 8 9 1O", Amount, 1},
		{"two slips in ten do", "value", "1 2 3 4 5 6 7 8 x y", Text, 0},
		{"digits with a leading nought are a code", "value", "0410 0420", Text, 0},
		{"more digits than money has are a code", "value", "4006381333931", Text, 0},
		{"digits under the name of a code", "account", "4000 4010", Text, 0},
		{"digits under the name of a code, in two words", "Acct No", "4000 4010", Text, 0},
		{"places behind the mark make an amount whatever the name", "account", "4000.00 4010.00", Amount, 0},
		{"digits under another name", "quantity", "10 200", Amount, 0},
		{"dates", "posted", "2031-01-31 2031-02-01", Date, 0},
		{"dates by the day", "posted", "31.01.2031 1.2.2031", Date, 0},
		{"flags", "open", "yes no Yes", Flag, 0},
		{"flags by a letter", "open", "Y N y", Flag, 0},
		{"words", "name", "Corvane Eskerby", Text, 0},
		{"nothing at all", "value", "", Text, 0},
	} {
		t.Run(c.rule, func(t *testing.T) {
			var s stats
			for _, value := range strings.Fields(c.values) {
				s.add([]byte(value), '.')
			}
			if kind, others := s.kind(c.name); kind != c.kind || others != c.others {
				t.Errorf("kind is %s with %d others, want %s with %d", kind, others, c.kind, c.others)
			}
		})
	}
}

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
	want := []string{`0 ',' rows 3 first [["A1" "1.00"]]`, `1 ';' rows 1 first [["7,00" "winter"]]`, `2 ',' rows 0 first []`}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("sources are %q, want %q", got, want)
	}
	columns := []Column{{"doc", Text, 1, 2, 0, 0}, {"amount", Amount, 2, 2, 0, 2}, {"season", Text, 1, 1, 0, 0}}
	if !reflect.DeepEqual(r.Columns, columns) { // 7,00 proves its source's decimal comma
		t.Errorf("columns are %+v", r.Columns)
	}
	if r.Rows != 4 || r.Proof.Read != 4 || r.Proof.Used != 3 || r.Proof.Suspense != 1 {
		t.Errorf("%d rows, proof %+v", r.Rows, r.Proof)
	}
}

// A file that is no UTF-8 is taken for a code page; one that mostly is keeps its
// few damaged bytes.
func TestBytesThatAreNoUTF8AreToldWithTheirLine(t *testing.T) {
	r := run(t, map[string]string{
		"page.csv": "name,n\nplain,1\ncaf\xe9,2\nna\xefve,3\n", "mark.csv": "\ufeffname,n\ncaf\u00e9,1\n",
		"some.csv": "name,n\ncaf\u00e9 \u00e0 la cr\u00e8me,1\nna\xefve,2\n",
	}, 1)
	if got := []string{r.Sources[0].Encoding, r.Sources[1].Encoding, r.Sources[2].Encoding}; !reflect.DeepEqual(got, []string{"utf-8 with mark", "windows-1252", "not utf-8"}) {
		t.Errorf("encodings are %q", got)
	}
	found := r.Findings
	if len(found) != 2 || found[0].Kind != finding.EncodingGuessed || found[0].Line != 3 || found[1].Kind != finding.NotUTF8 || found[1].Line != 3 {
		t.Errorf("findings are %+v", found)
	}
}
