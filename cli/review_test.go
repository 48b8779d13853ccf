package cli

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"lastblock/core/finding"
	"lastblock/core/finding/decision"

	"github.com/xuri/excelize/v2"
)

const planOfApril = "lastblock-demo/april/lastblock.toml"

// doublesJSON is what the JSON of doubles says, as far as these tests look at it.
type doublesJSON struct {
	Kinds []struct {
		Kind     finding.Kind
		Findings int
		Records  int
		Totals   map[string]string
	}
	Findings []finding.Finding
	Rows     int
	Proof    struct{ Read, Used, Dropped int }
}

func findDoublesJSON(t *testing.T, dir string, args ...string) *doublesJSON {
	t.Helper()
	stdout, stderr, _ := runProgram(t, dir, "",
		append([]string{"doubles", "--plan", planOfApril, "--json"}, args...)...)
	var d doublesJSON
	if err := json.Unmarshal([]byte(stdout), &d); err != nil {
		t.Fatalf("%v: %s", err, stderr)
	}
	return &d
}

// The demo plants what would be counted twice, and all of it is found.
func TestDoublesOfTheDemo(t *testing.T) {
	d := findDoublesJSON(t, demoFolder(t))
	got := make(map[finding.Kind][2]int)
	for _, k := range d.Kinds {
		got[k.Kind] = [2]int{k.Findings, k.Records}
	}
	want := map[finding.Kind][2]int{
		finding.SameFile: {1, 16}, finding.Overlap: {1, 12}, finding.Resubmission: {1, 0}, finding.SameRecord: {2, 2},
		finding.NearRecord: {2, 2}, finding.Reversal: {2, 0},
	}
	for kind, n := range want {
		if got[kind] != n {
			t.Errorf("of %s there are %v, want %v", kind, got[kind], n)
		}
	}
	if len(got) != len(want) {
		t.Errorf("found is %v", got)
	}
	for _, f := range d.Findings {
		if f.Kind == finding.NearRecord && !strings.Contains(f.Message, "E00487/E00478: two digits transposed") {
			t.Errorf("the reason is %q", f.Message)
		}
		if f.Kind == finding.Resubmission &&
			!strings.Contains(f.Message, "2 added, 0 gone, 2 changed; debit goes from 25,923.80 to 26,692.05 "+
				"(+768.25)") {
			t.Errorf("what the resubmission does is %q", f.Message)
		}
	}
}

// A review is written, filled in, and taken back; then nothing of it is open, and
// what was dropped is left out of what is combined.
func TestAReviewIsTakenBack(t *testing.T) {
	dir := demoFolder(t)
	results := filepath.Join("lastblock-demo", "april", "results")
	path := filepath.Join(results, "review.xlsx")
	if _, stderr, code := runProgram(t, dir, "", "doubles", "--plan", planOfApril, "--review", path); code != ExitStop {
		t.Fatalf("it ends with %d: %s", code, stderr)
	}
	book, err := excelize.OpenFile(filepath.Join(dir, path))
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	rows, err := book.GetRows("Review")
	if err != nil {
		t.Fatal(err)
	}
	column := func(name string) int { return slices.Index(rows[0], name) }
	hidden, err := excelize.ColumnNumberToName(column("state_") + 1)
	if err != nil {
		t.Fatal(err)
	}
	if visible, err := book.GetColVisible("Review", hidden); err != nil || visible {
		t.Errorf("the column state_ is visible: %v, %v", visible, err)
	}
	set := func(row int, column, text string) {
		cell, err := excelize.CoordinatesToCellName(slices.Index(rows[0], column)+1, row+1)
		if err == nil {
			err = book.SetCellStr("Review", cell, text)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	kinds := make(map[string]int)
	differs := 0
	for i, row := range rows[1:] {
		kinds[row[column("kind")]]++
		cell, err := excelize.CoordinatesToCellName(column("document")+1, i+2)
		if err != nil {
			t.Fatal(err)
		}
		style, err := book.GetCellStyle("Review", cell)
		if err != nil {
			t.Fatal(err)
		}
		if of, err := book.GetStyle(style); err == nil && len(of.Fill.Color) > 0 {
			differs++
		}
		place, kind := row[column("place")], row[column("kind")]
		switch {
		case kind == "resubmission" && place == "A":
			set(i+1, "decision", "drop")
			set(i+1, "reason", "replaced")
		case (kind == "same-file" || kind == "same-record") && place == "B":
			set(i+1, "decision", "Drop")
			set(i+1, "reason", "one too many")
		case (kind == "near-record" || kind == "reversal") && place == "A":
			set(i+1, "decision", "keep")
			set(i+1, "reason", "both are right")
		}
	}
	if kinds["same-record"] != 4 || kinds["near-record"] != 4 || kinds["same-file"] != 2 || differs != 8 {
		// of the near ones and the reversals
		t.Errorf("there are rows of %v, and %d documents are marked", kinds, differs)
	}
	filled := filepath.Join(dir, results, "filled.xlsx")
	if err := book.SaveAs(filled); err != nil {
		t.Fatal(err)
	}
	stdout, stderr, code := runProgram(t, dir, "", "decide", "--from", filled, "--plan", planOfApril, "--user", "ada")
	if code != ExitDone || !strings.Contains(stdout, "8 decisions in ") ||
		!strings.Contains(stdout, "4 to keep, 4 to drop, by which 4 files or records are left out") {
		t.Fatalf("it ends with %d: %s%s", code, stdout, stderr)
	}
	log, err := decision.Read(filepath.Join(dir, "lastblock-demo", "april", "decisions.csv"))
	if err != nil || len(log.Decisions) != 8 {
		t.Fatalf("%d decisions, error %v", len(log.Decisions), err)
	}
	d := findDoublesJSON(t, dir)
	for _, f := range d.Findings {
		if f.Accepted == "" && f.Severity != finding.Note {
			t.Errorf("still open: %s %s", f.Kind, f.Message)
		}
	}
	if d.Proof.Dropped != 16+14+2 {
		t.Errorf("%d records are left out", d.Proof.Dropped)
	}
	stdout, stderr, code = runProgram(t, dir, "", "collate", "--plan", planOfApril, "--json", "--out",
		filepath.Join(results, "all.csv"))
	if code != ExitDone || !strings.Contains(stdout, `"dropped": 32`) || !strings.Contains(stdout, `"left_out": [`) ||
		!strings.Contains(stdout, "one too many, ada on ") {
		t.Errorf("collate ends with %d: %s%s", code, stdout, stderr)
	}

	// The sheet is never taken for a source, even where it lies among them.
	data, err := os.ReadFile(filled)
	if err == nil {
		err = os.WriteFile(filepath.Join(dir, "lastblock-demo", "april", "journals", "eskerby_2031-04_filled.xlsx"),
			data, 0o644)
	}
	if err != nil {
		t.Fatal(err)
	}
	stdout, _, _ = runProgram(t, dir, "", "doubles", filepath.Join("lastblock-demo", "april", "journals"), "--json")
	if !strings.Contains(stdout, `{"source": "eskerby_2031-04_filled.xlsx", "reason": "written by Lastblock itself"}`) {
		t.Errorf("a sheet to decide on among the sources: %s", stdout[:min(len(stdout), 600)])
	}
}

// The same findings, byte for byte, however many cores and however little memory.
func TestDoublesDoNotDependOnTheMachine(t *testing.T) {
	dir := demoFolder(t)
	var first string
	for _, args := range [][]string{{"--jobs", "1"}, {"--jobs", "7"}, {"--jobs", "3", "--memory", "1MB"}} {
		stdout, stderr, _ := runProgram(t, dir, "",
			append([]string{"doubles", "--plan", planOfApril, "--json"}, args...)...)
		if first == "" {
			first = stdout
		}
		if stdout != first || stdout == "" {
			t.Errorf("with %v it prints something else: %s%s", args, stdout, stderr)
		}
	}
}

// A finding of doubles is known by its id: from the last run, from a file of
// findings, and by running the plan once more.
func TestDoublesAreLookedUp(t *testing.T) {
	dir := demoFolder(t)
	found := findDoublesJSON(t, dir, "--findings", "found.csv")
	id := ""
	for _, f := range found.Findings {
		if f.Kind == finding.SameRecord {
			id = f.ID
			break
		}
	}
	for _, c := range []struct {
		rule string
		args []string
	}{
		{"in a file of findings", []string{"--findings", "found.csv", "--decisions", "d1.csv"}},
		{"by the plan", []string{"--plan", planOfApril, "--decisions", "d2.csv"}},
	} {
		t.Setenv("XDG_CACHE_HOME", t.TempDir())
		if stdout, stderr, code := runProgram(t, dir, "",
			append([]string{"decide", id, "--drop", "B", "--reason", "x", "--user", "ada"},
				c.args...)...); code != ExitDone {
			t.Errorf("%s: it ends with %d: %s%s", c.rule, code, stdout, stderr)
		}
		log, err := decision.Read(filepath.Join(dir, c.args[len(c.args)-1]))
		if err != nil || len(log.Decisions) != 1 || len(log.Decisions[0].Dropped) != 1 ||
			log.Decisions[0].Dropped[0].Source != "fallowmere_2031-04.json" {
			t.Errorf("%s: %+v, %v", c.rule, log, err)
		}
	}
}

// All that is open after a tie-out and a reconciliation is decided in workbooks; taken back, nothing of it is
// open, and taken back once more, nothing is new.
func TestFindingsOfEveryKindAreReviewed(t *testing.T) {
	for _, c := range []struct{ command, plan, where string }{
		{"tieout", planOfDemo, "lastblock-demo"},
		{"reconcile", passesPlan, "lastblock-demo/passes"},
	} {
		t.Run(c.command, func(t *testing.T) {
			dir := demoFolder(t)
			if _, stderr, code := runProgram(t, dir, "", c.command, "--plan", c.plan, "--review",
				"review.xlsx"); code !=
				ExitStop {
				t.Fatalf("it ends with %d: %s", code, stderr)
			}
			path := filepath.Join(dir, "review.xlsx")
			open := fillReview(t, path, func(row map[string]string) (decision, reason string) {
				if row["decision"] != "" || row["place"] != "" || row["kind"] == "" || row["what"] == "" {
					t.Errorf("the row is %v", row)
				}
				return "accept", "known, says " + row["source"]
			})
			if open["control-total"]+open["differs"] == 0 {
				t.Errorf("there are rows of %v", open)
			}
			args := []string{"decide", "--from", "review.xlsx", "--plan", c.plan, "--user", "ada"}
			rows := 0
			for _, n := range open {
				rows += n
			}
			want := fmt.Sprintf("%d decisions in %s: %d to accept\n", rows,
				filepath.Join(filepath.FromSlash(c.where), "decisions.csv"), rows)
			if stdout, stderr, code := runProgram(t, dir, "", args...); code != ExitDone || stdout != want {
				t.Fatalf("it ends with %d: %s%s, want %s", code, stdout, stderr, want)
			}
			if stdout, _, code := runProgram(t, dir, "", args...); code != ExitDone ||
				!strings.Contains(stdout, "nothing in review.xlsx is new") {
				t.Errorf("taken back twice it says %s", stdout)
			}
			if _, stderr, code := runProgram(t, dir, "", c.command, "--plan", c.plan, "--review", "again.xlsx"); code !=
				ExitDone {
				t.Errorf("then it ends with %d: %s", code, stderr)
			}
			if open := fillReview(t, filepath.Join(dir, "again.xlsx"), nil); len(open) > 0 {
				t.Errorf("still open are %v", open)
			}
		})
	}
}

// fillReview fills the rows of a review, and counts them by kind.
func fillReview(t *testing.T, path string, fill func(row map[string]string) (decision, reason string)) map[string]int {
	t.Helper()
	book, err := excelize.OpenFile(path)
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	rows, err := book.GetRows("Review")
	if err != nil {
		t.Fatal(err)
	}
	kinds := make(map[string]int)
	for i, cells := range rows[1:] {
		row := make(map[string]string)
		for k, name := range rows[0] {
			if k < len(cells) {
				row[name] = cells[k]
			}
		}
		kinds[row["kind"]]++
		decision, reason := fill(row)
		for k, text := range []string{decision, reason} {
			cell, err := excelize.CoordinatesToCellName(k+1, i+2)
			if err == nil {
				err = book.SetCellStr("Review", cell, text)
			}
			if err != nil {
				t.Fatal(err)
			}
		}
	}
	if err := book.Save(); err != nil {
		t.Fatal(err)
	}
	return kinds
}
