package cli

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// silent wants texts not to be in what was said.
func silent(t *testing.T, said string, unwanted ...string) {
	t.Helper()
	for _, text := range unwanted {
		if strings.Contains(squeezed(said), squeezed(text)) {
			t.Errorf("it says %q:\n%s", text, said)
		}
	}
}

// What trace shows as sealed is what the block has used. Where the records are others now it shows those that were
// retained, or says that they were not.
func TestTraceShowsWhatWasSealed(t *testing.T) {
	for _, retained := range []bool{true, false} {
		plan := branchPlan + "[doubles]\n" +
			"[[rollup]]\nname = \"plain\"\nby = [\"entity\", \"account\"]\nsum = \"amount\"\nout = \"plain.csv\"\n" +
			"[[rollup]]\nname = \"made\"\nby = \"group\"\nsum = \"twice\"\nmake = [\"group=account\", " +
			"\"twice=amount * 2\"]\nwhere = 'doc != \"A2\"'\nout = \"made.csv\"\n"
		if retained {
			plan += "[close]\nretain = true\n"
		}
		dir, run := monthOf(t, plan, map[string]string{
			"in/ash_2031-01.csv":   "doc,account,amount\nA1,100,1.00\nA2,100,2.00\nA3,200,4.00\nA4,200,x\n",
			"in/birch_2031-01.csv": "doc,account,amount\nB1,100,8.00\nB1,100,8.00\n",
		})
		run(ExitDone, quietly("2031-01")...)
		trace := func(code int, args ...string) string { return run(code, append([]string{"trace"}, args...)...) }
		const sealed, not = "as sealed in block 1", "the records below are as they are now: block 1 has not retained"
		untouched := trace(ExitDone, "account=100", "entity=ash", "--named", "plain", "--block", "1")
		says(t, untouched, sealed, "3.00, from 2 records", "ash_2031-01.csv 3 2.00 A2", "ash_2031-01.csv 2 1.00 A1")
		// twice 1.00, and twice twice 8.00
		says(t, trace(ExitDone, "group=100", "--named", "made", "--block", "1"), sealed, "34.00, from 3 records")
		says(t, trace(ExitDone, "account=200", "--named", "plain", "--block", "1"), sealed, "4.00, from 1 record of")

		// the sum stays, with other amounts; what lay in suspense can be read
		writeFiles(t, dir, map[string]string{
			"in/ash_2031-01.csv":   "doc,account,amount\nA1,100,2.50\nA2,100,0.50\nA3,200,4.00\nA4,200,5.00\n",
			"in/cedar_2031-02.csv": "doc,account,amount\nC1,300,8.00\n",
		})
		same := trace(ExitDone, "account=100", "entity=ash", "--named", "plain", "--block", "1")
		made := trace(ExitDone, "group=100", "--named", "made", "--block", "1")
		other := trace(ExitDone, "account=200", "--named", "plain", "--block", "1")
		if retained {
			says(t, same, sealed, "ash_2031-01.csv 3 2.00 A2", "ash_2031-01.csv 2 1.00 A1")
			says(t, made, sealed, "34.00, from 3 records", "ash_2031-01.csv 2 2.00 A1")
			says(t, other, sealed, "4.00, from 1 record of", "1 record in suspense would belong here")
		} else {
			says(t, same, not, "has sealed 3.00", "ash_2031-01.csv 2 2.50 A1")
			says(t, made, not, "has sealed 34.00", "37.00, from 3 records")
			says(t, other, not, "has sealed 4.00", "9.00, from 2 records")
			silent(t, same+made+other, sealed)
		}
		// new since, and in no record
		says(t, trace(ExitDone, "account=300", "--named", "plain"), "8.00, from 1 record of",
			"new cedar_2031-02.csv 8.00")
		says(t, trace(ExitNotDone, "account=30", "--named", "plain"),
			"neither a record nor a group of block 1 has account: unknown value 30")

		// what is left out later was counted then
		run(ExitDone, "decide", findingOf(t, run, ExitDone, "doubles", "same-record"), "--drop", "B", "--reason",
			"twice",
			"--user", "anna", "--yes")
		left := trace(ExitDone, "account=100", "entity=birch", "--named", "plain", "--block", "1")
		if retained {
			says(t, left, sealed, "16.00, from 2 records", "birch_2031-01.csv 3 8.00 B1")
		} else {
			says(t, left, not, "has sealed 16.00", "8.00, from 1 record of")
		}
	}
}

// Where a block keeps no figures by group, as of one by document, trace answers from the records.
func TestTraceOfAGroupByDocument(t *testing.T) {
	text := "doc,amount\n"
	for i := range 2500 {
		text += fmt.Sprintf("A%04d,1.00\n", i)
	}
	dir, run := monthOf(t, branchPlan+"[rollup]\nby = \"doc\"\nsum = \"amount\"\nout = \"docs.csv\"\n",
		map[string]string{"in/ash_2031-01.csv": text})
	run(ExitDone, quietly("2031-01")...)
	says(t, run(ExitDone, "trace", "doc=A0007", "--block", "1"), "1.00, from 1 record of", "as sealed in block 1")
	says(t, run(ExitDone, "trace", "doc=A0007"), "1.00, from 1 record of")
	says(t, run(ExitNotDone, "trace", "doc=A9999"), "no record has doc A9999")
	writeFiles(t, dir, map[string]string{"in/ash_2031-02.csv": "doc,amount\nA5000,3.00\n"})
	says(t, run(ExitDone, "trace", "doc=A5000"), "3.00, from 1 record of")
	says(t, run(ExitNotDone, "trace", "doc=A5000", "--block", "1"), "A5000")
}

// What reads a few sources only does not ask that each rename finds its column among them.
func TestARenameOfOtherSources(t *testing.T) {
	plan := strings.Replace(branchPlan, "[tieout]", "rename = [\"konto=party\"]\n[tieout]", 1) +
		"[rollup]\nby = \"entity\"\nsum = \"amount\"\nout = \"sums.csv\"\n"
	dir, run := monthOf(t, plan, map[string]string{
		"in/ash_2031-01.csv": "doc,text,amount\nA1,x,1.00\n", "in/birch_2031-01.csv": "doc,konto,amount\nB1,100,8.00\n",
	})
	run(ExitDone, quietly("2031-01")...)
	writeFiles(t, dir, map[string]string{"in/ash_2031-01.csv": "doc,text,amount\nA1,x,2.00\n"})
	says(t, run(ExitStop, "changes"), "changed ash_2031-01.csv 1.00")
	says(t, run(ExitDone, "trace", "entity=ash", "--block", "1"), "has sealed 1.00", "2.00, from 1 record of")
	writeFiles(t, dir, map[string]string{"lastblock.toml": strings.Replace(plan, "konto", "conto", 1)})
	says(t, run(ExitNotDone, "rollup", "--out", "x.csv"), "no source has a column",
		"conto") // of all sources it is asked
}

// Every record that was read is retained, with what became of it.
func TestRetainedRecordsHaveTheirState(t *testing.T) {
	plan := strings.Replace(branchPlan, "[tieout]", "where = 'text != \"void\"'\n[tieout]", 1) + "[doubles]\n" +
		byEntity("sums", "make = [\"x=1\"]\n") + "[close]\nretain = true\n"
	dir, run := monthOf(t, plan, map[string]string{"in/ash_2031-01.csv": "doc,amount,text\nA1,1.00,a\nA1,1.00,a\n" +
		"A2,n/a,b\nA3,3.00,c\nA4,4.00,void\nA5,5.00,e,more\n"})
	run(ExitDone, "decide", findingOf(t, run, ExitDone, "doubles", "same-record"), "--drop", "B", "--reason", "twice",
		"--user", "anna", "--yes")
	run(ExitDone, quietly("2031-01")...)
	out := filepath.Join(t.TempDir(), "records.csv")
	if _, stderr, code := runProgram(t, dir, "", "collate", "blocks/0001-2031-01.records.csv.zst", "--bare", "--out",
		out); code != ExitDone {
		t.Fatal(stderr)
	}
	file, err := os.Open(out)
	if err != nil {
		t.Fatal(err)
	}
	defer file.Close()
	rows, err := csv.NewReader(file).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	states := make(map[string]string) // by line
	for _, row := range rows[1:] {
		n := len(row)
		states[row[n-1]] = strings.Join(row[n-5:n-2], "|")
	}
	today := time.Now().Format(time.DateOnly)
	for line, want := range map[string]string{"2": "used||", "3": "left|same-record: twice, anna on " + today + "|",
		"4": "suspense|bad-value amount|",
		"5": "used||", "6": "dropped|where|", "7": "suspense|field-count|A5,5.00,e,more"} {
		if states[line] != want {
			t.Errorf("the record of line %s has %q, want %q: %v", line, states[line], want, rows)
		}
	}
	// a record that cannot be read any more was altered, and is not gone
	writeFiles(t, dir, map[string]string{"in/ash_2031-01.csv": "doc,amount,text\nA1,1.00,a\nA1,1.00,a\n" +
		"A2,n/a,b\nA3,n/a,c\nA4,4.00,void\nA5,5.00,e,more\n"})
	changes := run(ExitStop, "changes")
	says(t, changes, "1 record altered", "ash_2031-01.csv 5 altered amount 3.00 amount n/a")
	silent(t, changes, "gone")
}

// What a later block has settled is superseded, a folder in the place of a file a change, and a restatement says
// what stands on what it restates, and is compared with that.
func TestAfterARestatement(t *testing.T) {
	dir, run := monthOf(t, branchPlan+strings.Replace(byEntity("sums", ""), "sums.csv", "results/{period}/sums.csv",
		1), map[string]string{
		"in/ash_2031-01.csv": "doc,amount\nA1,1.00\n", "in/birch_2031-01.csv": "doc,amount\nB1,8.00\n",
	})
	run(ExitDone, quietly("2031-01")...)
	if err := os.Remove(filepath.Join(dir, "in/birch_2031-01.csv")); err != nil {
		t.Fatal(err)
	}
	if err := os.Rename(filepath.Join(dir, "in/ash_2031-01.csv"), filepath.Join(dir, "in/Ash_203101.csv")); err != nil {
		t.Fatal(err)
	}
	writeFiles(t, dir, map[string]string{"in/birch_2031-02.csv": "doc,amount\nB2,3.00\n"})
	says(t, run(ExitStop, "verify", "--sources"), "in/birch_2031-01.csv source gone")
	run(ExitStop, quietly("2031-02")...)
	run(ExitDone, "decide", "--kind", "closed-period-changed", "--accept", "--reason", "known", "--user", "anna",
		"--yes")
	run(ExitDone, quietly("2031-02")...)
	says(t, run(ExitDone, "verify", "--sources"), "untouched, newest seal", "held against no seal noted elsewhere")
	says(t, run(ExitDone, "verify", "--sources", "--json"),
		`"name": "in/birch_2031-01.csv", "role": "source", "state": "superseded", "block": 1`, `"noted": false`)

	february := filepath.Join(dir, "in/birch_2031-02.csv")
	if err := os.Remove(february); err != nil {
		t.Fatal(err)
	}
	if err := os.Mkdir(february, 0o755); err != nil {
		t.Fatal(err)
	}
	says(t, run(ExitStop, "verify", "--sources"), "in/birch_2031-02.csv source changed")
	if err := os.Remove(february); err != nil {
		t.Fatal(err)
	}
	writeFiles(t, dir, map[string]string{"in/birch_2031-02.csv": "doc,amount\nB2,3.00\n",
		"in/Ash_203101.csv": "doc,amount\nA1,1.50\n"})
	says(t, run(ExitDone, quietly("2031-01", "--restate", "--reason", "late")...),
		"2031-02 still stands on block 1; close it again",
		"new Ash_203101.csv 1.50", "gone ash_2031-01.csv -1.00", "gone birch_2031-01.csv -8.00") // which gave 9.00
	says(t, run(ExitDone, quietly("2031-02", "--restate", "--reason", "late")...), "changed Ash_203101.csv 0.50",
		"now 4.50")
	// block 1 had 9.00, 2 had 4.00; 3 restates 1 with 1.50, and 4 restates 2 with 4.50
	says(t, run(ExitDone, "history", "entity=ash"), "against block")
	history := run(ExitDone, "history", "entity=birch")
	says(t, history, "8.00", "3.00 -5.00", "4 2031-02 1 3.00 0.00")
	var o struct {
		Blocks []struct {
			Figure struct {
				Amount, Change string
				Since          int
			}
		}
	}
	if err := json.Unmarshal([]byte(run(ExitDone, "history", "entity=ash", "--json")), &o); err != nil {
		t.Fatal(err)
	}
	want := []struct {
		since          int
		amount, change string
	}{{0, "1.00", ""}, {1, "1.00", "0.00"}, {1, "1.50", "0.50"}, {2, "1.50", "0.50"}}
	for i, b := range o.Blocks {
		if i >= len(want) || b.Figure.Since != want[i].since || b.Figure.Amount != want[i].amount || i > 0 &&
			b.Figure.Change != want[i].change {
			t.Errorf("block %d is %+v, want %+v", i+1, b, want)
		}
	}
}

// A figure of an entity is shown as it was sealed also when names of files write the entity otherwise by now.
func TestTraceOfAnEntityThatIsWrittenOtherwise(t *testing.T) {
	const plan = "version = 1\n[read]\npaths = [\"in\"]\nname = \"{entity}_{period}\"\n[tieout]\ntotal = [\"v\"]\n" +
		"[close]\nretain = true\n[[rollup]]\nby = [\"entity\"]\nsum = [\"v\"]\n"
	dir, run := monthOf(t, plan, map[string]string{"in/ALDER_2031-01.csv": "doc,v\n1,2.00\n2,3.00\n"})
	run(ExitDone, quietly("2031-01")...)
	in := filepath.Join(dir, "in")
	err := os.Rename(filepath.Join(in, "ALDER_2031-01.csv"), filepath.Join(in, "alder_203101.csv"))
	if err != nil {
		t.Fatal(err)
	}
	writeFiles(t, dir, map[string]string{"lastblock.toml": plan + "# so that the records of now need not be those\n"})
	for _, word := range []string{"entity=ALDER", "entity=alder"} {
		says(t, run(ExitDone, "trace", word, "--block", "1", "--all"), "as sealed in block 1",
			"ALDER_2031-01.csv     2  2.00", "ALDER_2031-01.csv     3  3.00")
	}
}
