package cli

import (
	"context"
	"os"
	"path/filepath"
	"testing"
)

func TestParseSize(t *testing.T) {
	for text, want := range map[string]int64{
		"512": 512, "1KB": 1 << 10, "256MB": 256 << 20, "256 MiB": 256 << 20, "1.5gb": 3 << 29, "2G": 2 << 30, "1T": 1 << 40,
		"": -1, "MB": -1, "-1GB": -1, "0": -1, "12X": -1, "1.2.3MB": -1,
	} {
		got, err := parseSize(text)
		if err != nil {
			got = -1
		}
		if got != want {
			t.Errorf("%q is %d bytes, want %d", text, got, want)
		}
	}
}

func TestOneCharacter(t *testing.T) {
	for text, want := range map[string]byte{";": ';', "tab": '\t', `\t`: '\t', "comma": ',', "|": '|', "ab": 0, "": 0, "\n": 0, `"`: 0} {
		got, err := oneCharacter(text)
		if err != nil {
			got = 0
		}
		if got != want {
			t.Errorf("%q is %q, want %q", text, got, want)
		}
	}
}

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
		{"beside files that a shell named for a pattern", []string{"in/a.csv", "in/b.csv", "in/c.csv"}, false, "in/all.csv", false},
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
			r := reading{app: new(app), recurse: c.recurse, columns: "all"}
			in, err := r.openSources(context.Background(), paths)
			if err != nil {
				t.Fatal(err)
			}
			if err := in.keepApart(filepath.Join(dir, c.output)); (err == nil) != c.allowed {
				t.Errorf("%s: %v", c.output, err)
			}
		})
	}
}
