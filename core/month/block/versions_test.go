package block

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"os"
	"path/filepath"
	"testing"
)

// Blocks of every version that was ever released are read. A new version adds a folder here, and changes none.
func TestBlocksOfAllVersions(t *testing.T) {
	for version := 1; version <= Version; version++ {
		folder := filepath.Join("testdata", fmt.Sprintf("version-%d", version))
		c, err := Read(folder, "lastblock.toml")
		if err != nil {
			t.Fatal(err)
		}
		if len(c.Entries) != 3 || c.Of("2031-01").Number != 2 || c.Of("2031-01").Restates != 1 ||
			c.Last().Period != "2031-02" || c.Last().User != "anna" || c.Last().SourceCount != 10 {
			t.Errorf("of version %d the chain is %+v", version, c.Entries)
		}
		for i := range c.Entries {
			data, err := os.ReadFile(filepath.Join(folder, c.Entries[i].File))
			if err != nil {
				t.Fatal(err)
			}
			sum := sha256.Sum256(data)
			if c.Entries[i].Seal != hex.EncodeToString(sum[:]) {
				t.Errorf("the seal of %s is %s", c.Entries[i].File, c.Entries[i].Seal)
			}
		}
		sources, err := c.Sources(c.Last())
		if err != nil || len(sources) != 10 || sources[0].Entity != "brackenfell" || sources[0].Rows != 18 {
			t.Errorf("%v: sources are %+v", err, sources)
		}
		points, err := c.Course(Wish{Words: []Word{{"account", "04100"}}, Sum: "credit"})
		if err != nil || len(points) != 3 || points[1].Amount.String() != "7204.51" {
			t.Errorf("%v: the course is %q", err, courseOf(points))
		}
	}
}
