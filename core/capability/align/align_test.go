package align_test

import (
	"bytes"
	"context"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"lastblock/core/capability/align"
	"lastblock/core/finding"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/value/equality"
	"lastblock/internal/sourcetest"
)

// encode writes a row with ~ for what is not there.
func encode(dst []byte, texts [][]byte, _ []record.Kind) []byte {
	for i, text := range texts {
		if i > 0 {
			dst = append(dst, '|')
		}
		if text == nil {
			dst = append(dst, '~')
		}
		dst = append(dst, text...)
	}
	return append(dst, '\n')
}

func run(t testing.TB, reading source.Reading, files map[string]string, options align.Options) (string, *align.Result) {
	t.Helper()
	ctx := context.Background()
	sources, err := align.Read(ctx, sourcetest.Set(t, "", files), reading, options)
	if err != nil {
		t.Fatal(err)
	}
	r, err := sources.Align(ctx, encode)
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	var out bytes.Buffer
	var names []string
	for _, c := range r.Columns {
		names = append(names, c.Name)
	}
	out.WriteString(strings.Join(names, "|") + "\n")
	if err := r.Write(ctx, &out); err != nil {
		t.Fatal(err)
	}
	return out.String(), r
}

func TestAlign(t *testing.T) {
	files := map[string]string{
		"a.csv": "k,name,amount\nA,x,1.00\nB,,2.00\nA10,z,3\n",
		"b.csv": "amount;k\n1,50;A\n9,00;A2\n",
		"c.csv": "k,rate\nB,1\nA,\n",
	}
	for _, c := range []struct {
		name    string
		files   map[string]string
		options align.Options
		want    string
	}{
		{
			"as keys come, with what is not there apart from what is blank", files, align.Options{},
			"k|present_in|name|amount a|amount " +
				"b|rate\nA|3|x|1.00|1.50|\nB|2||2.00|~|1\nA10|1|z|3|~|~\nA2|1|~|~|9.00|~\n",
		},
		{"sorted", files, align.Options{Sorted: true},
			"k|present_in|name|amount a|amount " +
				"b|rate\nA|3|x|1.00|1.50|\nA2|1|~|~|9.00|~\nA10|1|z|3|~|~\nB|2||2.00|~|1\n"},
		{"what all have", files, align.Options{Only: align.Common},
			"k|present_in|name|amount a|amount b|rate\nA|3|x|1.00|1.50|\n"},
		{"what some lack", files, align.Options{Only: align.Missing},
			"k|present_in|name|amount a|amount b|rate\nB|2||2.00|~|1\nA10|1|z|3|~|~\nA2|1|~|~|9.00|~\n"},
		{"texts as they are", map[string]string{"a.csv": "k,v\nA,\"1,50 or so\"\n", "b.csv": "k;v\nA;007\n"},
			align.Options{}, "k|present_in|v a|v b\nA|2|1,50 or so|007\n"},
		{
			"keys of two columns, loosely", map[string]string{"a.csv": "k,l,v\n007,a,1\n",
				"b.csv": "k,l,v\n7,A,2\n7,B,3\n"},
			align.Options{Key: []string{"k", "l"}, Loose: equality.Loose{Zeros: true, Case: true}},
			"k|l|present_in|v a|v b\n007|a|2|1|2\n7|B|1|~|3\n",
		},
		{"a column that is called as ours", map[string]string{"a.csv": "present_in,v\nx,1\n"},
			align.Options{Key: []string{"present_in"}}, "present_in|present_in_2|v\nx|1|1\n"},
		{"one source", map[string]string{"a.csv": "k,v\nx,1\n"}, align.Options{}, "k|present_in|v\nx|1|1\n"},
		{"two of one name but for the ending", map[string]string{"a.csv": "k,v\nx,1\n", "a.tsv": "k\tv\nx\t2\n"},
			align.Options{}, "k|present_in|v a.csv|v a.tsv\nx|2|1|2\n"},
		{"nothing", map[string]string{"a.csv": "k,v\n"}, align.Options{}, "k|present_in|v\n"},
	} {
		if c.options.Key == nil {
			c.options.Key = []string{"k"}
		}
		if got, _ := run(t, sourcetest.Reading, c.files, c.options); got != c.want {
			t.Errorf("%s:\n%s\nwant\n%s", c.name, got, c.want)
		}
	}
}

// Of a key that stands several times in one source the first record counts, and the
// proof has the others.
func TestAmbiguous(t *testing.T) {
	got, r := run(t, sourcetest.Reading, map[string]string{"a.csv": "k,v\nx,1\ny,5\nx,2\nx,4\n", "b.csv": "k,v\nx,8\n"},
		align.Options{Key: []string{"k"}, Totals: []string{"v"}})
	if want := "k|present_in|v a|v b\nx|2|1|8\ny|1|5|~\n"; got != want {
		t.Errorf("it gives\n%s", got)
	}
	if p := r.Proof; p.Read != 5 || p.Used != 3 || p.Suspense != 2 || p.Totals[0].Suspense.String() != "6" ||
		p.Totals[0].Used.String() != "14" {
		t.Errorf("the proof is %+v", p)
	}
	if f := r.Findings[0]; len(r.Findings) != 1 || f.Kind != finding.Ambiguous || f.Source != "a.csv" || f.Count != 3 ||
		!strings.Contains(f.Message, "k x is found 3 times, on lines 2, 4, 5") {
		t.Errorf("it finds %+v", r.Findings)
	}
}

// A source without the key is told, as its records stand beside nothing.
func TestASourceWithoutTheKey(t *testing.T) {
	_, r := run(t, sourcetest.Reading, map[string]string{"a.csv": "k,v\nx,1\n", "b.csv": "kk,v\nx,8\n"},
		align.Options{Key: []string{"k"}})
	if len(r.Findings) != 1 || r.Findings[0].Kind != finding.MissingColumn || r.Findings[0].Source != "b.csv" ||
		r.Keys != 2 {
		t.Errorf("there are %d keys, and it finds %+v", r.Keys, r.Findings)
	}
}

// Random files come out as a map of maps has them, with little memory as well.
func TestRandomFiles(t *testing.T) {
	for seed := range uint64(20) {
		r := rand.New(rand.NewPCG(seed, 9))
		n := 1 + r.IntN(6)
		files := make(map[string]string)
		values := make([]map[string]string, n)
		var order []string
		for i := range n {
			values[i] = make(map[string]string)
			text := "v,k\n"
			for _, k := range r.Perm(40)[:r.IntN(40)] {
				key, value := fmt.Sprintf("K%d", k), fmt.Sprint(r.IntN(100))
				if r.IntN(5) == 0 {
					value = ""
				}
				text += value + "," + key + "\n"
				values[i][key] = value
				if !strings.Contains(strings.Join(order, " ")+" ", key+" ") {
					order = append(order, key)
				}
			}
			files[fmt.Sprintf("f%d.csv", i)] = text
		}
		want := ""
		for _, key := range order {
			present, cells := 0, ""
			for i := range n {
				if value, ok := values[i][key]; ok {
					present++
					cells += "|" + value
				} else {
					cells += "|~"
				}
			}
			want += fmt.Sprintf("%s|%d%s\n", key, present, cells)
		}
		for _, reading := range []source.Reading{sourcetest.Reading, {Jobs: 1, Memory: 1}} {
			got, result := run(t, reading, files, align.Options{Key: []string{"k"}})
			if _, got, _ = strings.Cut(got, "\n"); got != want {
				t.Errorf("seed %d:\n%s\nwant\n%s", seed, got, want)
			}
			keys := 0
			for _, p := range result.Present {
				keys += p.Keys
			}
			if keys != len(order) || result.Keys != len(order) {
				t.Errorf("seed %d: %d keys, and %d are written, of %d", seed, keys, result.Keys, len(order))
			}
		}
	}
}
