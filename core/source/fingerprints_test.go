package source

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// A fingerprint tells records apart and not the order in which they come, however many goroutines read.
func TestFingerprintsOfRecords(t *testing.T) {
	long := "doc,v\n" + strings.Repeat("1,2\n3,4\n", 1<<20) // which several read
	files := map[string]string{
		"a.csv": "doc,v\n1,2\n3,4\n", "b.csv": "doc,v\n3,4\n1,2\n", "c.csv": "doc,v\n1,2\n3,5\n", "d.csv": "doc,v\n",
		"e.csv": "doc,v\n1,2\n3,4\n3,4\n", "f.csv": "doc,v\n1,2,3\n3,4\n", "g.csv": "doc,v\n12,\n3,4\n", "h.csv": long,
	}
	var before []string
	for _, jobs := range []int{1, 4} {
		dir := t.TempDir()
		for name, text := range files {
			if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		set, err := Find(context.Background(), Search{Paths: []string{dir}, Jobs: 1})
		if err != nil {
			t.Fatal(err)
		}
		prints := new(Fingerprints)
		if err := set.ScanFor(context.Background(), Reading{Memory: 1 << 30, Jobs: jobs}, prints); err != nil {
			t.Fatal(err)
		}
		var all []string
		for i := range set.Sources {
			all = append(all, prints.Of(i))
		}
		if before != nil && strings.Join(before, " ") != strings.Join(all, " ") {
			t.Errorf("with %d jobs they are %v, and with one %v", jobs, all, before)
		}
		before = all
	}
	if before[0] != before[1] {
		t.Error("another order of records is another fingerprint")
	}
	if before[3] != strings.Repeat("0", 32) {
		t.Errorf("without a record it is %s", before[3])
	}
	for i, a := range before {
		for k, b := range before[:i] {
			if a == b && (k != 0 || i != 1) {
				t.Errorf("%c.csv and %c.csv have the same", 'a'+i, 'a'+k)
			}
		}
	}
}
