package source

import (
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// A line is left out where it sums up what stands above it, in each of its amounts and
// wherever it stands; where it says that it is a total and does not, it is in doubt.
func TestTotalLines(t *testing.T) {
	const rows = "A,1,10\nB,2,20\n"
	for _, c := range []struct {
		rule, text string
		records    int
		notes      []string
	}{
		{"at the end", rows + "Total,3,30\n", 2, []string{"total on line 4: [n v]"}},
		{"off in one of two columns", rows + "Total,3,31\n", 3, []string{"doubt on line 4: [{v 31 30}]"}},
		{"of one column only", rows + "Total,,30\n", 2, []string{"total on line 4: [v]"}},
		{"a name that happens to foot", rows + "Total Energies,3,30\n", 2, []string{"total on line 4: [n v]"}},
		{"a name that does not foot, at the end", rows + "Total Energies,5,30\n", 3,
			[]string{"doubt on line 4: [{n 5 3}]"}},
		{"a name that does not foot, with records below", "A,1,10\nTotal Energies,5,30\nB,2,20\n", 3, nil},
		{"with a name counted above it", "A,1,10\nTotal Energies,5,30\nB,2,20\nTotal,8,60\n", 3,
			[]string{"total on line 5: [n v]"}},
		{"with a blank line below", rows + "Total,3,30\n\n\n", 2, []string{"total on line 4: [n v]"}},
		{"with a footer below", rows + "Total,3,30\nprinted by hand,,\n", 3, []string{"total on line 4: [n v]"}},
		{"off, with a footer below", rows + "Total,3,31\n\nprinted by hand,,\n", 4,
			[]string{"doubt on line 4: [{v 31 30}]"}},
		{"with a short footer below", rows + "Total,3,30\nprinted\n", 2, []string{"total on line 4: [n v]"}},
		{"with records below", "A,1,10\nTotal,1,10\nB,2,20\n", 2, []string{"total on line 3: [n v]"}},
		{"off, with records below", "A,1,10\nTotal,1,11\nB,2,20\n", 3, []string{"doubt on line 3: [{v 11 10}]"}},
		{"of each part, and of all", "A,1,10\nTotal A,1,10\nB,2,20\nSubtotal,2,20\nGrand total,3,30\n", 2,
			[]string{"total on line 3: [n v]", "total on line 5: [n v]", "total on line 6: [n v]"}},
		{"right in spite of one that is off", "A,1,10\nSum,2,10\nB,2,20\nTotal,3,30\n", 3,
			[]string{"total on line 5: [n v]", "doubt on line 3: [{n 2 1}]"}},
		{"short", rows + "Total,3\n", 2, []string{"total on line 4: [n]"}},
		{"short and off", rows + "Total,4\n", 3, []string{"doubt on line 4: [{n 4 3}]"}},
		{"above all records", "Total,3,30\n" + rows, 3, []string{"doubt on line 2: [{n 3 0} {v 30 0}]"}},
		{"with a text in it", rows + "Total,3,thirty\n", 3, nil},
		{"a word within a word", rows + "Summer,3,30\n", 3, nil},
	} {
		path := filepath.Join(folder(t, map[string]string{"x.csv": "k,n,v\n" + c.text}), "x.csv")
		got := mustRead(t, path, Manner{})
		if len(got.records) != c.records || !slices.Equal(got.notes, c.notes) {
			t.Errorf("%s: records %q, notes %q, want %d and %q", c.rule, got.records, got.notes, c.records, c.notes)
		}
		got = mustRead(t, path, Manner{NoTotalLine: true})
		if want := strings.Count(strings.TrimRight(c.text, "\n"), "\n") + 1; got.notes != nil ||
			len(got.records)+len(got.refused) < c.records || len(got.records) > want {
			t.Errorf("%s, without total lines: records %q, notes %q", c.rule, got.records, got.notes)
		}
	}
}

// In a file of many blocks the records of all of them count, whoever reads which.
func TestTotalLineOfALargeFile(t *testing.T) {
	var text strings.Builder
	text.WriteString("k;v\n")
	const rows = 200_000
	for i := range rows {
		fmt.Fprintf(&text, "some text %d;1,25\n", i)
		if i == rows/2-1 {
			fmt.Fprintf(&text, "Subtotal;%d,00\n", rows/2*5/4)
		}
	}
	for line, notes := range map[string][]string{
		fmt.Sprintf("Total;%d,00\n", rows*5/4): {"total on line 100002: [v]", "total on line 200003: [v]"},
		"Total;1,00\n": {"total on line 100002: [v]",
			"doubt on line 200003: [{v 1.00 250000.00}]"},
	} {
		path := filepath.Join(folder(t, map[string]string{"x.csv": text.String() + line}), "x.csv")
		got := mustRead(t, path, Manner{})
		slices.Sort(got.notes)
		slices.Sort(notes)
		if !slices.Equal(got.notes, notes) || len(got.records) < rows {
			t.Errorf("%q: %d records, notes %q, want %q", line, len(got.records), got.notes, notes)
		}
	}
}
