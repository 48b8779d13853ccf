package main

import (
	"bufio"
	"fmt"
	"math/rand/v2"
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
