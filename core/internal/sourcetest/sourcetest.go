// Package sourcetest makes sources for the tests of capabilities.
package sourcetest

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"lastblock/core/source"
)

// Reading reads with several goroutines, so that the race detector has
// something to look at.
var Reading = source.Reading{Jobs: 4, Memory: 1 << 30}

// Set writes files into a temporary folder and finds them. pattern is that of
// --name, "" for none.
func Set(t testing.TB, pattern string, files map[string]string) *source.Set {
	t.Helper()
	dir := t.TempDir()
	for name, content := range files {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(content), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	search := source.Search{Paths: []string{dir}, Jobs: 2}
	if pattern != "" {
		var err error
		if search.Pattern, err = source.ParseNamePattern(pattern); err != nil {
			t.Fatal(err)
		}
	}
	set, err := source.Find(context.Background(), search)
	if err != nil {
		t.Fatal(err)
	}
	return set
}
