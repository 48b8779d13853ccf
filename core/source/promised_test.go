package source

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// A file whose name promises a compression, and whose first bytes are others, is damaged and no text, whoever reads it.
func TestADamagedCompressionIsNoText(t *testing.T) {
	packed := []byte(zipped(t, "account,v\n1,2\n"))
	dir := t.TempDir()
	rows := func(name string, data []byte) (n int, err error) {
		if err := os.WriteFile(filepath.Join(dir, name), data, 0o644); err != nil {
			t.Fatal(err)
		}
		set, err := Find(context.Background(), Search{Paths: []string{filepath.Join(dir, name)}, Jobs: 1})
		if err != nil {
			return 0, err
		}
		prints := new(Fingerprints)
		err = set.ScanFor(context.Background(), Reading{Memory: 1 << 30, Jobs: 1}, prints)
		return prints.Read(), err
	}
	if n, err := rows("a.csv.gz", packed); n != 1 || err != nil {
		t.Fatalf("%v: %d records", err, n)
	}
	if n, err := rows("b.csv.gz", nil); n != 0 || err != nil {
		t.Errorf("%v: of an empty file %d records", err, n)
	}
	damaged := bytes.Clone(packed)
	damaged[1] = 'x'
	for _, name := range []string{"a.csv.gz", "a.csv.GZ", "a.csv.zst", "a.csv.bz2", "a.jsonl.gz", "a.parquet.gz"} {
		for what, data := range map[string][]byte{"damaged": damaged, "text": []byte("account,v\n1,2\n")} {
			ending := strings.ToLower(filepath.Ext(name))
			if n, err := rows(name, data); err == nil || !strings.Contains(err.Error(), "its name ends in "+ending) {
				t.Errorf("%s that is %s: %v, and %d records", name, what, err, n)
			}
		}
	}
}
