package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
)

const freezePlan = `version = 1
[read]
paths = ["in", "sold"]
name = "{entity}_{period}"
[tieout]
total = "debit"
roster = "companies.csv"
[[rollup]]
name = "by-company"
by = ["entity", "period"]
sum = "debit"
`

// planned makes a function that runs the program on the plan of a folder, wants an exit code, and returns all that is
// said.
func planned(t *testing.T, dir string) func(want int, args ...string) string {
	return func(want int, args ...string) string {
		t.Helper()
		stdout, stderr, code := runProgram(t, dir, "", append(args, "--plan", "lastblock.toml")...)
		if code != want {
			t.Fatalf("%s ends with %d, want %d: %s%s", args, code, want, stdout, stderr)
		}
		return stdout + stderr
	}
}

// The figures of an entity that was frozen stay as they are, without its files; it is no longer missed, and what
// arrives of it later is a finding. The next block seals it, and it can be undone.
func TestFreeze(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{
		"lastblock.toml":           freezePlan,
		"companies.csv":            "entity\ncorvane\nEskerby\n",
		"in/corvane_2031-01.csv":   "account,debit\n4000,10.00\n",
		"in/corvane_2031-02.csv":   "account,debit\n4000,20.00\n",
		"sold/eskerby_2031-01.csv": "konto,debit,account\n1,5.00,4000\n",
		"sold/eskerby_2031-02.csv": "account,debit\n4000,6.00\n4000,x\n",
	})
	run := planned(t, dir)
	run(ExitNotDone, "freeze", "eskerby", "--reason", "sold", "--user", "anna") // nothing was sealed yet
	run(ExitDone, "close", "--quiet", "--user", "anna")
	tied, summed := run(ExitDone, "tieout"), run(ExitDone, "rollup", "--json")

	if got := run(ExitNotDone, "freeze", "eskerbi", "--reason", "sold"); !strings.Contains(got,
		"did you mean Eskerby?") {
		t.Errorf("of no entity it says %s", got)
	}
	run(ExitNotDone, "freeze", "eskerby")
	if got := run(ExitDone, "freeze", "ESKERBY", "--reason", "sold", "--user", "anna"); !strings.Contains(got,
		"Eskerby is frozen through 2031-02: sold") { // as the roster writes it
		t.Errorf("it says %s", got)
	}
	if got := run(ExitNotDone, "freeze", "eskerby", "--reason", "sold"); !strings.Contains(got, "frozen already") {
		t.Errorf("twice it says %s", got)
	}
	if err := os.RemoveAll(filepath.Join(dir, "sold")); err != nil {
		t.Fatal(err)
	}
	if got := run(ExitDone, "tieout"); got != tied {
		t.Errorf("the tie-out is %s, and was %s", got, tied)
	}
	if got := run(ExitDone, "rollup", "--json"); got != summed {
		t.Errorf("the summary is %s, and was %s", got, summed)
	}
	run(ExitDone, "verify", "--sources")
	if o := traceJSON(t, dir, "entity=eskerby", "period=2031-02"); o.said() !=
		"debit 6.00, now 6.00 of 1: sold/eskerby_2031-02:2 6.00" || len(o.Aside) != 1 || o.Aside[0].Line != 3 {
		t.Errorf("the trace is %+v", o)
	}

	writeFiles(t, dir, map[string]string{"in/corvane_2031-03.csv": "account,debit\n4000,30.00\n"})
	if o := closeJSON(t, dir); o.Verdict != "passed" || o.Block.Number != 2 {
		t.Errorf("the close of March is %+v", o)
	}
	run(ExitDone, "verify", "--sources")
	writeFiles(t, dir, map[string]string{"in/eskerby_2031-03.csv": "account,debit\n4000,7.00\n"})
	for _, args := range [][]string{{"tieout"}, {"rollup"}, {"changes"}} {
		if got := run(ExitStop, args...); !strings.Contains(got, "frozen-source    in/eskerby_2031-03.csv") {
			t.Errorf("with a later file %s says %s", args, got)
		}
	}
	run(ExitDone, "decide", "--kind", "frozen-source", "--accept", "--reason", "sent by mistake", "--yes", "--user",
		"anna")
	run(ExitDone, "tieout")

	run(ExitDone, "freeze", "eskerby", "--undo", "--reason", "bought back", "--user", "anna")
	if got := run(ExitNotDone, "tieout"); !strings.Contains(got, "sold: there is no such file or folder") {
		t.Errorf("undone, without its files, it says %s", got)
	}
}

// Copies that were changed are noticed, and what is not as it was sealed cannot be frozen.
func TestFrozenFilesAreAsTheyWereSealed(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{
		"lastblock.toml":         strings.ReplaceAll(freezePlan, ", \"sold\"", ""),
		"companies.csv":          "entity\ncorvane\neskerby\n",
		"in/corvane_2031-01.csv": "account,debit\n4000,10.00\n",
		"in/all.zip": zipOf(t, "eskerby_2031-01.csv", "account,debit\n4000,5.00\n", "corvane_2030-12.csv",
			"account,debit\n4000,1.00\n"),
	})
	run := planned(t, dir)
	run(ExitDone, "close", "--quiet", "--user", "anna", "--period", "2031-01", "--allow", "not-filed")
	if got := run(ExitNotDone, "freeze", "eskerby", "--reason", "sold"); !strings.Contains(got,
		"in/all.zip holds records of corvane as well") {
		t.Errorf("of a part of a file it says %s", got)
	}
	writeFiles(t, dir, map[string]string{"in/corvane_2031-01.csv": "account,debit\n4000,11.00\n"})
	if err := os.Remove(filepath.Join(dir, "in/all.zip")); err != nil {
		t.Fatal(err)
	}
	writeFiles(t, dir, map[string]string{"in/eskerby_2031-01.csv": "account,debit\n4000,5.00\n"})
	run(ExitDone, "close", "--quiet", "--user", "anna", "--period", "2031-01", "--restate", "--reason", "a file each")
	run(ExitDone, "freeze", "eskerby", "--reason", "sold", "--user", "anna")
	copied := filepath.Join(dir, "frozen/eskerby/eskerby_2031-01.csv")
	if err := os.WriteFile(copied, []byte("account,debit\n4000,6.00\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	if got := run(ExitStop, "tieout"); !strings.Contains(got, "closed-period-changed  eskerby_2031-01.csv") {
		t.Errorf("with a copy that was changed it says %s", got)
	}
	list := filepath.Join(dir, "frozen/eskerby.json")
	data, err := os.ReadFile(list)
	if err == nil {
		err = os.WriteFile(list, []byte(strings.Replace(string(data), "2031-01\"", "2031-02\"", 1)), 0o644)
	}
	if err != nil {
		t.Fatal(err)
	}
	if got := run(ExitNotDone, "tieout"); !strings.Contains(got, "is not as it was when eskerby was frozen") {
		t.Errorf("with a list that was changed it says %s", got)
	}
}

// A source whose file is not there as it was sealed is frozen from the records that its block has retained: its
// figures, its places and its decimal mark are as they were.
func TestFreezeRetainedRecords(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{
		"lastblock.toml": strings.Replace(freezePlan, ", \"sold\"]", "]\nas = [\"posted=date\"]", 1) +
			"[close]\nretain = true\n[[read.shape]]\nmatch = \"eskerby*\"\nskip-lines = 1\nrename = [\"Soll=debit\"]\n",
		"companies.csv":          "entity\ncorvane\neskerby\n",
		"in/corvane_2031-01.csv": "account,posted,debit\n4000,2031-01-05,10.00\n",
		"in/eskerby_2031-01.csv": "from the old " +
			"system\naccount;posted;Soll\n4000;05.01.2031;1.234,50\n\n4100;31.01.2031;\"0,250\"\n",
		"in/corvane_2031-02.csv": "account,posted,debit\n4000,2031-02-05,20.00\n",
	})
	run := planned(t, dir)
	book := excelize.NewFile()
	defer book.Close()
	for row, cells := range [][]any{{"from the old system"}, {"account", "posted", "Soll"},
		{"4000", "2031-02-05", 7.5}} {
		if err := book.SetSheetRow("Sheet1", fmt.Sprintf("A%d", row+1), &cells); err != nil {
			t.Fatal(err)
		}
	}
	if err := book.SaveAs(filepath.Join(dir, "in/eskerby_2031-02.xlsx")); err != nil {
		t.Fatal(err)
	}
	run(ExitDone, "close", "--quiet", "--user", "anna")
	summed := run(ExitDone, "rollup")
	summed = summed[:strings.Index(summed, "findings")] + summed[strings.Index(summed, "tie-out"):] // a blank line
	traced := traceJSON(t, dir, "entity=eskerby")
	for _, name := range []string{"eskerby_2031-01.csv", "eskerby_2031-02.xlsx"} {
		if err := os.Remove(filepath.Join(dir, "in", name)); err != nil {
			t.Fatal(err)
		}
	}
	run(ExitDone, "freeze", "eskerby", "--reason", "sold", "--user", "anna")
	if got := run(ExitDone, "rollup"); got != summed {
		t.Errorf("the summary is %s, and was %s", got, summed)
	}
	if got := traceJSON(t, dir, "entity=eskerby"); got.said() != traced.said() || got.Count != 3 {
		t.Errorf("the trace is %s, and was %s", got.said(), traced.said())
	}
	if o, code := changesJSON(t, dir); code != ExitDone || o.Same != 4 || len(o.Sources) > 0 {
		t.Errorf("changes ends with %d: %+v", code, o)
	}
	run(ExitDone, "verify", "--sources")
	run(ExitDone, "close", "--quiet", "--user", "anna", "--restate", "--reason", "sold", "--period", "2031-02")
	run(ExitDone, "verify", "--sources")
	if o, code := changesJSON(t, dir, "--since", "1"); code != ExitDone || o.Same != 4 {
		t.Errorf("since the first block changes ends with %d: %+v", code, o)
	}
	records := filepath.Join(dir, "frozen/eskerby/eskerby_2031-01.csv.records.csv")
	data, err := os.ReadFile(records)
	if want := "account,posted,debit,source_line\n"; err != nil || !strings.HasPrefix(string(data), want) {
		t.Errorf("the records are %s: %v", data, err)
	}
	if err := os.WriteFile(records, []byte(strings.Replace(string(data), "234", "243", 1)), 0o644); err != nil {
		t.Fatal(err)
	}
	if got := run(ExitStop, "tieout"); !strings.Contains(got, "closed-period-changed  eskerby_2031-01.csv") {
		t.Errorf("with records that were changed it says %s", got)
	}
}

// All records are retained, what lay in suspense with its line, so that a freeze can stand on them when the files are
// gone, and the proof stays the same.
func TestFreezeOfRetainedSuspense(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{
		"lastblock.toml":         strings.Replace(freezePlan, ", \"sold\"]", "]", 1) + "[close]\nretain = true\n",
		"companies.csv":          "entity\ncorvane\neskerby\n",
		"in/corvane_2031-01.csv": "account,debit\n4000,10.00\n",
		"in/eskerby_2031-01.csv": "account,debit\n4000,5.00\n4000,6.00,7.00\n",
	})
	run := planned(t, dir)
	run(ExitDone, "close", "--quiet", "--user", "anna")
	tied := run(ExitDone, "tieout")
	if err := os.Remove(filepath.Join(dir, "in/eskerby_2031-01.csv")); err != nil {
		t.Fatal(err)
	}
	run(ExitDone, "freeze", "eskerby", "--reason", "sold")
	again := run(ExitDone, "tieout")
	proof := func(said string) string { return said[strings.Index(said, "proof"):] }
	if !strings.Contains(again, "retained this line as one that has no fields") || proof(again) != proof(tied) {
		t.Errorf("before the freeze it says\n%s\nand then\n%s", tied, again)
	}
	run(ExitDone, "changes")
	run(ExitDone, "verify", "--sources")
}
