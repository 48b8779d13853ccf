package demo

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// The demo must be balanced and declared truly but for the faults that are
// planted; each of them is looked for by its own way here.
func TestPlantedFaults(t *testing.T) {
	byPath := make(map[string]string)
	for _, f := range files() {
		byPath[f.path] = f.content
	}
	declared := make(map[string][]string)
	for line := range strings.Lines(byPath["control.csv"]) {
		fields := strings.Split(strings.TrimSpace(line), ",")
		declared[fields[0]+"_"+fields[1]] = fields
	}
	if len(declared) != 16 {
		t.Fatalf("%d lines in the control sheet", len(declared))
	}
	for path, content := range byPath {
		name, ok := strings.CutPrefix(path, "journals/")
		if !ok || strings.HasPrefix(name, "~") || strings.HasSuffix(name, ".pdf") {
			continue
		}
		name = name[:strings.IndexByte(name, '.')]
		rows := strings.Count(content, "\n") - 1
		short := fmt.Sprint(rows) != declared[name][2]
		if short != (name == "dunmarrow_2031-02") {
			t.Errorf("%s has %d rows and declares %s", name, rows, declared[name][2])
		}
		header, _, _ := strings.Cut(content, "\n")
		if other := strings.HasPrefix(header, "posted"); other != strings.HasPrefix(name, "eskerby") {
			t.Errorf("%s begins with %q", name, header)
		}
		if more := strings.HasSuffix(header, "season"); more != (name == "brackenfell_2031-03") {
			t.Errorf("%s begins with %q", name, header)
		}
		if bad := strings.Contains(content, "O\""); bad != (name == "fallowmere_2031-02") {
			t.Errorf("%s holds a letter for a digit: %v", name, bad)
		}
	}
	if byPath["control.csv"] != files()[15].content {
		t.Error("the demo is not the same each time")
	}
}

func TestSwapDigits(t *testing.T) {
	for cents, want := range map[int64]int64{1530_00: 1350_00, 1234_50: 1324_50, 1100_00: 1010_00, 9_80: 9_80, 450_00: 540_00} {
		if got := swapDigits(cents); got != want {
			t.Errorf("swapDigits(%d) = %d, want %d", cents, got, want)
		}
	}
}

func TestCommandLineCanBeCopied(t *testing.T) {
	got := CommandLine("lastblock", []string{"intake", "my folder", "--name", "{entity}_{period}", "it's"})
	if want := `lastblock intake 'my folder' --name '{entity}_{period}' 'it'\''s'`; got != want {
		t.Errorf("command line is %s, want %s", got, want)
	}
}

func TestWriteRefusesWhatIsNotTheDemos(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "new")
	for range 2 { // a new folder, and its own
		if err := Write(dir); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(filepath.Join(dir, "results", "mine.csv"), nil, 0o644); err != nil {
			t.Fatal(err)
		}
	}
	for _, name := range []string{"mine.csv", "journals/corvane_2031-04.csv"} {
		path := filepath.Join(dir, filepath.FromSlash(name))
		if err := os.WriteFile(path, []byte("mine"), 0o644); err != nil {
			t.Fatal(err)
		}
		var notOurs *NotOursError
		if err := Write(dir); !errors.As(err, &notOurs) || notOurs.File != name {
			t.Errorf("with %s in it: %v", name, err)
		}
		if text, err := os.ReadFile(path); err != nil || string(text) != "mine" {
			t.Errorf("%s holds %q, %v", name, text, err)
		}
		os.Remove(path)
	}
}
