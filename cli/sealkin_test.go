package cli

import (
	"archive/zip"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// An archive that has records of others, too, is not frozen with one of them, whether it has changed or not; and a copy
// never stands for an entry of another.
func TestFreezeSparesOthersInAnArchive(t *testing.T) {
	ash, birch := [2]string{"ash_2031-01.csv", "doc,amount\nA1,1.00\n"}, [2]string{"birch_2031-01.csv",
		"doc,amount\nB1,2.00\n"}
	cedar := [2]string{"cedar_2031-01.csv", "doc,amount\nC1,4.00\n"}
	dir, run := monthOf(t, branchPlan+byEntity("sums", "")+"[close]\nretain = true\n", nil)
	both, own := filepath.Join(dir, "in/both.zip"), filepath.Join(dir, "in/own.zip")
	zipped(t, both, zip.Store, ash, birch)
	zipped(t, own, zip.Store, cedar)
	run(ExitDone, quietly("2031-01")...)
	refused := func() {
		t.Helper()
		says(t, run(ExitNotDone, "freeze", "birch", "--reason", "sold"),
			"in/both.zip holds records of ash as well")
		if _, err := os.Stat(filepath.Join(dir, "frozen")); err == nil {
			t.Error("something was frozen")
		}
	}
	refused()
	zipped(t, both, zip.Store, ash, [2]string{birch[0], "doc,amount\nB1,5.00\n"}) // it has changed
	refused()
	zipped(t, both, zip.Store, ash) // birch is no more in it
	refused()
	run(ExitDone, "freeze", "cedar", "--reason", "sold")
	dogwood := [2]string{"dogwood_2031-02.csv", "doc,amount\nD1,8.00\n"}
	zipped(t, own, zip.Store, cedar, dogwood)
	says(t, run(ExitStop, quietly("2031-02")...), "closed-period-changed both.zip/birch_2031-01.csv", // which is gone
		"frozen-source in/own.zip", "it holds records of dogwood")
	zipped(t, both, zip.Store, ash, birch)
	zipped(t, own, zip.Store, cedar)
	writeFiles(t, dir, map[string]string{"in/" + dogwood[0]: dogwood[1]})
	run(ExitDone, quietly("2031-02")...)
	holds(t, dir, map[string]string{
		"sums.csv": "entity,amount,records\nash,1.00,1\nbirch,2.00,1\ncedar,4.00,1\ndogwood,8.00,1\nTotal,15.00,4\n",
	})
}

// Sums that a form gives itself are figures of it, and count once in the bridge of the grid and in its total.
func TestTheBridgeOfAGridLeavesSumsOut(t *testing.T) {
	form := func(wages, all string) string {
		return "line,q1,q2,year\nwages," + wages + ",20," + all + "\nrent,5,6,11\ntotal," +
			map[string]string{"10": "15,26,41", "60": "65,26,91"}[wages] + "\n"
	}
	dir, run := monthOf(t, branchPlan+"[[overlay]]\nname = \"grid\"\npaths = [\"forms\"]\nout = \"grid.csv\"\n",
		map[string]string{"in/ash_2031-01.csv": "doc,amount\nA1,1.00\n",
			"in/birch_2031-01.csv":  "doc,amount\nB1,1.00\n",
			"forms/ash_2031-01.csv": form("10", "30"), "forms/birch_2031-01.csv": form("60", "80")})
	said := run(ExitDone, quietly("2031-01", "--json")...)
	says(t, said, `"totals": {"value": "132"}`) // 10 + 20 + 5 + 6, and 60 + 20 + 5 + 6
	writeFiles(t, dir, map[string]string{"forms/birch_2031-01.csv": form("10", "30")})
	o, code := changesJSON(t, dir)
	if len(o.Bridges) == 0 || code != ExitStop {
		t.Fatalf("changes ends with %d and %+v", code, o)
	}
	var lines []string
	for _, l := range o.Bridges[0].Lines {
		lines = append(lines, strings.TrimSpace(l.Label+" "+l.Source)+" "+l.Amount)
	}
	if got := strings.Join(lines, ", "); got != "sealed 132, changed birch_2031-01.csv -50, now 82" {
		t.Errorf("the bridge is %s", got)
	}
}

// The samples of doubles stand apart: files with nothing in common, with other columns, and whose entity is made.
func TestDoublesOfUnlikeFiles(t *testing.T) {
	for name, files := range map[string]map[string]string{
		"nothing in common": {
			"in/ash_2031-01.csv":   "doc,amount,x\nD1,1.00,2\nD2,2.00,4\n",
			"in/ash_2031-01_b.csv": "doc,amount,x\nD5,7.00,8\nD6,9.00,3\n"},
		"other columns": {
			"in/ash_2031-01.csv": "doc,amount,x\nD1,1.00,2\nD2,2.00,4\n",
			"in/birch_2031-01.jsonl": "{\"n\":1,\"doc\":\"D1\",\"amount\":\"1.00\",\"x\":2}\n" +
				"{\"n\":2,\"doc\":\"D2\",\"amount\":\"2.00\",\"x\":4}\n",
			"in/cedar_2031-01.jsonl": "{\"doc\":\"D1\"}\n{\"doc\":\"D2\"}\n"},
		"no records": {"in/ash_2031-01.csv": "doc,amount\n", "in/ash_2031-01_b.csv": "doc,amount\n"},
	} {
		_, run := monthOf(t, strings.Replace(branchPlan, "[tieout]\ntotal = \"amount\"\n", "[doubles]\n", 1), files)
		said := run(ExitDone, "doubles", "--name", "{entity}_{period}*")
		if !strings.Contains(said, "proof") {
			t.Errorf("%s: it says %s", name, said)
		}
	}
	dir, run := monthOf(t, strings.Replace(branchPlan, "[tieout]",
		"[[read.shape]]\nmatch = \"ASH_*\"\nmake = [\"entity=lowerAscii(entity)\"]\n[tieout]", 1)+byEntity("sums", "")+
		"[doubles]\n", map[string]string{
		"in/ASH_2031-01.csv": "doc,amount\nD1,1.00\nD2,2.00\n", "in/birch_2031-01.csv": "doc,amount\nD3,4.00\n",
	})
	run(ExitDone, "doubles")
	run(ExitDone, quietly("2031-01")...)
	holds(t, dir, map[string]string{"sums.csv": "entity,amount,records\nash,3.00,2\nbirch,4.00,1\nTotal,7.00,3\n"})
}

// A plan that is drafted elsewhere names its folder, wherever both lie.
func TestDraftWritesElsewhere(t *testing.T) {
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{"deep/month/in/ash_2031-01.csv": "doc,amount\nA1,1.00\n"})
	month, elsewhere := filepath.Join(dir, "deep/month"), t.TempDir()
	for _, out := range []string{filepath.Join(elsewhere, "lastblock.toml"), "../lastblock.toml", "plan.toml"} {
		if _, stderr, code := runProgram(t, month, "", "draft", "in", "--out", out); code != ExitDone {
			t.Fatalf("draft to %s ends with %d: %s", out, code, stderr)
		}
		path := out
		if !filepath.IsAbs(out) {
			path = filepath.Join(month, out)
		}
		stdout, stderr, code := runProgram(t, elsewhere, "", "collate", "--bare", "--plan", path)
		if code != ExitDone || !strings.Contains(stdout, "A1,1.00") {
			t.Errorf("collate with %s ends with %d: %s%s", out, code, stdout, stderr)
		}
	}
}

// A plan on a medium that cannot be written to is read, and its close rehearsed.
func TestRehearsalsWriteNothing(t *testing.T) {
	dir, run := monthOf(t, branchPlan+byEntity("sums",
		"")+"[collate]\nout = \"all.csv\"\n[report]\nout = \"pack.html\"\n"+
		"[close]\nretain = true\n", map[string]string{"in/ash_2031-01.csv": "doc,amount\nA1,1.00\n"})
	run(ExitDone, quietly("2031-01")...)
	writeFiles(t, dir, map[string]string{"in/ash_2031-02.csv": "doc,amount\nA2,2.00\n"})
	stateOf := func() string {
		var b strings.Builder
		err := filepath.WalkDir(dir, func(path string, entry os.DirEntry, err error) error {
			if err != nil {
				return err
			}
			info, err := entry.Info()
			if err == nil {
				b.WriteString(path + " " + info.ModTime().String() + "\n")
			}
			return err
		})
		if err != nil {
			t.Fatal(err)
		}
		return b.String()
	}
	was := stateOf()
	for _, args := range [][]string{
		quietly("2031-02", "--rehearse"), {"tieout", "--plan", "lastblock.toml"},
		{"doubles", "--plan", "lastblock.toml"}, {"changes"}, {"verify", "--sources"}, {"history", "entity=ash"},
		{"trace", "entity=ash", "--block", "1"}, {"rollup", "--out", filepath.Join(t.TempDir(), "x.csv"), "--plan",
			"lastblock.toml"}, quietly("2031-01", "--rehearse", "--restate", "--reason", "x"),
	} {
		stdout, stderr, code := runProgram(t, dir, "", args...)
		if code == ExitNotDone {
			t.Errorf("%v is not done: %s%s", args, stdout, stderr)
		}
		if is := stateOf(); is != was { // something was made there, be it for a moment
			t.Fatalf("%v changes the folder from\n%s\nto\n%s", args, was, is)
		}
	}
}
