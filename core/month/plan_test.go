package month

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"lastblock/core/option"
)

// planned gives a tie-out what a plan says beside options that were typed, each a word and its
// text. dir is where the plan is.
func planned(t *testing.T, text string, typed ...string) (task *TieOut, dir string, err error) {
	t.Helper()
	file := filepath.Join(t.TempDir(), "lastblock.toml")
	if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	task = NewTieOut()
	options := AllOptions(task)
	for i := 0; i < len(typed); i += 2 {
		o := options.Find(typed[i])
		if err := o.Set(typed[i+1]); err != nil {
			t.Fatal(err)
		}
		o.Given = option.Given{Typed: true}
	}
	plan, err := ReadPlan(file)
	if err == nil {
		_, err = plan.Apply(task, options)
	}
	return task, filepath.Dir(file), err
}

const planOfTest = `version = 1
[read]
paths = ["in", "/abroad"]
decimal = ","
as = ["debit=amount"]
jobs = 3
skip-lines = 4
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
`

func TestAPlanFillsOptions(t *testing.T) {
	f, dir, err := planned(t, planOfTest)
	if err != nil {
		t.Fatal(err)
	}
	if got := strings.Join(f.Planned, " "); got != filepath.Join(dir, "in")+" /abroad" {
		t.Errorf("paths are %s", got)
	}
	if f.Declared != filepath.Join(dir, "sub", "control.csv") || strings.Join(f.Totals, ",") != "debit,credit" ||
		f.Jobs != 3 || f.Manner.SkipLines != 4 {
		t.Errorf("declared %s, totals %v, jobs %d, skip-lines %d", f.Declared, f.Totals, f.Jobs, f.Manner.SkipLines)
	}
	if len(f.Manners) != 2 {
		t.Fatalf("%d shapes", len(f.Manners))
	}
	first, second := f.Manners[0], f.Manners[1]
	if first.Match != "c_*" || first.Decimal != '.' || len(first.Shape.Rename) != 1 || len(first.Shape.As) != 1 ||
		first.Shape.As[0].Column != "debit" || first.Request.SkipLines != 4 {
		t.Errorf("the first shape is %+v, %+v", first.Manner, first.Shape)
	}
	// what a shape says is added
	if second.Decimal != ',' || len(second.Shape.As) != 2 || second.Shape.As[0].Column != "debit" ||
		second.Shape.As[1].Column != "x" {
		t.Errorf("the second shape is %+v, %+v", second.Manner, second.Shape)
	}
}

func TestWhatWasTypedWinsOverAPlan(t *testing.T) {
	f, _, err := planned(t, planOfTest, "decimal", ".", "total", "net", "declared", "here.csv", "rename", "a=b")
	if err != nil {
		t.Fatal(err)
	}
	if f.Declared != "here.csv" || strings.Join(f.Totals, ",") != "net" || f.Manner.Decimal != "." {
		t.Errorf("declared %s, totals %v, decimal %s", f.Declared, f.Totals, f.Manner.Decimal)
	}
	for i, shape := range f.Manners {
		renames := shape.Shape.Rename // the first shape has one of its own, to which that of the command line is added
		if shape.Decimal != '.' || len(renames) != 2-i || renames[len(renames)-1].From != "a" {
			t.Errorf("shape %s is %+v, %+v", shape.Match, shape.Manner, shape.Shape)
		}
	}
}

func TestErrorsOfAPlanHavePlaces(t *testing.T) {
	for text, want := range map[string]string{
		"[read]\ndelimiter = \"ab\"\n": "", // told when it is used
		"[read]\nno-header = \"yes\"\n": "line 3, column 1: no-header is yes: " +
			"true or false is needed",
		"[read]\nonly = 3\n": "line 3, column 1: only is 3: a text " +
			"in quotes or a list of them is needed",
		"[read]\ntotal = \"x\"\n": "line 3, column 1: the table read has " +
			"no key total",
		"[[read.shape]]\nmatch = [\"a\"]\n": "line 3, column 1: match is a pattern " +
			"in quotes",
		"[[read.shape]]\nmatch = \"a\"\njobs = 1\n": "line 4, column 1: the table shape has " +
			"no key jobs",
		"[[read.shape]]\nmatch = \"a\"\nas = \"x=amonut\"\n": "line 4, column 1: as: unknown kind " +
			"amonut; did you mean amount?",
		"[[read.shape]]\nmatch = \"a\"\nwhere = \"x >\"\n": "line 4, column 1: where: character 4 of",
		"[[read.shape]]\nmatch = \"a\"\nno-header=true\nheader-lines = 2\n": "line 5, column 1: header-lines: it " +
			"does not go together with",
		"[tieout]\nplan = \"x\"\n": "line 3, column 1: plan belongs to one run",
		"[tieout]\ndeclared = [\"x\"]\n": "line 3, column 1: declared is [x]: a " +
			"text in quotes is needed",
		"[severity]\nfiled-twice = \"review\"\n":  "",
		"[severity]\nfiled-twise = \"review\"\n":  "line 3, column 1: unknown kind of finding filed-twise",
		"[severity]\nfiled-twice = \"reviews\"\n": "line 3, column 1: \"reviews\" is neither stop, review nor note",
		"[severity]\nfiled-twice = 3\n":           "line 3, column 1: \"3\" is neither stop, review nor note",
		"[collat]\n":                              "line 2, column 2: unknown table collat",
		"[[tieout]]\n":                            "line 2, column 3: there is one table tieout, written [tieout]",
		"[[close]]\n":                             "line 2, column 3: there is one table close",
		"[close]\nperiod = \"2031-03\"\n":         "",
		"[close]\nperiod = \"March\"\n":           "line 3, column 1: period: \"March\" is no period",
		"[close]\nperoid = \"2031-03\"\n": "line 3, column 1: the table close has no key peroid; did you " +
			"mean period?",
		"[[rollup]]\nname = \"a\"\n[[rollup]]\n": "line 4, column 3: there are several tables rollup, so each " +
			"needs a name",
		"[[rollup]]\n":                      "",
		"[rollup]\nname = \"by-company\"\n": "",
		"[rollup]\nname = \"{entity}\"\n": "line 3, column 1: name is what the result is called; what " +
			"files' names tell stands in [read]",
		"[rollup]\nname = \"a/b\"\n": "line 3, column 1: the name \"a/b\" cannot be part of a file's name",
		"[rollup]\nname = \"\"\n":    "line 3, column 1: name is what the result is called",
		"[[rollup]]\nname = \"a\"\n[[rollup]]\nname = \"a\"\n": "line 5, column 1: two results of rollup are called " +
			"\"a\"; " +
			"the other is on line 3",
		"[[rollup]]\nname = \"a\"\n[[collate]]\nname = \"a\"\n": "",
		"[tieout]\ndelimiter = \";\"\n": "line 3, column 1: delimiter says how sources " +
			"are read",
		"[reconcile]\nonly = \"differs\"\n": "",
		"[rollup]\nonly = \"c*\"\n":         "line 3, column 1: only says how sources are read",
		"[rollup]\nwhere = \"a > 1\"\n":     "",
		"[gauge]\ndelimiter = \";\"\n":      "",
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
