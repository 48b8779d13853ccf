package source

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// Lines of delimiters alone are blank lines, wherever they stand and however many delimiters they have; a line with a
// blank in quotes, or of one column, is not.
func TestLinesOfDelimitersAreBlank(t *testing.T) {
	for name, c := range map[string]struct {
		text    string
		records []string
		blank   int
	}{
		"at the end":               {"a,b,c\n1,2,3\n,,\n,,\n", []string{"2:|1|2|3"}, 2},
		"between records":          {"a;b;c\n1;2;3\n;;\n4;5;6\n", []string{"2:|1|2|3", "4:|4|5|6"}, 1},
		"more of them":             {"a,b,c\n1,2,3\n,,,,,,\n", []string{"2:|1|2|3"}, 1},
		"fewer":                    {"a,b,c\n1,2,3\n,\n4,5,6\n", []string{"2:|1|2|3", "4:|4|5|6"}, 1},
		"with CR LF, quotes about": {"a,b,c\r\n\"x,y\",2,3\r\n,,\r\n", []string{"2:|x,y|2|3"}, 1},
		"something in the last":    {"a,b,c\n,,3\n", []string{"2:|||3"}, 0},
		"none":                     {"a,b,c\n1,,\n", []string{"2:|1||"}, 0},
	} {
		path := filepath.Join(t.TempDir(), "a.csv")
		if err := os.WriteFile(path, []byte(c.text), 0o644); err != nil {
			t.Fatal(err)
		}
		set, err := Find(context.Background(), Search{Paths: []string{path}, Jobs: 1})
		if err != nil {
			t.Fatal(err)
		}
		all := &blanks{collector: collector{set: set}}
		if err := set.Scan(t.Context(), Reading{Jobs: 1, Memory: 1 << 26}, func() Visitor { return all }); err != nil {
			t.Fatal(err)
		}
		if !slices.Equal(all.records, c.records) || all.blank != c.blank || len(all.refused) > 0 {
			t.Errorf("%s: records %q, %d blank lines, refused %s", name, all.records, all.blank,
				strings.Join(all.refused, "; "))
		}
	}
}

// blanks counts blank lines beside records.
type blanks struct {
	collector
	blank int
}

func (b *blanks) Batch(batch *Batch) error {
	b.blank += batch.Blank
	return b.collector.Batch(batch)
}
