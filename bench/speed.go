package main

import (
	"bufio"
	"fmt"
	"math/rand/v2"
	"os/exec"
	"path/filepath"
)

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
