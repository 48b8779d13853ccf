package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"lastblock/core/month/block"

	"github.com/klauspost/compress/zstd"
)

// A chain that an earlier version has begun goes on: nothing of it is read otherwise, the first block behind it has all
// that it needs itself, and all blocks show what they have.
func TestAChainOfAnEarlierVersionGoesOn(t *testing.T) {
	dir := t.TempDir()
	if err := os.CopyFS(dir, os.DirFS(filepath.Join("testdata", "chains", "version-2"))); err != nil {
		t.Fatal(err)
	}
	run := planned(t, dir)
	says(t, run(ExitDone, "verify", "--sources"), "2 blocks: the chain is whole", "untouched")
	says(t, run(ExitDone, "changes"), "4 the same", "forms of budget: 4 the same", "every figure is as it was sealed")
	for m := 3; m <= 4; m++ {
		period := fmt.Sprintf("2031-%02d", m)
		for _, folder := range []string{"in", "forms"} {
			files, err := filepath.Glob(filepath.Join(dir, "later", folder, "*_"+period+".csv"))
			for _, file := range files {
				if err == nil {
					err = os.Rename(file, filepath.Join(dir, folder, filepath.Base(file)))
				}
			}
			if err != nil || len(files) != 2 {
				t.Fatal(err, files)
			}
		}
		silent(t, run(ExitDone, quietly(period)...), "read-differently", "closed-period-changed")
	}
	own := []string{"a_2031-01.csv b_2031-01.csv a_2031-01.csv b_2031-01.csv",
		"a_2031-01.csv a_2031-02.csv b_2031-01.csv b_2031-02.csv " +
			"a_2031-01.csv a_2031-02.csv b_2031-01.csv b_2031-02.csv",
		"a_2031-01.csv a_2031-02.csv a_2031-03.csv b_2031-01.csv b_2031-02.csv b_2031-03.csv " +
			"a_2031-01.csv a_2031-02.csv a_2031-03.csv b_2031-01.csv b_2031-02.csv b_2031-03.csv",
		"a_2031-04.csv b_2031-04.csv a_2031-04.csv b_2031-04.csv"}
	for i, b := range blockFiles(t, dir) {
		if b.own() != own[i] {
			t.Errorf("block %d has %s itself, want %s", b.Number, b.own(), own[i])
		}
	}
	// Of account 1 there are 1.50, 2.50, … of a, and 1000.50 of b in each month.
	history := run(ExitDone, "history", "account=1")
	for m := 1; m <= 4; m++ {
		var sum float64
		for k := 1; k <= m; k++ {
			sum += float64(k) + 0.5 + 1000.5
		}
		whole := fmt.Sprintf("%d,%06.2f", int(sum)/1000, sum-float64(int(sum)/1000*1000))
		says(t, history, whole)
		number := fmt.Sprint(m)
		says(t, run(ExitDone, "trace", "account=1", "--block", number, "--all"), "of account 1 in by-account: "+whole,
			fmt.Sprintf("as sealed in block %d", m), fmt.Sprintf("a_2031-%02d.csv     2", m))
		says(t, run(ExitDone, "report", "--block", number, "--json", "--section", "summary,grids"), `"name":"budget"`,
			fmt.Sprintf("%.2f", sum))
	}
	says(t, run(ExitDone, "verify", "--sources"), "4 blocks: the chain is whole", "untouched")
}

// readAs has a block say that an earlier version of Lastblock has sealed it, and read a source otherwise.
func readAs(t *testing.T, dir, program string, change func(s *block.Source)) {
	t.Helper()
	chain, err := block.Read(filepath.Join(dir, "blocks"), "lastblock.toml")
	if err != nil {
		t.Fatal(err)
	}
	e := chain.Last()
	b := e.Block
	if b.Sources, err = chain.Sources(e); err != nil {
		t.Fatal(err)
	}
	b.Program = program
	path := filepath.Join(dir, "blocks", b.Figures.Name)
	figures := unpacked(t, path) // which say the same of sources
	for i := range b.Sources {
		was := b.Sources[i].SHA256
		change(&b.Sources[i])
		figures = strings.ReplaceAll(figures, was, b.Sources[i].SHA256)
	}
	var packed bytes.Buffer
	out, err := zstd.NewWriter(&packed)
	if err == nil {
		_, err = io.WriteString(out, figures)
	}
	if err = errors.Join(err, out.Close(), os.WriteFile(path, packed.Bytes(), 0o644)); err != nil {
		t.Fatal(err)
	}
	b.Figures.SHA256 = block.SealOf(packed.Bytes())
	data, err := b.Encode()
	if err == nil {
		err = os.WriteFile(filepath.Join(dir, "blocks", e.File), data, 0o644)
	}
	if err != nil {
		t.Fatal(err)
	}
}

// reread is a month that an earlier version has closed, which has taken the last line of a source for a total.
func reread(t *testing.T) (dir string, run func(want int, args ...string) string) {
	t.Helper()
	was, is := "account,v\n1,2.00\n2,3.00\n", "account,v\n1,2.00\n2,3.00\n2,1.00\n"
	dir, run = monthOf(t, "version = 1\n[read]\npaths = [\"in\"]\nname = \"{entity}_{period}\"\n[tieout]\n"+
		"total = [\"v\"]\n[close]\nretain = true\n[[rollup]]\nby = [\"account\"]\nsum = [\"v\"]\n",
		map[string]string{"in/a_2031-01.csv": was, "in/b_2031-01.csv": "account,v\n1,9.00\n"})
	run(ExitDone, quietly("2031-01")...)
	writeFiles(t, dir, map[string]string{"in/a_2031-01.csv": is})
	readAs(t, dir, "0.1.0", func(s *block.Source) {
		if s.Source == "a_2031-01.csv" {
			s.SHA256, s.Size = block.SealOf([]byte(is)), int64(len(is))
		}
	})
	writeFiles(t, dir, map[string]string{"in/a_2031-02.csv": "account,v\n1,4.00\n",
		"in/b_2031-02.csv": "account,v\n2,1.00\n"})
	return dir, run
}

// A file that is as it was sealed, and that this version reads otherwise, is told as such: with a line of its own in
// each bridge, once, and as no change of a closed period.
func TestReadDifferently(t *testing.T) {
	dir, run := reread(t)
	said := run(ExitDone, "changes")
	says(t, said, "since block 1 of 2031-01: 2 new, 1 read-differently, 1 the same", "a_2031-01.csv  read-differently",
		"read-differently", "reads them as 3 rows, where there were 2;", "now                                20.00")
	silent(t, said, "closed-period-changed", "of a closed period")
	silent(t, run(ExitDone, "tieout"), "closed-period-changed")
	said = run(ExitDone, "trace", "account=2", "--block", "1", "--all")
	says(t, said, "of account 2 in rollup: 3.00, from 1 record of 1 source", "as sealed in block 1")
	closed := closeJSON(t, dir, "--period", "2031-02")
	var lines []string
	for _, line := range closed.Bridges[0].Lines {
		lines = append(lines, strings.Join(strings.Fields(line.Label+" "+line.Source+" "+line.Amount), " "))
	}
	want := "sealed 14.00, new a_2031-02.csv 4.00, new b_2031-02.csv 1.00, " +
		"read-differently a_2031-01.csv 1.00, now 20.00"
	if got := strings.Join(lines, ", "); got != want {
		t.Errorf("the bridge is %s, want %s", got, want)
	}
	all := blockFiles(t, dir)
	if all[1].own() != "a_2031-01.csv a_2031-02.csv b_2031-02.csv" {
		t.Errorf("the block has %s itself", all[1].own())
	}
	found := run(ExitDone, "history", "--block", "2")
	says(t, found, "read-differently", "review")
	// From then on it is as this version reads it.
	writeFiles(t, dir, map[string]string{"in/a_2031-03.csv": "account,v\n1,5.00\n",
		"in/b_2031-03.csv": "account,v\n2,6.00\n"})
	silent(t, run(ExitDone, quietly("2031-03")...), "read-differently")
	silent(t, run(ExitDone, "changes"), "read-differently")
	says(t, run(ExitDone, "verify", "--sources"), "untouched")
}

// With another plan, or a decision about the source, it is not the version that makes a difference.
func TestReadDifferentlyByThePlan(t *testing.T) {
	const plan = "version = 1\n[read]\npaths = [\"in\"]\nname = \"{entity}_{period}\"\n[tieout]\ntotal = [\"v\"]\n" +
		"[[rollup]]\nby = [\"account\"]\nsum = [\"v\"]\n"
	dir, run := monthOf(t, plan, map[string]string{"in/a_2031-01.csv": "account,v\n1,2.00\n2,3.00\n"})
	run(ExitDone, quietly("2031-01")...)
	readAs(t, dir, "0.1.0", func(*block.Source) {})
	said := run(ExitDone, "changes")
	says(t, said, "1 the same")
	silent(t, said, "read-differently")
	writeFiles(t, dir, map[string]string{"lastblock.toml": strings.Replace(plan, "[tieout]",
		"where = 'account == \"1\"'\n[tieout]", 1)})
	said = run(ExitDone, "changes")
	says(t, said, "1 the same", "plan", "-3.00")
	silent(t, said, "read-differently")
}

// A form that is read otherwise is told as such, too.
func TestAFormThatIsReadDifferently(t *testing.T) {
	was, is := "Line,Q1,Q2\nWages,5,2\nRent,3,4\n", "Line,Q1,Q2\nWages,5,2\nRent,3,9\n"
	dir, run := monthOf(t, "version = 1\n[read]\npaths = [\"in\"]\nname = \"{entity}_{period}\"\n[tieout]\n"+
		"total = [\"v\"]\n[[overlay]]\nname = \"budget\"\npaths = [\"forms\"]\n",
		map[string]string{"in/a_2031-01.csv": "account,v\n1,9.00\n", "forms/a_2031-01.csv": was,
			"forms/b_2031-01.csv": "Line,Q1,Q2\nWages,1,1\nRent,1,1\n"})
	run(ExitDone, quietly("2031-01")...)
	writeFiles(t, dir, map[string]string{"forms/a_2031-01.csv": is})
	readAs(t, dir, "0.1.0", func(s *block.Source) {
		if s.Of == "budget" && s.Source == "a_2031-01.csv" {
			s.SHA256, s.Size = block.SealOf([]byte(is)), int64(len(is))
		}
	})
	said := run(ExitDone, "changes")
	says(t, said, "forms of budget: 1 read-differently, 1 the same", "reads them as 19 of value, where there were 14;")
	writeFiles(t, dir, map[string]string{"in/a_2031-02.csv": "account,v\n1,4.00\n"})
	closed := closeJSON(t, dir, "--period", "2031-02")
	for _, b := range closed.Bridges {
		want := "[{sealed  18} {read-differently a_2031-01.csv 5} {now  23}]"
		if b.Result == "budget" && fmt.Sprint(b.Lines) != want {
			t.Errorf("the bridge is %v", b.Lines)
		}
	}
	says(t, run(ExitDone, "history", "--block", "2"), "read-differently", "review")
}

// A month that the version before has closed, of which this one reads a source otherwise: it took lines of delimiters
// alone for records, and days that are the same in both orders for a proof of day first.
func TestAChainOfTheVersionBeforeGoesOn(t *testing.T) {
	dir := t.TempDir()
	if err := os.CopyFS(dir, os.DirFS(filepath.Join("testdata", "chains", "version-3"))); err != nil {
		t.Fatal(err)
	}
	run := planned(t, dir)
	says(t, run(ExitDone, "verify", "--sources"), "1 block: the chain is whole", "untouched")
	said := run(ExitDone, "changes")
	says(t, said, "1 read-differently, 1 the same", "reads them as 4 rows, where there were 7;")
	silent(t, said, "closed-period-changed")
	for _, name := range []string{"a_2031-02.csv", "b_2031-02.csv"} {
		move(t, dir, filepath.Join("later", "in", name), filepath.Join("in", name))
	}
	closed := closeJSON(t, dir, "--period", "2031-02")
	// Of January the 15th was in suspense, 8.00; February has 64.00 and 128.00 of a, and 256.00 of b.
	want := map[string]string{"by-account": "sealed 55.00, new a_2031-02.csv 192.00, new b_2031-02.csv 256.00, " +
		"read-differently a_2031-01.csv 8.00, now 511.00"}
	want["by-day"] = want["by-account"]
	for _, b := range closed.Bridges {
		var lines []string
		for _, line := range b.Lines {
			lines = append(lines, strings.Join(strings.Fields(line.Label+" "+line.Source+" "+line.Amount), " "))
		}
		if got := strings.Join(lines, ", "); got != want[b.Result] {
			t.Errorf("the bridge of %s is %s, want %s", b.Result, got, want[b.Result])
		}
	}
	says(t, run(ExitDone, "trace", "posted=2031-01-02", "--named", "by-day"), "4.00", "a_2031-01.csv     5")
	says(t, run(ExitDone, "history", "--block", "2"), "read-differently", "review")
	silent(t, run(ExitDone, "changes"), "read-differently")
}
