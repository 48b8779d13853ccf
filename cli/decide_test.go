package cli

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"lastblock/core/finding"
	"lastblock/core/finding/decision"

	"github.com/xuri/excelize/v2"
)

// tiedOut is what the JSON of tieout says, as far as these tests look at it.
type tiedOut struct {
	Rows     int
	Totals   map[string]string
	Findings []finding.Finding
	Sources  []struct {
		Source     string
		Rows       int
		Totals     map[string]string
		HashTotals map[string]string `json:"hash_totals"`
		Distinct   map[string]int
	}
}

// of returns the first finding of a kind.
func (o *tiedOut) of(t *testing.T, kind finding.Kind) finding.Finding {
	t.Helper()
	at := slices.IndexFunc(o.Findings, func(f finding.Finding) bool { return f.Kind == kind })
	if at < 0 {
		t.Fatalf("there is no finding of kind %s among %+v", kind, o.Findings)
	}
	return o.Findings[at]
}

func tieOutJSON(t *testing.T, dir string, args ...string) (*tiedOut, int) {
	t.Helper()
	stdout, stderr, code := runProgram(t, dir, "", append([]string{"tieout", "--json"}, args...)...)
	var o tiedOut
	if err := json.Unmarshal([]byte(stdout), &o); err != nil {
		t.Fatalf("%v: %s", err, stderr)
	}
	return &o, code
}

const planOfDemo = "lastblock-demo/lastblock.toml"

// agreed takes what keeps the tie-out of the demo from agreeing as good to know.
var agreed = []string{"--severity", "control-total=note,unbalanced=note,row-count=note,not-filed=note"}

// Beside the plan, a decision counts for every command that uses the plan.
func TestDecisionsLieBesideThePlan(t *testing.T) {
	dir := demoFolder(t)
	before, code := tieOutJSON(t, dir, "--plan", planOfDemo)
	if code != ExitStop {
		t.Fatalf("the demo ends with %d", code)
	}
	var stops []string
	for _, f := range before.Findings {
		if f.Stops() {
			stops = append(stops, f.ID)
		}
	}
	args := append(append([]string{"decide"}, stops...), "--accept", "--reason", "all known", "--plan", planOfDemo,
		"--json")
	stdout, stderr, code := runProgram(t, dir, "", args...)
	var document struct {
		Command   string
		File      string
		Decisions []map[string]any
	}
	if err := json.Unmarshal([]byte(stdout), &document); err != nil || code != ExitDone ||
		len(document.Decisions) != len(stops) {
		t.Fatalf("decide ends with %d: %s%s", code, stdout, stderr)
	}
	if filepath.ToSlash(document.File) != "lastblock-demo/decisions.csv" || document.Decisions[0]["id"] != stops[0] ||
		document.Decisions[0]["user"] == "" {
		t.Errorf("decided: %+v", document)
	}
	after, code := tieOutJSON(t, dir, "--plan", planOfDemo)
	if code != ExitDone {
		t.Errorf("with everything accepted tieout ends with %d", code)
	}
	for _, f := range after.Findings {
		if f.Severity == finding.Stop && f.Accepted != "all known" {
			t.Errorf("%s is accepted for %q", f.ID, f.Accepted)
		}
	}
	if _, _, code := runProgram(t, dir, "", "intake", "--plan", planOfDemo); code != ExitDone {
		t.Errorf("intake ends with %d", code)
	}
	// The demo's folder is still the demo's, and the file is no source.
	if _, stderr, code := runProgram(t, dir, "", "demo"); code != ExitDone {
		t.Errorf("demo ends with %d: %s", code, stderr)
	}
	stdout, _, code = runProgram(t, dir, "", "decide", "--plan", planOfDemo)
	if code != ExitDone || strings.Count(stdout, "all known") != len(stops) {
		t.Errorf("shown: %s", stdout)
	}
}

// Without anything that was remembered, a finding is looked up in a file of
// findings, or by tying out the plan once more.
func TestFindingsAreLookedUp(t *testing.T) {
	dir := demoFolder(t)
	before, _ := tieOutJSON(t, dir, "--plan", planOfDemo, "--findings", "found.csv")
	id := before.of(t, finding.NotFiled).ID
	t.Setenv("XDG_CACHE_HOME", "/nowhere/at/all")
	forgetful := func(args ...string) (string, int) {
		cache := filepath.Join(filepath.Dir(builtProgram), "cache")
		if err := os.RemoveAll(cache); err != nil {
			t.Fatal(err)
		}
		_, stderr, code := runProgram(t, dir, "", args...)
		return stderr, code
	}
	for _, c := range []struct {
		rule string
		args []string
		says string // "" where it is done
	}{
		{"in a file of findings", []string{"--findings", "found.csv", "--decisions", "d1.csv"}, ""},
		{"by the plan", []string{"--plan", planOfDemo, "--decisions", "d2.csv"}, ""},
		{"nowhere", []string{"--decisions", "d3.csv"},
			"run tieout or doubles first, or say where to look with --plan or --findings FILE"},
		{"in a file that is none", []string{"--findings", "lastblock-demo/control.csv", "--decisions", "d3.csv"},
			"this is no file of findings"},
		{"in a file that is not there", []string{"--findings", "gone.csv", "--decisions", "d3.csv"}, "gone.csv"},
	} {
		stderr, code := forgetful(append([]string{"decide", id, "--accept", "--reason", "next week"}, c.args...)...)
		if (code == ExitDone) != (c.says == "") || !strings.Contains(stderr, c.says) {
			t.Errorf("%s: it ends with %d: %s", c.rule, code, stderr)
		}
	}
	for _, file := range []string{"d1.csv", "d2.csv"} {
		log, err := decision.Read(filepath.Join(dir, file))
		if err != nil || len(log.Decisions) != 1 || log.Decisions[0].ID != id ||
			log.Decisions[0].Kind != finding.NotFiled || log.Decisions[0].Source != "larkspur 2031-03" {
			t.Errorf("%s has %+v, %v", file, log, err)
		}
	}
	if _, err := os.Stat(filepath.Join(dir, "d3.csv")); err == nil {
		t.Error("a decision about nothing was written")
	}
}

// What one user has found is kept for no longer than it is of use, and for
// nobody else to read.
func TestWhatIsRememberedIsPruned(t *testing.T) {
	cache := t.TempDir()
	t.Setenv("XDG_CACHE_HOME", cache)
	t.Setenv("HOME", cache)
	for i := range recentKept + 5 {
		remember([]string{fmt.Sprint("path ", i)},
			[]finding.Finding{{ID: fmt.Sprint("id", i), Severity: finding.Stop}, {ID: "note", Severity: finding.Note}})
		time.Sleep(2 * time.Millisecond) // files have to differ in age
	}
	have := recalled()
	if len(have) != recentKept || have[0].ID != fmt.Sprint("id", recentKept+4) {
		t.Errorf("%d findings are kept, the newest is %+v", len(have), have[0])
	}
	folder, err := os.UserCacheDir()
	if err != nil {
		t.Fatal(err)
	}
	files, err := os.ReadDir(filepath.Join(folder, recentFolder))
	if err != nil || len(files) != recentKept {
		t.Errorf("%d files are kept, %v", len(files), err)
	}
	for _, file := range files {
		if info, err := file.Info(); err != nil || info.Mode().Perm()&0o077 != 0 {
			t.Errorf("%s is readable for others: %v", file.Name(), err)
		}
	}
}

// What one command has found is not forgotten for another one on the same files.
func TestEachCommandIsRemembered(t *testing.T) {
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, "a.csv"), []byte("k,v\nA,1\nB\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	o, _ := tieOutJSON(t, dir, "a.csv", "--balance", "v=0")
	for _, command := range []string{"intake", "gauge", "collate"} {
		if _, stderr, code := runProgram(t, dir, "", command, "a.csv"); code != ExitDone {
			t.Fatalf("%s ends with %d: %s", command, code, stderr)
		}
	}
	if _, stderr, code := runProgram(t, dir, "", "decide", o.of(t, finding.Unbalanced).ID, "--accept", "--reason",
		"known", "--decisions", "d.csv"); code != ExitDone {
		t.Errorf("it ends with %d: %s", code, stderr)
	}
}

// Every finding is in the file of findings, which is no source, and is written
// over only if that is asked for.
func TestFileOfFindings(t *testing.T) {
	dir := demoFolder(t)
	args := []string{"tieout", "--plan", planOfDemo, "--findings", "lastblock-demo/results/found.csv"}
	if _, stderr, code := runProgram(t, dir, "", args...); code != ExitStop {
		t.Fatalf("it ends with %d: %s", code, stderr)
	}
	file, err := os.Open(filepath.Join(dir, "lastblock-demo/results/found.csv"))
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	lines, err := csv.NewReader(file).ReadAll()
	document, _ := tieOutJSON(t, dir, "--plan", planOfDemo)
	if err != nil || len(lines) != len(document.Findings)+1 {
		t.Errorf("%d lines for %d findings, %v", len(lines), len(document.Findings), err)
	}
	for i, f := range document.Findings {
		if lines[i+1][0] != f.ID || lines[i+1][2] != string(f.Kind) {
			t.Errorf("line %d is %q, want %s", i+2, lines[i+1], f.ID)
		}
	}
	if _, stderr, code := runProgram(t, dir, "", args...); code != ExitNotDone ||
		!strings.Contains(stderr, "--replace overwrites it") {
		t.Errorf("it ends with %d: %s", code, stderr)
	}
	if _, stderr, code := runProgram(t, dir, "", "tieout", "--plan", planOfDemo, "--findings",
		"lastblock-demo/journals/found.csv"); code != ExitNotDone || !strings.Contains(stderr, "among the sources") {
		t.Errorf("it ends with %d: %s", code, stderr)
	}
	if _, stderr, code := runProgram(t, dir, "", "tieout", "--plan", planOfDemo, "--findings",
		"found.doc"); code != ExitNotDone ||
		!strings.Contains(stderr, "--findings found.doc: the ending tells the format") {
		t.Errorf("it ends with %d: %s", code, stderr)
	}
}

// A covering sheet declares its workbook, for a plan as for flags, and is a
// source for no command.
func TestCoveringSheet(t *testing.T) {
	dir := t.TempDir()
	book := excelize.NewFile()
	if _, err := book.NewSheet("Cover"); err != nil {
		t.Fatal(err)
	}
	for cell, value := range map[string]any{"A1": "Eskerby", "A3": "Number of lines", "C3": 3, "A4": "Sum debit",
		"A5": 3.7, "B7": "hash_account", "C7": 30} {
		if err := book.SetCellValue("Cover", cell, value); err != nil {
			t.Fatal(err)
		}
	}
	for i, row := range [][]any{{"account", "debit"}, {"10", 1.5}, {"20", 2.25}} {
		if err := book.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row); err != nil {
			t.Fatal(err)
		}
	}
	if err := book.SaveAs(filepath.Join(dir, "eskerby.xlsx")); err != nil {
		t.Fatal(err)
	}
	labels := "Number of lines=rows,Sum debit=debit"
	o, code := tieOutJSON(t, dir, "eskerby.xlsx", "--declared-sheet", "Cover", "--declared-label", labels)
	if code != ExitStop || o.Rows != 2 || o.Totals["debit"] != "3.75" || o.Sources[0].HashTotals["account"] != "30" ||
		len(o.Findings) != 2 {
		t.Errorf("it ends with %d: %+v", code, o)
	}
	rows, total := o.of(t, finding.RowCount), o.of(t, finding.ControlTotal)
	if rows.Expected != "3" || rows.Difference != "-1" || total.Difference != "0.05" ||
		!strings.HasSuffix(total.Message, "declared in eskerby.xlsx, sheet Cover") {
		t.Errorf("findings are %+v", o.Findings)
	}
	if o, code := tieOutJSON(t, dir, "eskerby.xlsx", "--declared-sheet", "Cover", "--declared-label", labels,
		"--tolerance", "debit=0.05", "--tolerance-rows", "1"); code != ExitDone {
		t.Errorf("within its tolerances it ends with %d: %+v", code, o.Findings)
	}
	plan := "version = 1\n[read]\npaths = [\"eskerby.xlsx\"]\ndeclared-sheet = \"Cover\"\n[tieout]\ndeclared-label " +
		"= [\"Number of lines=rows\"]\n"
	if err := os.WriteFile(filepath.Join(dir, "lastblock.toml"), []byte(plan), 0o644); err != nil {
		t.Fatal(err)
	}
	if o, _ := tieOutJSON(t, dir, "--plan", "lastblock.toml"); o.of(t, finding.RowCount).Expected != "3" {
		t.Errorf("by the plan: %+v", o)
	}
	if stdout, stderr, code := runProgram(t, dir, "", "collate", "--plan", "lastblock.toml", "--severity",
		"row-count=note", "--bare"); code != ExitDone || stdout != "account,debit\n10,1.5\n20,2.25\n" {
		t.Errorf("collate ends with %d: %s%s", code, stdout, stderr)
	}
	if _, stderr, code := runProgram(t, dir, "", "tieout", "eskerby.xlsx", "--sheet", "Sheet1", "--declared-label",
		labels); code != ExitNotDone || !strings.Contains(stderr, "add --declared-sheet NAME") {
		t.Errorf("it ends with %d: %s", code, stderr)
	}
	if _, stderr, code := runProgram(t, dir, "", "tieout", "eskerby.xlsx", "--declared-sheet", "Cover",
		"--declared-label", "Pages=rows"); code != ExitNotDone ||
		!strings.Contains(stderr, `sheet Cover: no figure stands beside or below "Pages"`) {
		t.Errorf("it ends with %d: %s", code, stderr)
	}
}

func TestSpreadEquals(t *testing.T) {
	for given, want := range map[string]string{
		"prove a b --equals c":                      "prove a b --equals c",
		"prove a --equals c d e --json":             "prove a --equals c --equals d --equals e --json",
		"prove --equals c d --first 3":              "prove --equals c --equals d --first 3",
		"prove a --equals c --equals d e":           "prove a --equals c --equals d --equals e",
		"prove a --json --equals - x":               "prove a --json --equals - --equals x",
		"tieout a --balance debit=credit --total v": "tieout a --balance debit=credit --total v",
	} {
		if got := strings.Join(spreadPaths(strings.Fields(given)), " "); got != want {
			t.Errorf("%q becomes %q, want %q", given, got, want)
		}
	}
}

func TestSafeNames(t *testing.T) {
	for value, want := range map[string]string{
		"0100": "0100", "Zürich": "Zürich", "a/b\\c:d": "a_b_c_d", "": "blank", "  ": "blank", "..": "blank",
		".hidden": "hidden",
		"a b":     "a_b", "x\x00y": "x_y", "\xff": "_", strings.Repeat("ü", 100): strings.Repeat("ü", 40),
		"v1.2-x+y": "v1.2-x+y",
	} {
		if got := safeName(value); got != want {
			t.Errorf("%q becomes %q, want %q", value, got, want)
		}
	}
}

// Messages name options as flags, in whatever they stand: a finding that the plan is run for once
// more, since nobody remembers it, and what a draft passes over.
func TestMessagesNameFlags(t *testing.T) {
	dir, elsewhere := t.TempDir(), t.TempDir()
	for name, text := range map[string]string{
		"in/d_2031-01.csv": "d,v\n01/02/2031,1\n", "in/h_2031-01.csv": "d,v\n2031-01-05,2\n",
		"lastblock.toml": "version = 1\n[read]\npaths = [\"in\"]\nas = [\"d=date\"]\n",
	} {
		path := filepath.Join(dir, name)
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	plan := filepath.Join(dir, "lastblock.toml")
	printed, _, _ := runProgram(t, dir, "", "tieout", "--plan", plan)
	id := regexp.MustCompile(`column d  id ([0-9a-z]{8})`).FindStringSubmatch(printed)
	if id == nil {
		t.Fatalf("tieout prints no id:\n%s", printed)
	}
	for _, c := range []struct {
		args []string
		want string
	}{
		{[]string{"decide", id[1], "--accept", "--reason", "known", "--plan", plan}, "say it with --as d=date:dmy"},
		{[]string{"draft", filepath.Join(dir, "in"), "--skip", "h*"}, "(matched by --skip)"},
		{[]string{"tieout", filepath.Join(dir, "in"), "--skip", "h*"}, "matched by --skip"},
		{[]string{"tieout", dir}, "folder; --recurse reads what is below it"},
	} {
		stdout, stderr, _ := runProgram(t, elsewhere, "", c.args...)
		if !strings.Contains(stdout+stderr, c.want) || strings.ContainsAny(stdout+stderr, "⟨⟩") {
			t.Errorf("%v says\n%s%s\nwant %q in it", c.args, stdout, stderr, c.want)
		}
	}
}
