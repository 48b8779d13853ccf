package cli

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/xuri/excelize/v2"
)

// branchPlan reads what branches send into a folder.
const branchPlan = `version = 1
[read]
paths = ["in"]
name = "{entity}_{period}"
[tieout]
total = "amount"
`

// byEntity is a result by entity, with more settings behind it.
func byEntity(name, more string) string {
	return "[[rollup]]\nname = \"" + name + "\"\nby = \"entity\"\nsum = \"amount\"\nout = \"" + name + ".csv\"\n" + more
}

// monthOf makes a folder with a plan and files, and returns it with what runs the program there.
func monthOf(t *testing.T, plan string, files map[string]string) (string, func(want int, args ...string) string) {
	t.Helper()
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{"lastblock.toml": plan})
	writeFiles(t, dir, files)
	return dir, planned(t, dir)
}

// quietly closes a period.
func quietly(period string, more ...string) []string {
	return append([]string{"close", "--quiet", "--user", "anna", "--period", period}, more...)
}

// holds wants a text of each file of a folder.
func holds(t *testing.T, dir string, want map[string]string) {
	t.Helper()
	for name, text := range want {
		data, err := os.ReadFile(filepath.Join(dir, name))
		if err != nil {
			t.Error(err)
		} else if string(data) != text {
			t.Errorf("%s is\n%s\nwant\n%s", name, data, text)
		}
	}
}

// says wants texts in what was said.
func says(t *testing.T, said string, want ...string) {
	t.Helper()
	for _, text := range want {
		if !strings.Contains(squeezed(said), squeezed(text)) {
			t.Errorf("it does not say %q but\n%s", text, said)
		}
	}
}

// findingOf is the id of a finding of a command.
func findingOf(t *testing.T, run func(int, ...string) string, code int, command, kind string) string {
	t.Helper()
	var o struct{ Findings []struct{ ID, Kind string } }
	if err := json.NewDecoder(strings.NewReader(run(code, command, "--json", "--quiet"))).Decode(&o); err != nil {
		t.Fatal(err)
	}
	for _, f := range o.Findings {
		if f.Kind == kind {
			return f.ID
		}
	}
	t.Fatalf("%s finds no %s: %+v", command, kind, o)
	return ""
}

// hashOf is the SHA-256 of a file.
func hashOf(t *testing.T, path string) string {
	t.Helper()
	data, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// zipped packs files.
func zipped(t *testing.T, path string, method uint16, files ...[2]string) {
	t.Helper()
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for _, f := range files {
		entry, err := w.CreateHeader(&zip.FileHeader{Name: f[0], Method: method})
		if err != nil {
			t.Fatal(err)
		}
		entry.Write([]byte(f[1]))
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(path, b.Bytes(), 0o644); err != nil {
		t.Fatal(err)
	}
}

// What is an amount stays that amount, and what is left out stays out, whatever a result makes of its records.
func TestAResultsOwnShapeReadsNothingAgain(t *testing.T) {
	plan := strings.Replace(branchPlan, "[tieout]", "as = [\"price=amount\"]\ndecimal = \",\"\n[tieout]", 1)
	plan = strings.Replace(plan, `total = "amount"`, `total = "price"`, 1) + "[doubles]\n"
	for name, more := range map[string]string{
		"plain": "", "made": "make = [\"x=1\"]\n", "less": "drop = [\"text\"]\n",
		"some": "where = 'text == \"fare\"'\n",
		"all":  "make = [\"text=upperAscii(text)\", \"half=price / 2\"]\ndrop = [\"doc\"]\nwhere = 'half > 0.1'\n",
	} {
		plan += strings.ReplaceAll(byEntity(name, more), `"amount"`, `"price"`)
	}
	plan += "[[collate]]\nname = \"records\"\ntotal = \"price\"\nmake = [\"x=1\"]\nout = \"records.csv\"\n"
	dir, run := monthOf(t, plan, map[string]string{
		"in/ash_2031-01.csv":   "doc;price;text\nA1;1,459;fare\nA2;3,011;fare\n",
		"in/birch_2031-01.csv": "doc;price;text\nB1;597,96;fare\nB1;597,96;fare\nB2;2,00;fare\n",
	})
	// 1.459 + 3.011 = 4.470, and 597.96 twice and 2.00 = 1,197.92, of which one 597.96 is left out
	run(ExitDone, "decide", findingOf(t, run, ExitDone, "doubles", "same-record"), "--drop", "B", "--reason", "twice",
		"--user", "anna", "--yes")
	closed := run(ExitDone, quietly("2031-01")...)
	says(t, closed, "records 5 4 0 1", "price 1,202.390 604.430 0 597.96")
	const want = "entity,price,records\nash,4.470,2\nbirch,599.96,2\nTotal,604.430,4\n"
	holds(t, dir, map[string]string{"plain.csv": want, "made.csv": want, "less.csv": want, "some.csv": want,
		"all.csv": want})
	says(t, run(ExitDone, "verify", "--sources"), "untouched")
	for _, args := range [][]string{
		{"rollup", "--named", "plain", "--make", "z=price", "--out", "z.csv"}, {"collate", "--drop", "doc", "--out",
			"c.csv"},
	} {
		says(t, run(ExitDone, args...), "1,202.390 604.430 0 597.96")
	}
	holds(t, dir, map[string]string{"z.csv": want})
}

// What a month takes of forms keeps to its period, as of records; who has sent none is missed.
func TestFormsKeepToThePeriod(t *testing.T) {
	form := func(figure string) string { return "line,q1\nrent," + figure + "\n" }
	records := func(doc string) string { return "doc,amount\n" + doc + ",1.00\n" }
	for of, want := range map[string][2]string{
		"":                   {"rent,12", "rent,312"}, // 1 + 11, and 100 + 200 of February
		"of = \"all\"\n":     {"rent,12", "rent,312"},
		"of = \"period\"\n":  {"rent,12", "rent,300"},
		"named in read, too": {"rent,12", "rent,312"},
	} {
		plan, set := branchPlan+"roster = \"roster.csv\"\n", of
		paths := "paths = [\"forms\"]\n"
		if !strings.Contains(of, "of = ") {
			set = ""
		}
		if of == "named in read, too" { // the forms are the sources
			plan = strings.Replace(branchPlan, `paths = ["in"]`, `paths = ["forms"]`, 1)
			plan = strings.Replace(plan, "[tieout]\ntotal = \"amount\"\n", "[tieout]\nroster = \"roster.csv\"\n", 1)
			paths = ""
		}
		dir, run := monthOf(t, plan+"[[overlay]]\nname = \"grid\"\nout = \"results/{period}/grid.csv\"\n"+paths+set,
			map[string]string{
				"roster.csv":       "entity\nash\nbirch\n",
				"in/a.txt":         "",
				"forms/.gitignore": "",
			})
		os.Remove(filepath.Join(dir, "in/a.txt"))
		for _, s := range []string{"ash_2031-01", "birch_2031-01", "ash_2031-02", "birch_2031-02"} {
			writeFiles(t, dir, map[string]string{"in/" + s + ".csv": records(s)})
		}
		writeFiles(t, dir, map[string]string{"forms/ash_2031-01.csv": form("1"), "forms/birch_2031-01.csv": form("11"),
			"forms/ash_2031-02.csv": form("100")})
		os.Remove(filepath.Join(dir, "forms/.gitignore"))
		said := run(ExitDone, quietly("2031-01")...)
		says(t, said, "ash_2031-02.csv")
		grid := func(period, want string) {
			t.Helper()
			data, err := os.ReadFile(filepath.Join(dir, "results", period, "grid.csv"))
			if err != nil || !strings.Contains(string(data), want+"\n") {
				t.Errorf("%q: the grid of %s is %s, want %s: %v", of, period, data, want, err)
			}
		}
		grid("2031-01", want[0])
		says(t, run(ExitStop, quietly("2031-02")...), "not-filed birch 2031-02") // with no form
		writeFiles(t, dir, map[string]string{"forms/birch_2031-02.csv": form("200")})
		run(ExitDone, quietly("2031-02")...)
		grid("2031-02", want[1])
		run(ExitDone, quietly("2031-01", "--restate", "--reason", "again")...)
		grid("2031-01", want[0])
	}
}

// A declaration goes with its source, also where files of later periods are passed over.
func TestDeclarationsGoWithTheirSource(t *testing.T) {
	_, run := monthOf(t, branchPlan+"declared = \"{source}.ctl\"\n"+byEntity("sums", ""), map[string]string{
		"in/ash_2031-01.csv":   "doc,amount\nA1,1.00\n",
		"in/ash_2031-01.ctl":   "rows,1\namount,1.00\n",
		"in/ash_2031-02.csv":   "doc,amount\nA2,1.00\nA3,1.00\n",
		"in/ash_2031-02.ctl":   "rows,2\namount,2.00\n",
		"in/birch_2031-01.csv": "doc,amount\nB1,1.00\nB2,1.00\nB3,1.00\n",
		"in/birch_2031-01.ctl": "rows,1\namount,3.00\n",
		"in/cedar_2031-01.csv": "doc,amount\nC1,1.00\n",
		"in/cedar_2031-01.ctl": "rows,1\namount,1.00\n",
	})
	said := run(ExitStop, quietly("2031-01")...)
	says(t, said, "row-count birch_2031-01.csv", "declared 1 row, 3 arrived: 2 too many")
	if strings.Count(said, "declared ") != 2 /* once in this finding, and where */ {
		t.Errorf("others are said to differ as well:\n%s", said)
	}
}

// A close hashes what it reads: a file that was changed in place, with its size and time as they were, is noticed, as
// source and as reference.
func TestAHashThatWasKeptIsNotSealed(t *testing.T) {
	dir, run := monthOf(t, branchPlan+byEntity("sums", "")+"[attach]\nfrom = \"books.csv\"\nkey = \"entity\"\n"+
		"bring = \"text\"\nout = \"named.csv\"\n", map[string]string{
		"in/ash_2031-01.csv": "doc,amount\nA1,1.00\n", "books.csv": "entity,amount,text\nash,1.00,x\n",
	})
	past := time.Now().Add(-time.Hour)
	keep := func() {
		for _, name := range []string{"in/ash_2031-01.csv", "books.csv"} {
			if err := os.Chtimes(filepath.Join(dir, name), past, past); err != nil {
				t.Fatal(err)
			}
		}
	}
	keep()
	run(ExitDone, quietly("2031-01")...)
	run(ExitDone, "changes")
	writeFiles(t, dir, map[string]string{"in/ash_2031-01.csv": "doc,amount\nA1,7.00\n",
		"books.csv":          "entity,amount,text\nash,1.00,y\n",
		"in/ash_2031-02.csv": "doc,amount\nA2,-6.00\n"})
	keep()
	says(t, run(ExitStop, "changes"), "ash_2031-01.csv")
	says(t, run(ExitStop, quietly("2031-02")...), "closed-period-changed ash_2031-01.csv")
	run(ExitDone, "decide", "--kind", "closed-period-changed", "--accept", "--reason", "known", "--user", "anna",
		"--yes")
	run(ExitDone, quietly("2031-02")...)
	for _, f := range []string{"in/ash_2031-01.csv", "books.csv"} {
		data, err := os.ReadFile(filepath.Join(dir, "blocks", "0002-2031-02.json"))
		if hash := hashOf(t, filepath.Join(dir, f)); err != nil || !strings.Contains(string(data), hash) {
			t.Errorf("block 2 has not sealed the hash of %s, %s: %v", f, hash, err)
		}
	}
	run(ExitDone, "verify", "--sources")
}

// A file that is called another entity's is no move, and its figures go from the one to the other in the bridge.
func TestAMoveKeepsEntityAndPeriod(t *testing.T) {
	dir, run := monthOf(t, branchPlan+byEntity("sums", ""), map[string]string{
		"in/ash_2031-01.csv": "doc,amount\nA1,1.00\n", "in/birch_2031-01.csv": "doc,amount\nB1,2.00\n",
	})
	run(ExitDone, quietly("2031-01")...)
	move := func(from, to string) {
		t.Helper()
		if err := os.Rename(filepath.Join(dir, "in", from), filepath.Join(dir, "in", to)); err != nil {
			t.Fatal(err)
		}
	}
	move("ash_2031-01.csv", "dogwood_2031-01.csv")
	says(t, run(ExitStop, quietly("2031-02")...), "closed-period-changed dogwood_2031-01.csv",
		"closed-period-changed ash_2031-01.csv")
	o, code := changesJSON(t, dir)
	var lines []string
	for _, b := range o.Bridges {
		for _, l := range b.Lines {
			lines = append(lines, l.Label+" "+l.Source+" "+l.Amount)
		}
	}
	const gone, come = "gone ash_2031-01.csv -1.00", "new dogwood_2031-01.csv 1.00"
	want := "sealed  3.00, " + come + ", " + gone + ", now  3.00, " + // of all, of ash, and of dogwood
		"sealed  1.00, " + gone + ", now  0.00, sealed  0, " + come + ", now  1.00"
	if got := strings.Join(lines, ", "); code != ExitStop || got != want {
		t.Errorf("changes ends with %d and the lines %q, want %q", code, got, want)
	}
	move("dogwood_2031-01.csv", "ASH_203101.csv") // the same entity and period
	says(t, run(ExitDone, "changes"), "every figure is as it was sealed")
	run(ExitDone, "tieout")
	move("ASH_203101.csv", "ash_2031-02.csv")
	says(t, run(ExitStop, quietly("2031-02")...), "closed-period-changed ash_2031-01.csv")
}

// So does a covering sheet in a workbook.
func TestCoveringSheetsGoWithTheirWorkbook(t *testing.T) {
	plan := strings.Replace(branchPlan, "[tieout]", "sheet = \"Journal\"\ndeclared-sheet = \"Cover\"\n[tieout]", 1)
	dir, run := monthOf(t, plan+byEntity("sums", ""), map[string]string{"in/x": ""})
	os.Remove(filepath.Join(dir, "in/x"))
	for name, rows := range map[string]struct{ there, declared int }{
		"ash_2031-01": {1, 1}, "ash_2031-02": {2, 2}, "birch_2031-01": {3, 1}, "cedar_2031-01": {1, 1},
	} {
		b := excelize.NewFile()
		if err := errors.Join(b.SetSheetName("Sheet1", "Journal"), b.SetSheetRow("Journal", "A1", &[]any{"doc",
			"amount"})); err != nil {
			t.Fatal(err)
		}
		for i := range rows.there {
			if err := b.SetSheetRow("Journal", fmt.Sprint("A", i+2), &[]any{fmt.Sprint(name, i), 1.5}); err != nil {
				t.Fatal(err)
			}
		}
		_, err := b.NewSheet("Cover")
		err = errors.Join(err, b.SetSheetRow("Cover", "A1", &[]any{"rows", rows.declared}),
			b.SetSheetRow("Cover", "A2", &[]any{"amount", 1.5 * float64(rows.there)}),
			b.SaveAs(filepath.Join(dir, "in", name+".xlsx")))
		if err != nil {
			t.Fatal(err)
		}
	}
	said := run(ExitStop, quietly("2031-01")...)
	says(t, said, "row-count birch_2031-01.xlsx", "declared 1 row, 3 arrived: 2 too many")
	if strings.Count(said, "control-total") > 0 || strings.Count(said, "row-count") != 1 {
		t.Errorf("others are said to differ as well:\n%s", said)
	}
}
