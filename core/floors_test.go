package core

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

// floors from the bottom up.
var floors = []string{"option", "record", "value", "large", "format", "finding", "source", "output", "tally",
	"capability",
	"month"}

const module = "lastblock/"

// Imports run downwards only, or within a floor; capabilities do not import one another, and
// nothing in core prints or knows of flags.
func TestImportsRunDownwards(t *testing.T) {
	packages := 0
	err := filepath.WalkDir(".", func(name string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() || !strings.HasSuffix(name, ".go") || strings.HasSuffix(name, "_test.go") {
			return err
		}
		file, err := parser.ParseFile(token.NewFileSet(), name, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		packages++
		here := path.Dir(filepath.ToSlash(name))
		floor := slices.Index(floors, strings.Split(here, "/")[0])
		if floor < 0 && here != "." {
			t.Errorf("%s stands on no floor", name)
		}
		for _, imported := range file.Imports {
			below, ours := strings.CutPrefix(strings.Trim(imported.Path.Value, `"`), module)
			if !ours {
				continue
			}
			below, isCore := strings.CutPrefix(below, "core/")
			switch of := slices.Index(floors, strings.Split(below, "/")[0]); {
			case !isCore:
				t.Errorf("%s imports %s, which is above core", name, below)
			case isCore && of > floor:
				t.Errorf("%s imports %s, which is on a floor above", name, below)
			case isCore && of == floor && floors[floor] == "capability":
				t.Errorf("%s imports another capability, %s", name, below)
			}
		}
		return nil
	})
	if err != nil || packages == 0 {
		t.Fatalf("%v, %d files", err, packages)
	}
}
