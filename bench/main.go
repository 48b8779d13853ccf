// Command bench makes workloads, runs the built program on them and a yardstick
// beside it, in turn and in one run, and prints the ratios of the medians.
// Absolute times depend on the machine; the ratios are what is kept.
//
//	go run ./bench                   all workloads
//	go run ./bench -only rollup      those whose name contains a word
//	go run ./bench -table new.txt    in a file, too, in the format of Go's benchmarks: with the
//	                                 table of another commit it goes to benchstat
//
// It needs find, xargs, cat, wc, sort, split, cmp, gzip, unzip, iconv and mawk, and about
// 20 GB in the folder that -dir names; workloads that lie there already are used again.
package main

import (
	"bytes"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"
	"unicode"
)

// work is one line of the table: a command, and the shell command it is
// measured against.
type work struct {
	name      string
	make      func(dir string) error
	command   []string // arguments of lastblock; DIR stands for the folder
	yardstick string
	wanted    float64 // ratio, at most
	memory    int     // wanted peak in MB, 0 for none
	input     string  // the file whose megabytes a second are told, "" for none
	speed     int     // wanted, in MB a second; 0 for none
	own       bool    // the command is the benchmark's own, for what has no command yet
	stops     bool    // it ends with exit code 1, since it finds something
}

var works = []work{
	{
		name: "tieout, 10,000 files of 1,000 rows", make: makeBranches,
		command:   []string{"tieout", "DIR/branches", "--total", "debit", "--json"},
		yardstick: "find DIR/branches -name '*.csv' -print0 | xargs -0 cat | wc -l",
		wanted:    1.5,
	},
	{
		name: "tieout with checks, against its total", make: makeLedgers,
		command: []string{
			"tieout", "DIR/ledgers", "--total", "debit", "--declared", "DIR/ledgers-control.csv", "--balance",
			"debit=credit", "--balance-by", "document",
			"--sequence", "document", "--json",
		},
		yardstick: "DIR/lastblock tieout DIR/ledgers --total debit --json",
		wanted:    2,
	},
	{
		name: "collate, 100,000 files of 10 rows", make: makeSlips,
		command:   []string{"collate", "DIR/slips", "--out", "DIR/out/slips.csv", "--replace"},
		yardstick: "find DIR/slips -name '*.csv' -print0 | xargs -0 cat > DIR/out/cat.csv",
		wanted:    2,
	},
	{
		name: "rollup, a journal of 10 million rows", make: makeJournal,
		command: []string{"rollup", "DIR/journal/journal.csv", "--by", "account,currency", "--sum", "debit",
			"--json"},
		yardstick: `mawk -F, 'NR>1{s[$5","$10]+=$8} END{for(k in s) printf "%s,%.2f\n", k, s[k]}' DIR/journal/journal.csv`,
		wanted:    0.2, memory: 256,
	},
	{
		name: "collate, the same journal", make: makeJournal,
		command:   []string{"collate", "DIR/journal/journal.csv", "--out", "DIR/out/journal.csv", "--replace"},
		yardstick: "cat DIR/journal/journal.csv > DIR/out/cat.csv",
		memory:    256,
	},
	{
		name: "gauge, the same journal", make: makeJournal,
		command: []string{"gauge", "DIR/journal/journal.csv", "--json"},
		yardstick: `mawk -F, 'NR>1{n++; d+=$8; c+=$9; if(n==1||$8+0<dl)dl=$8+0; if(n==1||$8+0>dh)dh=$8+0; if(n==1||$9+0<cl)cl=$9+0; if(n==1||$9+0>ch)ch=$9+0} ` +
			`END{printf "%d %.2f %.2f %.2f %.2f %.2f %.2f\n", n, d, c, dl, dh, cl, ch}' DIR/journal/journal.csv`,
		wanted: 0.5,
	},
	{
		name: "split, the same journal", make: makeJournal,
		command: []string{"split", "DIR/journal/journal.csv", "--rows", "1000000", "--out-dir", "DIR/out/parts",
			"--replace", "--json"},
		yardstick: "split -l 1000000 DIR/journal/journal.csv DIR/out/lines-",
		wanted:    2.5,
	},
	{
		name: "prove, it against itself in another order", make: makeShuffled,
		command: []string{"prove", "DIR/journal/journal.csv", "--equals", "DIR/shuffled/journal.csv", "--memory",
			"256MB", "--json"},
		yardstick: "sort DIR/journal/journal.csv > DIR/out/sorted.csv; sort DIR/shuffled/journal.csv | cmp - " +
			"DIR/out/sorted.csv; rm DIR/out/sorted.csv",
		wanted: 0.5, memory: 512,
	},
	{
		name: "doubles, a journal of 10 million rows", make: makeRepeated,
		command:   []string{"doubles", "DIR/repeated/journal.csv", "--json"},
		yardstick: "LC_ALL=C sort -S 2G --parallel=2 DIR/repeated/journal.csv | uniq -d",
		wanted:    0.3,
	},
	{
		name: "doubles, the same with --memory 128MB", make: makeRepeated,
		command:   []string{"doubles", "DIR/repeated/journal.csv", "--memory", "128MB", "--json"},
		yardstick: "LC_ALL=C sort -S 2G --parallel=2 DIR/repeated/journal.csv | uniq -d",
		wanted:    0.8, memory: 200,
	},
	{
		name: "doubles, 100,000 files of 10 rows", make: makeSent,
		command:   []string{"doubles", "DIR/sent", "--json"},
		yardstick: "find DIR/sent -name '*.csv' -print0 | xargs -0 cat > DIR/out/cat.csv",
		wanted:    3, stops: true,
	},
	{
		name: "reconcile, 2 million x 2 million", make: makeSides,
		command: reconcileSides(), yardstick: joinSides, wanted: 0.3, stops: true,
	},
	{
		name: "reconcile, the same with --memory 64MB", make: makeSides,
		command: reconcileSides("--memory", "64MB"), yardstick: joinSides, wanted: 1, memory: 160, stops: true,
	},
	{
		name: "reconcile, the same with --out", make: makeSides,
		command: reconcileSides("--out", "DIR/out/sides.csv", "--replace"), yardstick: joinSides, stops: true,
	},
	{
		name: "reconcile, with --out and --memory 64MB", make: makeSides,
		command: reconcileSides("--out", "DIR/out/sides.csv", "--replace", "--memory", "64MB"), yardstick: joinSides,
		memory: 160, stops: true,
	},
	{
		name: "reconcile, --combine 4 of 2,000 left", make: makeLeftovers,
		command: []string{"reconcile", "DIR/leftovers/here.csv", "--against", "DIR/leftovers/there.csv", "--key",
			"document", "--total", "amount", "--combine", "4", "--json"},
		yardstick: "sleep 5",
		wanted:    1, stops: true,
	},
	{
		name: "attach, 100,000 codes to 10 million rows", make: makeSales,
		command: []string{
			"attach", "DIR/sales/sales.csv", "--from", "DIR/sales/codes.csv", "--key", "code", "--bring", "name,group",
			"--bare", "--out", "DIR/out/named.csv", "--replace",
		},
		yardstick: `mawk -F, 'NR==FNR{n[$1]=$2","$3;next} {print $0","n[$2]}' DIR/sales/codes.csv DIR/sales/sales.csv > DIR/out/mawk.csv`,
		wanted:    0.25,
	},
	{
		name: "collate, a workbook of 300,000 x 8", make: makeBook,
		command:   []string{"collate", "DIR/book/book.xlsx", "--out", "DIR/out/book.csv", "--replace"},
		yardstick: "DIR/bench -yardstick workbook DIR/book/book.xlsx",
		wanted:    1.3, memory: 512,
	},
	{
		name: "tieout, JSON lines of 200 MB", make: makeLines,
		command:   []string{"tieout", "DIR/lines/lines.jsonl", "--total", "debit", "--json"},
		yardstick: "DIR/bench -yardstick json DIR/lines/lines.jsonl",
		wanted:    1.0 / 3, input: "DIR/lines/lines.jsonl",
	},
	{
		name: "tieout, a journal in gzip", make: makeEncoded,
		command:   []string{"tieout", "DIR/encoded/journal.csv.gz", "--total", "debit", "--json"},
		yardstick: "gzip -dc DIR/encoded/journal.csv.gz | wc -l",
		wanted:    1.3,
	},
	{
		name: "tieout, a journal in UTF-16", make: makeEncoded,
		command:   []string{"tieout", "DIR/encoded/journal-utf16.csv", "--total", "debit", "--json"},
		yardstick: "iconv -f UTF-16LE -t UTF-8 DIR/encoded/journal-utf16.csv | wc -l",
		input:     "DIR/encoded/journal-utf16.csv", speed: 100,
	},
	{
		name: "tieout, a journal in windows-1252", make: makeEncoded,
		command:   []string{"tieout", "DIR/encoded/journal-1252.csv", "--total", "debit", "--json"},
		yardstick: "iconv -f CP1252 -t UTF-8 DIR/encoded/journal-1252.csv | wc -l",
		input:     "DIR/encoded/journal-1252.csv", speed: 100,
	},
}

// reconcileSides is a reconciliation, with more flags.
func reconcileSides(flags ...string) []string {
	return append([]string{"reconcile", "DIR/sides/here.csv", "--against", "DIR/sides/there.csv", "--key", "document",
		"--total", "amount", "--json"}, flags...)
}

// joinSides sorts two files and joins them.
const joinSides = "export LC_ALL=C; sort DIR/sides/here.csv > DIR/out/here.csv; sort DIR/sides/there.csv > " +
	"DIR/out/there.csv; " +
	"join -t, -a1 -a2 DIR/out/here.csv DIR/out/there.csv > DIR/out/joined.csv; rm DIR/out/here.csv DIR/out/there.csv"

func main() {
	dir := flag.String("dir", filepath.Join(os.TempDir(), "lastblock-bench"), "folder for the workloads")
	runs := flag.Int("runs", 5, "counted runs of each command, after one that is not")
	only := flag.String("only", "", "part of the names of the works to measure")
	table := flag.String("table", "", "a file for the figures of each run, in the format of Go's benchmarks")
	yardstick := flag.String("yardstick", "",
		"run one of the yardsticks on a file: workbook, json, or reading: with parts")
	flag.Parse()
	if *yardstick != "" {
		if err := measureAgainst(*yardstick, flag.Arg(0)); err != nil {
			fmt.Fprintln(os.Stderr, "bench:", err)
			os.Exit(1)
		}
		return
	}
	if err := measure(*dir, *runs, *only, *table); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

// measure measures the works whose names contain a word, and writes a table of their runs to a file, if one is named.
func measure(dir string, runs int, only, path string) error {
	table := io.Discard
	if path != "" {
		file, err := os.Create(path)
		if err != nil {
			return err
		}
		defer file.Close()
		table = file
	}
	fmt.Fprintf(table, "goos: %s\ngoarch: %s\npkg: lastblock/bench\n", runtime.GOOS, runtime.GOARCH)
	return run(dir, runs, only, table)
}

func run(dir string, runs int, only string, table io.Writer) error {
	if err := os.MkdirAll(filepath.Join(dir, "out"), 0o755); err != nil {
		return err
	}
	program := filepath.Join(dir, "lastblock")
	for folder, binary := range map[string]string{".": program, "./bench": filepath.Join(dir, "bench")} {
		build := exec.Command("go", "build", "-o", binary, folder)
		build.Env = append(os.Environ(), "CGO_ENABLED=0")
		if out, err := build.CombinedOutput(); err != nil {
			return fmt.Errorf("building: %w\n%s", err, out)
		}
	}
	fmt.Printf("%-46s %9s %9s %7s %7s %9s %9s %6s %11s\n", "work", "lastblock", "yardstick", "ratio", "wanted",
		"peak MB", "wanted MB", "MB/s", "wanted MB/s")
	for _, w := range slices.Concat(quick(), works, sheets(), forms(), together(), closing(), growing()) {
		if !strings.Contains(w.name, only) {
			continue
		}
		if err := w.make(dir); err != nil {
			return fmt.Errorf("making %s: %w", w.name, err)
		}
		if err := w.measure(dir, program, runs, table); err != nil {
			return fmt.Errorf("%s: %w", w.name, err)
		}
	}
	if strings.Contains(nameOfYear, only) {
		return measureYear(dir, program, runs)
	}
	return nil
}

// measure runs the two commands in turn and prints their medians.
func (w *work) measure(dir, program string, runs int, table io.Writer) error {
	var ours, theirs []time.Duration
	peak := 0
	for i := range runs + 1 {
		args := make([]string, len(w.command))
		for k, arg := range w.command {
			args[k] = strings.ReplaceAll(arg, "DIR", dir)
		}
		// A file that is written over is flushed to the disk when it gets its name.
		if err := clearOut(dir); err != nil {
			return err
		}
		command := program
		if w.own {
			command = filepath.Join(dir, "bench")
		}
		took, used, err := once(exec.Command(command, args...))
		if err != nil && !(w.stops && isStop(err)) {
			return err
		}
		if err := clearOut(dir); err != nil {
			return err
		}
		other, _, err := once(exec.Command("sh", "-c", strings.ReplaceAll(w.yardstick, "DIR", dir)))
		if err != nil {
			return err
		}
		peak = max(peak, used)
		if i == 0 {
			continue
		}
		ours, theirs = append(ours, took), append(theirs, other)
		_, err = fmt.Fprintf(
			table,
			"Benchmark%s 1 %d ns/op %.4f x/yardstick %d peak-MB\n",
			w.benchmark(),
			took.Nanoseconds(),
			took.Seconds()/other.Seconds(),
			used,
		)
		if err != nil {
			return err
		}
	}
	ratios := make([]float64, runs)
	for i := range ratios {
		ratios[i] = ours[i].Seconds() / theirs[i].Seconds()
	}
	speed := 0
	if w.input != "" {
		info, err := os.Stat(strings.ReplaceAll(w.input, "DIR", dir))
		if err != nil {
			return err
		}
		speed = int(float64(info.Size()) / 1e6 / median(ours).Seconds())
	}
	fmt.Printf("%-46s %8.2fs %8.2fs %7.2f %7s %9d %9s %6s %11s\n", w.name,
		median(ours).Seconds(), median(theirs).Seconds(), median(ratios), orBlank("%.2f", w.wanted), peak,
		orBlank("%d", w.memory),
		orBlank("%d", speed), orBlank("%d", w.speed))
	return nil
}

// benchmark is the name of a work as Go's benchmarks have it.
func (w *work) benchmark() string {
	words := strings.FieldsFunc(w.name, func(c rune) bool { return !unicode.IsLetter(c) && !unicode.IsDigit(c) })
	for i, word := range words {
		words[i] = strings.ToUpper(word[:1]) + word[1:]
	}
	return strings.Join(words, "")
}

// clearOut takes away what was written before.
func clearOut(dir string) error {
	out := filepath.Join(dir, "out")
	return errors.Join(os.RemoveAll(out), os.Mkdir(out, 0o755))
}

// isStop tells whether a command ended because of what it has found.
func isStop(err error) bool {
	var exit *exec.ExitError
	return errors.As(err, &exit) && exit.ExitCode() == 1
}

func orBlank[T comparable](format string, v T) string {
	var none T
	if v == none {
		return ""
	}
	return fmt.Sprintf(format, v)
}

func median[T time.Duration | float64](values []T) T {
	sorted := slices.Sorted(slices.Values(values))
	return sorted[len(sorted)/2]
}

// once runs a command and returns its time and its peak memory in MB.
func once(cmd *exec.Cmd) (time.Duration, int, error) {
	var complaint bytes.Buffer
	cmd.Stdout, cmd.Stderr = io.Discard, &complaint
	start := time.Now()
	err := cmd.Run()
	took := time.Since(start)
	if err != nil {
		return took, peakMB(cmd.ProcessState), fmt.Errorf("%v: %w\n%s", cmd.Args, err, complaint.String())
	}
	return took, peakMB(cmd.ProcessState), nil
}
