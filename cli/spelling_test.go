package cli

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// However names write an entity or a period, it is one: in results, by the roster, the control sheet, decisions,
// history, trace, a page for one entity, and in a freeze.
func TestOneSpellingOfNames(t *testing.T) {
	files := map[string]string{
		"in/kelso_2031-01.csv": "doc,amount,party\nK1,1.00,OAK\n",
		"in/Kelso_203102.csv":  "doc,amount,party\nK2,2.00,Oak\n",
		"in/oak_203101.csv":    "doc,amount,party\nO1,4.00,kelso\n",
		"in/OAK_2031.02.csv":   "doc,amount,party\nO2,8.00,KELSO\n",
		"control.csv": "entity,period,rows,amount\nKELSO,203101,1,1.00\nkelso,2031-02,1,2.00\noak,2031.01,1,4.00\n" +
			"Oak,2031-02,1,8.00\n",
	}
	plan := branchPlan + "declared = \"control.csv\"\nperiods = [\"2031-01..2031-02\"]\n" + byEntity("sums", "") +
		byEntity("made", "make = [\"x=1\"]\n") + byEntity("some",
		"where = 'entity == \"KELSO\" && period == \"203102\"'\n") +
		byEntity("across", "across = \"period\"\n") + "[report]\n"
	for roster, kelso := range map[string]string{"": "kelso", "entity\nKELSO\noak\n": "KELSO"} {
		dir, run := monthOf(t, plan, files)
		if roster != "" {
			writeFiles(t, dir, map[string]string{"roster.csv": roster})
			writeFiles(t, dir, map[string]string{"lastblock.toml": strings.Replace(plan, "periods = ",
				"roster = \"roster.csv\"\nperiods = ", 1)})
		}
		says(t, run(ExitDone, "tieout"), "spelled-otherwise", kelso+" 1 1", "oak 1 1", "2031-01 2031-02")
		run(ExitDone, quietly("2031-01")...)
		holds(t, dir, map[string]string{"sums.csv": "entity,amount,records\n" + kelso +
			",1.00,1\noak,4.00,1\nTotal,5.00,2\n"})
		run(ExitDone, quietly("2031-02")...)
		sums := "entity,amount,records\n" + kelso + ",3.00,2\noak,12.00,2\nTotal,15.00,4\n"
		holds(t, dir, map[string]string{"sums.csv": sums, "made.csv": sums, "some.csv": "entity,amount,records\n" +
			kelso +
			",2.00,1\nTotal,2.00,1\n",
			"across.csv": "entity,2031-01,2031-02,total,records\n" + kelso +
				",1.00,2.00,3.00,2\noak,4.00,8.00,12.00,2\nTotal,5.00,10.00,15.00,4\n"})
		says(t, run(ExitDone, "history", "entity=Kelso", "--named", "sums"), "1.00", "3.00")
		says(t, run(ExitDone, "trace", "entity=kELSO", "--named", "sums"), "K1", "K2", "3.00")
		says(t, run(ExitDone, "trace", "entity=OAK", "--named", "sums", "--block", "1"), "O1", "4.00")
		says(t, run(ExitDone, "report", "--block", "2", "--for", "kelSO", "--section", "figures", "--json"),
			`"totals": {"amount": "3.00"}`)
		run(ExitDone, "freeze", "kelso", "--reason", "sold", "--user", "anna")
		for _, name := range []string{"in/kelso_2031-01.csv", "in/Kelso_203102.csv"} {
			if err := os.Remove(filepath.Join(dir, name)); err != nil {
				t.Fatal(err)
			}
		}
		says(t, run(ExitDone, "changes"), "every figure is as it was sealed")
		run(ExitDone, quietly("2031-02", "--restate", "--reason", "sold")...)
		holds(t, dir, map[string]string{"sums.csv": sums, "made.csv": sums})
	}
}
