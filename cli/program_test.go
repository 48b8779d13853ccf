package cli

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/big"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"regexp"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

// demoFolder makes the demo's data in a temporary folder and returns that.
func demoFolder(t *testing.T) string {
	t.Helper()
	dir := t.TempDir()
	if _, stderr, code := runProgram(t, dir, "", "demo"); code != ExitDone {
		t.Fatalf("demo ends with %d: %s", code, stderr)
	}
	return dir
}

func TestDemo(t *testing.T) {
	dir := t.TempDir()
	stdout, stderr, code := runProgram(t, dir, "", "demo", "my demo")
	if code != ExitDone {
		t.Fatalf("exit code %d: %s", code, stderr)
	}
	// What the faults come to is worked out from the files by the stock reader.
	journals := filepath.Join(dir, "my demo", "journals")
	declared := make(map[string][]string) // rows and debit by source
	for _, line := range readCSV(t, filepath.Join(dir, "my demo", "control.csv"), ',')[1:] {
		declared[line[0]+"_"+line[1]] = line[2:]
	}
	rows := len(readDelimited(t, filepath.Join(journals, "dunmarrow_2031-02.txt"), '\t',
		unicode.UTF16(unicode.LittleEndian, unicode.ExpectBOM))) - 1
	found := new(big.Rat)
	for _, record := range readDelimited(t, filepath.Join(journals, "corvane_2031-03.csv"), ';',
		charmap.Windows1252)[1:] {
		found.Add(found, money(t, strings.NewReplacer(".", "", ",", ".").Replace(record[6])))
	}
	difference := new(big.Rat).Sub(found, money(t, declared["corvane_2031-03"][1]))
	if difference.Sign() == 0 || !new(big.Rat).Quo(difference, big.NewRat(9, 100)).IsInt() {
		t.Errorf("swapping two digits makes a difference of %s", difference.FloatString(2))
	}
	text, err := os.ReadFile(filepath.Join(journals, "fallowmere_2031-02.json"))
	if err != nil {
		t.Fatal(err)
	}
	var fallowmere struct {
		Rows []struct{ Amount struct{ Debit string } }
	}
	if err := json.Unmarshal(text, &fallowmere); err != nil {
		t.Fatal(err)
	}
	bad := ""
	for _, row := range fallowmere.Rows {
		if strings.HasSuffix(row.Amount.Debit, "O") {
			bad += row.Amount.Debit
		}
	}
	stdout = printedID.ReplaceAllString(stdout, "")
	for _, want := range []string{ // one of each fault that is planted
		fmt.Sprintf("dunmarrow_2031-02.txt\n          declared %s rows, %d arrived: 1 missing",
			declared["dunmarrow_2031-02"][0], rows),
		fmt.Sprintf("corvane_2031-03.csv, column debit\n          declared %s, found %s, difference %s; the "+
			"difference is a multiple of nine",
			grouped(declared["corvane_2031-03"][1]), grouped(found.FloatString(2)), grouped(difference.FloatString(2))),
		"has the usual columns in another order: posted, document",
		"has beside the usual columns season",
		fmt.Sprintf("%q is not an amount", bad),
		"tieout --plan 'my demo/lastblock.toml'",
		"exit code 1: done, and there is a \"stop\" finding",
		"close of 2031-01: failed, 1 \"stop\" finding", "block 2 of 2031-01, seal", "block 3 of 2031-02, seal",
		"results/2031-02/by-account.csv  result  changed  block 3 of 2031-02",
	} {
		if !strings.Contains(stdout, want) {
			t.Errorf("the demo does not say %q:\n%s", want, stdout)
		}
	}
	again, _, code := runProgram(t, dir, "", "demo", "my demo")
	same := func(text string) string { // seals are those of blocks, which know their time
		return shortSeal.ReplaceAllString(withoutTimes(printedID.ReplaceAllString(text, "")), "SEAL")
	}
	if code != ExitDone || same(again) != same(stdout) {
		t.Errorf("run again, it ends with %d and says\n%s", code, again)
	}
}

// readCSV reads a file with the stock reader.
func readCSV(t *testing.T, path string, delimiter rune) [][]string {
	t.Helper()
	return readDelimited(t, path, delimiter, encoding.Nop)
}

// readDelimited is readCSV for another encoding than UTF-8.
func readDelimited(t *testing.T, path string, delimiter rune, encoding encoding.Encoding) [][]string {
	t.Helper()
	file, err := os.Open(path)
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	reader := csv.NewReader(encoding.NewDecoder().Reader(file))
	reader.Comma = delimiter
	records, err := reader.ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	return records
}

// money reads 1234.50 and 1234.50-.
func money(t *testing.T, text string) *big.Rat {
	t.Helper()
	value, ok := new(big.Rat).SetString(strings.TrimSuffix(text, "-"))
	if !ok {
		t.Fatalf("%q is no amount", text)
	}
	if strings.HasSuffix(text, "-") {
		value.Neg(value)
	}
	return value
}

// grouped sets thousands marks into an amount below a million.
func grouped(amount string) string {
	return regexp.MustCompile(`(\d)(\d{3}\.)`).ReplaceAllString(amount, "$1,$2")
}

// withoutTimes blanks out when files were changed.
func withoutTimes(s string) string {
	return regexp.MustCompile(`\d{4}-\d\d-\d\d \d\d:\d\d`).ReplaceAllString(s, "TIME")
}

// Whoever has read enough of the demo goes away, and is told nothing.
func TestDemoIntoAPipeThatEnds(t *testing.T) {
	cmd := exec.Command(builtProgram, "demo")
	cmd.Dir = t.TempDir()
	var stderr bytes.Buffer
	cmd.Stderr = &stderr
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	if _, err := io.ReadFull(out, make([]byte, 2000)); err != nil {
		t.Fatal(err)
	}
	out.Close()
	if err := cmd.Wait(); err == nil || strings.Contains(stderr.String(), "demo") {
		t.Errorf("it ends with %v: %s", err, stderr.String())
	}
}

func TestDemoRefusesAFolderThatHoldsAnythingElse(t *testing.T) {
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "mine.txt"), []byte("x"), 0o644); err != nil {
		t.Fatal(err)
	}
	_, stderr, code := runProgram(t, dir, "", "demo", ".")
	if code != ExitNotDone || !strings.Contains(stderr, "name an empty or a new folder") {
		t.Errorf("exit code %d: %s", code, stderr)
	}
	if entries, _ := os.ReadDir(dir); len(entries) != 1 {
		t.Errorf("the folder holds %v", entries)
	}
}

func TestIntakeJSON(t *testing.T) {
	dir := demoFolder(t)
	stdout, _, code := runProgram(t, dir, "", "intake", "--plan", "lastblock-demo/lastblock.toml", "--json", "--head",
		"2")
	var document struct {
		Sources []struct {
			Source, Entity, Period, Delimiter, Encoding, Changed string
			Size, Rows                                           int
			Header                                               bool
			Columns                                              []struct{ Column, Kind string }
			FirstDate                                            string `json:"first_date"`
			Head                                                 [][]string
		}
		Columns []struct {
			Column, Kind    string
			Sources, Others int
		}
		Passed []struct{ Source, Reason string } `json:"passed_over"`
	}
	if err := json.Unmarshal([]byte(stdout), &document); err != nil || code != ExitDone {
		t.Fatalf("%v, exit code %d", err, code)
	}
	if len(document.Sources) != 15 {
		t.Fatalf("%d sources", len(document.Sources))
	}
	corvane := document.Sources[3]
	info, err := os.Stat(filepath.Join(dir, "lastblock-demo/journals", corvane.Source))
	if err != nil || int64(corvane.Size) != info.Size() {
		t.Errorf("size is %d, that of the file %d, %v", corvane.Size, info.Size(), err)
	}
	if _, err := time.Parse(time.RFC3339, corvane.Changed); err != nil {
		t.Error(err)
	}
	records := readDelimited(t, filepath.Join(dir, "lastblock-demo/journals", corvane.Source), ';', charmap.Windows1252)
	for _, record := range records[1:] { // dates and amounts come in their plain form
		record[2] = record[2][6:] + "-" + record[2][3:5] + "-" + record[2][:2]
		for _, amount := range []int{6, 7} {
			record[amount] = strings.NewReplacer(".", "", ",", ".").Replace(record[amount])
		}
	}
	if corvane.Source != "corvane_2031-01.csv" || corvane.Entity != "corvane" || corvane.Period != "2031-01" ||
		corvane.Delimiter != ";" || !corvane.Header ||
		corvane.Rows != len(records)-1 || !strings.HasPrefix(corvane.FirstDate, "2031-01-") ||
		!reflect.DeepEqual(corvane.Head, records[1:3]) {
		t.Errorf("corvane is %+v", corvane)
	}
	kinds := make(map[string]string)
	for _, c := range document.Columns {
		kinds[c.Column] = fmt.Sprintf("%s %d %d", c.Kind, c.Sources, c.Others)
	}
	for column, want := range map[string]string{"posted": "date 15 0", "account": "text 15 0", "debit": "amount 15 0",
		"season": "text 1 0"} {
		if kinds[column] != want {
			t.Errorf("%s is %s, want %s", column, kinds[column], want)
		}
	}
	if len(document.Passed) != 2 || document.Passed[1].Reason != "lock file of an open workbook" {
		t.Errorf("passed over %+v", document.Passed)
	}
}

// An interrupt ends a run at once, even one that waits for its input, and
// leaves no file behind.
func TestInterruptLeavesNothing(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Log("a process cannot be interrupted there from a test; the rest of the way is the same")
		return
	}
	dir := t.TempDir()
	cmd := exec.Command(builtProgram, "collate", "-", "--out", "all.csv", "--suspense", "suspense.csv")
	cmd.Dir = dir
	stdin, err := cmd.StdinPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	if _, err := io.WriteString(stdin, "a,b\n1,2\n"+strings.Repeat("3,4\n", 100_000)); err != nil {
		t.Fatal(err)
	}
	for deadline := time.Now().Add(10 * time.Second); ; time.Sleep(5 * time.Millisecond) {
		if entries, _ := os.ReadDir(dir); len(entries) > 0 {
			break // it is writing
		}
		if time.Now().After(deadline) {
			t.Fatal("it does not begin to write")
		}
	}
	if err := cmd.Process.Signal(os.Interrupt); err != nil {
		t.Fatal(err)
	}
	interrupted := time.Now()
	err = cmd.Wait()
	var exit *exec.ExitError
	if !errors.As(err, &exit) || exit.ExitCode() != ExitNotDone {
		t.Errorf("it ends with %v", err)
	}
	if took := time.Since(interrupted); took > 5*time.Second {
		t.Errorf("it took %v to end", took)
	}
	if entries, _ := os.ReadDir(dir); len(entries) > 0 {
		t.Errorf("left behind: %v", entries)
	}
}

func TestAFullDiskIsAnError(t *testing.T) {
	if _, err := os.Stat("/dev/full"); err != nil {
		t.Skip("there is no full device on this system; core/capability/collate tests a writer that fails")
	}
	dir := demoFolder(t)
	for _, args := range [][]string{{"intake"}, {"tieout", "--json"}, {"collate", "--anyway"},
		{"rollup", "--sum", "credit", "--anyway"}} {
		full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
		if err != nil {
			t.Fatal(err)
		}
		cmd := exec.Command(builtProgram, append(args, "--plan", "lastblock-demo/lastblock.toml")...)
		cmd.Dir, cmd.Stdout = dir, full
		var complaint strings.Builder
		cmd.Stderr = &complaint
		if err := cmd.Run(); cmd.ProcessState.ExitCode() != ExitNotDone ||
			!strings.Contains(complaint.String(), "no space left") {
			t.Errorf("%s: %v: %s", args[0], err, complaint.String())
		}
		full.Close()
	}
}

func TestCompletionReadsTheHeader(t *testing.T) {
	dir := demoFolder(t)
	for _, c := range []struct {
		args []string
		want []string
	}{
		{[]string{"tieout", "lastblock-demo/journals", "--only", "dunmarrow*", "--total", "de"}, []string{"debit"}},
		{[]string{"tieout", "lastblock-demo/journals", "--only", "dunmarrow*", "--total", "debit,cr"},
			[]string{"debit,credit"}},
		{[]string{"rollup", "lastblock-demo/journals", "--name", "{entity}_{period}", "--by", "p"},
			[]string{"posted", "period"}},
		{[]string{"tie"}, []string{"tieout"}},
	} {
		stdout, _, _ := runProgram(t, dir, "", append([]string{"__complete"}, c.args...)...)
		var got []string
		for line := range strings.Lines(stdout) {
			if line = strings.TrimSpace(line); !strings.HasPrefix(line, ":") {
				name, _, _ := strings.Cut(line, "\t")
				got = append(got, name)
			}
		}
		if !slices.Equal(got, c.want) {
			t.Errorf("%v completes to %q, want %q", c.args, got, c.want)
		}
	}
	stdout, _, _ := runProgram(t, dir, "", "__complete", "intake", "")
	if !strings.Contains(stdout, ":0") { // the shell completes names of files
		t.Errorf("intake completes to %q", stdout)
	}
}

func TestVersionTellsVersionCommitAndGo(t *testing.T) {
	stdout, _, code := runProgram(t, t.TempDir(), "", "version")
	if code != ExitDone || !regexp.MustCompile(`^lastblock \d+\.\d+\.\d+\ncommit .+\ngo\d`).MatchString(stdout) {
		t.Errorf("exit code %d: %q", code, stdout)
	}
}

func TestSourcesAreNeverChanged(t *testing.T) {
	dir := demoFolder(t)
	journals := filepath.Join(dir, "lastblock-demo", "journals")
	before := contents(t, journals)
	for _, args := range [][]string{
		{"intake"}, {"tieout"}, {"collate", "--out", "x.xlsx", "--anyway"}, {"rollup", "--out", "y.csv", "--anyway"},
	} {
		if _, stderr, code := runProgram(t, dir, "",
			append(args, "--plan", "lastblock-demo/lastblock.toml")...); code == ExitNotDone {
			t.Error(stderr)
		}
	}
	if after := contents(t, journals); before != after {
		t.Error("something in the folder of the sources has changed")
	}
}

// contents is everything in a folder, names, times and texts.
func contents(t *testing.T, dir string) string {
	t.Helper()
	entries, err := os.ReadDir(dir)
	if err != nil {
		t.Fatal(err)
	}
	var all strings.Builder
	for _, e := range entries {
		info, err := e.Info()
		if err != nil {
			t.Fatal(err)
		}
		text, err := os.ReadFile(filepath.Join(dir, e.Name()))
		if err != nil {
			t.Fatal(err)
		}
		fmt.Fprintf(&all, "%s %v\n%s", e.Name(), info.ModTime(), text)
	}
	return all.String()
}
