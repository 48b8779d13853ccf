package split

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"strings"
	"testing"

	"lastblock/core/source"
	"lastblock/internal/sourcetest"
)

// kept keeps parts in memory.
type kept struct {
	parts  []*bytes.Buffer
	values []string
}

func (k *kept) Part(number int, value string) (io.WriteCloser, error) {
	if number != len(k.parts) {
		return nil, fmt.Errorf("part %d comes as number %d", number, len(k.parts))
	}
	k.parts, k.values = append(k.parts, new(bytes.Buffer)), append(k.values, value)
	return closing{k.parts[number]}, nil
}

type closing struct{ io.Writer }

func (closing) Close() error { return nil }

func cut(t *testing.T, content string, options Options) (*Result, *kept) {
	t.Helper()
	k := new(kept)
	r, err := Run(context.Background(), sourcetest.Set(t, "", map[string]string{"a.csv": content}), sourcetest.Reading,
		options, k)
	if err != nil {
		t.Fatal(err)
	}
	return r, k
}

// Parts are as many as were asked for, and differ by one record at the most.
func TestPartsAreEqual(t *testing.T) {
	for _, c := range []struct {
		rows, parts int
		want        string
	}{
		{10, 6, "[2 2 2 2 1 1]"}, {10, 7, "[2 2 2 1 1 1 1]"}, {10, 9, "[2 1 1 1 1 1 1 1 1]"}, {10, 5, "[2 2 2 2 2]"},
		{40, 21, "[2 2 2 2 2 2 2 2 2 2 2 2 2 2 2 2 2 2 2 1 1]"}, {9, 2, "[5 4]"}, {1, 1, "[1]"}, {2, 3, "[1 1]"},
	} {
		r, _ := cut(t, "k,v\n"+strings.Repeat("a,1\n", c.rows), Options{Parts: c.parts})
		var rows []int
		for _, p := range r.Parts {
			rows = append(rows, p.Rows)
		}
		if got := fmt.Sprint(rows); got != c.want {
			t.Errorf("%d rows in %d parts are %s, want %s", c.rows, c.parts, got, c.want)
		}
	}
}

func TestCuts(t *testing.T) {
	const five = "k;v\na;1,5\nb;2,5\nc;\nd;\"4,0\"\ne;5\n"
	for _, c := range []struct {
		rule    string
		content string
		options Options
		parts   []string
		told    string // rows and totals of the parts
	}{
		{"of two rows", five, Options{Rows: 2}, []string{"k;v\na;1,5\nb;2,5\n", "k;v\nc;\nd;\"4,0\"\n", "k;v\ne;5\n"},
			"2 [4.0] 2 [4.0] 1 [5]"},
		{"of as many rows as there are", five, Options{Rows: 5}, []string{five}, "5 [13.0]"},
		{"into two parts", five, Options{Parts: 2}, []string{"k;v\na;1,5\nb;2,5\nc;\n", "k;v\nd;\"4,0\"\ne;5\n"},
			"3 [4.0] 2 [9.0]"},
		{"into more parts than rows", "k,v\na,1\n", Options{Parts: 3}, []string{"k,v\na,1\n"}, "1 [1]"},
		{"nothing but a header", "k,v\n", Options{Rows: 3}, []string{"k,v\n"}, "0 []"},
		{"a broken line stays in its place, and in no total", "k,v\na,1\nb,2,2\nc,3\n", Options{Rows: 2},
			[]string{"k,v\na,1\nb,2,2\n", "k,v\nc,3\n"}, "2 [1] 1 [3]"},
		{"a value that is no amount, likewise", "k,v\na,1\nb,2x\nc,3\n", Options{Rows: 2, Totals: []string{"v"}},
			[]string{"k,v\na,1\nb,2x\n", "k,v\nc,3\n"}, "2 [1] 1 [3]"},
		{"line breaks within quotes", "k,v\n\"a\nb\",1\nc,3\n", Options{Rows: 1},
			[]string{"k,v\n\"a\nb\",1\n", "k,v\nc,3\n"}, "1 [1] 1 [3]"},
		{"by the values of a column", "k,v\nb,1\na,2\nb,3\n,4\n", Options{By: "k"},
			[]string{"k,v\nb,1\nb,3\n", "k,v\na,2\n", "k,v\n,4\n"}, "1 [4] 1 [2] 2 [4]"},
	} {
		t.Run(c.rule, func(t *testing.T) {
			r, k := cut(t, c.content, c.options)
			var told []string
			for _, p := range r.Parts {
				told = append(told, fmt.Sprint(p.Rows, p.Totals))
			}
			if got := strings.Join(told, " "); strings.ReplaceAll(got, " ", "") != strings.ReplaceAll(c.told, " ", "") {
				t.Errorf("the parts have %s, want %s", got, c.told)
			}
			for i := range max(len(c.parts), len(k.parts)) {
				if i >= len(c.parts) || i >= len(k.parts) || k.parts[i].String() != c.parts[i] {
					t.Fatalf("%d parts, want %d; part %d differs: %q", len(k.parts), len(c.parts), i, k.parts)
				}
			}
		})
	}
}

// A file that all goroutines read is cut as one that a single one reads: the
// oracle cuts its lines one by one.
func TestALargeFile(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	var content strings.Builder
	content.WriteString("k,v\n")
	var lines []string
	for i := range 400_000 {
		line := fmt.Sprintf("D%d,%d\n", i, r.IntN(1000))
		if r.IntN(50_000) == 0 {
			line = fmt.Sprintf("D%d,1,1\n", i)
		}
		lines = append(lines, line)
		content.WriteString(line)
	}
	const rows = 70_001
	result, k := cut(t, content.String(), Options{Rows: rows})
	for i := range k.parts {
		from, to := i*rows, min(len(lines), (i+1)*rows)
		if want := "k,v\n" + strings.Join(lines[from:to], ""); k.parts[i].String() != want {
			t.Fatalf("part %d is not lines %d to %d", i, from, to)
		}
		sum := 0
		for _, line := range lines[from:to] {
			var v int
			if _, err := fmt.Sscanf(line[strings.IndexByte(line, ',')+1:], "%d\n", &v); err == nil &&
				strings.Count(line, ",") == 1 {
				sum += v
			}
		}
		if result.Parts[i].Rows != to-from || result.Parts[i].Totals[0].String() != fmt.Sprint(sum) {
			t.Errorf("part %d has %d rows and %s, want %d and %d", i, result.Parts[i].Rows, result.Parts[i].Totals[0],
				to-from, sum)
		}
	}
	if len(k.parts) != 6 {
		t.Errorf("%d parts", len(k.parts))
	}
}

// failing is a disk that is full.
type failing struct{ error }

func (f failing) Part(int, string) (io.WriteCloser, error) { return f, nil }
func (f failing) Write([]byte) (int, error)                { return 0, f.error }
func (f failing) Close() error                             { return nil }

func TestWhatCannotBeWrittenIsAnError(t *testing.T) {
	full := errors.New("no space left")
	set := sourcetest.Set(t, "", map[string]string{"a.csv": "k,v\na,1\n"})
	if _, err := Run(context.Background(), set, sourcetest.Reading, Options{Rows: 1}, failing{full}); !errors.Is(err,
		full) {
		t.Errorf("error %v", err)
	}
	set.Sources = append(set.Sources, source.Source{Name: "b.csv"})
	if _, err := Run(context.Background(), set, sourcetest.Reading, Options{Rows: 1}, new(kept)); err == nil {
		t.Error("two sources are cut as one")
	}
}

// Two cuts can share one reading.
func TestCutsShareAReading(t *testing.T) {
	set := sourcetest.Set(t, "", map[string]string{"a.csv": "k;v\na;1,5\nb;2,5\na;4\n"})
	byKey, byRows := new(kept), new(kept)
	var jobs [2]*Job
	for i, options := range []Options{{By: "k", Totals: []string{"v"}}, {Rows: 2, Totals: []string{"v"}}} {
		var err error
		to := []*kept{byKey, byRows}[i]
		if jobs[i], err = Prepare(t.Context(), set, sourcetest.Reading, options, to); err != nil {
			t.Fatal(err)
		}
	}
	if err := set.ScanFor(t.Context(), sourcetest.Reading, jobs[0], jobs[1]); err != nil {
		t.Fatal(err)
	}
	for i, want := range []string{"[a:2=5.5 b:1=2.5]", "[:2=4.0 :1=4]"} {
		r, err := jobs[i].Finish()
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, p := range r.Parts {
			got = append(got, fmt.Sprintf("%s:%d=%s", p.Value, p.Rows, p.Totals[0]))
		}
		if fmt.Sprint(got) != want {
			t.Errorf("the parts are %v, want %s", got, want)
		}
	}
}
