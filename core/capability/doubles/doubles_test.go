package doubles

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
	"lastblock/internal/sourcetest"
)

func find(t testing.TB, pattern string, files map[string]string, reading source.Reading, options Options) *Result {
	t.Helper()
	if options.Share.Sign() == 0 {
		options.Share = DefaultShare
	}
	r, err := Find(context.Background(), sourcetest.Set(t, pattern, files), reading, options)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// told writes the findings about doubles: the kind, the places, how many records
// are counted twice, and the first total of them.
func told(r *Result) []string {
	var all []string
	for _, f := range r.Findings {
		if !slices.Contains(finding.Doubles, f.Kind) && f.Kind != finding.CommonRecord {
			continue
		}
		text := string(f.Kind)
		for _, p := range f.Places {
			text += " " + p.Source
			if p.Line > 0 {
				text += fmt.Sprintf(":%d", p.Line)
			}
		}
		all = append(all, strings.TrimRight(fmt.Sprintf("%s = %d %s", text, f.Count, f.Amount), " "))
	}
	return all
}

func near(t *testing.T, text string, amounts ...string) Near {
	t.Helper()
	n, err := ParseNear(text, amounts)
	if err != nil {
		t.Fatal(err)
	}
	return n
}

func TestWhatIsTold(t *testing.T) {
	const head = "doc,posted,amount\n"
	a := head + "D1,2031-01-01,10.00\nD2,2031-01-02,20.00\nD3,2031-01-03,30.00\nD4,2031-01-04,40.00\n"
	for _, c := range []struct {
		rule    string
		files   map[string]string
		options Options
		want    []string
	}{
		{"nothing is double", map[string]string{"a": a, "b": head + "D9,2031-01-01,10.00\n"}, Options{}, nil},
		{"the same bytes", map[string]string{"a": a, "b": a, "c": a}, Options{},
			[]string{"same-file a b c = 8 200.00"}},
		{"the same records in another order, delimiter and way to write numbers", map[string]string{
			"a": a, "b": "amount;doc;posted\n40,00;D4;04 Jan " +
				"2031\n10;D1;2031-01-01\n30,000;D3;2031-01-03\n20,00;D2;2031-01-02\n",
		}, Options{}, []string{"same-file a b = 4 100.000"}},
		{"the same bytes, and in other bytes",
			map[string]string{"a": a, "b": strings.ReplaceAll(a, "\n", "\r\n"), "c": a}, Options{}, []string{
				"same-file a c = 4 100.00", "same-file a b = 4 100.00",
			}},
		{"files with nothing in them are no doubles", map[string]string{"a": head, "b": head}, Options{}, nil},
		{"contained in another one", map[string]string{"a": a, "b": head + "D3,2031-01-03,30\nD2,2031-01-02,20\n"},
			Options{}, []string{"contained-file b a = 2 50.00"}},
		{"contained in the larger of two", map[string]string{"a": head + "D1,2031-01-01,10\n", "b": head +
			"D1,2031-01-01,10\nD2,2031-01-02,20\n", "c": a}, Options{}, []string{
			"contained-file a c = 1 10.00", "contained-file b c = 2 30.00",
		}},
		{"contained in several together", map[string]string{
			"a": a,
			"b": head + "D1,2031-01-01,10\nD2,2031-01-02,20\nX1,2031-02-01,1\nX2,2031-02-01,2\nX3,2031-02-01,3\n",
			"c": head + "D3,2031-01-03,30\nD4,2031-01-04,40\nY1,2031-02-01,1\n",
		}, Options{}, []string{"contained-file a b c = 4 100.00"}},
		{"two parts of a file are contained in it, and not it in them", map[string]string{
			"a": head + "D1,2031-01-01,10\nD2,2031-01-02,20\n", "b": head + "D3,2031-01-03,30\nD4,2031-01-04,40\n",
			"c": a,
		}, Options{}, []string{"contained-file a c = 2 30.00", "contained-file b c = 2 70.00"}},
		{"a record that is repeated in a file is contained only as often as it stands there", map[string]string{
			"a": head + "D1,2031-01-01,10\nD1,2031-01-01,10\n", "b": a,
		}, Options{Share: moneyOf("90")}, []string{"same-record a:2 a:3 b:2 = 2 20.00"}},
		{"an overlap", map[string]string{"a": a, "b": head + "D3,2031-01-03,30\nD4,2031-01-04,40\nD5,2031-01-05,50\n"},
			Options{}, []string{"overlap a b = 2 70.00"}},
		{"too few to overlap are told as records",
			map[string]string{"a": a, "b": head + "D3,2031-01-03,30\nD5,2031-01-05,50\nD6,2031-01-06,60\n"},
			Options{Share: moneyOf("50")}, []string{
				"same-record a:4 b:2 = 1 30.00",
			}},
		{"an overlap counts against the smaller file",
			map[string]string{"a": a, "b": head + "D4,2031-01-04,40\nD5,2031-01-05,50\n"},
			Options{Share: moneyOf("50")}, []string{"overlap a b = 1 40.00"}},
		{"a little less than the share is none",
			map[string]string{"a": a, "b": head + "D4,2031-01-04,40\nD5,2031-01-05,50\n"},
			Options{Share: moneyOf("50.01")}, []string{"same-record a:5 b:2 = 1 40.00"}},
		{"what an overlap explains is not told again, and what it does not is", map[string]string{
			"a": a, "b": head + "D4,2031-01-04,40\nD4,2031-01-04,40\nD4,2031-01-04,40\n",
		}, Options{}, []string{"overlap a b = 1 40.00", "same-record a:5 b:2 b:3 = 2 80.00"}},
		{"within a file", map[string]string{"a": head + "D1,2031-01-01,10\nD2,2031-01-01,10\nD1,2031-01-01,10.0\n"},
			Options{}, []string{"same-record a:2 a:4 = 1 10.0"}},
		{"within, and not across", map[string]string{"a": head + "D1,2031-01-01,10\nD1,2031-01-01,10\nD2,,2\n",
			"b": head + "D2,,2\nD7,,7\n"}, Options{Within: true, Share: moneyOf("99")}, []string{
			"same-record a:2 a:3 = 1 10",
		}},
		{"across, and not within", map[string]string{"a": head + "D1,2031-01-01,10\nD1,2031-01-01,10\nD2,,2\n",
			"b": head + "D2,,2\nD7,,7\n"}, Options{Across: true, Share: moneyOf("99")}, []string{
			"same-record a:4 b:2 = 1 2",
		}},
		{"in some columns", map[string]string{"a": a, "b": head + "D1,2031-02-09,10.00\n"},
			Options{On: []string{"doc", "amount"}}, []string{"same-record a:2 b:2 = 1 10.00"}},
		{"in some columns, but for what an overlap explains",
			map[string]string{"a": a, "b": head + "D1,2031-01-01,10.00\nD2,2031-01-31,20.00\n"},
			Options{On: []string{"doc", "amount"}}, []string{
				"overlap a b = 1 10.00", "same-record a:3 b:3 = 1 20.00",
			}},
		{"in some columns, but for what stands in another file anyway",
			map[string]string{"a": a, "b": head + "D1,2031-01-01,10.00\n"}, Options{On: []string{"doc"}},
			[]string{"contained-file b a = 1 10.00"}},
		{"one key with two sets of values", map[string]string{"a": a, "b": head +
			"D2,2031-01-02,22.00\nD7,2031-01-02,20.00\n"}, Options{Key: []string{"doc"}},
			[]string{"same-key a:3 b:2 = 1 22.00"}},
		{"one key with two sets of values, across and not within",
			map[string]string{"a": a + "D1,2031-01-01,11\n", "b": head + "D2,2031-01-02,22.00\nD7,2031-01-02,20.00\n"},
			Options{Key: []string{"doc"}, Across: true}, []string{"same-key a:3 b:2 = 1 22.00"}},
		{"and within and not across", map[string]string{"a": a + "D1,2031-01-01,11\n", "b": head +
			"D2,2031-01-02,22.00\nD7,2031-01-02,20.00\n"}, Options{Key: []string{"doc"}, Within: true},
			[]string{"same-key a:2 a:6 = 1 11.00"}},
		{"a blank key is none", map[string]string{"a": head + ",2031-01-02,1\n,2031-01-02,2\n"},
			Options{Key: []string{"doc"}}, nil},
		{"keys that are one but for zeros and case", map[string]string{"a": "doc,amount\nA-007,1\na7,2\n"},
			Options{Key: []string{"doc"}, Loose: equality.Loose{Case: true, Punctuation: true}}, nil},
		{"keys that are one without leading zeros", map[string]string{"a": "doc,amount\n0070,1\n70,2\n"},
			Options{Key: []string{"doc"}, Loose: equality.Loose{Zeros: true}}, []string{"same-key a:2 a:3 = 1 2"}},
		{"sent again with changes", map[string]string{
			"corvane_2031-01": a,
			"corvane_2031-01b": head + "D1,2031-01-01,10.00\nD2,2031-01-02,25.00\nD3,2031-01-03,30.00\n" +
				"D8,2031-01-04,80.00\nD9,2031-01-04,90.00\n",
			"eskerby_2031-01": head + "E1,2031-01-01,1\n",
		}, Options{Key: []string{"doc"}}, []string{"overlap corvane_2031-01 corvane_2031-01b = 2 40.00",
			"resubmission corvane_2031-01 corvane_2031-01b = 0"}},
	} {
		t.Run(c.rule, func(t *testing.T) {
			files := make(map[string]string)
			for name, text := range c.files {
				files[name+".csv"] = text
			}
			c.options.Totals = []string{"amount"}
			pattern := ""
			if len(files["corvane_2031-01.csv"]) > 0 {
				pattern = "{entity}_{period}*"
			}
			r := find(t, pattern, files, sourcetest.Reading, c.options)
			got := told(r)
			for i := range got {
				got[i] = strings.ReplaceAll(got[i], ".csv", "")
			}
			if !slices.Equal(got, c.want) {
				t.Errorf("it tells %q\nwant     %q", got, c.want)
				for _, f := range r.Findings {
					t.Log(f.Kind, f.Message)
				}
			}
		})
	}
}

func moneyOf(text string) amount.Amount {
	a, err := amount.Parse([]byte(text), '.')
	if err != nil {
		panic(err) // a test's own figure
	}
	return a
}

// Of two files that share records it is told on which lines these stand, in both.
func TestTheLinesThatFilesShare(t *testing.T) {
	r := find(t, "", map[string]string{
		"a.csv": "k,v\n1,a\n2,b\n3,c\n4,d\n5,e\n5,e\n",
		"b.csv": "k,v\n9,z\n5,e\n2,b\n1,a\n8,z\n",
	}, sourcetest.Reading, Options{})
	f := r.Findings[0]
	if f.Kind != finding.Overlap || f.Places[0].Lines != "2-3,6" || f.Places[1].Lines != "3-5" {
		t.Errorf("%s shares lines %q and %q", f.Kind, f.Places[0].Lines, f.Places[1].Lines)
	}
	if !strings.Contains(f.Message, "lines 2 to 3, 6 of A, lines 3 to 5 of B") {
		t.Errorf("it says %q", f.Message)
	}
}
