package cli

import (
	"bytes"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// An engine that loses a record, hands one on twice or changes an amount between
// reading and result writes nothing, whatever the command.
func TestABrokenEngineWritesNothing(t *testing.T) {
	dir := t.TempDir()
	source := filepath.Join(dir, "a.csv")
	if err := os.WriteFile(source, []byte("k,v\na,1.50\nb,2.50\nc,4.00\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(source+".list", []byte("k,v\na,x\nb,y\nc,z\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	cache, broken := t.TempDir(), filepath.Join(t.TempDir(), "broken")
	if out, err := exec.Command("go", "build", "-tags", "broken", "-o", broken, "..").CombinedOutput(); err != nil {
		t.Fatalf("building: %v\n%s", err, out)
	}
	for _, c := range []struct {
		command string // OUT stands for a folder
		amounts bool   // it uses amounts
	}{
		{"intake %s --json", false},
		{"gauge %s --json --suspense OUT/suspense.csv", false},
		{"tieout %s --total v --findings OUT/findings.csv --suspense OUT/suspense.csv", true},
		{"tieout %s --balance v=0 --json", true},
		{"collate %s --total v --out OUT/all.csv --suspense OUT/suspense.csv", true},
		{"collate %s --total v --out OUT/all.xlsx --anyway", true},
		{"collate %s --total v", true},
		{"doubles %s --total v --findings OUT/findings.csv --review OUT/review.xlsx --out OUT/kept.csv --suspense " +
			"OUT/dropped.csv --keep first", true},
		{"rollup %s --by k --sum v --out OUT/sums.csv", true},
		{"reconcile %[1]s --against %[1]s --key k --total v --out OUT/both.csv --corrected OUT/corrected.csv " +
			"--prefer here --findings OUT/findings.csv", true},
		{"reconcile %[1]s --against %[1]s --key k --then-key v --combine 2 --total v --json", true},
		{"reconcile %[1]s --mirror k=v --total v --out OUT/both.csv", true},
		{"attach %[1]s --from %[1]s.list --key k --bring v=w --total v --out OUT/named.csv", true},
		{"align %[1]s --key k --total v --sorted --out OUT/side.csv --anyway", true},
		{"rollup %s --by k --sum v --json", true},
		{"split %s --rows 2 --out-dir OUT/parts", true},
		{"split %s --by k --out-dir OUT/parts", true},
		{"prove %[1]s --equals %[1]s --json", false},
	} {
		for _, how := range []string{"", "drop", "double", "change"} {
			if how == "change" && !c.amounts || how == "double" && strings.HasPrefix(c.command, "split") {
				continue // split copies lines, and so never writes one twice that is handed on twice
			}
			t.Run(strings.Fields(c.command)[0]+" "+how, func(t *testing.T) {
				out := t.TempDir()
				args := splitWords(strings.ReplaceAll(fmt.Sprintf(c.command, source), "OUT", out))
				var stdout, stderr bytes.Buffer
				cmd := exec.Command(broken, args...)
				cmd.Stdout, cmd.Stderr = &stdout, &stderr
				cmd.Env = append(os.Environ(), "XDG_CACHE_HOME="+cache, "LASTBLOCK_BREAK="+how)
				err := cmd.Run()
				if exit := new(exec.ExitError); err != nil && !errors.As(err, &exit) {
					t.Fatal(err)
				}
				code := cmd.ProcessState.ExitCode()
				if how == "" {
					if code == ExitNotDone {
						t.Fatalf("an engine that is whole ends with %d: %s", code, stderr.String())
					}
					return
				}
				if code != ExitNotDone || !strings.Contains(stderr.String(), "internal error: the proof of") ||
					stdout.Len() > 0 {
					t.Errorf("it ends with %d and says %q on standard error, and %q", code, stderr.String(),
						stdout.String())
				}
				err = filepath.WalkDir(out, func(path string, entry os.DirEntry, err error) error {
					if err == nil && !entry.IsDir() {
						t.Errorf("%s was written", entry.Name())
					}
					return err
				})
				if err != nil {
					t.Error(err)
				}
			})
		}
	}
}
