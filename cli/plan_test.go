package cli

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/spf13/cobra"
)

// planned runs a plan's way through the flags of a command with some of its
// own, and returns what it prints.
func planned(t *testing.T, text string, args ...string) (*tieoutFlags, string, error) {
	t.Helper()
	file := filepath.Join(t.TempDir(), "lastblock.toml")
	if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	f := new(tieoutFlags)
	cmd := &cobra.Command{Use: "tieout", RunE: func(*cobra.Command, []string) error { return nil }, SilenceErrors: true, SilenceUsage: true}
	cmd.Flags().StringSliceVar(&f.totals, "total", nil, "")
	f.declared.addTo(cmd)
	f.reading.addTo(new(app), cmd)
	root := &cobra.Command{Use: "lastblock"}
	root.AddCommand(cmd)
	root.SetArgs(append([]string{"tieout", "--plan", file}, args...))
	err := root.Execute()
	return f, filepath.Dir(file), err
}

const planOfTest = `version = 1
[read]
paths = ["in", "/abroad"]
decimal = ","
as = ["debit=amount"]
jobs = 3
[[read.shape]]
match = "c_*"
decimal = "."
rename = ["Soll=debit"]
[[read.shape]]
match = "e_*"
as = ["x=text"]
[tieout]
total = ["debit", "credit"]
declared = "sub/control.csv"
skip-lines = 4
`

func TestAPlanFillsFlags(t *testing.T) {
	f, dir, err := planned(t, planOfTest)
	if err != nil {
		t.Fatal(err)
	}
	if got := strings.Join(f.reading.paths, " "); got != filepath.Join(dir, "in")+" /abroad" {
		t.Errorf("paths are %s", got)
	}
	if f.declared.file != filepath.Join(dir, "sub", "control.csv") || strings.Join(f.totals, ",") != "debit,credit" || f.reading.jobs != 3 || f.reading.manner.skipLines != 4 {
		t.Errorf("declared %s, totals %v, jobs %d, skip-lines %d", f.declared.file, f.totals, f.reading.jobs, f.reading.manner.skipLines)
	}
	if len(f.reading.shapes) != 2 {
		t.Fatalf("%d shapes", len(f.reading.shapes))
	}
	first, second := f.reading.shapes[0], f.reading.shapes[1]
	if first.Match != "c_*" || first.Decimal != '.' || len(first.Shape.Rename) != 1 || len(first.Shape.As) != 1 || first.Shape.As[0].Column != "debit" || first.Request.SkipLines != 4 {
		t.Errorf("the first shape is %+v, %+v", first.Manner, first.Shape)
	}
	if second.Decimal != ',' || len(second.Shape.As) != 2 || second.Shape.As[0].Column != "debit" || second.Shape.As[1].Column != "x" { // what a shape says is added
		t.Errorf("the second shape is %+v, %+v", second.Manner, second.Shape)
	}
}

func TestFlagsWinOverAPlan(t *testing.T) {
	f, _, err := planned(t, planOfTest, "--decimal", ".", "--total", "net", "--declared", "here.csv", "--rename", "a=b")
	if err != nil {
		t.Fatal(err)
	}
	if f.declared.file != "here.csv" || strings.Join(f.totals, ",") != "net" || f.reading.manner.decimal != "." {
		t.Errorf("declared %s, totals %v, decimal %s", f.declared.file, f.totals, f.reading.manner.decimal)
	}
	for i, shape := range f.reading.shapes {
		renames := shape.Shape.Rename // the first shape has one of its own, to which that of the command line is added
		if shape.Decimal != '.' || len(renames) != 2-i || renames[len(renames)-1].From != "a" {
			t.Errorf("shape %s is %+v, %+v", shape.Match, shape.Manner, shape.Shape)
		}
	}
}

func TestWhereAPlanDoesNotHold(t *testing.T) {
	for text, want := range map[string]string{
		"[read]\ndelimiter = \"ab\"\n":                                      "", // told when it is used
		"[read]\nno-header = \"yes\"\n":                                     "line 3, column 1: no-header is yes: true or false is needed",
		"[read]\nonly = 3\n":                                                "line 3, column 1: only is 3: a text in quotes or a list of them is needed",
		"[read]\ntotal = \"x\"\n":                                           "line 3, column 1: the table read has no key total",
		"[[read.shape]]\nmatch = [\"a\"]\n":                                 "line 3, column 1: match is a pattern in quotes",
		"[[read.shape]]\nmatch = \"a\"\njobs = 1\n":                         "line 4, column 1: the table shape has no key jobs",
		"[[read.shape]]\nmatch = \"a\"\nas = \"x=amonut\"\n":                "line 4, column 1: as: there is no kind \"amonut\"; did you mean amount?",
		"[[read.shape]]\nmatch = \"a\"\nwhere = \"x >\"\n":                  "line 4, column 1: where: character 4 of",
		"[[read.shape]]\nmatch = \"a\"\nno-header=true\nheader-lines = 2\n": "line 5, column 1: header-lines: it does not go together with",
		"[tieout]\nplan = \"x\"\n":                                          "line 3, column 1: plan belongs to one run",
		"[tieout]\ndeclared = [\"x\"]\n":                                    "line 3, column 1: declared is [x]: a text in quotes is needed",
		"[collat]\n":                                                        "line 2, column 2: unknown table collat",
	} {
		_, _, err := planned(t, "version = 1\n"+text)
		if want == "" {
			if err != nil {
				t.Errorf("%q: %v", text, err)
			}
			continue
		}
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: error is %v, want one that says %q", text, err, want)
		}
	}
}
