// Package sourcetest makes sources for the tests of capabilities.
package sourcetest

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"lastblock/core/source"
	"lastblock/core/source/shape"
)

// Reading reads with several goroutines, so that the race detector has
// something to look at.
var Reading = source.Reading{Jobs: 4, Memory: 1 << 30}

// Set writes files into a temporary folder and finds them. pattern is that of
// --name, "" for none.
func Set(t testing.TB, pattern string, files map[string]string) *source.Set {
	t.Helper()
	return Shaped(t, pattern, files, nil)
}

// Shaped is Set with a form that the records are to have; nil for the one they are sent in.
func Shaped(t testing.TB, pattern string, files map[string]string, request *shape.Request) *source.Set {
	t.Helper()
	set, err := find(t.TempDir(), pattern, files, request)
	if err != nil {
		t.Fatal(err)
	}
	return set
}

// Example is Set for an example, which has nobody to fail: an error is a
// panic. The function it returns removes the files.
func Example(pattern string, files map[string]string) (set *source.Set, remove func()) {
	dir, err := os.MkdirTemp("", "example")
	if err == nil {
		set, err = find(dir, pattern, files, nil)
	}
	if err != nil {
		panic(err)
	}
	return set, func() { os.RemoveAll(dir) }
}

func find(dir, pattern string, files map[string]string, request *shape.Request) (*source.Set, error) {
	for name, content := range files {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(content), 0o644); err != nil {
			return nil, err
		}
	}
	search := source.Search{Paths: []string{dir}, Jobs: 2, Manner: &source.Manner{Shape: request},
		KeepLocked: true}
	if pattern != "" {
		name, err := source.ParseNamePattern(pattern)
		if err != nil {
			return nil, err
		}
		search.Manner.Name = name
	}
	return source.Find(context.Background(), search)
}
