package main

import (
	"bytes"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"
)

// nameOfYear is what the year of closes is called among the works.
const nameOfYear = "twelve closes of 250 branches"

const yearPlan = `version = 1
[read]
paths = ["in"]
name = "{entity}_{period}"
[tieout]
total = ["debit", "credit"]
[close]
retain = true
[[rollup]]
name = "by-account"
by = "account"
sum = ["debit", "credit"]
[[rollup]]
name = "by-company"
by = "entity"
sum = ["debit", "credit"]
`

// month is what the commands on a month take: processor time, and bytes.
type month struct {
	close, reading, changes, trace time.Duration
	blocks, own                    int64
}

// measureYear closes twelve equal months of 250 branches one after another and prints what each takes: processor time
// of the close and of a summary of the same sources, which reads them; of changes before the close and a trace behind
// it; how many bytes all blocks have, and how many of these are the packed files of the month.
func measureYear(dir, program string, runs int) error {
	const branches, records = 250, 60
	folder := filepath.Join(dir, "year")
	if err := os.RemoveAll(folder); err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Join(folder, "in"), 0o755); err != nil {
		return err
	}
	plan := filepath.Join(folder, "lastblock.toml")
	if err := os.WriteFile(plan, []byte(yearPlan), 0o644); err != nil {
		return err
	}
	r := rand.New(rand.NewPCG(37, 12))
	spent := func(runs int, args ...string) (time.Duration, error) {
		var all []time.Duration
		for range runs {
			cmd := exec.Command(program, append(args, "--plan", plan)...)
			var complaint bytes.Buffer
			cmd.Stdout, cmd.Stderr = io.Discard, &complaint
			if err := cmd.Run(); err != nil && !isStop(err) {
				return 0, fmt.Errorf("%v: %w\n%s", args, err, complaint.String())
			}
			all = append(all, cmd.ProcessState.UserTime()+cmd.ProcessState.SystemTime())
		}
		return median(all), nil
	}
	fmt.Printf("\n%s, in processor time\n%-8s %8s %8s %8s %8s %10s %10s\n", nameOfYear, "month", "close", "reading",
		"changes", "trace", "blocks kB", "own kB")
	var year []month
	for m := 1; m <= 12; m++ {
		period := fmt.Sprintf("2031-%02d", m)
		for b := range branches {
			name := filepath.Join(folder, "in", fmt.Sprintf("branch%03d_%s.csv", b, period))
			if err := os.WriteFile(name, monthOf(r, b, m, records), 0o644); err != nil {
				return err
			}
		}
		var of month
		var err error
		if m > 1 {
			if of.changes, err = spent(runs, "changes", "--json"); err != nil {
				return err
			}
		}
		closing := []string{"close", "--period", period, "--user", "anna", "--json", "--quiet"}
		if of.close, err = spent(runs, append(closing, "--rehearse")...); err != nil {
			return err
		}
		if of.reading, err = spent(runs, "rollup", "--json", "--quiet"); err != nil {
			return err
		}
		before, _, err := bytesIn(filepath.Join(folder, "blocks"))
		if err != nil {
			return err
		}
		if _, err = spent(1, closing...); err != nil {
			return err
		}
		var packed int64
		if of.blocks, packed, err = bytesIn(filepath.Join(folder, "blocks")); err != nil {
			return err
		}
		of.own = packed
		if m > 1 {
			of.own = of.blocks - before
		}
		if of.trace, err = spent(runs, "trace", "account=04000", "--sum", "debit", "--json"); err != nil {
			return err
		}
		year = append(year, of)
		fmt.Printf("%-8s %7.2fs %7.2fs %7.2fs %7.2fs %10d %10d\n", period, of.close.Seconds(), of.reading.Seconds(),
			of.changes.Seconds(), of.trace.Seconds(), of.blocks/1000, of.own/1000)
	}
	second, last := year[1], year[11]
	ratio := func(of func(m *month) time.Duration) float64 {
		return of(&last).Seconds() / of(&second).Seconds()
	}
	fmt.Printf("the last month against the second: close beyond reading %.2f, wanted 2; changes %.2f, wanted 2; "+
		"trace %.2f\n",
		ratio(func(m *month) time.Duration { return m.close - m.reading }),
		ratio(func(m *month) time.Duration { return m.changes }),
		ratio(func(m *month) time.Duration { return m.trace }))
	fmt.Printf("all blocks against twelve times the packed files of the first month: %.2f, wanted 1.6\n",
		float64(last.blocks)/float64(12*year[0].own))
	return nil
}

// monthOf is what a branch sends of a month.
func monthOf(r *rand.Rand, branch, month, records int) []byte {
	var text strings.Builder
	text.WriteString("document,line,date,account,counterparty,text,debit,credit\n")
	for i := range records {
		debit, credit := fmt.Sprintf("%d.%02d", r.IntN(9999), r.IntN(100)), ""
		if r.IntN(2) == 0 {
			debit, credit = credit, debit
		}
		fmt.Fprintf(&text, "D%d-%d-%d,%d,2031-%02d-%02d,%05d,branch%03d,%s %d,%s,%s\n", branch, month, i/2, i%2+1,
			month,
			1+r.IntN(28), 4000+10*r.IntN(30), r.IntN(250), []string{"rent", "fares", "repair", "wages",
				"pass"}[r.IntN(5)],
			r.IntN(9999), debit, credit)
	}
	return []byte(text.String())
}

// bytesIn is how many bytes the files of a folder have, and how many of these are packed.
func bytesIn(folder string) (all, packed int64, err error) {
	err = filepath.WalkDir(folder, func(path string, d fs.DirEntry, err error) error {
		if os.IsNotExist(err) {
			return nil
		}
		if err != nil || d.IsDir() {
			return err
		}
		info, err := d.Info()
		if err != nil {
			return err
		}
		all += info.Size()
		if strings.HasSuffix(path, ".zst") {
			packed += info.Size()
		}
		return nil
	})
	return all, packed, err
}
