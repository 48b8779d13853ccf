package main

import (
	"bufio"
	"errors"
	"fmt"
	"math/rand/v2"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
)

// quick are works at the speed of the machine: against what only counts lines, copies or packs, and records with texts
// in quotes against the same without.
func quick() []work {
	return slices.Concat(narrowMemory(), besidePlain())
}

// narrowMemory are works that keep within a budget of 64 MB and 128 MB beside it.
func narrowMemory() []work {
	const budget, peak = "64MB", 64 + 128
	list := func(folder string) string { return "find DIR/" + folder + " -name '*.csv' -print0 | xargs -0 cat" }
	collate := func(folder string, flags ...string) []string {
		return append([]string{"collate", "DIR/" + folder, "--out", "DIR/out/all.csv", "--json"}, flags...)
	}
	return []work{
		{
			name: "rollup, a journal with quoted texts", make: makeQuoted,
			command: []string{
				"rollup",
				"DIR/quoted/quoted.csv",
				"--by",
				"account,currency",
				"--sum",
				"debit",
				"--memory",
				budget,
				"--json",
			},
			yardstick: "wc -l DIR/quoted/quoted.csv", wanted: 5, memory: peak,
		},
		{
			name: "rollup, the journal without quotes", make: makeJournal,
			command: []string{"rollup", "DIR/journal/journal.csv", "--by", "account,currency", "--sum", "debit",
				"--memory", budget, "--json"},
			yardstick: "wc -l DIR/journal/journal.csv", wanted: 4.5, memory: peak,
		},
		{
			name: "tieout, 10,000 files of 1,000 narrow rows", make: makeNarrow,
			command:   []string{"tieout", "DIR/narrow", "--total", "amount", "--memory", budget, "--json"},
			yardstick: list("narrow") + " | wc -l", wanted: 1, memory: peak,
		},
		{
			name: "collate, 100,000 different files", make: makeSlips, command: collate("slips"),
			yardstick: list("slips") + " > DIR/out/cat.csv", wanted: 1.2, memory: 160,
		},
		{
			name: "collate, the same with --memory 64MB", make: makeSlips,
			command:   collate("slips", "--memory", budget),
			yardstick: list("slips") + " > DIR/out/cat.csv", memory: peak,
		},
		{
			name: "collate, 100,000 files with a header in quotes", make: makeQuotedSlips,
			command:   collate("slips-quoted"),
			yardstick: "DIR/lastblock " + strings.Join(collate("slips"), " "), wanted: 1.1, memory: 160,
		},
		{
			name: "collate, 200 files sent 500 times each", make: makeResent, command: collate("resent", "--anyway"),
			yardstick: "DIR/lastblock " + strings.Join(collate("slips"), " "), wanted: 1.15, memory: 160, stops: true,
		},
		{
			name: "collate, a workbook of 300,000 x 11 from CSV", make: makeSheetRecords,
			command: []string{
				"collate",
				"DIR/sheet-records",
				"--out",
				"DIR/out/wide.xlsx",
				"--memory",
				budget,
				"--json",
			},
			yardstick: "unzip -p DIR/sheets/wide.xlsx xl/worksheets/sheet1.xml | gzip -5 > DIR/out/sheet.gz",
			wanted:    0.6, memory: peak,
		},
		{
			name: "gauge, Parquet against CSV", make: makeDocuments,
			command:   []string{"gauge", "DIR/documents-parquet/documents.parquet", "--json"},
			yardstick: "DIR/lastblock gauge DIR/documents/documents.csv --json", wanted: 0.8,
		},
	}
}

// besidePlain are works of records with a quoted text each, against the same without quotes.
func besidePlain() []work {
	quoted := func(name string, command ...string) work {
		plain := make([]string, len(command))
		for i, arg := range command {
			plain[i] = strings.ReplaceAll(arg, "-quoted", "-plain")
		}
		return work{name: name + ", quoted texts", make: makeMixed, command: command,
			yardstick: "DIR/lastblock " + strings.Join(plain, " ") + " || true", wanted: 1.1, stops: true}
	}
	return []work{
		quoted("doubles", "doubles", "DIR/mixed-quoted/here.csv", "--json"),
		quoted(
			"reconcile",
			"reconcile",
			"DIR/mixed-quoted/here.csv",
			"--against",
			"DIR/mixed-quoted/there.csv",
			"--key",
			"document,line",
			"--total",
			"debit",
			"--json",
		),
		quoted("prove", "prove", "DIR/mixed-quoted/here.csv", "--equals", "DIR/mixed-quoted/there.csv", "--json"),
		quoted("attach", "attach", "DIR/mixed-quoted/here.csv", "--from", "DIR/mixed-quoted/accounts.csv", "--key",
			"account", "--bring", "name", "--bare", "--out", "DIR/out/named.csv", "--replace", "--json"),
		quoted("align", "align", "DIR/mixed-quoted/here.csv", "DIR/mixed-quoted/there.csv", "--key", "document,line",
			"--out", "DIR/out/aligned.csv", "--replace", "--anyway", "--json"),
	}
}

// makeQuoted makes the journal as exports have it: with a text in quotes, which holds a comma, in every row.
func makeQuoted(dir string) error {
	return makeFiles(filepath.Join(dir, "quoted"), 1, func(w *bufio.Writer, r *rand.Rand, _ int) {
		writeJournal(w, r, 10_000_000, `"Day pass %d, morning"`)
	})
}

// makeNarrow makes 10,000 files of 1,000 rows of 14 bytes.
func makeNarrow(dir string) error {
	return makeFiles(filepath.Join(dir, "narrow"), 10_000, func(w *bufio.Writer, r *rand.Rand, _ int) {
		fmt.Fprintln(w, "amount,account")
		for range 1000 {
			fmt.Fprintf(w, "%08d,%04d\n", r.IntN(100_000_000), 4000+r.IntN(400))
		}
	})
}

// makeResent makes 100,000 files of 10 rows and 10 columns, which are 200 different ones, each sent 500 times.
func makeResent(dir string) error {
	return makeFiles(filepath.Join(dir, "resent"), 100_000, func(w *bufio.Writer, _ *rand.Rand, file int) {
		fmt.Fprintln(w, strings.Join(slipColumns, ","))
		writeSlip(w, rand.New(rand.NewPCG(2031, uint64(file%200))), file%200)
	})
}

// makeDocuments makes 3 million records of 5 columns, of which two differ in every record, as CSV and as Parquet.
func makeDocuments(dir string) error {
	err := makeFiles(filepath.Join(dir, "documents"), 1, func(w *bufio.Writer, r *rand.Rand, _ int) {
		fmt.Fprintln(w, "document,posted,account,text,amount")
		for row := range 3_000_000 {
			fmt.Fprintf(w, "D%08d,2031-01-%02d,%d,\"Day pass %d, morning\",%d.%02d\n", row, r.IntN(28)+1,
				4000+r.IntN(400), r.IntN(3_000_000), r.IntN(1_000_000), r.IntN(100))
		}
	})
	if err != nil {
		return err
	}
	return makeOnce(filepath.Join(dir, "documents-parquet"), func() error {
		out := filepath.Join(dir, "documents-parquet", "documents.parquet")
		return exec.Command(filepath.Join(dir, "lastblock"), "collate", filepath.Join(dir, "documents"), "--out",
			out, "--bare", "--replace").Run()
	})
}

// makeSheetRecords makes the records of the sheets of makeSheets as CSV.
func makeSheetRecords(dir string) error {
	if err := makeSheets(dir); err != nil {
		return err
	}
	return makeFiles(filepath.Join(dir, "sheet-records"), 1, func(w *bufio.Writer, r *rand.Rand, _ int) {
		fmt.Fprintln(w, strings.Join(sheetColumns, ","))
		for row := range sheetRows {
			texts := sheetRow(r, row)
			for i, text := range texts {
				if strings.Contains(text, ",") {
					texts[i] = `"` + text + `"`
				}
			}
			fmt.Fprintln(w, strings.Join(texts, ","))
		}
	})
}

// makeMixed makes a journal of 2 million records twice, the second time in another order, with texts in quotes and
// without, and a reference of its accounts.
func makeMixed(dir string) error {
	for name, text := range map[string]string{"mixed-quoted": `"Day pass %d, morning"`,
		"mixed-plain": "Day pass %d morning"} {
		folder := filepath.Join(dir, name)
		err := makeOnce(folder, func() error {
			return errors.Join(
				writeDocuments(filepath.Join(folder, "here.csv"), 500_000, text, inOrder),
				writeDocuments(filepath.Join(folder, "there.csv"), 500_000, text, inOtherOrder),
				writeFile(filepath.Join(folder, "accounts.csv"), func(w *bufio.Writer) {
					fmt.Fprintln(w, "account,name")
					for i := range 400 {
						fmt.Fprintf(w, "%d,Account %d\n", 4000+i, i)
					}
				}))
		})
		if err != nil {
			return err
		}
	}
	return nil
}

func inOrder(i, _ int) int { return i }

// inOtherOrder is where the i-th of n documents stands in another order.
func inOtherOrder(i, n int) int {
	const stride = 7919 // a prime, which none of the numbers of documents is a multiple of
	return i * stride % n
}

// writeDocuments writes a journal of so many documents of four records each, in some order; text is the form of their
// texts.
func writeDocuments(path string, documents int, text string, order func(i, n int) int) error {
	return writeFile(path, func(w *bufio.Writer) {
		fmt.Fprintln(w, "document,line,posted,entity,account,counterparty,text,debit,credit,currency,unit")
		for i := range documents {
			document := order(i, documents)
			r := rand.New(rand.NewPCG(2031, uint64(document)))
			for line := range 4 {
				fmt.Fprintf(w, "D%08d,%d,2031-01-%02d,Corvane,%d,Eskerby,"+text+",%d.%02d,0.00,LKC,U%02d\n", document,
					line+1, r.IntN(28)+1, 4000+r.IntN(400), r.IntN(1000), r.IntN(10000), r.IntN(100), r.IntN(40))
			}
		}
	})
}
