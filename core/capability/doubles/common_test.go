package doubles

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/internal/sourcetest"
)

// A record that stands in thousands of files makes none of them overlap with all
// the others; it is told as a record, and that it is so is told. A file that stands
// in another one is found all the same.
func TestARecordThatIsCommon(t *testing.T) {
	dir := t.TempDir()
	write := func(name string, rows ...string) {
		text := "doc,amount\n" + strings.Join(rows, "\n") + "\n"
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	const files = 4_300
	for i := range files {
		write(fmt.Sprintf("f%05d.csv", i), "OPENING,0.00", fmt.Sprintf("D%d,1.00", i), fmt.Sprintf("E%d,2.00", i))
	}
	write("part.csv", "E77,2.00", "OPENING,0.00")
	set, err := source.Find(context.Background(), source.Search{Paths: []string{dir}, Jobs: 2})
	if err != nil {
		t.Fatal(err)
	}
	r, err := Find(context.Background(), set, sourcetest.Reading,
		Options{Totals: []string{"amount"}, Share: DefaultShare})
	if err != nil {
		t.Fatal(err)
	}
	got := told(r)
	want := []string{"contained-file part.csv f00077.csv = 2 2.00"}
	for i := range got {
		if strings.HasPrefix(got[i], string(finding.SameRecord)) {
			got[i] = got[i][strings.LastIndex(got[i], " = "):]
		}
	}
	want = append(want, " = 4299 0.00")
	for _, w := range want {
		found := false
		for _, g := range got {
			found = found || g == w
		}
		if !found {
			t.Errorf("%q is not told, of %q", w, got)
		}
	}
	common := 0
	for _, f := range r.Findings {
		if f.Kind == finding.CommonRecord {
			common++
			if f.Count != 1 || !strings.Contains(f.Message, "1 record is in more than ") {
				t.Errorf("it says %q of %d", f.Message, f.Count)
			}
		}
	}
	if common != 1 || len(r.Findings) != 3 {
		t.Errorf("%d findings, %d of them about common records", len(r.Findings), common)
	}
}

// As long as all couples can be counted in about the time of reading, all are.
func TestMostSources(t *testing.T) {
	s := &search{sources: make([]state, 10_000)}
	for _, c := range []struct {
		rule      string
		bySources map[int]int
		want      int
	}{
		{"nothing is shared", map[int]int{}, 10_000},
		{"couples alone", map[int]int{2: 1_000_000}, 10_000},
		{"one record everywhere", map[int]int{2: 5, 10_000: 1}, 9_999},
		{"many records in many", map[int]int{2: 5, 100: 1_000, 300: 500}, 299},
	} {
		if got := s.mostSources(c.bySources); got != c.want {
			t.Errorf("%s: %d, want %d", c.rule, got, c.want)
		}
	}
}
