package cli

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"testing"
	"time"
)

// What was frozen and is not as it was any more is told by verify, and can be undone whatever has become of it.
func TestFrozenCopiesAreLookedAt(t *testing.T) {
	plan := strings.NewReplacer(`roster = "companies.csv"`, "", `, "sold"`, "").Replace(freezePlan)
	for damage, damaged := range map[string]func(copy, list string) error{
		"a copy is empty": func(copy, _ string) error { return os.Truncate(copy, 0) },
		"a copy is gone":  func(copy, _ string) error { return os.Remove(copy) },
		"the list is gone": func(_, list string) error {
			return os.Remove(list)
		},
		"the list is empty": func(_, list string) error { return os.Truncate(list, 0) },
	} {
		dir := t.TempDir()
		writeFiles(t, dir, map[string]string{
			"lastblock.toml":         plan,
			"in/corvane_2031-01.csv": "account,debit\n4000,10.00\n",
			"in/eskerby_2031-01.csv": "account,debit\n4000,20.00\n",
		})
		run := planned(t, dir)
		run(ExitDone, "close", "--quiet", "--user", "anna")
		run(ExitDone, "freeze", "eskerby", "--reason", "sold", "--user", "anna")
		run(ExitDone, "verify")
		frozen := filepath.Join(dir, "frozen")
		if err := damaged(filepath.Join(frozen, "eskerby/eskerby_2031-01.csv"),
			filepath.Join(frozen, "eskerby.json")); err != nil {
			t.Fatal(err)
		}
		if got := run(ExitStop, "verify"); !strings.Contains(got, "frozen: ") ||
			!strings.Contains(got, "freeze eskerby --undo --reason TEXT") {
			t.Errorf("%s: verify says %s", damage, got)
		}
		run(ExitDone, "freeze", "eskerby", "--undo", "--reason", "its files are still there", "--user", "anna")
		run(ExitDone, "verify", "--sources")
		run(ExitDone, "freeze", "eskerby", "--reason", "once more", "--user", "anna")
		run(ExitDone, "verify", "--sources")
	}
}

// Where a move is a decision already, and the plan has not followed it, relocate goes on from there.
func TestRelocateGoesOn(t *testing.T) {
	dir := t.TempDir()
	plan := strings.NewReplacer(`roster = "companies.csv"`, "", `, "sold"`, "").Replace(freezePlan)
	writeFiles(t, dir, map[string]string{"lastblock.toml": plan,
		"in/corvane_2031-01.csv": "account,debit\n4000,10.00\n"})
	run := planned(t, dir)
	run(ExitDone, "close", "--quiet", "--user", "anna")
	move(t, dir, "in", "moved")
	run(ExitDone, "relocate", "in", "moved", "--user", "anna")
	decided := readFile(t, dir, "decisions.csv")
	writeFiles(t, dir, map[string]string{"lastblock.toml": plan})
	run(ExitNotDone, "tieout")
	run(ExitDone, "relocate", "in", "moved", "--user", "anna")
	run(ExitDone, "tieout")
	run(ExitDone, "verify", "--sources")
	if again := readFile(t, dir, "decisions.csv"); again != decided {
		t.Errorf("the move is noted again: %s", again)
	}
}

func readFile(t *testing.T, dir, name string) string {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(dir, name))
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

// A folder from a stranger, in which somebody has put a journal, touches nothing outside of it.
func TestAFolderFromAStranger(t *testing.T) {
	const set = "00000000000000aa"
	for rule, line := range map[string]string{
		"a file above":     `{"part":".x.` + set + `.part","to":"../mine.txt","size":4}`,
		"a whole path":     `{"part":".x.` + set + `.part","to":"MINE","size":4}`,
		"lines above":      `{"to":"../mine.txt","size":4,"add":"ZXZpbA==","behind":4}`,
		"an earlier form":  `{"from":".x.` + set + `.part","to":"MINE"}`,
		"a link for lines": `{"to":"link","size":4,"add":"ZXZpbA==","behind":4}`,
	} {
		home := t.TempDir()
		mine, dir := filepath.Join(home, "mine.txt"), filepath.Join(home, "theirs")
		first := `{"version":1,"set":"` + set + `","journal":1,"of":1,"begun":"2031-02-03T10:00:00Z"}`
		writeFiles(t, home, map[string]string{"mine.txt": "mine", "theirs/lastblock.toml": freezePlan,
			"theirs/.x." + set + ".part": "evil",
			"theirs/.lastblock-placing." + set: first + "\n" +
				strings.ReplaceAll(line, "MINE", filepath.ToSlash(mine)) + "\n\"end\"\n"})
		if err := os.Symlink(mine, filepath.Join(dir, "link")); err != nil && strings.Contains(rule, "link") {
			continue // not every system lets us
		}
		runProgram(t, dir, "", "verify", "--plan", "lastblock.toml")
		if got := readFile(t, home, "mine.txt"); got != "mine" {
			t.Errorf("%s: the file of the user is %q", rule, got)
		}
	}
}

// What somebody has edited since a run was ended is not lost, whoever comes next, and it is told on standard error.
func TestAnEditedPlanIsNotWrittenOver(t *testing.T) {
	const set = "00000000000000bb"
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{"lastblock.toml": freezePlan + "# edited by hand\n",
		"in/a_2031-01.csv":                 "x\n1\n",
		".lastblock.toml." + set + ".part": "moved",
		".lastblock-placing." + set: `{"version":1,"set":"` + set + `","journal":1,"of":1,"begun":"2031-02-03T10:00:00Z"}` +
			"\n" + `{"part":".lastblock.toml.` + set + `.part","to":"lastblock.toml","size":5,` +
			`"was":{"size":3,"time":"2031-02-03T09:00:00Z","print":"00"}}` + "\n\"end\"\n"})
	_, stderr, _ := runProgram(t, dir, "", "history", "--plan", "lastblock.toml")
	if got := readFile(t, dir, "lastblock.toml"); got != freezePlan+"# edited by hand\n" {
		t.Errorf("the plan is %s", got)
	}
	if got := readFile(t, dir, "lastblock.toml.1.new"); got != "moved" {
		t.Errorf("beside it is %q", got)
	}
	flat := strings.Join(strings.Fields(stderr), " ")
	if !strings.Contains(flat, "lastblock.toml was changed since, and stays; what was to replace it is "+
		"lastblock.toml.1.new") {
		t.Errorf("it says %s", stderr)
	}
}

// Whatever signal ends a run, in its folder for temporary files nothing is left.
func TestASignalLeavesNoTemporaryFiles(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Log("a process cannot be sent a signal there from a test; the rest of the way is the same")
		return
	}
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{"in.csv": "k,v\n" + strings.Repeat("a,2\nb,3\n", 200_000)})
	for _, signal := range []os.Signal{syscall.SIGINT, syscall.SIGTERM, syscall.SIGHUP} {
		for wait := 5 * time.Millisecond; wait < 400*time.Millisecond; wait *= 2 {
			temp := t.TempDir()
			cmd := exec.Command(builtProgram, "collate", "in.csv", "--out", fmt.Sprintf("out/%d.xlsx", wait), "--quiet")
			cmd.Dir, cmd.Env = dir, append(os.Environ(), "TMPDIR="+temp, "XDG_CACHE_HOME="+t.TempDir())
			if err := cmd.Start(); err != nil {
				t.Fatal(err)
			}
			time.Sleep(wait)
			_ = cmd.Process.Signal(signal) // it may have ended
			_ = cmd.Wait()
			entries, err := os.ReadDir(temp)
			if err != nil || len(entries) > 0 && cmd.ProcessState.Exited() {
				t.Errorf("%v after %v: left behind are %v, %v", signal, wait, entries, err)
			}
		}
	}
}
