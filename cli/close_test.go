package cli

import (
	"encoding/json"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"
)

// closeFiles are a month end that can be closed: two companies, and the first of generation n.
func closeFiles(n, rows int) map[string]string {
	text := "doc,account,debit,credit\n"
	for i := range rows {
		text += fmt.Sprintf("C%d,gen%d,%d.00,%d.00\n", i, n, i, i)
	}
	return map[string]string{
		"in/corvane_2031-01.csv":   text,
		"in/dunmarrow_2031-01.csv": fmt.Sprintf("doc,account,debit,credit\nD1,gen%d,7.00,7.00\n", n),
		"lastblock.toml": "version = 1\n[read]\npaths = [\"in\"]\nname = \"{entity}_{period}\"\n[tieout]\n" +
			"balance = \"debit=credit\"\n[rollup]\nby = \"account\"\nsum = \"debit\"\nout = \"results/sums.csv\"\n" +
			"[collate]\ntotal = \"debit\"\nout = \"results/all.csv\"\n",
	}
}

// closeOf is what close says as JSON.
type closeOf struct {
	Verdict string
	Period  string
	Block   struct {
		Number         int
		Seal, Previous string
	}
	Results []struct{ Out, SHA256 string }
	Bridges []bridgeOf
}

func closeJSON(t *testing.T, dir string, args ...string) closeOf {
	t.Helper()
	stdout, stderr, code := runProgram(t, dir, "", append([]string{"close", "--json", "--quiet", "--user", "anna"},
		args...)...)
	var o closeOf
	if err := json.Unmarshal([]byte(stdout), &o); err != nil {
		t.Fatalf("%v ends with %d: %v\n%s%s", args, code, err, stdout, stderr)
	}
	return o
}

// However many cores there are, and wherever the folder lies, the block is the same but for its time, and so are
// the files that it seals.
func TestACloseDoesNotDependOnTheMachine(t *testing.T) {
	var first string
	for _, jobs := range []string{"1", "2", "5"} {
		t.Setenv("GOMAXPROCS", jobs)
		dir := filepath.Join(t.TempDir(), "a", jobs)
		files := closeFiles(1, 500)
		files["lastblock.toml"] += "[close]\nretain = true\n"
		files["in/large_2031-01.csv"] = "doc,account,debit,credit\n" + strings.Repeat("L1,gen1,1.00,1.00\n", 300_000)
		writeFiles(t, dir, files)
		if o := closeJSON(t, dir, "--jobs", jobs); o.Verdict != "passed" || len(o.Results) != 2 {
			t.Fatalf("with %s cores it is %+v", jobs, o)
		}
		data, err := os.ReadFile(filepath.Join(dir, "blocks", "0001-2031-01.json"))
		if err != nil {
			t.Fatal(err)
		}
		sealed := ofItsMoment.ReplaceAllString(string(data), "")
		if first == "" {
			first = sealed
		}
		if sealed != first || strings.Contains(sealed, dir) || !strings.Contains(sealed, `"records":{"name"`) {
			t.Errorf("with %s cores the block is %s\nand with one %s", jobs, sealed, first)
		}
	}
}

// ofItsMoment is what differs between two closes of the same.
var ofItsMoment = regexp.MustCompile(`"(body|time)":"[^"]*",`)

// kills is how many times a close is killed; the chance of an odd moment grows with it.
var kills = flag.Int("kills", 25, "how often a close is killed in a test")

// Whenever a close is killed, the chain is whole, the results are those of one close and never of two, and the
// next close goes on.
func TestACloseThatIsKilledAtAnyMoment(t *testing.T) {
	dir := t.TempDir()
	r := rand.New(rand.NewPCG(17, 2031))
	generation := regexp.MustCompile(`gen(\d+)`)
	took := 50 * time.Millisecond
	closed := 0
	for i := range *kills {
		writeFiles(t, dir, closeFiles(i, 800))
		args := []string{"close", "--quiet", "--user", "anna"}
		if _, err := os.Stat(filepath.Join(dir, "blocks", "0001-2031-01.json")); err == nil {
			args = append(args, "--restate", "--reason", fmt.Sprintf("generation %d", i))
		}
		cmd := exec.Command(builtProgram, args...)
		cmd.Dir, cmd.Env = dir, append(os.Environ(), "XDG_CACHE_HOME="+t.TempDir())
		begun := time.Now()
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		if i%5 > 0 {
			time.Sleep(time.Duration(r.Int64N(int64(took))))
			_ = cmd.Process.Kill() // it may have ended
		}
		err := cmd.Wait()
		if i%5 == 0 {
			if took = time.Since(begun); err != nil {
				t.Fatalf("close %d: %v", i, err)
			}
		}
		stdout, stderr, code := runProgram(t, dir, "", "verify", "--json")
		if code != ExitDone {
			t.Fatalf("after close %d verify ends with %d: %s%s", i, code, stdout, stderr)
		}
		closed = strings.Count(stdout, `"chain": "whole"`)
		if closed == 0 {
			continue
		}
		var generations []string
		for _, name := range []string{"sums.csv", "all.csv"} {
			data, err := os.ReadFile(filepath.Join(dir, "results", name))
			if err != nil {
				t.Fatal(err)
			}
			found := generation.FindStringSubmatch(string(data))
			if found == nil {
				t.Fatalf("%s is of no close", name)
			}
			generations = append(generations, found[1])
		}
		if generations[0] != generations[1] {
			t.Fatalf("the results are of the generations %v", generations)
		}
	}
	if closed < 5 {
		t.Errorf("%d blocks are there", closed)
	}
}

// Of two who close at once one is refused, and the chain is whole.
func TestTwoClosesAtOnce(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, closeFiles(1, 300))
	var group sync.WaitGroup
	codes, said := make([]int, 4), make([]string, 4)
	for i := range codes {
		group.Go(func() { _, said[i], codes[i] = runProgram(t, dir, "", "close", "--quiet", "--user", "anna") })
	}
	group.Wait()
	done := 0
	for i, code := range codes {
		switch {
		case code == ExitDone:
			done++
		case code != ExitNotDone || !strings.Contains(said[i], "run again") && !strings.Contains(said[i], "--restate"):
			t.Errorf("it ends with %d: %s", code, said[i])
		}
	}
	if done != 1 {
		t.Errorf("%d have closed", done)
	}
	if stdout, stderr, code := runProgram(t, dir, "", "verify", "--sources"); code != ExitDone {
		t.Errorf("verify ends with %d: %s%s", code, stdout, stderr)
	}
}

// What a file that lies in the way says is not overwritten, unless a close has made it.
func TestACloseReplacesOnlyItsOwn(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, closeFiles(1, 3))
	writeFiles(t, dir, map[string]string{"results/sums.csv": "mine\n"})
	_, stderr, code := runProgram(t, dir, "", "close", "--quiet", "--user", "anna")
	if code != ExitNotDone || !strings.Contains(stderr, "results/sums.csv is there, and no close has made it") {
		t.Errorf("it ends with %d: %s", code, stderr)
	}
	if data, err := os.ReadFile(filepath.Join(dir, "results", "sums.csv")); err != nil || string(data) != "mine\n" {
		t.Errorf("%v: it has %s", err, data)
	}
	if _, err := os.Stat(filepath.Join(dir, "results", "all.csv")); err == nil {
		t.Error("another result is in place")
	}
}
