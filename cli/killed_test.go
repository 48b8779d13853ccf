package cli

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strings"
	"syscall"
	"testing"
	"time"
)

// Whenever a run is killed, its outputs are those of one run and never of two; and what it
// left behind is gone after the next one.
func TestKilledAtAnyMoment(t *testing.T) {
	dir := t.TempDir()
	path := func(name string) string { return filepath.Join(dir, name) }
	write := func(name, text string) {
		if err := os.WriteFile(path(name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	write("other.csv", "k,v\nx,1\n")
	r := rand.New(rand.NewPCG(9, 2031))
	generation := regexp.MustCompile(`gen(\d+)`)
	took := 40 * time.Millisecond
	seen := make(map[string]bool)
	for i := range 60 {
		write("in.csv", fmt.Sprintf("k,v\ngen%d,1\n", i)+strings.Repeat("a,2\n", 2000)+fmt.Sprintf("b,gen%d\n", i))
		cmd := exec.Command(builtProgram, "collate", "in.csv", "--total", "v", "--out", "out/all.csv", "--suspense",
			"out/suspense.csv", "--replace", "--quiet")
		cmd.Dir, cmd.Env = dir, append(os.Environ(), "XDG_CACHE_HOME="+t.TempDir(), "TMPDIR="+dir)
		begun := time.Now()
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		if i%10 > 0 { // else it comes to its end, and tells how long that takes
			time.Sleep(time.Duration(r.Int64N(int64(took))))
			_ = cmd.Process.Kill() // it may have ended
		}
		_ = cmd.Wait()
		if i%10 == 0 {
			took = time.Since(begun)
		}
		if _, stderr, code := runProgram(t, dir, "", "collate", "other.csv", "--out", "out/other.csv",
			"--replace"); code != ExitDone {
			t.Fatalf("the next run ends with %d: %s", code, stderr)
		}
		var generations []string
		for _, name := range []string{"all.csv", "suspense.csv"} {
			data, err := os.ReadFile(path("out/" + name))
			if err != nil {
				t.Fatal(err)
			}
			if name == "all.csv" && strings.Count(string(data), "\n") != 2002 {
				t.Fatalf("%s has %d lines", name, strings.Count(string(data), "\n"))
			}
			found := generation.FindStringSubmatch(string(data))
			if found == nil {
				t.Fatalf("%s is of no run: %.200q", name, data)
			}
			generations = append(generations, found[1])
		}
		if generations[0] != generations[1] {
			t.Fatalf("after kill %d the outputs are of runs %v", i, generations)
		}
		seen[generations[0]] = true
		entries, err := os.ReadDir(path("out"))
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range entries {
			if strings.HasSuffix(e.Name(), ".part") || strings.HasSuffix(e.Name(), ".old") ||
				strings.Contains(e.Name(), "placing") {
				t.Fatalf("after kill %d and another run there is still %s", i, e.Name())
			}
		}
	}
	if len(seen) < 2 {
		t.Errorf("%d of 60 runs came to their end, so that nothing is shown", len(seen))
	}
}

// Who reads a result and goes away leaves nothing in the folder for temporary files, and
// neither does a terminal that is closed.
func TestWhoGoesAwayLeavesNothing(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Log("a process cannot be sent a signal there from a test; the rest of the way is the same")
		return
	}
	for name, leave := range map[string]func(cmd *exec.Cmd, out io.ReadCloser) error{
		"the reader of a pipe": func(_ *exec.Cmd, out io.ReadCloser) error { return out.Close() },
		"a terminal": func(cmd *exec.Cmd,
			_ io.ReadCloser) error {
			return cmd.Process.Signal(syscall.SIGHUP)
		},
	} {
		dir, temp := t.TempDir(), t.TempDir()
		if err := os.WriteFile(filepath.Join(dir, "in.csv"), []byte("k,v\n"+strings.Repeat("a,2\n", 400_000)),
			0o644); err != nil {
			t.Fatal(err)
		}
		cmd := exec.Command(builtProgram, "collate", "in.csv", "--quiet")
		cmd.Dir, cmd.Env = dir, append(os.Environ(), "TMPDIR="+temp, "XDG_CACHE_HOME="+t.TempDir())
		out, err := cmd.StdoutPipe()
		if err != nil {
			t.Fatal(err)
		}
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		if _, err := bufio.NewReaderSize(out, 16).ReadString('\n'); err != nil {
			t.Fatal(err)
		}
		if err := leave(cmd, out); err != nil {
			t.Fatal(err)
		}
		err = cmd.Wait()
		var exit *exec.ExitError
		if !errors.As(err, &exit) || exit.ExitCode() != ExitNotDone {
			t.Errorf("%s: it ends with %v", name, err)
		}
		if entries, _ := os.ReadDir(temp); len(entries) > 0 {
			t.Errorf("%s: left behind %v", name, entries)
		}
	}
}
