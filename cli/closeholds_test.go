package cli

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strings"
	"syscall"
	"testing"
	"time"

	"lastblock/core/month/block"
	"lastblock/core/output/placing"
	"lastblock/show"
)

// fullDisk takes so many calls that need room, and none after them. Renaming needs none.
type fullDisk struct {
	placing.Machine
	room *int
}

func (d fullDisk) write() error {
	if *d.room--; *d.room < 0 {
		return syscall.ENOSPC
	}
	return nil
}

func (d fullDisk) OpenFile(name string, flag int, perm fs.FileMode) (placing.File, error) {
	if flag&os.O_CREATE != 0 {
		if err := d.write(); err != nil {
			return nil, err
		}
	}
	file, err := d.Machine.OpenFile(name, flag, perm)
	if err != nil {
		return nil, err
	}
	return fullFile{file.(*os.File), d}, nil
}

func (d fullDisk) Mkdir(folder string) error {
	if err := d.write(); err != nil {
		return err
	}
	return d.Machine.Mkdir(folder)
}

func (d fullDisk) Lock(file placing.File) error { return d.Machine.Lock(file.(fullFile).File) }

func (d fullDisk) Link(name, more string) error {
	if err := d.write(); err != nil {
		return err
	}
	return d.Machine.Link(name, more)
}

type fullFile struct {
	*os.File
	disk fullDisk
}

func (f fullFile) Write(p []byte) (int, error) {
	if err := f.disk.write(); err != nil {
		return 0, err
	}
	return f.File.Write(p)
}

func (f fullFile) Sync() error {
	if err := f.disk.write(); err != nil {
		return err
	}
	return f.File.Sync()
}

// closeInside runs a command of a folder's plan within the test, on a disk; nil is that of the machine.
func closeInside(t *testing.T, disk placing.Disk, dir, command string, args ...string) (stdout, stderr string,
	code int) {
	t.Helper()
	var out, complaint bytes.Buffer
	args = append([]string{command, "--plan", filepath.Join(dir, "lastblock.toml")}, args...)
	code = run(context.Background(), args, strings.NewReader(""), &out, &complaint, &show.Outputs{Disk: disk}).code
	return out.String(), complaint.String(), code
}

// Whichever write finds the disk full, there is the chain of before, with its results, or the new one, with its.
func TestACloseOnAFullDisk(t *testing.T) {
	t.Setenv("XDG_CACHE_HOME", t.TempDir())
	dir := t.TempDir()
	generation := regexp.MustCompile(`gen(\d+)`)
	sealed, failed := 0, 0
	for n := 0; sealed < 3; n++ {
		writeFiles(t, dir, closeFiles(sealed+1, 40))
		args := []string{"--quiet", "--user", "anna"}
		if sealed > 0 {
			args = append(args, "--restate", "--reason", "once more")
		}
		room := n
		_, stderr, code := closeInside(t, fullDisk{room: &room}, dir, "close", args...)
		switch {
		case code == ExitDone:
			sealed, n = sealed+1, -1
		case code != ExitNotDone || !strings.Contains(stderr, "no space left"):
			t.Fatalf("after %d writes it ends with %d: %s", n, code, stderr)
		default:
			failed++
		}
		var o struct {
			Untouched bool
			Blocks    []struct{ Chain string }
		}
		stdout, stderr, code := closeInside(t, nil, dir, "verify", "--json")
		if err := json.Unmarshal([]byte(stdout), &o); err != nil || code != ExitDone || !o.Untouched ||
			len(o.Blocks) != sealed {
			t.Fatalf("after %d writes verify ends with %d, and there are %d blocks, want %d: %s%s", n, code,
				len(o.Blocks),
				sealed, stdout, stderr)
		}
		for _, name := range []string{"sums.csv", "all.csv"} {
			data, err := os.ReadFile(filepath.Join(dir, "results", name))
			found := generation.FindSubmatch(data)
			if sealed == 0 && err == nil || sealed > 0 && (found == nil || string(found[1]) != fmt.Sprint(sealed)) {
				t.Fatalf("after %d writes and %d closes %s says %s", n, sealed, name, data)
			}
		}
		left, err := filepath.Glob(filepath.Join(dir, "*", ".*.*.*"))
		if err != nil || len(left) > 0 {
			t.Errorf("after %d writes are left %v", n, left)
		}
	}
	if failed < 30 {
		t.Errorf("only %d writes were tried", failed)
	}
}

// A month end with fixed places: what a later month has made stays when an earlier one is restated.
func TestARestatementLeavesLaterResultsAlone(t *testing.T) {
	dir := t.TempDir()
	month := func(period, amount string) map[string]string {
		return map[string]string{
			"in/corvane_" + period + ".csv": "doc,account,debit,credit\nC1,4000," + amount + "," + amount + "\n",
			"lastblock.toml": "version = 1\n[read]\npaths = [\"in\"]\nname = \"{entity}_{period}\"\n[tieout]\n" +
				"balance = \"debit=credit\"\n[[rollup]]\nname = \"latest\"\nby = \"account\"\nsum = \"debit\"\n" +
				"out = \"latest.csv\"\n[[rollup]]\nname = \"own\"\nby = \"account\"\nsum = \"debit\"\n" +
				"out = \"results/{period}/own.csv\"\n",
		}
	}
	read := func(name string) string {
		t.Helper()
		data, err := os.ReadFile(filepath.Join(dir, name))
		if err != nil {
			t.Fatal(err)
		}
		return string(data)
	}
	for _, of := range [][2]string{{"2031-01", "5.00"}, {"2031-02", "4.00"}} {
		writeFiles(t, dir, month(of[0], of[1]))
		if o := closeJSON(t, dir); o.Verdict != "passed" || o.Period != of[0] {
			t.Fatalf("it is %+v", o)
		}
	}
	writeFiles(t, dir, month("2031-01", "6.00"))
	stdout, stderr, code := runProgram(t, dir, "", "close", "--quiet", "--user", "anna", "--period", "2031-01",
		"--restate", "--reason", "late")
	if code != ExitDone || !strings.Contains(stdout, "latest.csv stays as block 2 of 2031-02 has made it") {
		t.Errorf("it ends with %d: %s%s", code, stdout, stderr)
	}
	for name, want := range map[string]string{
		"latest.csv":              "account,debit,records\n4000,9.00,2\nTotal,9.00,2\n",
		"results/2031-01/own.csv": "account,debit,records\n4000,6.00,1\nTotal,6.00,1\n",
	} {
		if got := read(name); got != want {
			t.Errorf("%s is\n%s", name, got)
		}
	}
	if stdout, _, code := runProgram(t, dir, "", "verify"); code != ExitDone {
		t.Errorf("verify ends with %d: %s", code, stdout)
	}
}

// What a close has sealed is written over by a close alone, whatever else makes a file of that name.
func TestOnlyACloseReplacesWhatIsSealed(t *testing.T) {
	dir := t.TempDir()
	files := closeFiles(1, 20)
	files["lastblock.toml"] += "[report]\nout = \"results/pack.html\"\n"
	writeFiles(t, dir, files)
	closeJSON(t, dir)
	read := func(name string) string {
		t.Helper()
		data, err := os.ReadFile(filepath.Join(dir, filepath.FromSlash(name)))
		if err != nil {
			t.Fatal(err)
		}
		return string(data)
	}
	writeFiles(t, dir, map[string]string{"in/corvane_2031-01.csv": closeFiles(2, 21)["in/corvane_2031-01.csv"]})
	refused := map[string]string{
		"rollup --plan lastblock.toml --replace":                                "results/sums.csv",
		"collate --plan lastblock.toml --replace":                               "results/all.csv",
		"rollup --plan lastblock.toml --out blocks/0001-2031-01.json --replace": "blocks/0001-2031-01.json",
		"report --replace":           "results/pack.html",
		"report --block 1 --replace": "results/pack.html",
		"report --block 1 --out ./results/none/../pack.html --replace": "results/pack.html",
	}
	if err := os.Symlink("results", filepath.Join(dir, "link")); err == nil { // not every system lets us
		refused["collate --plan lastblock.toml --out o.csv --suspense link/all.csv --replace"] = "results/all.csv"
	}
	for args, name := range refused {
		before := read(name)
		_, stderr, code := runProgram(t, dir, "", strings.Fields(args)...)
		if code != ExitNotDone || !strings.Contains(stderr, "is sealed by block 1 of 2031-01") {
			t.Errorf("%s ends with %d: %s", args, code, stderr)
		}
		if read(name) != before {
			t.Errorf("%s has written over %s", args, name)
		}
	}
	if stdout, _, code := runProgram(t, dir, "", "verify"); code != ExitDone {
		t.Errorf("verify ends with %d: %s", code, stdout)
	}
	// what somebody has touched is sealed no more, and another file never was
	writeFiles(t, dir, map[string]string{"results/sums.csv": "touched"})
	for _, args := range []string{"rollup --anyway --replace", "collate --anyway --out results/other.csv --replace"} {
		_, stderr, code := runProgram(t, dir, "", append(strings.Fields(args), "--plan", "lastblock.toml")...)
		if code == ExitNotDone {
			t.Errorf("%s ends with %d: %s", args, code, stderr)
		}
	}
	if again := closeJSON(t, dir, "--restate", "--reason", "a late row"); again.Block.Number != 2 {
		t.Errorf("the close that restates is block %d", again.Block.Number)
	}
	if read("results/sums.csv") == "touched" || !strings.Contains(read("results/all.csv"), "gen2") {
		t.Error("a close that restates has not replaced its results")
	}
}

// Of an archive the entry is told that has changed; a workbook or an archive that was packed anew with the same
// records has other bytes, and no such entry.
func TestVerifyTellsWhichEntryHasChanged(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{"lastblock.toml": "version = 1\n[read]\npaths = [\"in\"]\n" +
		"name = \"{entity}_{period}\"\n[tieout]\n"})
	pack := func(february string, comment string) {
		t.Helper()
		var packed bytes.Buffer
		w := zip.NewWriter(&packed)
		for _, entry := range [][2]string{{"corvane_2031-01.csv", "doc,v\nC1,5\nC2,6\n"},
			{"corvane_2031-02.csv", february}} {
			f, err := w.Create(entry[0])
			if err == nil {
				_, err = f.Write([]byte(entry[1]))
			}
			if err != nil {
				t.Fatal(err)
			}
		}
		if err := w.SetComment(comment); err != nil {
			t.Fatal(err)
		}
		if err := w.Close(); err != nil {
			t.Fatal(err)
		}
		writeFiles(t, dir, map[string]string{"in/corvane.zip": packed.String()})
	}
	pack("doc,v\nC3,7\n", "")
	if o := closeJSON(t, dir); o.Verdict != "passed" || o.Period != "2031-02" {
		t.Fatalf("it is %+v", o)
	}
	for _, c := range []struct{ february, comment, want string }{
		{"doc,v\nC3,7\n", "", "[{in/corvane.zip untouched []}]"},
		{"doc,v\nC3,8\n", "", "[{in/corvane.zip changed [corvane.zip/corvane_2031-02.csv]}]"},
		{"doc,v\nC3,7\n", "again", "[{in/corvane.zip changed []}]"},
	} {
		pack(c.february, c.comment)
		stdout, stderr, _ := runProgram(t, dir, "", "verify", "--sources", "--json")
		var o struct {
			Sources []struct {
				Name, State string
				Parts       []string
			}
		}
		if err := json.Unmarshal([]byte(stdout), &o); err != nil {
			t.Fatalf("%v: %s%s", err, stdout, stderr)
		}
		if got := fmt.Sprint(o.Sources); got != c.want {
			t.Errorf("it is %s, want %s", got, c.want)
		}
	}
}

// A chain with a block that was changed is touched, and no command goes on with it.
func TestCommandsOnABrokenChain(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, closeFiles(1, 3))
	closeJSON(t, dir)
	path := filepath.Join(dir, "blocks", "0001-2031-01.json")
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	data[len(data)/2] ^= 1
	if err := os.WriteFile(path, data, 0o644); err != nil {
		t.Fatal(err)
	}
	stdout, stderr, code := runProgram(t, dir, "", "verify", "--json")
	var o struct {
		Untouched bool
		Blocks    []struct {
			Number int
			Chain  string
		}
	}
	if err := json.Unmarshal([]byte(stdout), &o); err != nil || code != ExitStop || o.Untouched ||
		fmt.Sprint(o.Blocks) != "[{1 broken}]" {
		t.Errorf("verify ends with %d: %s%s", code, stdout, stderr)
	}
	for _, command := range []string{"history", "close"} {
		_, stderr, code := runProgram(t, dir, "", command)
		if code != ExitNotDone || !strings.Contains(stderr, "block 1 in blocks: ") ||
			!strings.Contains(stderr, "Nothing was changed") {
			t.Errorf("%s ends with %d: %s", command, code, stderr)
		}
	}
	if now, err := os.ReadFile(path); err != nil || !bytes.Equal(now, data) {
		t.Errorf("%v: the block was written", err)
	}
}

// Blocks are in the order of their numbers, whatever the clock says; that it went back is told.
func TestAClockThatWentBack(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, closeFiles(1, 3))
	chain, err := block.Read(filepath.Join(dir, "blocks"), "lastblock.toml")
	if err != nil {
		t.Fatal(err)
	}
	early := block.Block{Period: "2030-12", Time: time.Now().AddDate(1, 0, 0), User: "anna", Verdict: block.Passed,
		Plan: block.File{Name: "lastblock.toml"}}
	if _, err := chain.Append(early); err != nil {
		t.Fatal(err)
	}
	stdout, stderr, code := runProgram(t, dir, "", "close", "--quiet", "--user", "anna")
	if code != ExitDone || !strings.Contains(stdout, "the clock of this machine is behind block 1") {
		t.Errorf("it ends with %d: %s%s", code, stdout, stderr)
	}
	stdout, _, code = runProgram(t, dir, "", "verify")
	if code != ExitDone || !strings.Contains(stdout, "clock: block 2 was closed at an earlier time than block 1") {
		t.Errorf("verify ends with %d: %s", code, stdout)
	}
}

// Records are kept with the block where that is asked for, as a collation has them, and verify sees to them.
func TestRecordsThatAreRetained(t *testing.T) {
	dir := t.TempDir()
	files := closeFiles(1, 3)
	files["lastblock.toml"] += "[close]\nretain = true\n"
	writeFiles(t, dir, files)
	if o := closeJSON(t, dir); o.Verdict != "passed" {
		t.Fatalf("it is %+v", o)
	}
	records := filepath.Join("blocks", "0001-2031-01.records.csv.zst")
	rows, _, code := runProgram(t, dir, "", "collate", records, "--bare", "--own-outputs")
	if code != ExitDone {
		rows, _, code = runProgram(t, dir, "", "collate", records, "--bare")
	}
	want := "doc,account,debit,credit,entity,period,record_state,record_reason,record_raw,source,source_line\n" +
		"C0,gen1,0.00,0.00,corvane,2031-01,used,,,corvane_2031-01.csv,2\n"
	if code != ExitDone || !strings.HasPrefix(rows, want) || strings.Count(rows, "\n") != 5 {
		t.Errorf("it ends with %d, and the records are\n%s", code, rows)
	}
	if err := os.Remove(filepath.Join(dir, records)); err != nil {
		t.Fatal(err)
	}
	stdout, _, code := runProgram(t, dir, "", "verify")
	if code != ExitStop || !strings.Contains(stdout, "blocks/0001-2031-01.records.csv.zst  records  gone") {
		t.Errorf("verify ends with %d: %s", code, stdout)
	}
}

// What is written beside a result is sealed as well, and written over only where a close has made it.
func TestFilesBesideAResult(t *testing.T) {
	dir := t.TempDir()
	files := map[string]string{
		"in/corvane_2031-01.csv": "doc,debit\nC1,5.00\nC2,x\n",
		"ref/bank_2031-01.csv":   "doc,debit\nC1,5.00\n",
		"ref/bank_2031-02.csv":   "doc,debit\nC9,5.00\n", // which is later, and not asked for
		"lastblock.toml": "version = 1\n[read]\npaths = [\"in\"]\nname = \"{entity}_{period}\"\n[tieout]\n" +
			"[severity]\nmostly-suspended = \"note\"\n[reconcile]\nagainst = \"ref\"\nagainst-name = " +
			"\"bank_{period}\"\n" +
			"key = \"doc\"\ntotal = \"debit\"\nout = \"out/both.csv\"\ncorrected = \"out/right.csv\"\nprefer = " +
			"\"reference\"\n" +
			"[collate]\ntotal = \"debit\"\nout = \"out/all.csv\"\nsuspense = \"out/aside.csv\"\n",
	}
	for _, name := range []string{"right.csv", "aside.csv"} {
		if err := os.RemoveAll(filepath.Join(dir, "out")); err != nil {
			t.Fatal(err)
		}
		writeFiles(t, dir, files)
		writeFiles(t, dir, map[string]string{"out/" + name: "mine\n"})
		_, stderr, code := runProgram(t, dir, "", "close", "--quiet", "--user", "anna")
		if code != ExitNotDone || !strings.Contains(stderr, "out/"+name+" is there, and no close has made it") {
			t.Errorf("over %s it ends with %d: %s", name, code, stderr)
		}
	}
	if err := os.RemoveAll(filepath.Join(dir, "out")); err != nil {
		t.Fatal(err)
	}
	if o := closeJSON(t, dir); o.Verdict != "passed" || len(o.Results) != 4 {
		t.Fatalf("it is %+v", o)
	}
	writeFiles(t, dir, map[string]string{"out/right.csv": "doc,debit\nC1,6.00\n"})
	stdout, _, code := runProgram(t, dir, "", "verify")
	if code != ExitStop || !strings.Contains(stdout, "out/right.csv  result  changed") {
		t.Errorf("verify ends with %d: %s", code, stdout)
	}
}

// The commands in the docs check the chain of the demo without Lastblock, and find a byte that was changed.
func TestAChainIsCheckedWithoutLastblock(t *testing.T) {
	if runtime.GOOS != "linux" {
		t.Skip("the tools have other names there")
	}
	page, err := os.ReadFile("../docs/close.md")
	if err != nil {
		t.Fatal(err)
	}
	_, script, _ := strings.Cut(string(page), "```sh\n")
	script, _, ok := strings.Cut(script, "```")
	if !ok {
		t.Fatal("there is no script")
	}
	dir := demoFolder(t)
	check := func() (string, error) {
		cmd := exec.Command("sh", "-ec", script)
		cmd.Dir, cmd.Env = dir, append(os.Environ(), "LC_ALL=C")
		out, err := cmd.CombinedOutput()
		return string(out), err
	}
	want := "blocks/0001-2031-01.json: OK\nblocks/0002-2031-01.json: OK\nblocks/0003-2031-02.json: OK\n" +
		"blocks/0004-2031-02.json: OK\n" +
		"results/2031-02/by-company.xlsx: OK\nresults/2031-02/by-account.csv: OK\n"
	if out, err := check(); err != nil || out != want {
		t.Errorf("%v: it says %s", err, out)
	}
	for _, name := range []string{"blocks/0001-2031-01.json", "blocks/0003-2031-02.json", "blocks/0004-2031-02.json",
		"results/2031-02/by-account.csv"} {
		path := filepath.Join(dir, "lastblock-demo", "close", filepath.FromSlash(name))
		data, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		changed := bytes.Clone(data)
		changed[len(changed)/2] ^= 1
		if err := os.WriteFile(path, changed, 0o644); err != nil {
			t.Fatal(err)
		}
		if out, err := check(); err == nil && out == want {
			t.Errorf("that %s has changed is not found: %s", name, out)
		}
		if err := os.WriteFile(path, data, 0o644); err != nil {
			t.Fatal(err)
		}
	}
}
