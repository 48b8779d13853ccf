package delimited

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"math/rand/v2"
	"testing"

	"lastblock/core/record"
)

// journal makes the rows that the benchmarks scan.
func journal(rows int) []byte {
	r := rand.New(rand.NewPCG(2031, 9))
	var b bytes.Buffer
	for row := range rows {
		fmt.Fprintf(&b, "D%08d,%d,2031-01-%02d,Corvane,%d,Eskerby,Day pass %d,%d.%02d,0.00,EUR,U%02d\n",
			row/4, row%4+1, r.IntN(28)+1, 4000+r.IntN(400), r.IntN(1000), r.IntN(10000), r.IntN(100), r.IntN(40))
	}
	return b.Bytes()
}

func BenchmarkScan(b *testing.B) { benchmarkScan(b, journal(3000), false) }

func BenchmarkScanQuoted(b *testing.B) {
	benchmarkScan(b, bytes.ReplaceAll(journal(3000), []byte(",Corvane,"), []byte(`,"Corvane",`)), true)
}

func benchmarkScan(b *testing.B, data []byte, quotes bool) {
	scanner := Scanner{Dialect: Dialect{Delimiter: ',', LineEnd: '\n'}, Width: 11}
	block := Block{Data: data, FirstLine: 2, lines: 3000, quotes: quotes}
	var batch record.Batch
	b.SetBytes(int64(len(data)))
	for b.Loop() {
		scanner.Scan(block, &batch)
	}
	if batch.Rows != 3000 {
		b.Fatalf("%d rows", batch.Rows)
	}
}

// BenchmarkStockReader is the yardstick of the two above.
func BenchmarkStockReader(b *testing.B) {
	data := journal(3000)
	b.SetBytes(int64(len(data)))
	for b.Loop() {
		reader := csv.NewReader(bytes.NewReader(data))
		reader.ReuseRecord = true
		for {
			if _, err := reader.Read(); err == io.EOF {
				break
			} else if err != nil {
				b.Fatal(err)
			}
		}
	}
}
