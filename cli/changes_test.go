package cli

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"math/big"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// changesOf is what changes says as JSON.
type changesOf struct {
	Sources []struct {
		Source, Change, Was         string
		Rows, Rows_before           int
		Totals, Totals_before       map[string]string
		Later                       bool
		Columns_added, Columns_lost []string
	}
	Same                        int
	Plan, References, Decisions bool
	Bridges                     []bridgeOf
	Bridge                      []bridgeLineOf
	Findings                    []struct{ ID, Kind, Source string }
}

type bridgeOf struct {
	Result, Column string
	Group          map[string]string
	Lines          []bridgeLineOf
}

type bridgeLineOf struct{ Label, Source, Amount string }

func changesJSON(t *testing.T, dir string, args ...string) (o changesOf, code int) {
	t.Helper()
	stdout, stderr, code := runProgram(t, dir, "", append([]string{"changes", "--json"}, args...)...)
	if err := json.Unmarshal([]byte(stdout), &o); err != nil {
		t.Fatalf("changes ends with %d: %v\n%s%s", code, err, stdout, stderr)
	}
	for i := range o.Bridges { // each foots
		sum := new(big.Rat)
		for _, line := range o.Bridges[i].Lines[:len(o.Bridges[i].Lines)-1] {
			sum.Add(sum, money(t, line.Amount))
		}
		now := o.Bridges[i].Lines[len(o.Bridges[i].Lines)-1]
		if now.Label != "now" || sum.Cmp(money(t, now.Amount)) != 0 {
			t.Errorf("the bridge %+v does not foot", o.Bridges[i])
		}
	}
	return o, code
}

// lines are those of a bridge, "new x.csv 5.00, …".
func (o *changesOf) lines(result, column string, group map[string]string) string {
	for _, b := range o.Bridges {
		if b.Result == result && b.Column == column && fmt.Sprint(b.Group) == fmt.Sprint(group) {
			var parts []string
			for _, l := range b.Lines {
				parts = append(parts, strings.Join(strings.Fields(l.Label+" "+l.Source+" "+l.Amount), " "))
			}
			return strings.Join(parts, ", ")
		}
	}
	return "no such bridge"
}

const changesPlan = `version = 1
[read]
paths = ["in"]
name = "{entity}_{period}"
[tieout]
total = "debit"
[[rollup]]
name = "by-account"
by = "account"
sum = "debit"
[[rollup]]
name = "by-currency"
by = ["currency", "entity"]
sum = "debit"
across = "period"
[collate]
total = "debit"
`

// journalOf is a journal of account, currency and amount, each line.
func journalOf(lines ...string) string {
	return "account,currency,debit\n" + strings.Join(lines, "\n") + "\n"
}

func zipOf(t *testing.T, entries ...string) string {
	t.Helper()
	var packed bytes.Buffer
	w := zip.NewWriter(&packed)
	for i := 0; i < len(entries); i += 2 {
		f, err := w.Create(entries[i])
		if err == nil {
			_, err = f.Write([]byte(entries[i+1]))
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return packed.String()
}

// Each kind of change is told, and the bridges lead from what was sealed to what the summary is now.
func TestChangesOfEveryKind(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{
		"lastblock.toml":            changesPlan,
		"in/corvane_2031-01.csv":    journalOf("4000,EUR,10.00", "4100,CHF,1.50"),
		"in/dunmarrow_2031-01.csv":  journalOf("4000,EUR,20.00"),
		"in/eskerby_2031-01.csv":    journalOf("4100,CHF,30.00"),
		"in/fallowmere_2031-01.csv": journalOf("4200,EUR,40.00"),
		"in/z.zip": zipOf(t, "alder_2031-01.csv", journalOf("4000,EUR,0.25"),
			"birch_2031-01.csv", journalOf("4000,CHF,0.50")),
		"in/corvane_2031-02.csv": journalOf("4000,EUR,100.00"),
	})
	if o := closeJSON(t, dir, "--period", "2031-01"); o.Verdict != "passed" {
		t.Fatalf("it is %+v", o)
	}
	if o, code := changesJSON(t, dir); code != ExitDone || o.Same != 6 || len(o.Sources) != 1 || !o.Sources[0].Later ||
		o.lines("by-account", "debit", nil) != "sealed 102.25, new corvane_2031-02.csv 100.00, now 202.25" {
		t.Errorf("at first it ends with %d: %+v", code, o)
	}
	writeFiles(t, dir, map[string]string{
		"in/corvane_2031-01.csv": "account,currency,debit,text\n4000,EUR,11.00,x\n4100,CHF,1.50,\n", // changed
		"in/z.zip": zipOf(t, "alder_2031-01.csv", journalOf("4000,EUR,0.25"),
			"birch_2031-01.csv", journalOf("4000,CHF,0.75")),
		"in/dunmarrow_2031-03.csv": journalOf("4300,EUR,7.00"), // new
	})
	if err := os.Rename(filepath.Join(dir, "in", "dunmarrow_2031-01.csv"),
		filepath.Join(dir, "in", "Dunmarrow_2031-01.csv")); err != nil { // moved
		t.Fatal(err)
	}
	if err := os.Remove(filepath.Join(dir, "in", "fallowmere_2031-01.csv")); err != nil { // gone
		t.Fatal(err)
	}
	o, code := changesJSON(t, dir, "--top", "10")
	var got []string
	for _, s := range o.Sources {
		got = append(got, fmt.Sprintf("%s %s %s %d>%d %s>%s %v %v", s.Change, s.Source, s.Was, s.Rows_before, s.Rows,
			s.Totals_before["debit"], s.Totals["debit"], s.Columns_added, s.Later))
	}
	want := []string{
		"new corvane_2031-02.csv  0>1 >100.00 [] true",
		"new dunmarrow_2031-03.csv  0>1 >7.00 [] false",
		"changed corvane_2031-01.csv  2>2 11.50>12.50 [text] false",
		"changed z.zip/birch_2031-01.csv  1>1 0.50>0.75 [] false",
		"moved Dunmarrow_2031-01.csv dunmarrow_2031-01.csv 1>1 20.00>20.00 [] false",
		"gone fallowmere_2031-01.csv  1>0 40.00> [] false",
	}
	if strings.Join(got, "\n") != strings.Join(want, "\n") || o.Same != 2 || code != ExitStop {
		t.Errorf("it ends with %d, %d are the same, and the others are\n%s", code, o.Same, strings.Join(got, "\n"))
	}
	var closed []string
	for _, f := range o.Findings {
		closed = append(closed, f.Kind+" "+f.Source)
	}
	if got := strings.Join(closed, ", "); got != "closed-period-changed corvane_2031-01.csv, closed-period-changed "+
		"z.zip/birch_2031-01.csv, closed-period-changed fallowmere_2031-01.csv" {
		t.Errorf("of closed periods are found %s", got)
	}
	all := "new corvane_2031-02.csv 100.00, new dunmarrow_2031-03.csv 7.00, changed corvane_2031-01.csv 1.00, " +
		"changed z.zip/birch_2031-01.csv 0.25, gone fallowmere_2031-01.csv -40.00, now 170.50"
	for _, c := range []struct {
		result string
		group  map[string]string
		want   string
	}{
		{"by-account", nil, "sealed 102.25, " + all},
		{"collate", nil, "sealed 102.25, " + all},
		{"by-currency", map[string]string{"currency": "CHF"},
			"sealed 32.00, changed z.zip/birch_2031-01.csv 0.25, now 32.25"},
		{"by-currency", map[string]string{"currency": "EUR"}, "sealed 70.25, new corvane_2031-02.csv 100.00, " +
			"new dunmarrow_2031-03.csv 7.00, changed corvane_2031-01.csv 1.00, " +
			"gone fallowmere_2031-01.csv -40.00, now 138.25"},
		{"by-currency", nil, "no such bridge"}, // currencies are not added up
		{"by-account", map[string]string{"account": "4000"}, "sealed 30.75, new corvane_2031-02.csv 100.00, " +
			"changed corvane_2031-01.csv 1.00, changed z.zip/birch_2031-01.csv 0.25, now 132.00"},
		{"by-account", map[string]string{"account": "4200"},
			"sealed 40.00, gone fallowmere_2031-01.csv -40.00, now 0.00"},
		{"by-account", map[string]string{"account": "4100"}, "no such bridge"}, // which has not moved
	} {
		if got := o.lines(c.result, "debit", c.group); got != c.want {
			t.Errorf("the bridge of %s, %v is %s", c.result, c.group, got)
		}
	}
	if fmt.Sprint(o.Bridge) != fmt.Sprint(o.Bridges[0].Lines) {
		t.Errorf("the first bridge is %v", o.Bridge)
	}
	// what the summary comes to, made anew
	stdout, _, _ := runProgram(t, dir, "", "rollup", "--plan", "lastblock.toml", "--named", "by-account", "--anyway")
	if !strings.Contains(stdout, "\nTotal,170.50,") || !strings.Contains(stdout, "\n4000,132.00,") {
		t.Errorf("the summary is now\n%s", stdout)
	}
}

// What decisions and the plan do to sources that are the same has lines of its own.
func TestBridgesOfDecisionsAndThePlan(t *testing.T) {
	dir := t.TempDir()
	others := func(of int) (lines []string) { // that come to nothing, and are many enough for one double to be one
		for i := range 40 {
			lines = append(lines, fmt.Sprintf("%d,EUR,0.00", of+i))
		}
		return lines
	}
	writeFiles(t, dir, map[string]string{
		"lastblock.toml": changesPlan +
			"[doubles]\nkey = [\"account\", \"currency\", \"debit\"]\n" +
			"[close]\nallow = [\"same-record\", \"same-key\"]\n",
		"in/corvane_2031-01.csv": journalOf(append(others(5000), "4000,EUR,10.00", "4100,EUR,5.00")...),
		"in/eskerby_2031-01.csv": journalOf(append(others(6000), "4000,EUR,10.00", "4200,EUR,3.00")...),
	})
	if o := closeJSON(t, dir, "--period", "2031-01"); o.Verdict != "passed" {
		stdout, _, _ := runProgram(t, dir, "", "close", "--user", "anna", "--period", "2031-01")
		t.Fatalf("it is %+v %s", o, stdout)
	}
	stdout, stderr, code := runProgram(t, dir, "", "doubles", "--plan", "lastblock.toml", "--json")
	var found struct{ Findings []struct{ ID, Kind string } }
	if err := json.Unmarshal([]byte(stdout), &found); err != nil || len(found.Findings) == 0 {
		t.Fatalf("doubles ends with %d: %s%s", code, stdout, stderr)
	}
	if _, stderr, code := runProgram(t, dir, "", "decide", found.Findings[0].ID, "--drop", "B",
		"--reason", "sent twice", "--user", "anna", "--plan", "lastblock.toml"); code != ExitDone {
		t.Fatalf("decide ends with %d: %s", code, stderr)
	}
	o, _ := changesJSON(t, dir)
	if got := o.lines("by-account", "debit", nil); !o.Decisions || o.Plan ||
		got != "sealed 28.00, decisions -10.00, now 18.00" {
		t.Errorf("with a decision it is %s", got)
	}
	plan, err := os.ReadFile(filepath.Join(dir, "lastblock.toml"))
	if err != nil {
		t.Fatal(err)
	}
	writeFiles(t, dir, map[string]string{
		"lastblock.toml": strings.Replace(string(plan), "sum = \"debit\"\n",
			"sum = \"debit\"\nwhere = 'account != \"4200\"'\n", 1),
	})
	o, _ = changesJSON(t, dir)
	if got := o.lines("by-account", "debit", nil); !o.Decisions || !o.Plan ||
		got != "sealed 28.00, plan -3.00, decisions -10.00, now 15.00" {
		t.Errorf("with another plan as well it is %s", got)
	}
	if got := o.lines("collate", "debit", nil); got != "sealed 28.00, decisions -10.00, now 18.00" {
		t.Errorf("of the collation it is %s", got)
	}
}

// A source of a closed period that has changed stops what is made of the plan, until it is accepted or restated.
func TestAClosedPeriodThatChanged(t *testing.T) {
	for _, way := range []string{"accept", "restate"} {
		dir := t.TempDir()
		writeFiles(t, dir, map[string]string{
			"lastblock.toml":         changesPlan,
			"in/corvane_2031-01.csv": journalOf("4000,EUR,10.00"),
		})
		closeJSON(t, dir)
		writeFiles(t, dir, map[string]string{
			"in/corvane_2031-01.csv": journalOf("4000,EUR,12.00"),
			"in/corvane_2031-02.csv": journalOf("4000,EUR,5.00"),
		})
		for _, args := range [][]string{
			{"tieout", "--plan", "lastblock.toml"},
			{"rollup", "--plan", "lastblock.toml", "--named", "by-account"},
			{"close", "--quiet", "--user", "anna"},
		} {
			stdout, stderr, code := runProgram(t, dir, "", args...)
			if code != ExitStop || !strings.Contains(stdout+stderr, "closed-period-changed  corvane_2031-01.csv") ||
				strings.Count(stdout+stderr, "closed-period-changed") != 1 {
				t.Errorf("%s ends with %d: %s%s", args[0], code, stdout, stderr)
			}
		}
		february := []string{"tieout", "--plan", "lastblock.toml", "--only", "*02.csv"}
		if stdout, _, code := runProgram(t, dir, "", february...); code != ExitDone {
			t.Errorf("of February alone it ends with %d: %s", code, stdout)
		}
		if way == "accept" {
			runProgram(t, dir, "", "decide", "--plan", "lastblock.toml", "--kind", "closed-period-changed",
				"--accept", "--reason", "small", "--user", "anna", "--yes")
		} else {
			stdout, stderr, code := runProgram(t, dir, "", "close", "--quiet", "--user", "anna",
				"--period", "2031-01", "--restate", "--reason", "late")
			if code != ExitDone {
				t.Fatalf("restating ends with %d: %s%s", code, stdout, stderr)
			}
		}
		stdout, stderr, code := runProgram(t, dir, "", "close", "--quiet", "--user", "anna", "--json")
		if code != ExitDone || !strings.Contains(stdout, `"verdict": "passed"`) {
			t.Fatalf("to %s, it ends with %d: %s%s", way, code, stdout, stderr)
		}
		var o changesOf
		if err := json.Unmarshal([]byte(stdout), &o); err != nil {
			t.Fatal(err)
		}
		want := "sealed 12.00, new corvane_2031-02.csv 5.00, now 17.00"
		if way == "accept" {
			want = "sealed 10.00, new corvane_2031-02.csv 5.00, changed corvane_2031-01.csv 2.00, now 17.00"
		}
		if got := o.lines("by-account", "debit", nil); got != want {
			t.Errorf("to %s, the bridge is %s", way, got)
		}
		if stdout, _, code := runProgram(t, dir, "", "tieout", "--plan", "lastblock.toml"); code != ExitDone {
			t.Errorf("to %s, the tie-out ends with %d: %s", way, code, stdout)
		}
		if o, code := changesJSON(t, dir); code != ExitDone || len(o.Sources) > 0 || o.Same != 2 {
			t.Errorf("to %s, changes ends with %d: %+v", way, code, o)
		}
	}
}

// Where records were retained, those that were added, are gone or were altered are told, and columns that were
// renamed; the order of records is nothing.
func TestChangesOfRetainedRecords(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{
		"lastblock.toml": "version = 1\n[read]\npaths = [\"in\"]\nname = " +
			"\"{entity}_{period}\"\n[tieout]\n[close]\nretain = true\n",
		"in/corvane_2031-01.csv": "account,text,debit\n4000,\"a, b\",1.00\n4000,\"a, " +
			"b\",1.00\n4100,c,2.00\n4200,d,3.00\n4300,e,4.00\n",
		"in/dunmarrow_2031-01.csv":  "account,debit\n1,5.00\n2,6.00\n",
		"in/eskerby_2031-01.csv":    "account,debit\n1,5.00\n",
		"in/fallowmere_2031-01.csv": "account,text,debit\n1,x,5.00\n",
	})
	closeJSON(t, dir)
	writeFiles(t, dir, map[string]string{
		// one of two that are the same is gone, 4100 was altered, 4300 has moved up, and 4400 was added
		"in/corvane_2031-01.csv": "account,text,debit\n4000,\"a, " +
			"b\",1.00\n4300,e,4.00\n4100,c,2.50\n4200,d,3.00\n\n\n4400,f,\n",
		"in/dunmarrow_2031-01.csv":  "account,debit\n2,6.00\n1,5.00\n",
		"in/fallowmere_2031-01.csv": "account,remark,debit\n1,x,5.00\n",
	})
	if err := os.Remove(filepath.Join(dir, "in/eskerby_2031-01.csv")); err != nil {
		t.Fatal(err)
	}
	stdout, stderr, code := runProgram(t, dir, "", "changes", "--json", "--plan", "lastblock.toml")
	var o struct {
		Sources []struct {
			Source          string
			Columns_renamed []struct{ Was, Is string }
			Columns_added   []string
			Columns_lost    []string
			Records         struct {
				Added, Gone, Altered int
				First                []struct {
					Change           string
					Line             int
					Columns, Was, Is []string
				}
			}
		}
	}
	if err := json.Unmarshal([]byte(stdout), &o); err != nil {
		t.Fatalf("it ends with %d: %v %s%s", code, err, stdout, stderr)
	}
	got := make(map[string]string)
	for _, s := range o.Sources {
		got[s.Source] = fmt.Sprintf("%d %d %d %v", s.Records.Added, s.Records.Gone, s.Records.Altered,
			s.Columns_renamed)
		if len(s.Columns_added)+len(s.Columns_lost) > 0 {
			t.Errorf("%s has got %s and lost %s", s.Source, s.Columns_added, s.Columns_lost)
		}
		for _, r := range s.Records.First {
			got[s.Source] += fmt.Sprintf(", %s %d %v %v %v", r.Change, r.Line, r.Columns, r.Was, r.Is)
		}
	}
	for source, want := range map[string]string{
		"corvane_2031-01.csv": "1 1 1 [], gone 2 [account text debit] [4000 a, b 1.00] [], altered 4 [debit] [2.00] " +
			"[2.50], added 8 [account text debit] [] [4400 f ]",
		"dunmarrow_2031-01.csv":  "0 0 0 []",
		"eskerby_2031-01.csv":    "0 1 0 [], gone 2 [account debit] [1 5.00] []",
		"fallowmere_2031-01.csv": "0 0 1 [{text remark}], altered 2 [text remark] [x ] [ x]",
	} {
		if got[source] != want {
			t.Errorf("%s: %s\nwant: %s", source, got[source], want)
		}
	}
}

// What stands of a period is what the newest block says that has read it: after January was closed again, February is
// as its own block has it.
func TestAClosedPeriodBesideOneThatWasRestated(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{
		"lastblock.toml":         changesPlan,
		"in/corvane_2031-01.csv": journalOf("4000,EUR,10.00"),
		"in/corvane_2031-02.csv": journalOf("4000,EUR,20.00"),
	})
	closeJSON(t, dir, "--period", "2031-01")
	closeJSON(t, dir, "--period", "2031-02")
	writeFiles(t, dir, map[string]string{"in/corvane_2031-01.csv": journalOf("4000,EUR,11.00")})
	closeJSON(t, dir, "--period", "2031-01", "--restate", "--reason", "late")
	run := planned(t, dir)
	run(ExitDone, "tieout") // both stand as they are
	writeFiles(t, dir, map[string]string{"in/corvane_2031-02.csv": journalOf("4000,EUR,21.00")})
	if got := run(ExitStop, "tieout"); !strings.Contains(got, "it was sealed in block 2") {
		t.Errorf("with another February it says %s", got)
	}
}

// A currency without a change has its bridge as well, so that none is taken for another one.
func TestEachCurrencyHasABridge(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{
		"lastblock.toml":         changesPlan,
		"in/corvane_2031-01.csv": journalOf("4000,CHF,10.00"),
		"in/eskerby_2031-01.csv": journalOf("4000,GBP,5.00"),
	})
	closeJSON(t, dir)
	writeFiles(t, dir, map[string]string{"in/corvane_2031-01.csv": journalOf("4000,CHF,11.00")})
	o, _ := changesJSON(t, dir)
	for currency, want := range map[string]string{"CHF": "sealed 10.00, changed corvane_2031-01.csv 1.00, now 11.00",
		"GBP": "sealed 5.00, now 5.00"} {
		if got := o.lines("by-currency", "debit", map[string]string{"currency": currency}); got != want {
			t.Errorf("of %s it is %s", currency, got)
		}
	}
}
