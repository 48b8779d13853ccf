package source

import (
	"bytes"
	"compress/gzip"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
)

// lineCollector keeps the records of wanted lines, by line.
type lineCollector struct {
	mutex   *sync.Mutex
	wanted  map[int]bool
	records map[int]string
	read    *int
}

func (c *lineCollector) Batch(b *Batch) error {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	*c.read += b.Batch.Rows
	for row := range b.Batch.Rows {
		if line := b.Line(row); c.wanted == nil || c.wanted[line] {
			c.records[line] = string(b.Raw(row))
		}
	}
	return nil
}

func (c *lineCollector) Flush(context.Context, int) error { return nil }

// What is wanted is read as it was the first time, whatever is passed over before
// it: in plain text, behind a byte order mark, with quoted line breaks, in an old
// code page from some line on, compressed, and with blanks between fields.
func TestWantedLines(t *testing.T) {
	var plain, quoted, blanks strings.Builder
	plain.WriteString("number,text,amount\n")
	quoted.WriteString("number,text,amount\n")
	blanks.WriteString("number   text   amount\n")
	long := strings.Repeat(" on the ridge", 16) // so that few records make a large source
	for i := range 30_000 {
		fmt.Fprintf(&plain, "%d,Pass %d%s,%d.50\n", i, i%7, long, i)
		text := "plain" + long
		if i%100 == 3 {
			text = "\"two\nlines, \"\"quoted\"\"\""
		}
		fmt.Fprintf(&quoted, "%d,%s,%d.50\n", i, text, i)
		fmt.Fprintf(&blanks, "%-8d Pass%d%s    %d.50\n", i, i%7, strings.ReplaceAll(long, " ", "-"), i)
	}
	var packed bytes.Buffer
	zip := gzip.NewWriter(&packed)
	if _, err := zip.Write([]byte(plain.String())); err != nil {
		t.Fatal(err)
	}
	if err := zip.Close(); err != nil {
		t.Fatal(err)
	}
	for name, content := range map[string]string{
		"plain.csv": plain.String(), "marked.csv": "\ufeff" + plain.String(), "quoted.csv": quoted.String(),
		"blanks.txt": blanks.String(), "packed.csv.gz": packed.String(),
		"page.csv": strings.Replace(plain.String(), "20000,Pass", "20000,P\xe4sse", 1),
	} {
		t.Run(name, func(t *testing.T) {
			path := filepath.Join(t.TempDir(), name)
			if err := os.WriteFile(path, []byte(content), 0o644); err != nil {
				t.Fatal(err)
			}
			search := Search{Paths: []string{path}, Jobs: 2, Manner: &Manner{}}
			if name == "blanks.txt" {
				search.Manner.Blanks = true
			}
			set, err := Find(context.Background(), search)
			if err != nil {
				t.Fatal(err)
			}
			scan := func(reading Reading, wanted map[int]bool) (map[int]string, int) {
				read := 0
				c := &lineCollector{new(sync.Mutex), wanted, make(map[int]string), &read}
				if err := set.Scan(context.Background(), reading, func() Visitor { return c }); err != nil {
					t.Fatal(err)
				}
				return c.records, read
			}
			reading := Reading{Jobs: 2, Memory: 1 << 28}
			all, count := scan(reading, nil)
			wanted := make(map[int]bool)
			lines := []int{5, 6, 10_000, 19_990, 20_002, 20_003, 29_000, 29_004}
			for _, line := range lines {
				wanted[line] = true
			}
			reading.Wanted = func(_, first, last int) (from, to int, ok bool) {
				for _, line := range lines {
					if first <= line && line <= last {
						if !ok {
							from = line
						}
						to, ok = line, true
					}
				}
				return from, to, ok
			}
			got, read := scan(reading, wanted)
			for line := range wanted {
				if all[line] != got[line] {
					t.Errorf("line %d is %q, and was %q", line, got[line], all[line])
				}
			}
			if read > count/3 || len(got) < len(lines)-1 { // a line may be the second one of a record
				t.Errorf("%d of %d records were read, and %d of the wanted ones", read, count, len(got))
			}
			if again, n := scan(Reading{Jobs: 1, Memory: 1 << 28}, nil); n != count || len(again) != len(all) {
				t.Errorf("all records once more are %d, and not %d", n, count)
			}
		})
	}
}
