package parquet

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"testing"
	"time"

	"lastblock/core/record"

	"github.com/parquet-go/parquet-go"
)

// row has a column of every kind that is met with.
type row struct {
	Name    string    `parquet:"name"`
	Count   int32     `parquet:"count,optional"`
	Big     int64     `parquet:"big"`
	Ratio   float64   `parquet:"ratio"`
	Small   float32   `parquet:"small"`
	Open    bool      `parquet:"open"`
	Day     int32     `parquet:"day,date"`
	At      time.Time `parquet:"at,timestamp"`
	Price   int64     `parquet:"price,decimal(2:18)"`
	Tags    []string  `parquet:"tags,list"`
	Address struct {
		Town string `parquet:"town"`
	} `parquet:"address"`
}

func TestKinds(t *testing.T) {
	first := row{Name: "Ä, \"x\"", Count: 7, Big: -9007199254740993, Ratio: 0.1, Small: 2.5, Open: true, Day: 22310,
		At: time.Date(2031, 1, 31, 13, 45, 0, 0, time.UTC), Price: -123450, Tags: []string{"a", "b"}}
	first.Address.Town = "Corvane"
	second := row{Ratio: 1e21, At: time.Date(2031, 2, 1, 0, 0, 0, 0, time.UTC), Price: 5}
	var out bytes.Buffer
	if err := parquet.Write(&out, []row{first, second}); err != nil {
		t.Fatal(err)
	}
	r, err := Open(bytes.NewReader(out.Bytes()), int64(out.Len()))
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	if want := []string{"name", "count", "big", "ratio", "small", "open", "day", "at", "price", "tags",
		"address.town"}; !slices.Equal(r.Head().Layout.Columns, want) {
		t.Errorf("columns are %q", r.Head().Layout.Columns)
	}
	var b record.Batch
	if _, err := r.Next(&b, nil); err != nil {
		t.Fatal(err)
	}
	want := [][]string{
		{"Ä, \"x\"", "7", "-9007199254740993", "0.1", "2.5", "true", "2031-01-31", "2031-01-31 13:45:00", "-1234.50",
			"a, b", "Corvane"},
		{"", "", "0", "1000000000000000000000", "0", "false", "1970-01-01", "2031-02-01", "0.05", "", ""},
	}
	var scratch []byte
	for i := range want {
		for column, text := range want[i] {
			if got := string(b.Text(i, column, &scratch)); got != text {
				t.Errorf("row %d, %s is %q, want %q", i, r.Head().Layout.Columns[column], got, text)
			}
		}
	}
}

func TestManyRowsInSeveralGroups(t *testing.T) {
	var out bytes.Buffer
	type line struct {
		N    int64  `parquet:"n"`
		Text string `parquet:"text"`
	}
	w := parquet.NewGenericWriter[line](&out)
	const n = 30_000
	for i := range n {
		if _, err := w.Write([]line{{int64(i), strings.Repeat("x", 20)}}); err != nil {
			t.Fatal(err)
		}
		if i%10_000 == 9_999 {
			if err := w.Flush(); err != nil {
				t.Fatal(err)
			}
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	r, err := Open(bytes.NewReader(out.Bytes()), int64(out.Len()))
	if err != nil {
		t.Fatal(err)
	}
	defer r.Close()
	var b record.Batch
	var data, scratch []byte
	rows, batches := 0, 0
	for {
		data, err = r.Next(&b, data)
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			t.Fatal(err)
		}
		batches++
		for row := range b.Rows {
			if got := string(b.Text(row, 0, &scratch)); got != fmt.Sprint(rows) || b.Line(row) != rows+1 {
				t.Fatalf("row %d is %s on line %d", rows, got, b.Line(row))
			}
			rows++
		}
	}
	if rows != n || batches < 2 || !b.Last {
		t.Errorf("%d rows in %d batches", rows, batches)
	}
}

func TestDamagedFiles(t *testing.T) {
	var out bytes.Buffer
	if err := parquet.Write(&out, []row{{Name: "x"}}); err != nil {
		t.Fatal(err)
	}
	whole := out.Bytes()
	for at := 0; at < len(whole); at += 7 { // no damage may be more than an error
		damaged := bytes.Clone(whole)
		damaged[at] ^= 0x55
		if r, err := Open(bytes.NewReader(damaged), int64(len(damaged))); err == nil {
			var b record.Batch
			for range 3 {
				if _, err := r.Next(&b, nil); err != nil {
					break
				}
			}
			r.Close()
		}
	}
	if _, err := Open(strings.NewReader("PAR1"), 4); err == nil {
		t.Error("four bytes are a file")
	}
}
