package source

import (
	"context"
	"os"
	"path/filepath"
	"testing"
)

// Where an output may lie, given what is read.
func TestKeepApart(t *testing.T) {
	dir := t.TempDir()
	for _, name := range []string{"in/a.csv", "in/b.csv", "in/c.csv", "in/deep/c.csv", "one/x.csv", "out/old.csv"} {
		path := filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte("n,m\n1,2\n"), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for _, c := range []struct {
		rule    string
		paths   []string
		recurse bool
		output  string
		allowed bool
	}{
		{"another folder", []string{"in"}, false, "out/all.csv", true},
		{"the folder that is read", []string{"in"}, false, "in/all.csv", false},
		{"below it, when that is not read", []string{"in"}, false, "in/deep/all.csv", true},
		{"below it, when that is read", []string{"in"}, true, "in/deep/all.csv", false},
		{"where a pattern reads", []string{"in/*.csv"}, false, "in/all.csv", false},
		{"above the folder", []string{"in"}, false, "all.csv", true},
		{"beside the one file that was named", []string{"one/x.csv"}, false, "one/all.csv", true},
		{"beside one of two files in two folders", []string{"one/x.csv", "in/a.csv"}, false, "one/all.csv", true},
		{"beside files that somebody named", []string{"in/a.csv", "in/b.csv"}, false, "in/all.csv", true},
		{"beside files that a shell named for a pattern", []string{"in/a.csv", "in/b.csv", "in/c.csv"}, false,
			"in/all.csv", false},
		{"beside them, with another ending", []string{"in/a.csv", "in/b.csv", "in/c.csv"}, false, "in/all.tsv", true},
		{"onto a source", []string{"one/x.csv"}, false, "one/x.csv", false},
		{"from standard input", []string{"-"}, false, "in/all.csv", true},
	} {
		t.Run(c.rule, func(t *testing.T) {
			var paths []string
			for _, p := range c.paths {
				if p != "-" {
					p = filepath.Join(dir, p)
				}
				paths = append(paths, p)
			}
			set, err := Find(context.Background(), Search{Paths: paths, Recurse: c.recurse, Jobs: 1})
			if err != nil {
				t.Fatal(err)
			}
			if err := set.KeepApart(filepath.Join(dir, c.output)); (err == nil) != c.allowed {
				t.Errorf("%s: %v", c.output, err)
			}
		})
	}
}
