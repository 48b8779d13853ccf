package cli

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// relocateOf is what relocate says as JSON.
type relocateOf struct {
	Old, New, Backup string
	Written          bool
	Files            []struct{ Name, Path, State string }
	Lines            []struct {
		Line    int
		Was, Is string
	}
}

func relocateJSON(t *testing.T, dir string, args ...string) (o relocateOf, code int) {
	t.Helper()
	stdout, stderr, code := runProgram(t, dir, "", append([]string{"relocate", "--json", "--user", "anna"}, args...)...)
	if err := json.Unmarshal([]byte(stdout), &o); err != nil {
		t.Fatalf("relocate %s ends with %d: %v\n%s%s", args, code, err, stdout, stderr)
	}
	return o, code
}

func move(t *testing.T, dir, from, to string) {
	t.Helper()
	to = filepath.Join(dir, to)
	if err := os.MkdirAll(filepath.Dir(to), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.Rename(filepath.Join(dir, from), to); err != nil {
		t.Fatal(err)
	}
}

const relocatePlan = `version = 1
# where the journals lie
[read]
paths = ["in", 'more/*.csv'] # two places
name = "{entity}_{period}"
[tieout]
total = "debit"
declared = "in/ctl/control.csv"
[[rollup]]
name = "by-account"
by = ["entity", "account"]
sum = "debit"
`

// After sources were moved, the plan, decisions, findings and blocks hold as before, although of several paths the
// sources are called by their places.
func TestRelocate(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{
		"lastblock.toml":           relocatePlan,
		"in/ctl/control.csv":       "source,debit\nin/corvane_2031-01.csv,10.00\nmore/eskerby_2031-01.csv,6.00\n",
		"in/corvane_2031-01.csv":   "account,debit\n4000,10.00\n",
		"more/eskerby_2031-01.csv": "account,debit\n4000,5.00\n",
	})
	run := planned(t, dir)
	run(ExitStop, "tieout")
	run(ExitDone, "decide", "--kind", "control-total", "--accept", "--reason", "late", "--yes", "--user", "anna")
	run(ExitDone, "close", "--period", "2031-01", "--user", "anna", "--quiet")
	sealed := run(ExitDone, "tieout")

	_, stderr, code := runProgram(t, dir, "", "relocate", "in", "more")
	if code != ExitNotDone || !strings.Contains(stderr, "sealed sources lie below more already") {
		t.Errorf("to where others lie it ends with %d: %s", code, stderr)
	}
	move(t, dir, "in", "archive/2031")
	o, code := relocateJSON(t, dir, "in", "archive/2031", "--rehearse")
	if code != ExitDone || o.Written || len(o.Files) != 1 || len(o.Lines) != 2 {
		t.Errorf("rehearsed it ends with %d: %+v", code, o)
	}
	if o, code := relocateJSON(t, dir, "in", "archive/2031"); code != ExitDone || !o.Written {
		t.Errorf("it ends with %d: %+v", code, o)
	}
	move(t, dir, "more", "elsewhere/more") // a second time, and there and back
	move(t, dir, "archive/2031", "in")
	for _, of := range [][2]string{{"more", "elsewhere/more"}, {"archive/2031", "in"}} {
		if o, code := relocateJSON(t, dir, of[0], of[1]); code != ExitDone || !o.Written {
			t.Errorf("%s ends with %d: %+v", of, code, o)
		}
	}
	text, err := os.ReadFile(filepath.Join(dir, "lastblock.toml"))
	if want := strings.ReplaceAll(relocatePlan, "'more/", "'elsewhere/more/"); err != nil || string(text) != want {
		t.Errorf("the plan is %s: %v", text, err)
	}
	before, err := os.ReadFile(filepath.Join(dir, "lastblock.toml.1.before"))
	if err != nil || string(before) != relocatePlan {
		t.Errorf("the plan before is %s: %v", before, err)
	}
	if got := run(ExitDone, "tieout"); got != sealed {
		t.Errorf("the tie-out is %s, and was %s", got, sealed)
	}
	if changes, code := changesJSON(t, dir); code != ExitDone || changes.Same != 2 || changes.Decisions ||
		changes.Plan {
		t.Errorf("changes ends with %d: %+v", code, changes)
	}
	run(ExitDone, "verify", "--sources")
	got := run(ExitDone, "trace", "account=4000", "entity=eskerby")
	if !strings.Contains(got, "more/eskerby_2031-01.csv") {
		t.Errorf("the trace is %s", got)
	}
	run(ExitDone, "close", "--period", "2031-01", "--restate", "--reason", "moved", "--user", "anna", "--quiet")
	run(ExitDone, "verify", "--sources")
}

// What is not there, or not what was sealed, is told, and the plan stays as it is; what has another name is found.
func TestRelocateOfWhatIsNotThere(t *testing.T) {
	dir := t.TempDir()
	text := "version = 1\n[read]\npaths = [\"in\", 'D:\\old\\month', '\\\\server\\share\\x']\n[tieout]\n[close]\n"
	writeFiles(t, dir, map[string]string{
		"lastblock.toml": strings.ReplaceAll(text, ", 'D:\\old\\month', '\\\\server\\share\\x'", ""),
		"in/a.csv":       "x\n1\n", "in/b.csv": "x\n2\n", "in/c.csv": "x\n3\n", "in/d.csv": "x\n4\n",
	})
	stdout, stderr, code := runProgram(t, dir, "", "close", "--period", "2031-01", "--quiet", "--user", "anna")
	if code != ExitDone {
		t.Fatalf("close ends with %d: %s%s", code, stdout, stderr)
	}
	writeFiles(t, dir, map[string]string{"lastblock.toml": text})
	move(t, dir, "in/a.csv", "to/a.csv")
	move(t, dir, "in/b.csv", "to/deep/other.csv")
	writeFiles(t, dir, map[string]string{"to/c.csv": "x\n5\n"})
	o, code := relocateJSON(t, dir, "in", "to")
	var states []string
	for _, f := range o.Files {
		states = append(states, f.Name+" "+f.State)
	}
	if want := "in/a.csv there, in/b.csv there, in/c.csv changed, in/d.csv missing"; code != ExitStop || o.Written ||
		strings.Join(states, ", ") != want {
		t.Errorf("it ends with %d: %+v", code, o)
	}
	if now, err := os.ReadFile(filepath.Join(dir, "lastblock.toml")); err != nil || string(now) != text {
		t.Errorf("the plan is %s: %v", now, err)
	}
	if o, code := relocateJSON(t, dir, "in", "to", "--anyway"); code != ExitStop || !o.Written {
		t.Errorf("anyway it ends with %d: %+v", code, o)
	}
	for _, of := range [][2]string{{`d:\old`, `E:\new`}, {"//Server/Share", `\\other\place`}} {
		if o, code := relocateJSON(t, dir, of[0], of[1]); code != ExitDone || !o.Written {
			t.Errorf("%s ends with %d: %+v", of, code, o)
		}
	}
	now, err := os.ReadFile(filepath.Join(dir, "lastblock.toml"))
	if want := `paths = ["to", 'E:\new\month', '\\other\place\x']`; err != nil || !strings.Contains(string(now), want) {
		t.Errorf("the plan is %s: %v", now, err)
	}
	writeFiles(t, dir, map[string]string{"out/e.csv": "x\n6\n"})
	_, stderr, code = runProgram(t, dir, "", "relocate", "out", "to", "--rehearse")
	if code != ExitNotDone || !strings.Contains(stderr, "lies below out") {
		t.Errorf("of what is no source it ends with %d: %s", code, stderr)
	}
	_, stderr, code = runProgram(t, dir, "", "relocate", "nowhere", "to")
	if code != ExitNotDone || !strings.Contains(stderr, "no sealed source, lies below nowhere") {
		t.Errorf("of what nothing names it ends with %d: %s", code, stderr)
	}
}
