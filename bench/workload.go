package main

import (
	"bufio"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
)

// makeBranches makes 10,000 files of 1,000 rows and 5 columns.
func makeBranches(dir string) error {
	return makeFiles(filepath.Join(dir, "branches"), 10_000, func(w *bufio.Writer, r *rand.Rand, file int) {
		fmt.Fprintln(w, "document,line,account,debit,text")
		for row := range 1000 {
			fmt.Fprintf(w, "D%05d%04d,%d,%d,%d.%02d,Pass %d\n", file, row, row+1, 4000+r.IntN(400), r.IntN(10000), r.IntN(100), r.IntN(9))
		}
	})
}

// makeSlips makes 100,000 files of 10 rows and 10 columns.
func makeSlips(dir string) error {
	return makeFiles(filepath.Join(dir, "slips"), 100_000, func(w *bufio.Writer, r *rand.Rand, file int) {
		fmt.Fprintln(w, "document,line,posted,account,counterparty,text,debit,credit,currency,unit")
		for row := range 10 {
			fmt.Fprintf(w, "D%06d,%d,2031-01-%02d,%d,Corvane,Pass %d,%d.%02d,0.00,LKC,%d\n", file, row+1, r.IntN(28)+1, 4000+r.IntN(400), r.IntN(9), r.IntN(10000), r.IntN(100), row)
		}
	})
}

// makeJournal makes one file of 10 million rows and 11 columns, 0.9 GB.
func makeJournal(dir string) error {
	companies := []string{"Brackenfell", "Corvane", "Dunmarrow", "Eskerby", "Fallowmere"}
	currencies := []string{"LKC", "EUR", "USD"}
	return makeFiles(filepath.Join(dir, "journal"), 1, func(w *bufio.Writer, r *rand.Rand, _ int) {
		fmt.Fprintln(w, "document,line,posted,entity,account,counterparty,text,debit,credit,currency,unit")
		for row := range 10_000_000 {
			fmt.Fprintf(w, "D%08d,%d,2031-%02d-%02d,%s,%d,%s,Day pass %d morning,%d.%02d,0.00,%s,U%02d\n",
				row/4, row%4+1, row/4_000_000+1, r.IntN(28)+1, companies[r.IntN(5)], 4000+r.IntN(400), companies[r.IntN(5)],
				r.IntN(1000), r.IntN(10000), r.IntN(100), currencies[r.IntN(3)], r.IntN(40))
		}
	})
}

// makeFiles writes n files into a folder, unless they were made before. The
// last thing written is a mark that all are there.
func makeFiles(folder string, n int, write func(w *bufio.Writer, r *rand.Rand, file int)) error {
	done := folder + ".made"
	if _, err := os.Stat(done); err == nil {
		return nil
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	r := rand.New(rand.NewPCG(2031, 1))
	for file := range n {
		name := filepath.Join(folder, fmt.Sprintf("%s_%06d.csv", filepath.Base(folder), file))
		if n == 1 {
			name = filepath.Join(folder, filepath.Base(folder)+".csv")
		}
		f, err := os.Create(name)
		if err != nil {
			return err
		}
		w := bufio.NewWriterSize(f, 1<<16)
		write(w, r, file)
		if err := w.Flush(); err != nil {
			return err
		}
		if err := f.Close(); err != nil {
			return err
		}
	}
	return os.WriteFile(done, nil, 0o644)
}
