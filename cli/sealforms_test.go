package cli

import (
	"archive/zip"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// Forms of an entity are frozen with its records, whichever paths they come from.
func TestFreezeOfForms(t *testing.T) {
	form := func(wages string) string { return "line,q1,q2\nwages," + wages + ",2\nrent,3,4\n" }
	files := map[string]string{"roster.csv": "entity\nash\nbirch\n",
		"in/ash_2031-01.csv": "doc,amount\nA1,1.00\n", "in/birch_2031-01.csv": "doc,amount\nB1,1.00\n",
		"forms/ash_2031-01.csv": form("1"), "forms/birch_2031-01.csv": form("11")}
	dir, run := monthOf(t, branchPlan+"roster = \"roster.csv\"\n[[overlay]]\nname = \"grid\"\npaths = [\"forms\"]\n"+
		"out = \"results/{period}/grid.csv\"\n", files)
	run(ExitDone, quietly("2031-01")...)
	says(t, run(ExitDone, "freeze", "ASH", "--reason", "sold", "--user", "anna"), "ash is frozen through 2031-01")
	for _, name := range []string{"in/ash_2031-01.csv", "forms/ash_2031-01.csv"} {
		if err := os.Remove(filepath.Join(dir, name)); err != nil {
			t.Fatal(err)
		}
	}
	writeFiles(t, dir, map[string]string{"in/birch_2031-02.csv": "doc,amount\nB2,1.00\n",
		"forms/birch_2031-02.csv": form("5")})
	run(ExitDone,
		quietly("2031-02")...) // who asks for no form of ash
	holds(t, dir, map[string]string{"results/2031-02/grid.csv": "line,q1,q2\nwages,17,6\nrent,9,12\n"}) // 1 + 11 + 5
	says(t, run(ExitDone, "verify", "--sources"), "untouched")
	writeFiles(t, dir, map[string]string{"forms/ash_2031-02.csv": form("100")})
	says(t, run(ExitStop, quietly("2031-02", "--restate", "--reason", "late")...), "frozen-source ash_2031-02.csv")
	run(ExitDone, quietly("2031-01", "--restate", "--reason", "once more")...) // which it does not stop
	holds(t, dir, map[string]string{"results/2031-01/grid.csv": "line,q1,q2\nwages,12,4\nrent,6,8\n"})
	run(ExitDone, "freeze", "ash", "--undo", "--reason", "not sold", "--user", "anna")
	says(t, run(ExitStop, "changes"), "100")
}

// An archive that was packed again holds the same records, and is found where it was moved to.
func TestRelocateOfAnArchivePackedAgain(t *testing.T) {
	ash, birch := [2]string{"ash_2031-01.csv", "doc,amount\nA1,1.00\n"}, [2]string{"birch_2031-01.csv",
		"doc,amount\nB1,2.00\n"}
	dir, run := monthOf(t, branchPlan+byEntity("sums", ""), nil)
	zipped(t, filepath.Join(dir, "in/both.zip"), zip.Store, ash, birch)
	run(ExitDone, quietly("2031-01")...)
	if err := os.RemoveAll(filepath.Join(dir, "in")); err != nil {
		t.Fatal(err)
	}
	zipped(t, filepath.Join(dir, "there/both.zip"), zip.Deflate, birch, [2]string{ash[0], "doc,amount\nA1,1.50\n"})
	run(ExitStop, "relocate", "in", "there") // where another record is in it
	zipped(t, filepath.Join(dir, "there/both.zip"), zip.Deflate, birch, ash)
	run(ExitDone, "relocate", "in", "there")
	says(t, run(ExitDone, "changes"), "every figure is as it was sealed")
	run(ExitDone, "tieout", "--plan", "lastblock.toml")
}

// What is declared is of the records without those that somebody has left out.
func TestWhatIsDeclaredIsWithoutWhatIsLeftOut(t *testing.T) {
	_, run := monthOf(t, branchPlan+"declared = \"{source}.ctl\"\n[doubles]\n"+byEntity("sums", ""), map[string]string{
		"in/ash_2031-01.csv": "doc,amount\nA1,1.00\nA1,1.00\nA2,2.00\n", "in/ash_2031-01.ctl": "rows,2\namount,3.00\n",
	})
	says(t, run(ExitStop, quietly("2031-01")...), "declared 2 rows, 3 arrived: 1 too many",
		"declared 3.00, found 4.00, difference 1.00")
	run(ExitDone, "decide", findingOf(t, run, ExitDone, "doubles", "same-record"), "--drop", "B", "--reason", "twice",
		"--user", "anna", "--yes")
	says(t, run(ExitDone, quietly("2031-01")...), "records 3 2 0 1", "amount 4.00 3.00 0 1.00")
}

// A form with one wrong sum and a share in seventeen digits is told of, and is no internal error.
func TestAWrongSumBesideAShare(t *testing.T) {
	form := func(total string) string {
		return "line,q1,q2\nwages,0.5105383131685078,10\nrent,0.2,20\ntotal," + total + "\n"
	}
	dir := t.TempDir()
	writeFiles(t, dir, map[string]string{"forms/ash.csv": form("0.7105383131685078,30"),
		"forms/birch.csv": form("0.71053831316850780001,30"), "forms/cedar.csv": form("0.7105383131685078,31")})
	stdout, stderr, code := runProgram(t, dir, "", "overlay", "forms", "--footing", "row total")
	said := stdout + stderr
	if code == ExitNotDone {
		t.Fatalf("overlay ends with %d: %s", code, said)
	}
	says(t, said, "does-not-foot cedar.csv, line 4", `C4 ("total", "q2") is 31, and its 2 rows come to 30: difference 1`)
	if strings.Contains(said, "internal error") || strings.Count(said,
		"and its 2 rows come to") != 2 { // and of the result
		t.Errorf("it says\n%s", said)
	}
}
