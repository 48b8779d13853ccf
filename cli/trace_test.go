package cli

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"
)

// traceOf is what trace says as JSON.
type traceOf struct {
	Result, Column, Amount, Now string
	Block                       struct{ Number int }
	Count                       int
	Sources                     []struct{ Source, Amount, Sealed, Change string }
	Records                     []struct {
		Source, Amount, Account string
		Line                    int
	}
	Aside []struct {
		Source, State string
		Line          int
	}
	Bridge []bridgeLineOf
	Proof  struct{ Read int }
}

func traceJSON(t *testing.T, dir string, args ...string) (o traceOf) {
	t.Helper()
	stdout, stderr, code := runProgram(t, dir, "", append([]string{"trace", "--json", "--quiet"}, args...)...)
	if err := json.Unmarshal([]byte(stdout), &o); err != nil {
		t.Fatalf("trace %s ends with %d: %v\n%s%s", args, code, err, stdout, stderr)
	}
	return o
}

// said is a trace in a line.
func (o *traceOf) said() string {
	text := fmt.Sprintf("%s %s, now %s of %d:", o.Column, o.Amount, o.Now, o.Count)
	for _, r := range o.Records {
		text += fmt.Sprintf(" %s:%d %s", strings.TrimSuffix(r.Source, ".csv"), r.Line, r.Amount)
	}
	for _, l := range o.Bridge {
		text += ", " + strings.Join(strings.Fields(l.Label+" "+l.Source+" "+l.Amount), " ")
	}
	return text
}

const tracePlan = `version = 1
[read]
paths = ["in"]
name = "{entity}_{period}"
[tieout]
total = ["debit", "credit"]
[[rollup]]
name = "by-account"
by = "account"
sum = ["debit", "credit"]
out = "results/{period}/{name}.csv"
[[rollup]]
name = "by-company"
by = "entity"
sum = "debit"
across = "period"
where = 'account != "9999"'
[close]
allow = ["bad-value"]
retain = true
`

func traceFolder(t *testing.T) (dir string) {
	dir = t.TempDir()
	journal := func(lines ...string) string { return "account,debit,credit\n" + strings.Join(lines, "\n") + "\n" }
	writeFiles(t, dir, map[string]string{
		"lastblock.toml":           tracePlan,
		"in/corvane_2031-01.csv":   journal("4000,10.00,0", "4100,0,7.50", "4000,-20.00,0", "9999,3.00,0"),
		"in/corvane_2031-02.csv":   journal("4000,1.00,0", "4000,x,0"),
		"in/eskerby_2031-01.csv":   journal("4100,0,2.25"),
		"in/eskerby_2031-02.csv":   journal("4000,5.00,0", "4100,0,0.25"),
		"in/dunmarrow_2031-01.csv": journal("4200,8.00,0"),
		"in/dunmarrow_2031-02.csv": journal("4200,9.00,0"),
	})
	for _, period := range []string{"2031-01", "2031-02"} {
		stdout, stderr, code := runProgram(t, dir, "", "close", "--quiet", "--user", "anna", "--period", period)
		if code != ExitDone {
			t.Fatalf("close ends with %d: %s%s", code, stdout, stderr)
		}
	}
	return dir
}

// The records of a figure come to it, and of sealed sources those alone are read that gave something or have
// records that are not used.
func TestTraceOfSealedFigures(t *testing.T) {
	dir := traceFolder(t)
	for _, c := range []struct {
		args []string
		want string
		read int
	}{
		{[]string{"account=4000"}, "debit -4.00, now -4.00 of 4: corvane_2031-01:4 -20.00 corvane_2031-01:2 10.00 " +
			"eskerby_2031-02:2 5.00 corvane_2031-02:2 1.00", 8},
		{[]string{"account=4000", "period=2031-02"}, "debit 6.00, now 6.00 of 2: eskerby_2031-02:2 5.00 " +
			"corvane_2031-02:2 1.00", 4},
		{[]string{"account=4100"}, "credit 10.00, now 10.00 of 3: corvane_2031-01:3 7.50 eskerby_2031-01:2 2.25 " +
			"eskerby_2031-02:3 0.25", 9},
		{[]string{"account=4100", "--top", "1"}, "credit 10.00, now 10.00 of 3: corvane_2031-01:3 7.50", 9},
		{[]string{"account=4100", "--block", "1"}, "credit 9.75, now 9.75 of 2: corvane_2031-01:3 7.50 " +
			"eskerby_2031-01:2 2.25", 5},
		{[]string{"entity=corvane", "--named", "by-company"}, "debit -9.00, now -9.00 of 4: corvane_2031-01:4 -20.00 " +
			"corvane_2031-01:2 10.00 corvane_2031-02:2 1.00 corvane_2031-01:3 0", 6},
		{[]string{"results/2031-02/by-company.xlsx", "entity=corvane", "period=2031-02"},
			"debit 1.00, now 1.00 of 1: corvane_2031-02:2 1.00", 6},
		{[]string{"results/2031-01/by-account.csv", "account=4200"}, "debit 8.00, now 8.00 of 1: " +
			"dunmarrow_2031-01:2 8.00",
			1},
	} {
		o := traceJSON(t, dir, c.args...)
		if got := o.said(); got != c.want || o.Proof.Read != c.read || o.Block.Number == 0 {
			t.Errorf("%s: %s, %d records read\nwant: %s, %d", c.args, got, o.Proof.Read, c.want, c.read)
		}
	}
	o := traceJSON(t, dir, "account=4000")
	if len(o.Aside) != 1 || o.Aside[0].Source != "corvane_2031-02.csv" || o.Aside[0].Line != 3 ||
		o.Aside[0].State != "suspense" {
		t.Errorf("aside is %+v", o.Aside)
	}
	// the account that the condition of the result leaves out is none of its
	if o := traceJSON(t, dir, "entity=corvane", "--named", "by-company"); len(o.Aside) != 1 || o.Aside[0].Line != 3 {
		t.Errorf("aside of by-company is %+v", o.Aside)
	}
}

// A figure of which all sources are gone has its bridge, and names no other sources that have changed.
func TestTraceOfWhatIsGone(t *testing.T) {
	dir := traceFolder(t)
	for _, name := range []string{"in/dunmarrow_2031-01.csv", "in/dunmarrow_2031-02.csv"} {
		if err := os.Remove(filepath.Join(dir, name)); err != nil {
			t.Fatal(err)
		}
	}
	writeFiles(t, dir, map[string]string{"in/eskerby_2031-01.csv": "account,debit,credit\n4100,0,2.50\n"})
	o := traceJSON(t, dir, "account=4200")
	if want := "debit 17.00, now 0 of 0:, sealed 17.00, gone dunmarrow_2031-01.csv -8.00, gone dunmarrow_2031-02.csv " +
		"-9.00, now 0"; o.said() != want || len(o.Sources) != 2 {
		t.Errorf("it is %s of %+v", o.said(), o.Sources)
	}
}

// Where something has changed since, a bridge leads from the figure as it was sealed, or as a file has it that was
// handed out, to what it is now.
func TestTraceOfAFigureThatChanged(t *testing.T) {
	dir := traceFolder(t)
	handed := filepath.Join(t.TempDir(), "handed.xlsx")
	resave(t, filepath.Join(dir, "results/2031-02/by-company.xlsx"), handed, "", 0)
	edited := filepath.Join(t.TempDir(), "edited.xlsx")
	resave(t, handed, edited, "C2", 1.25) // corvane in February
	writeFiles(t, dir, map[string]string{
		"in/corvane_2031-01.csv":    "account,debit,credit\n4000,10.00,0\n4100,0,7.50\n4000,-25.00,0\n9999,3.00,0\n",
		"in/fallowmere_2031-02.csv": "account,debit,credit\n4000,0.50,0\n",
		"in/fallowmere_2031-03.csv": "account,debit,credit\n4000,700.00,0\n",
	})
	if err := os.Remove(filepath.Join(dir, "in/eskerby_2031-02.csv")); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		args []string
		want string
	}{
		{[]string{"account=4000", "--top", "1"}, "debit -4.00, now 686.50 of 5: fallowmere_2031-03:2 700.00, " +
			"sealed -4.00, new fallowmere_2031-02.csv 0.50, new fallowmere_2031-03.csv 700.00, changed " +
			"corvane_2031-01.csv -5.00, gone eskerby_2031-02.csv -5.00, now 686.50"},
		{[]string{"account=4000", "--top", "1", "--block", "2"}, "debit -4.00, now -13.50 of 4: " +
			"corvane_2031-01:4 -20.00, sealed -4.00, new fallowmere_2031-02.csv 0.50, changed corvane_2031-01.csv " +
			"-5.00, gone eskerby_2031-02.csv -5.00, now -13.50"},
		{[]string{"account=4000", "--top", "3", "--block", "2"}, "debit -4.00, now -13.50 of 4: " +
			"corvane_2031-01:4 -20.00 corvane_2031-01:2 10.00 eskerby_2031-02:2 5.00, sealed -4.00, new " +
			"fallowmere_2031-02.csv 0.50, changed corvane_2031-01.csv -5.00, " +
			"gone eskerby_2031-02.csv -5.00, now -13.50"},
		{[]string{handed, "entity=corvane", "--plan", "lastblock.toml", "--top", "1"}, "debit -9.00, " +
			"now -14.00 of 4: " +
			"corvane_2031-01:4 -25.00, sealed -9.00, changed corvane_2031-01.csv -5.00, now -14.00"},
		{[]string{edited, "entity=corvane", "period=2031-02", "--plan", "lastblock.toml", "--top", "1"},
			"debit 1.25, now 1.00 of 1: corvane_2031-02:2 1.00"},
	} {
		o := traceJSON(t, dir, c.args...)
		if got := o.said(); got != c.want {
			t.Errorf("%s: %s\nwant: %s", c.args, got, c.want)
		}
	}
}

// resave opens a workbook and saves it again, as an office program does, with a cell changed by hand, "" for none.
func resave(t *testing.T, from, to, cell string, value float64) {
	t.Helper()
	book, err := excelize.OpenFile(from)
	if err != nil {
		t.Fatal(err)
	}
	defer book.Close()
	if cell != "" {
		if err := book.SetCellFloat(book.GetSheetName(0), cell, value, 2, 64); err != nil {
			t.Fatal(err)
		}
	}
	if err := book.SaveAs(to); err != nil {
		t.Fatal(err)
	}
}

// Records of bare paths are found by words and conditions, and written to a file with their places.
func TestTraceOfPaths(t *testing.T) {
	dir := traceFolder(t)
	_, stderr, code := runProgram(t, dir, "", "trace", "in", "--where", "debit < 9", "--sum", "debit", "account=4000",
		"--out", "found.csv")
	written, err := os.ReadFile(filepath.Join(dir, "found.csv"))
	if want := "account,debit,credit,source,source_line\n4000,-20.00,0,corvane_2031-01.csv,4\n4000,5.00,0," +
		"eskerby_2031-02.csv,2\n4000,1.00,0,corvane_2031-02.csv,2\n"; err != nil || string(written) != want {
		t.Errorf("it ends with %d, and the file is %s: %v %s", code, written, err, stderr)
	}
	for _, c := range []struct {
		args []string
		want string
	}{
		{[]string{"in"}, "--sum: which column?"},
		{[]string{"acount=4000"}, `no source has a column "acount"; did you mean "account"?`},
		{[]string{"account=400"},
			"neither a record nor a group of block 2 has account: unknown value 400; did you mean 4000?"},
		{[]string{"account=4000", "--block", "9"}, "--block: there is no block 9; there are 2"},
		{[]string{"account=4000", "--named", "by-acount"},
			"--named: unknown result by-acount; did you mean by-account?"},
		{[]string{"account=4000", "account=4100"}, "account is said twice"},
	} {
		stdout, stderr, code := runProgram(t, dir, "", append([]string{"trace"}, c.args...)...)
		if code != ExitNotDone || !strings.Contains(stderr, c.want) {
			t.Errorf("%s ends with %d: %s%s", c.args, code, stdout, stderr)
		}
	}
}

// A source that has only got another name gives what it gave, and words that are in no group are looked for in all
// sources.
func TestTraceOfMovedSourcesAndOtherWords(t *testing.T) {
	dir := traceFolder(t)
	move(t, dir, "in/corvane_2031-01.csv", "in/corvane_2031-01_again.csv")
	writeFiles(t, dir, map[string]string{"lastblock.toml": tracePlan}) // as it was, and written anew
	for _, c := range []struct {
		args []string
		want string
		read int
	}{
		{[]string{"account=4000", "--top", "1"}, "debit -4.00, now -4.00 of 4: corvane_2031-01_again:4 -20.00", 8},
		{[]string{"account=4000", "credit=0", "--top", "1"}, "debit -4.00, now -4.00 of 4: " +
			"corvane_2031-01_again:4 -20.00", 11},
		{[]string{"account=4000", "debit=5.00"}, "debit 5.00, now 5.00 of 1: eskerby_2031-02:2 5.00", 11},
	} {
		if o := traceJSON(t, dir, c.args...); o.said() != c.want || o.Proof.Read != c.read {
			t.Errorf("%s: %s, %d records read", c.args, o.said(), o.Proof.Read)
		}
	}
}

// The total of a result without groups is known from the block as well, and a file of records can be asked.
func TestTraceOfRecords(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{
		"lastblock.toml": "version = 1\n[read]\npaths = [\"in\"]\nname = \"{entity}_{period}\"\n[tieout]\n" +
			"[collate]\ntotal = \"debit\"\n",
		"in/a_2031-01.csv": "account,debit\n1,5.00\n2,1.00\n",
		"in/b_2031-01.csv": "account,debit\n1,4.00\n",
	})
	closeJSON(t, dir)
	writeFiles(t, dir, map[string]string{"in/a_2031-01.csv": "account,debit\n1,6.00\n2,1.00\n"})
	for _, c := range []struct {
		args []string
		want string
	}{
		{nil, "debit 10.00, now 11.00 of 3: a_2031-01:2 6.00 b_2031-01:2 4.00 a_2031-01:3 1.00, sealed 10.00, " +
			"changed a_2031-01.csv 1.00, now 11.00"},
		{[]string{"entity=b"}, "debit 4.00, now 4.00 of 1: b_2031-01:2 4.00"},
		{[]string{"results/2031-01/collate.csv", "account=1"}, "debit 9.00, now 10.00 of 2: a_2031-01:2 6.00 " +
			"b_2031-01:2 4.00"},
	} {
		if o := traceJSON(t, dir, c.args...); o.said() != c.want {
			t.Errorf("%s: %s", c.args, o.said())
		}
	}
}
