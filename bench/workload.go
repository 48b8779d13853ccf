package main

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// makeBranches makes 10,000 files of 1,000 rows and 5 columns.
func makeBranches(dir string) error {
	return makeFiles(filepath.Join(dir, "branches"), 10_000, func(w *bufio.Writer, r *rand.Rand, file int) {
		fmt.Fprintln(w, "document,line,account,debit,text")
		for row := range 1000 {
			fmt.Fprintf(w, "D%05d%04d,%d,%d,%d.%02d,Pass %d\n", file, row, row+1, 4000+r.IntN(400), r.IntN(10000),
				r.IntN(100), r.IntN(9))
		}
	})
}

// makeSlips makes 100,000 files of 10 rows and 10 columns.
func makeSlips(dir string) error {
	return makeFiles(filepath.Join(dir, "slips"), 100_000, func(w *bufio.Writer, r *rand.Rand, file int) {
		fmt.Fprintln(w, strings.Join(slipColumns, ","))
		writeSlip(w, r, file)
	})
}

// makeQuotedSlips makes the same files with a header in quotes, as most exports have it, beside them.
func makeQuotedSlips(dir string) error {
	return errors.Join(makeSlips(dir),
		makeFiles(filepath.Join(dir, "slips-quoted"), 100_000, func(w *bufio.Writer, r *rand.Rand, file int) {
			fmt.Fprintf(w, "\"%s\"\n", strings.Join(slipColumns, `","`))
			writeSlip(w, r, file)
		}))
}

var slipColumns = []string{"document", "line", "posted", "account", "counterparty", "text", "debit", "credit",
	"currency", "unit"}

// writeSlip writes 10 records of these columns.
func writeSlip(w *bufio.Writer, r *rand.Rand, file int) {
	for row := range 10 {
		fmt.Fprintf(w, "D%06d,%d,2031-01-%02d,%d,Corvane,Pass %d,%d.%02d,0.00,LKC,%d\n", file, row+1, r.IntN(28)+1,
			4000+r.IntN(400), r.IntN(9), r.IntN(10000), r.IntN(100), row)
	}
}

// makeJournal makes one file of 10 million rows and 11 columns, 0.9 GB.
func makeJournal(dir string) error {
	return makeFiles(filepath.Join(dir, "journal"), 1, func(w *bufio.Writer, r *rand.Rand, _ int) {
		writeJournal(w, r, 10_000_000, "Day pass %d morning")
	})
}

// writeJournal writes a journal of so many rows and 11 columns; text is the form of their texts.
func writeJournal(w *bufio.Writer, r *rand.Rand, rows int, text string) {
	companies := []string{"Brackenfell", "Corvane", "Dunmarrow", "Eskerby", "Fallowmere"}
	currencies := []string{"LKC", "EUR", "USD"}
	fmt.Fprintln(w, "document,line,posted,entity,account,counterparty,text,debit,credit,currency,unit")
	for row := range rows {
		fmt.Fprintf(w, "D%08d,%d,2031-%02d-%02d,%s,%d,%s,"+text+",%d.%02d,0.00,%s,U%02d\n",
			row/4, row%4+1, row/4_000_000+1, r.IntN(28)+1, companies[r.IntN(5)], 4000+r.IntN(400),
			companies[r.IntN(5)],
			r.IntN(1000), r.IntN(10000), r.IntN(100), currencies[r.IntN(3)], r.IntN(40))
	}
}

// makeLedgers makes 10,000 files of 1,000 rows, in documents of four lines that are
// balanced and numbered without gaps, and a control sheet for them.
func makeLedgers(dir string) error {
	var control bytes.Buffer
	control.WriteString("source,rows,debit,credit\n")
	made := false
	err := makeFiles(filepath.Join(dir, "ledgers"), 10_000, func(w *bufio.Writer, r *rand.Rand, file int) {
		made = true
		fmt.Fprintln(w, "document,line,account,debit,credit,text")
		total := 0
		for row := 0; row < 1000; row += 4 {
			one, two := r.IntN(1_000_000), r.IntN(1_000_000)
			total += one + two
			for i, side := range [][2]int{{one, 0}, {two, 0}, {0, one}, {0, two}} {
				fmt.Fprintf(w, "D%05d%03d,%d,%d,%d.%02d,%d.%02d,Pass %d\n",
					file, row/4, i+1, 4000+r.IntN(400), side[0]/100, side[0]%100, side[1]/100, side[1]%100, r.IntN(9))
			}
		}
		fmt.Fprintf(&control, "ledgers_%06d,1000,%d.%02d,%d.%02d\n", file, total/100, total%100, total/100, total%100)
	})
	if err != nil || !made {
		return err
	}
	return os.WriteFile(filepath.Join(dir, "ledgers-control.csv"), control.Bytes(), 0o644)
}

// makeShuffled makes the journal once more, with its records in another order. They
// are dealt to heaps, each of which is shuffled, since the peak memory of a program
// counts for those that it starts.
func makeShuffled(dir string) error {
	if err := makeJournal(dir); err != nil {
		return err
	}
	folder := filepath.Join(dir, "shuffled")
	return makeOnce(folder, func() error {
		r := rand.New(rand.NewPCG(2031, 5))
		header, heaps, err := deal(filepath.Join(dir, "journal", "journal.csv"), folder, r)
		if err != nil {
			return err
		}
		var failed error
		err = writeFile(filepath.Join(folder, "journal.csv"), func(w *bufio.Writer) {
			w.Write(header)
			for _, heap := range heaps {
				data, err := os.ReadFile(heap)
				failed = errors.Join(failed, err, os.Remove(heap))
				records := bytes.SplitAfter(data, []byte("\n"))
				records = records[:len(records)-1] // behind the last line is nothing
				r.Shuffle(len(records), func(i, k int) { records[i], records[k] = records[k], records[i] })
				for _, record := range records {
					w.Write(record)
				}
			}
		})
		return errors.Join(failed, err)
	})
}

// deal deals the records of a file to heaps.
func deal(path, folder string, r *rand.Rand) (header []byte, heaps []string, err error) {
	const count = 100
	file, err := os.Open(path)
	if err != nil {
		return nil, nil, err
	}
	defer file.Close()
	var writers []*bufio.Writer
	for i := range count {
		heaps = append(heaps, filepath.Join(folder, fmt.Sprintf("heap-%d", i)))
		heap, err := os.Create(heaps[i])
		if err != nil {
			return nil, nil, err
		}
		defer heap.Close()
		writers = append(writers, bufio.NewWriter(heap))
	}
	lines := bufio.NewReaderSize(file, 1<<20)
	if header, err = lines.ReadBytes('\n'); err != nil {
		return nil, nil, err
	}
	for {
		line, err := lines.ReadSlice('\n')
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, nil, err
		}
		writers[r.IntN(count)].Write(line) // Flush tells of all writes
	}
	for _, w := range writers {
		err = errors.Join(err, w.Flush())
	}
	return header, heaps, err
}

// makeFiles writes n files into a folder, unless they were made before.
func makeFiles(folder string, n int, write func(w *bufio.Writer, r *rand.Rand, file int)) error {
	return makeOnce(folder, func() error {
		r := rand.New(rand.NewPCG(2031, 1))
		for file := range n {
			name := filepath.Join(folder, fmt.Sprintf("%s_%06d.csv", filepath.Base(folder), file))
			if n == 1 {
				name = filepath.Join(folder, filepath.Base(folder)+".csv")
			}
			if err := writeFile(name, func(w *bufio.Writer) { write(w, r, file) }); err != nil {
				return err
			}
		}
		return nil
	})
}

// makeOnce makes something unless it was made before. The last thing written is
// a mark that all is there.
func makeOnce(folder string, write func() error) error {
	done := folder + ".made"
	if _, err := os.Stat(done); err == nil {
		return nil
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	if err := write(); err != nil {
		return err
	}
	return os.WriteFile(done, nil, 0o644)
}

// makeBook makes a workbook of 300,000 rows and 8 columns.
func makeBook(dir string) error {
	folder := filepath.Join(dir, "book")
	return makeOnce(folder, func() error {
		r := rand.New(rand.NewPCG(2031, 2))
		book := excelize.NewFile()
		stream, err := book.NewStreamWriter("Sheet1")
		if err != nil {
			return err
		}
		day := "yyyy-mm-dd"
		dated, err := book.NewStyle(&excelize.Style{CustomNumFmt: &day})
		if err != nil {
			return err
		}
		if err := stream.SetRow("A1", []any{"document", "line", "posted", "account", "counterparty", "text", "debit",
			"credit"}); err != nil {
			return err
		}
		for row := range 300_000 {
			values := []any{
				fmt.Sprintf("D%08d", row/4), row%4 + 1, excelize.Cell{StyleID: dated, Value: 47849 + r.IntN(90)},
				4000 + r.IntN(400),
				"Corvane", fmt.Sprintf("Day pass %d", r.IntN(1000)), float64(r.IntN(1_000_000)) / 100, 0,
			}
			if err := stream.SetRow(fmt.Sprintf("A%d", row+2), values); err != nil {
				return err
			}
		}
		if err := stream.Flush(); err != nil {
			return err
		}
		return book.SaveAs(filepath.Join(folder, "book.xlsx"))
	})
}

// makeLines makes 200 MB of JSON lines.
func makeLines(dir string) error {
	folder := filepath.Join(dir, "lines")
	return makeOnce(folder, func() error {
		r := rand.New(rand.NewPCG(2031, 3))
		return writeFile(filepath.Join(folder, "lines.jsonl"), func(w *bufio.Writer) {
			for size := 0; size < 200_000_000; {
				n, _ := fmt.Fprintf(
					w,
					`{"document":"D%08d","line":%d,"posted":"2031-01-%02d","account":"%d","counterparty":"Corvane","text":"Day pass %d","debit":%d.%02d,"credit":0.00,"currency":"CHF"}`+"\n",
					size,
					size%4+1,
					r.IntN(28)+1,
					4000+r.IntN(400),
					r.IntN(1000),
					r.IntN(10000),
					r.IntN(100),
				)
				size += n
			}
		})
	})
}

// makeEncoded makes a journal of a million rows in several encodings.
func makeEncoded(dir string) error {
	folder := filepath.Join(dir, "encoded")
	journal := func(w io.Writer) {
		r := rand.New(rand.NewPCG(2031, 4))
		fmt.Fprintln(w, "document,line,posted,account,counterparty,text,debit,credit,currency")
		for row := range 1_000_000 {
			fmt.Fprintf(w, "D%08d,%d,2031-01-%02d,%d,Corvane,Tagespässe %d,%d.%02d,0.00,CHF\n",
				row/4, row%4+1, r.IntN(28)+1, 4000+r.IntN(400), r.IntN(1000), r.IntN(10000), r.IntN(100))
		}
	}
	return makeOnce(folder, func() error {
		for name, wrap := range map[string]func(w io.Writer) io.WriteCloser{
			"journal.csv.gz": func(w io.Writer) io.WriteCloser { return gzip.NewWriter(w) },
			"journal-utf16.csv": func(w io.Writer) io.WriteCloser {
				return transform.NewWriter(w, unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM).NewEncoder())
			},
			"journal-1252.csv": func(w io.Writer) io.WriteCloser {
				return transform.NewWriter(w,
					charmap.Windows1252.NewEncoder())
			},
		} {
			var closing error
			err := writeFile(filepath.Join(folder, name), func(w *bufio.Writer) {
				wrapped := wrap(w)
				buffer := bufio.NewWriterSize(wrapped, 1<<16)
				journal(buffer)
				closing = errors.Join(buffer.Flush(), wrapped.Close())
			})
			if err := errors.Join(err, closing); err != nil {
				return err
			}
		}
		return nil
	})
}

func writeFile(name string, write func(w *bufio.Writer)) error {
	file, err := os.Create(name)
	if err != nil {
		return err
	}
	w := bufio.NewWriterSize(file, 1<<16)
	write(w)
	return errors.Join(w.Flush(), file.Close())
}

// makeRepeated makes the shuffled journal once more, with every ten thousandth
// record a second time, two million rows further down.
func makeRepeated(dir string) error {
	if err := makeShuffled(dir); err != nil {
		return err
	}
	folder := filepath.Join(dir, "repeated")
	return makeOnce(folder, func() error {
		file, err := os.Open(filepath.Join(dir, "shuffled", "journal.csv"))
		if err != nil {
			return err
		}
		defer file.Close()
		var failed error
		err = writeFile(filepath.Join(folder, "journal.csv"), func(w *bufio.Writer) {
			const every, further = 10_000, 2_000_000
			later := make(map[int]string)
			lines := bufio.NewScanner(file)
			for row := 0; lines.Scan(); row++ {
				fmt.Fprintln(w, lines.Text())
				if row%every == 1 {
					later[row+further] = lines.Text()
				}
				if again, ok := later[row]; ok {
					fmt.Fprintln(w, again)
				}
			}
			failed = lines.Err()
		})
		return errors.Join(failed, err)
	})
}

// makeSent makes 100,000 files of 10 rows and 10 columns as makeSlips does, of which
// 100 are sent twice, and parts of 50 a second time.
func makeSent(dir string) error {
	folder := filepath.Join(dir, "sent")
	return makeOnce(folder, func() error {
		r := rand.New(rand.NewPCG(2031, 6))
		write := func(name, header string, rows []string) error {
			return writeFile(filepath.Join(folder, name+".csv"), func(w *bufio.Writer) {
				w.WriteString(header)
				for _, row := range rows {
					w.WriteString(row)
				}
			})
		}
		const header = "document,line,posted,account,counterparty,text,debit,credit,currency,unit\n"
		for file := range 99_850 {
			var rows []string
			for row := range 10 {
				rows = append(rows, fmt.Sprintf("D%06d,%d,2031-01-%02d,%d,Corvane,Pass %d,%d.%02d,0.00,LKC,%d\n",
					file, row+1, r.IntN(28)+1, 4000+r.IntN(400), r.IntN(9), r.IntN(10000), r.IntN(100), row))
			}
			if err := write(fmt.Sprintf("sent_%06d", file), header, rows); err != nil {
				return err
			}
			var err error
			switch {
			case file%1000 == 7:
				err = write(fmt.Sprintf("again_%06d", file), header, rows)
			case file%2000 == 13:
				err = write(fmt.Sprintf("part_%06d", file), header, rows[2:7])
			}
			if err != nil {
				return err
			}
		}
		return nil
	})
}

// makeInvoices makes a file of so many invoices, of which 1,000 are typed once more
// with two neighbouring digits swapped, a cent more, or a day later.
func makeInvoices(dir string, count int) error {
	folder := filepath.Join(dir, fmt.Sprintf("invoices-%d", count))
	return makeOnce(folder, func() error {
		r := rand.New(rand.NewPCG(2031, 7))
		return writeFile(filepath.Join(folder, "invoices.csv"), func(w *bufio.Writer) {
			fmt.Fprintln(w, "invoice,party,posted,amount,text")
			for i := range count {
				number, day, cents, party := 10_000_000+i*7, r.IntN(26)+1, 100+r.IntN(100_000_000), r.IntN(500)
				fmt.Fprintf(w, "%d,P%03d,2031-01-%02d,%d.%02d,Day pass %d\n", number, party, day, cents/100, cents%100,
					r.IntN(1000))
				if i%(count/1000) != 3 {
					continue
				}
				tens := number / 10 % 10
				hundreds := number / 100 % 10
				switch {
				case r.IntN(3) > 0 && tens != hundreds:
					number += (tens-hundreds)*100 + (hundreds-tens)*10
				default:
					cents, day = cents+1, day+1
				}
				fmt.Fprintf(w, "%d,P%03d,2031-01-%02d,%d.%02d,typed again\n", number, party, day, cents/100, cents%100)
			}
		})
	})
}

// makeSides makes two files of 2 million records each in another order, with a key and
// three columns to compare: 2,000 differ in the amount, and 1,000 stand only here and as
// many only there.
func makeSides(dir string) error {
	folder := filepath.Join(dir, "sides")
	return makeOnce(folder, func() error {
		const count, each = 2_000_000, 1_000
		r := rand.New(rand.NewPCG(2031, 8))
		cents := make([]int, count+each)
		for i := range cents {
			cents[i] = 100 + r.IntN(100_000_000)
		}
		for side, name := range []string{"here.csv", "there.csv"} {
			order := r.Perm(count)
			err := writeFile(filepath.Join(folder, name), func(w *bufio.Writer) {
				fmt.Fprintln(w, "document,posted,party,amount")
				for _, i := range order {
					amount := 0
					switch i += side * each; { // the first ones stand only here, and the last ones only there
					case side == 1 && i%1000 == 7:
						amount = 5
					}
					amount += cents[i]
					fmt.Fprintf(w, "D%08d,2031-%02d-%02d,P%03d,%d.%02d\n", i*7, i%12+1, i%28+1, i%500, amount/100,
						amount%100)
				}
			})
			if err != nil {
				return err
			}
		}
		return nil
	})
}

// makeSales makes 10 million records with one of 100,000 codes each, and a reference of
// these.
func makeSales(dir string) error {
	folder := filepath.Join(dir, "sales")
	return makeOnce(folder, func() error {
		r := rand.New(rand.NewPCG(2031, 9))
		const codes = 100_000
		err := writeFile(filepath.Join(folder, "codes.csv"), func(w *bufio.Writer) {
			fmt.Fprintln(w, "code,name,group")
			for _, i := range r.Perm(codes) {
				fmt.Fprintf(w, "%06d,Pass %d of the valley,G%02d\n", i, i, i%40)
			}
		})
		if err != nil {
			return err
		}
		return writeFile(filepath.Join(folder, "sales.csv"), func(w *bufio.Writer) {
			fmt.Fprintln(w, "document,code,sold,party,amount,text")
			for row := range 10_000_000 {
				fmt.Fprintf(w, "D%08d,%06d,2031-%02d-%02d,P%03d,%d.%02d,Day pass %d morning\n",
					row, r.IntN(codes), row/1_000_000+1, r.IntN(28)+1, r.IntN(500), r.IntN(10000), r.IntN(100),
					r.IntN(1000))
			}
		})
	})
}

// makeAlike makes so many files of 1,000 records each, all with the same keys in
// another order.
func makeAlike(dir string, files int) error {
	folder := filepath.Join(dir, fmt.Sprintf("alike-%d", files))
	return makeOnce(folder, func() error {
		r := rand.New(rand.NewPCG(2031, 10))
		for file := range files {
			err := writeFile(filepath.Join(folder, fmt.Sprintf("branch_%04d.csv", file)), func(w *bufio.Writer) {
				fmt.Fprintln(w, "account,amount")
				for _, i := range r.Perm(1000) {
					fmt.Fprintf(w, "%05d,%d.%02d\n", i*7, r.IntN(10000), r.IntN(100))
				}
			})
			if err != nil {
				return err
			}
		}
		return nil
	})
}

// makeLeftovers makes two files with 2,000 records that have no key in common: 1,000
// here, of which 200 times two to four together make one of those there.
func makeLeftovers(dir string) error {
	folder := filepath.Join(dir, "leftovers")
	return makeOnce(folder, func() error {
		r := rand.New(rand.NewPCG(2031, 11))
		var here, there []int
		for range 200 {
			sum := 0
			for range 2 + r.IntN(3) {
				cents := 1_000_000 + r.IntN(2_000_000_000)
				here = append(here, cents)
				sum += cents
			}
			there = append(there, sum)
		}
		for len(here) < 1000 {
			here = append(here, 1_000_000+r.IntN(2_000_000_000))
		}
		for len(there) < 1000 {
			there = append(there, 1_000_000+r.IntN(2_000_000_000))
		}
		for name, side := range map[string][]int{"here.csv": here, "there.csv": there} {
			err := writeFile(filepath.Join(folder, name), func(w *bufio.Writer) {
				fmt.Fprintln(w, "document,amount")
				for i, cents := range side {
					fmt.Fprintf(w, "%s%05d,%d.%02d\n", name[:1], i, cents/100, cents%100)
				}
			})
			if err != nil {
				return err
			}
		}
		return nil
	})
}
