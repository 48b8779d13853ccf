package cli

import (
	"fmt"
	"path/filepath"
	"strings"
	"testing"
)

// Of very many sources only those are listed that have something to be looked at; with --each, or where
// there are not so many, all of them.
func TestVeryManySourcesAreNotAllListed(t *testing.T) {
	dir := t.TempDir()
	folder := func(name string, n int) {
		files := make(map[string]string)
		for i := range n {
			amount := "1.00"
			if i == 7 && name == "one-bad" {
				amount = "1.00\n9,1.0O"
			}
			file := filepath.Join(name, fmt.Sprintf("b%02d_2031-01.csv", i))
			files[file] = fmt.Sprintf("doc,debit\n%d,%s\n", i, amount)
		}
		writeFiles(t, dir, files)
	}
	folder("few", 40)
	folder("many", 41)
	folder("one-bad", 60)
	for _, c := range []struct {
		args   string
		listed int
		says   string
	}{
		{"tieout few --total debit", 40, "total of 40 sources"},
		{"tieout many --total debit", 0, "nothing to look at; --each lists them"},
		{"tieout many --total debit --each", 41, "total of 41 sources"},
		{"tieout one-bad --total debit", 1, "… 59 more sources; --each lists all"},
		{"tieout one-bad --total debit --periods 2031-01 --name {entity}_{period}", 1, "… 60 more; --each lists all"},
		{"tieout many --total debit --top 3", 3, "the 3 largest of 41 sources"},
		{"intake few", 40, "40 sources"},
		{"intake many", 0, "nothing to look at; --each lists them"},
		{"intake many --each", 41, "41 sources"},
		{"collate many --out all.csv --replace", 0, "all.csv: 41 records of 41 sources"},
	} {
		stdout, stderr, _ := runProgram(t, dir, "", strings.Fields(c.args)...)
		table, _, _ := strings.Cut(stdout, "\nfindings")
		if listed := strings.Count(table, "\nb"); listed != c.listed || !strings.Contains(stdout, c.says) {
			t.Errorf("%s lists %d sources, want %d, and %q:\n%s%s", c.args, listed, c.listed, c.says, stdout, stderr)
		}
		if !strings.Contains(stdout, "\nproof ") {
			t.Errorf("%s ends without its proof", c.args)
		}
		if rows := strings.Count(stdout, "\n"); c.listed == 0 && rows > 24 {
			t.Errorf("%s prints %d lines", c.args, rows)
		}
	}
}
