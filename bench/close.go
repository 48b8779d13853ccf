package main

import (
	"bufio"
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"lastblock/core/month/block"
)

// closing are the works of a close and its blocks.
func closing() []work {
	plan := "DIR/closing/lastblock.toml"
	commands := []string{
		"DIR/lastblock tieout --plan " + plan + " --json", "DIR/lastblock doubles --plan " + plan + " --json",
		"DIR/lastblock rollup DIR/branches --name '{entity}_{n}' --by account --sum debit --out DIR/out/a.csv",
		"DIR/lastblock rollup DIR/branches --name '{entity}_{n}' --by line --sum debit --out DIR/out/b.csv",
		"DIR/lastblock collate DIR/branches --name '{entity}_{n}' --total debit --out DIR/out/c.csv",
	}
	return []work{
		{
			name: "close, against its five commands", make: makeClosing,
			command:   []string{"close", "--plan", plan, "--period", "2031-01", "--json"},
			yardstick: strings.Join(commands, " --quiet >/dev/null; ") + " --quiet >/dev/null",
			wanted:    0.7,
		},
		{
			name: "verify --sources, 10,000 files", make: makeSealed,
			command:   []string{"verify", "--plan", "DIR/closing/sealed.toml", "--sources", "--json"},
			yardstick: "find DIR/branches -name '*.csv' -print0 | xargs -0 -P2 -n 500 sha256sum",
			wanted:    1.2,
		},
		{
			name: "changes, 1 of 1,000 files has changed", make: makeMonths, stops: true,
			command: []string{"changes", "--plan", "DIR/months/lastblock.toml", "--json"},
			yardstick: "DIR/lastblock tieout --plan DIR/months/lastblock.toml --severity closed-period-changed=note " +
				"--json",
			wanted: 0.15,
		},
		{
			name: "trace, a figure of 100 of 10,000 files", make: makeTraced,
			command:   []string{"trace", "account=4100", "--plan", "DIR/traced/lastblock.toml", "--json"},
			yardstick: "DIR/lastblock rollup --plan DIR/traced/lastblock.toml --json",
			wanted:    0.1,
		},
		{
			name: "report, a page of 10,000 sources", make: makeReported,
			command: []string{"report", "--plan", "DIR/reported/lastblock.toml", "--block", "1", "--out",
				"DIR/out/pack.html", "--replace", "--json"},
			yardstick: readReported,
			wanted:    1,
		},
		{
			name: "report, a workbook of 10,000 sources", make: makeReported,
			command: []string{"report", "--plan", "DIR/reported/lastblock.toml", "--block", "1", "--out",
				"DIR/out/pack.xlsx", "--replace", "--json"},
			yardstick: readReported,
			wanted:    1,
		},
		{
			name: "history, 120 blocks of 1,000 sources", make: makeChain, // wanted: under 0.3 s
			command:   []string{"history", "--plan", "DIR/chain/lastblock.toml", "--json"},
			yardstick: "sha256sum DIR/chain/blocks/*.json",
		},
	}
}

const closingPlan = `version = 1
[read]
paths = ["../branches"]
name = "{entity}_{n}"
[tieout]
total = "debit"
[doubles]
total = "debit"
[[rollup]]
name = "by-account"
by = "account"
sum = "debit"
out = "../out/{name}.csv"
[[rollup]]
name = "by-line"
by = "line"
sum = "debit"
out = "../out/{name}.csv"
[collate]
total = "debit"
out = "../out/all.csv"
[close]
allow = ["same-file", "filed-twice"]
blocks = "%s"
`

// makeClosing makes the branches, and a plan that closes them.
func makeClosing(dir string) error {
	folder := filepath.Join(dir, "closing")
	return errors.Join(makeBranches(dir), os.MkdirAll(folder, 0o755),
		os.WriteFile(filepath.Join(folder, "lastblock.toml"),
			fmt.Appendf(nil, closingPlan, "../out/blocks"), 0o644))
}

// makeSealed makes a chain that has sealed the branches, and nothing else.
func makeSealed(dir string) error {
	if err := makeClosing(dir); err != nil {
		return err
	}
	folder := filepath.Join(dir, "closing")
	text := "version = 1\n[read]\npaths = [\"../branches\"]\n[tieout]\n[close]\nblocks = \"sealed\"\n"
	if err := os.WriteFile(filepath.Join(folder, "sealed.toml"), []byte(text), 0o644); err != nil {
		return err
	}
	if _, err := os.Stat(filepath.Join(folder, "sealed")); !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	_, _, err := once(exec.Command(filepath.Join(dir, "lastblock"), "close", "--plan",
		filepath.Join(folder, "sealed.toml"), "--period", "2031-01", "--allow", "same-file", "--json"))
	return err
}

// closeOnce closes the month of a plan, unless it was closed before.
func closeOnce(dir, plan string) error {
	if _, err := os.Stat(filepath.Join(filepath.Dir(plan), "blocks")); !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	_, _, err := once(exec.Command(filepath.Join(dir, "lastblock"), "close", "--plan", plan, "--period", "2031-01",
		"--json"))
	return err
}

// makeTraced makes 10,000 files of 1,000 rows that were closed, each with 20 of 2,000 accounts.
func makeTraced(dir string) error {
	folder := filepath.Join(dir, "traced")
	err := makeFiles(filepath.Join(folder, "in"), 10_000, func(w *bufio.Writer, r *rand.Rand, file int) {
		fmt.Fprintln(w, "document,line,posted,account,counterparty,text,debit,credit,currency")
		for row := range 1000 {
			fmt.Fprintf(w, "D%05d%04d,1,2031-01-%02d,%d,Fallowmere,\"Pass %d, sold\",%d.%02d,0.00,EUR\n", file, row,
				1+row%31, 4000+(file*20+r.IntN(20))%2000, r.IntN(9), r.IntN(10_000), r.IntN(100))
		}
	})
	plan := filepath.Join(folder, "lastblock.toml")
	text := "version = 1\n[read]\npaths = [\"in\"]\nname = \"{entity}_{n}\"\n[tieout]\ntotal = \"debit\"\n" +
		"[rollup]\nby = \"account\"\nsum = \"debit\"\n"
	if err = errors.Join(err, os.WriteFile(plan, []byte(text), 0o644)); err != nil {
		return err
	}
	return closeOnce(dir, plan)
}

// readReported reads the block that is reported, and waits for as long as a report may take beyond.
const readReported = "DIR/lastblock history --plan DIR/reported/lastblock.toml --block 1 --json >/dev/null; sleep 2"

// makeReported makes 10,000 files that were closed, of which one in fifty is not as it was declared.
func makeReported(dir string) error {
	folder := filepath.Join(dir, "reported")
	control := "source,rows\n"
	err := makeFiles(filepath.Join(folder, "in"), 10_000, func(w *bufio.Writer, r *rand.Rand, _ int) {
		fmt.Fprintln(w, "document,account,text,debit")
		for row := range 20 {
			fmt.Fprintf(w, "D%d,%d,\"Pass %d, sold\",%d.%02d\n", row, 4000+r.IntN(50), row, r.IntN(10_000), r.IntN(100))
		}
	})
	for file := range 10_000 {
		rows := 20
		if file%50 == 0 {
			rows++
		}
		control += fmt.Sprintf("in_%06d.csv,%d\n", file, rows)
	}
	plan := filepath.Join(folder, "lastblock.toml")
	text := "version = 1\n[read]\npaths = [\"in\"]\nname = \"in_{entity}\"\n[tieout]\ntotal = \"debit\"\n" +
		"declared = \"control.csv\"\n[rollup]\nby = \"account\"\nsum = \"debit\"\n[severity]\nrow-count = \"review\"\n"
	if err = errors.Join(err, os.WriteFile(plan, []byte(text), 0o644),
		os.WriteFile(filepath.Join(folder, "control.csv"), []byte(control), 0o644)); err != nil {
		return err
	}
	return closeOnce(dir, plan)
}

// makeMonths makes 1,000 files of 5,000 rows that were closed, one of which has changed since.
func makeMonths(dir string) error {
	folder := filepath.Join(dir, "months")
	err := makeFiles(filepath.Join(folder, "in"), 1000, func(w *bufio.Writer, r *rand.Rand, file int) {
		fmt.Fprintln(w, "document,line,account,debit,credit,text")
		for row := 0; row < 5000; row += 2 {
			cents, account := r.IntN(1_000_000), 4000+r.IntN(40)
			for side, amounts := range [][2]int{{cents, 0}, {0, cents}} {
				fmt.Fprintf(w, "D%05d%04d,%d,%d,%d.%02d,%d.%02d,Pass %d\n", file, row/2, side+1, account+side,
					amounts[0]/100,
					amounts[0]%100, amounts[1]/100, amounts[1]%100, r.IntN(9))
			}
		}
	})
	plan := filepath.Join(folder, "lastblock.toml")
	text := "version = 1\n[read]\npaths = [\"in\"]\nname = \"{entity}_{n}\"\n[tieout]\n" +
		"total = [\"debit\", \"credit\"]\nbalance = \"debit=credit\"\nbalance-by = \"document\"\nsequence = " +
		"\"document\"\n[rollup]\n" +
		"by = \"account\"\nsum = \"debit\"\n"
	if err = errors.Join(err, os.WriteFile(plan, []byte(text), 0o644)); err != nil {
		return err
	}
	if _, err := os.Stat(filepath.Join(folder, "blocks")); errors.Is(err, fs.ErrNotExist) {
		if _, _, err := once(exec.Command(filepath.Join(dir, "lastblock"), "close", "--plan", plan, "--period",
			"2031-01",
			"--json")); err != nil {
			return err
		}
	}
	changed, err := filepath.Glob(filepath.Join(folder, "in", "*.csv"))
	if err != nil || len(changed) == 0 {
		return errors.Join(err, errors.New("there are no files"))
	}
	return os.WriteFile(changed[0], []byte("document,line,account,debit,credit,text\nD1,1,4000,5.00,5.00,Pass\n"),
		0o644)
}

// makeChain makes the chain of ten years.
func makeChain(dir string) error {
	folder := filepath.Join(dir, "chain")
	return makeOnce(folder, func() error {
		plan := []byte("version = 1\n[read]\npaths = [\"in\"]\n")
		if err := errors.Join(os.MkdirAll(folder, 0o755), os.WriteFile(filepath.Join(folder, "lastblock.toml"), plan,
			0o644)); err != nil {
			return err
		}
		chain, err := block.Read(filepath.Join(folder, "blocks"), "lastblock.toml")
		if err != nil {
			return err
		}
		for n := range 120 {
			period := fmt.Sprintf("%d-%02d", 2031+n/12, n%12+1)
			b := block.Block{Period: period, Time: time.Date(2031+n/12, time.Month(n%12+2), 2, 9, 0, 0, 0, time.UTC),
				User:    "anna",
				Verdict: block.Passed, Plan: block.File{Name: "lastblock.toml", SHA256: block.SealOf(plan)},
				Layouts: [][]string{{"document", "line", "account", "debit", "credit", "text"}}}
			for s := range 1000 {
				name := fmt.Sprintf("journals/branch_%05d_%s.csv", s, period)
				b.Sources = append(b.Sources,
					block.Source{File: block.File{Name: name, SHA256: block.SealOf([]byte(name))},
						Source: filepath.Base(name), Size: 34_567, Entity: fmt.Sprintf("%05d", s), Period: period,
						Layout:      1,
						Fingerprint: block.SealOf([]byte(period))[:32], Rows: 1000,
						Totals: []block.Total{{Column: "debit", Amount: "123456.78"},
							{Column: "credit", Amount: "123456.78"}}})
			}
			if _, err := chain.Append(b); err != nil {
				return err
			}
		}
		return nil
	})
}
