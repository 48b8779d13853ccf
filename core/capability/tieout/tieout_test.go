package tieout

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	"lastblock/core/source"
	"lastblock/internal/sourcetest"
)

// run ties files out against a control sheet, "" for none.
func tieOut(t *testing.T, pattern, sheet string, totals []string, files map[string]string) (*Result, error) {
	t.Helper()
	options := Options{Totals: totals}
	if sheet != "" {
		path := filepath.Join(t.TempDir(), "control.csv")
		if err := os.WriteFile(path, []byte(sheet), 0o644); err != nil {
			t.Fatal(err)
		}
		table, err := source.ReadTable(context.Background(), path, sourcetest.Reading, 0)
		if err != nil {
			return nil, err
		}
		table.Name = "control.csv"
		options.Declared = table
	}
	return Run(context.Background(), sourcetest.Set(t, pattern, files), sourcetest.Reading, options)
}

// told are findings as "severity kind source column expected found difference".
func told(r *Result) []string {
	var all []string
	for _, f := range r.Findings {
		parts := []string{string(f.Severity), string(f.Kind), f.Source, f.Column, f.Expected, f.Found, f.Difference}
		all = append(all, strings.Join(strings.Fields(strings.Join(parts, " ")), " "))
	}
	return all
}

func TestTotals(t *testing.T) {
	r, err := tieOut(t, "", "", []string{"v", "#1"}, map[string]string{
		"f2.csv": "w,v\n1,0.10\n2,0.20\n", "f10.csv": "v,w\n99,1\n", "f1.csv": "w,v\n5,-0.3\n",
	})
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, s := range r.Sources {
		got = append(got, fmt.Sprintf("%d: %d rows %v running %v", s.Index, s.Rows, s.Totals, s.Running))
	}
	want := []string{"0: 1 rows [-0.3 5] running [-0.3 5]", "1: 2 rows [0.30 3] running [0.00 8]",
		"2: 1 rows [99 99] running [99.00 107]"}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("sources are %q, want %q", got, want)
	}
	if r.Rows != 4 || r.Totals[0].String() != "99.00" || r.Proof.Used != 4 {
		t.Errorf("%d rows, total %s, proof %+v", r.Rows, r.Totals[0], r.Proof)
	}
}

func TestLargestAndSmallest(t *testing.T) {
	r, err := tieOut(t, "", "", []string{"v"},
		map[string]string{"a.csv": "v,w\n5,1\n", "b.csv": "v,w\n-7,1\n", "c.csv": "v,w\n5.00,1\n",
			"d.csv": "v,w\n,1\n"})
	if err != nil {
		t.Fatal(err)
	}
	order := func(rows []Row) string {
		var indexes []string
		for _, row := range rows {
			indexes = append(indexes, fmt.Sprint(row.Index))
		}
		return strings.Join(indexes, " ")
	}
	for n, want := range map[int][2]string{1: {"0", "1"}, 2: {"0 2", "1 3"}, 4: {"0 2 3 1", "1 3 0 2"},
		9: {"0 2 3 1", "1 3 0 2"}} {
		if got := [2]string{order(r.Largest(n)), order(r.Smallest(n))}; got != want {
			t.Errorf("the %d largest and smallest are %q, want %q", n, got, want)
		}
	}
}

func TestDeclared(t *testing.T) {
	files := map[string]string{"a_2031-01.csv": "v,w\n1.50,1\n2.50,1\n", "b_2031-01.csv": "v,w\n10,1\nx,1\n"}
	for _, c := range []struct {
		rule    string
		pattern string
		sheet   string
		want    []string
	}{
		{"all agrees", "", "source,rows,v\na_2031-01.csv,2,4\nb_2031-01,2,10.00\n", nil},
		{"rows in suspense count as arrived", "", "source,rows\na_2031-01,2\nb_2031-01,2\n", nil},
		{"what is blank is not declared", "", "source,rows,v\na_2031-01,,\nb_2031-01,2,\n", nil},
		{"a row is missing", "", "source,rows\na_2031-01,3\nb_2031-01,2\n",
			[]string{"stop row-count a_2031-01.csv 3 2 -1"}},
		{"a row too many", "", "source,rows\na_2031-01,\"1\"\nb_2031-01,2\n",
			[]string{"stop row-count a_2031-01.csv 1 2 1"}},
		{"a total differs", "", "source,v\na_2031-01,4.90\nb_2031-01,10\n",
			[]string{"stop control-total a_2031-01.csv v 4.90 4.00 -0.90"}},
		{"a source that nobody declared", "", "source,rows\na_2031-01,2\n",
			[]string{"review no-declaration b_2031-01.csv"}},
		{"declared and not here", "", "source,rows\na_2031-01,2\nb_2031-01,2\nc_2031-01,9\n",
			[]string{"stop no-source c_2031-01"}},
		{"declared twice", "", "source,rows\na_2031-01,2\nb_2031-01,2\na_2031-01.csv,2\n",
			[]string{"stop declared-twice a_2031-01.csv"}},
		{"by entity and period", "{entity}_{period}", "period,entity,v\n2031-01,a,4\n2031-01,b,9\n",
			[]string{"stop control-total b_2031-01.csv v 9 10 1"}},
		{"by entity alone", "{entity}_{period}", "entity,rows\na,2\nb,1\n",
			[]string{"stop row-count b_2031-01.csv 1 2 1"}},
		{"by source on one line and by entity on the next", "{entity}_{period}",
			"source,entity,period,rows\na_2031-01.csv,,,3\n,b,2031-01,2\n",
			[]string{"stop row-count a_2031-01.csv 3 2 -1"}},
		{"another month is not here", "{entity}_{period}",
			"entity,period,rows\na,2031-01,2\nb,2031-01,2\na,2031-02,5\n", []string{"stop no-source a 2031-02"}},
	} {
		t.Run(c.rule, func(t *testing.T) {
			r, err := tieOut(t, c.pattern, c.sheet, []string{"v"}, files)
			if err != nil {
				t.Fatal(err)
			}
			var got []string
			for _, line := range told(r) {
				if !strings.HasPrefix(line, "review bad-value") { // of b, in all cases
					got = append(got, line)
				}
			}
			if !reflect.DeepEqual(got, c.want) {
				t.Errorf("findings are %q, want %q", got, c.want)
			}
		})
	}
}

func TestSheetsThatCannotBeUsed(t *testing.T) {
	files := map[string]string{"a.csv": "v,w\n1,1\n"}
	for sheet, want := range map[string]string{
		"name,rows\na,1\n":              `needs the column "source"`,
		"entity,period,rows\na,1,1\n":   "add ⟨name⟩",
		"source,rows\na,many\n":         `control.csv line 2: rows is "many"`,
		"source,v\na,1\nb,2\na,lots\n":  `control.csv line 4: v is "lots"`,
		"source,rows\na,1,2\nb,3,4,5\n": "line 2 cannot be read",
	} {
		_, err := tieOut(t, "", sheet, []string{"v"}, files)
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: error is %v, want one that says %q", sheet, err, want)
		}
		var unusable *DeclarationError
		if !strings.Contains(want, "cannot be read") && !errors.As(err, &unusable) {
			t.Errorf("%q: error is a %T", sheet, err)
		}
	}
}

func TestADifferenceOfNinesHintsAtSwappedDigits(t *testing.T) {
	r, err := tieOut(t, "", "source,v\na,54.00\nb,10.00\n", []string{"v"},
		map[string]string{"a.csv": "v,w\n45.00,1\n", "b.csv": "v,w\n11.00,1\n"})
	if err != nil {
		t.Fatal(err)
	}
	for i, want := range []bool{true, false} {
		if got := strings.Contains(r.Findings[i].Message, "transposed"); got != want {
			t.Errorf("%s", r.Findings[i].Message)
		}
	}
}
