package parquet

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
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

// openBytes opens a file that is in memory, until the test ends.
func openBytes(t *testing.T, file []byte) *Reader {
	t.Helper()
	r, err := Open(bytes.NewReader(file), int64(len(file)))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(r.Close)
	return r
}

// readNext reads the next rows and makes texts of them.
func readNext(r *Reader, b *record.Batch, rows *Rows) error {
	err := r.Next(b, rows)
	if err == nil {
		rows.Store(b)
		rows.Compose(b)
	}
	return err
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
	r := openBytes(t, out.Bytes())
	if want := []string{"name", "count", "big", "ratio", "small", "open", "day", "at", "price", "tags",
		"address.town"}; !slices.Equal(r.Head().Layout.Columns, want) {
		t.Errorf("columns are %q", r.Head().Layout.Columns)
	}
	var b record.Batch
	if err := readNext(r, &b, new(Rows)); err != nil {
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
	r := openBytes(t, out.Bytes())
	var b record.Batch
	var made Rows
	var scratch []byte
	rows, batches := 0, 0
	for {
		err := readNext(r, &b, &made)
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

// flat has columns of several pages each, none of which has several values of a row.
type flat struct {
	Name    string   `parquet:"name,dict"`
	Text    *string  `parquet:"text,optional"`
	Day     *int32   `parquet:"day,date,optional,dict"`
	Price   int64    `parquet:"price,decimal(2:18)"`
	Wide    [16]byte `parquet:"wide,decimal(3:38)"`
	Ratio   float64  `parquet:"ratio"`
	Small   float32  `parquet:"small"`
	Open    *bool    `parquet:"open,optional"`
	Nothing *int64   `parquet:"nothing,optional"`
}

// flats makes rows in groups of 1,000 and pages of a few hundred bytes, and the texts that they are.
func flats(t *testing.T, n int) (file []byte, want [][]string) {
	t.Helper()
	var out bytes.Buffer
	w := parquet.NewGenericWriter[flat](&out, parquet.PageBufferSize(300), parquet.MaxRowsPerRowGroup(1000))
	for i := range n {
		f := flat{
			Name:  fmt.Sprintf("name, %d", i%40),
			Price: int64(i)*7 - 50,
			Ratio: float64(i) / 4,
			Small: float32(i % 3),
		}
		texts := []string{f.Name, "", "", fmt.Sprintf("%.2f", float64(f.Price)/100), fmt.Sprintf("-0.%03d", i%1000),
			fmt.Sprint(f.Ratio), fmt.Sprint(i % 3), "", ""}
		if i%1000 == 0 {
			texts[4] = "0.000"
		}
		for at, left := len(f.Wide)-1, -(i % 1000); at >= 0; at, left = at-1, left>>8 {
			f.Wide[at] = byte(left)
		}
		if i%5 > 0 {
			f.Text, texts[1] = new(fmt.Sprintf("text %d", i)), fmt.Sprintf("text %d", i)
		}
		if i/100%3 > 0 { // many in a row that are null
			f.Day, texts[2] = new(int32(i%20)), fmt.Sprintf("1970-01-%02d", i%20+1)
			f.Open, texts[7] = new(i%2 == 0), fmt.Sprint(i%2 == 0)
		}
		if _, err := w.Write([]flat{f}); err != nil {
			t.Fatal(err)
		}
		want = append(want, texts)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes(), want
}

// Pages of columns end at other rows than those of others, and than batches.
func TestColumnsOfManyPages(t *testing.T) {
	for _, n := range []int{0, 1, 255, 256, 1000, 1001, 12_345} {
		file, want := flats(t, n)
		_, rows, err := readAll(file)
		if err != nil || len(rows) != n {
			t.Fatalf("%d rows of %d, %v", len(rows), n, err)
		}
		for i := range rows {
			if !slices.Equal(rows[i], want[i]) {
				t.Fatalf("row %d is %q, want %q", i, rows[i], want[i])
			}
		}
	}
}

// Codes are those of the texts; columns in which a value is no number, or too large, have none.
func TestCodesOfColumns(t *testing.T) {
	var out bytes.Buffer
	type numbers struct {
		Price int64    `parquet:"price,decimal(2:18)"`
		Wide  [16]byte `parquet:"wide,decimal(3:38)"`
		Huge  [16]byte `parquet:"huge,decimal(0:38)"`
		Ratio float64  `parquet:"ratio"`
		Zero  float64  `parquet:"zero"`
		Day   int32    `parquet:"day,date"`
		Count *int64   `parquet:"count,optional"`
		Text  string   `parquet:"text"`
	}
	wide, huge := [16]byte{14: 1, 15: 2}, [16]byte{7: 1}
	zero := math.Copysign(0, -1)
	rows := []numbers{{-5, wide, huge, 0.5, zero, 3, nil, "x"}, {Count: new(int64(4))}}
	if err := parquet.Write(&out, rows); err != nil {
		t.Fatal(err)
	}
	r := openBytes(t, out.Bytes())
	var b record.Batch
	if err := readNext(r, &b, new(Rows)); err != nil {
		t.Fatal(err)
	}
	var scratch []byte
	for column, want := range []bool{true, true, false, true, false, true, true, false} {
		stored := b.CodesOf(column)
		if (stored != nil) != want {
			t.Errorf("codes of %s: %t, want %t", r.Head().Layout.Columns[column], stored != nil, want)
		}
		for row := range b.Rows {
			var text []byte
			switch texts := b.TextsOf(column); {
			case texts != nil:
				text = texts.Text(row)
			case !want:
				continue
			case !stored.IsNull(row):
				text = stored.Form.Append(nil, stored.Codes[row])
			}
			if !bytes.Equal(text, b.Text(row, column, &scratch)) {
				t.Errorf("%s stores %q, want %q", r.Head().Layout.Columns[column], text, b.Text(row, column, &scratch))
			}
		}
	}
	b.Without(0)
	if b.CodesOf(0) != nil || b.TextsOf(7) != nil {
		t.Error("there are codes of rows that were taken out")
	}
}

func TestDamagedFiles(t *testing.T) {
	var out bytes.Buffer
	if err := parquet.Write(&out, []row{{Name: "x"}}); err != nil {
		t.Fatal(err)
	}
	columns, _ := flats(t, 60)
	for _, whole := range [][]byte{out.Bytes(), columns} {
		for at := 0; at < len(whole); at += 7 { // no damage may be more than an error
			damaged := bytes.Clone(whole)
			damaged[at] ^= 0x55
			if r, err := Open(bytes.NewReader(damaged), int64(len(damaged))); err == nil {
				var b record.Batch
				for range 3 {
					if err := readNext(r, &b, new(Rows)); err != nil {
						break
					}
				}
				r.Close()
			}
		}
	}
	if _, err := Open(strings.NewReader("PAR1"), 4); err == nil {
		t.Error("four bytes are a file")
	}
}

// Texts are read wherever blanks stand among them: none, some, all of a page.
func TestTextsAmongNulls(t *testing.T) {
	type texts struct {
		Plain string `parquet:"plain,optional,plain"`
		Delta string `parquet:"delta,optional,delta"`
		Named string `parquet:"named,optional,dict"`
	}
	const n = 700
	for name, isNull := range map[string]func(i int) bool{
		"none":          func(int) bool { return false },
		"all":           func(int) bool { return true },
		"the first":     func(i int) bool { return i < 300 },
		"the last":      func(i int) bool { return i >= 300 },
		"every other":   func(i int) bool { return i%2 == 0 },
		"all but a few": func(i int) bool { return i%199 != 5 },
	} {
		rows, want := make([]texts, n), make([]string, n)
		for i := range rows {
			if !isNull(i) {
				want[i] = strings.Repeat(string(rune('a'+i%26)), i%40)
				rows[i] = texts{want[i], want[i], want[i]}
			}
		}
		var out bytes.Buffer
		if err := parquet.Write(&out, rows, parquet.PageBufferSize(512)); err != nil {
			t.Fatal(err)
		}
		r, at := openBytes(t, out.Bytes()), 0
		for {
			var b record.Batch
			err := readNext(r, &b, new(Rows))
			if errors.Is(err, io.EOF) {
				break
			}
			if err != nil {
				t.Fatalf("%s: %v", name, err)
			}
			for i := range b.Rows {
				for column := range b.Width {
					if got := string(b.Field(i, column)); got != want[at] {
						t.Fatalf("%s: row %d, column %d is %q, want %q", name, at, column, got, want[at])
					}
				}
				at++
			}
		}
		if at != n {
			t.Errorf("%s: %d rows, want %d", name, at, n)
		}
	}
}

// Pages are unpacked ahead of what is read, which ends before a file is closed.
func TestPagesAreUnpackedAhead(t *testing.T) {
	type line struct {
		Text string `parquet:"text"`
	}
	lines := make([]line, 30_000)
	for i := range lines {
		lines[i].Text = fmt.Sprintf("text %d, and so on for a while", i)
	}
	var file bytes.Buffer
	if err := parquet.Write(&file, lines, parquet.PageBufferSize(20_000)); err != nil {
		t.Fatal(err)
	}
	_, rows, err := readAll(file.Bytes())
	if err != nil || len(rows) != len(lines) {
		t.Fatalf("%d rows are read, want %d; %v", len(rows), len(lines), err)
	}
	for i := range rows {
		if rows[i][0] != lines[i].Text {
			t.Fatalf("row %d is %q, want %q", i, rows[i], lines[i].Text)
		}
	}
	begun := openBytes(t, file.Bytes())
	if err := begun.Next(new(record.Batch), new(Rows)); err != nil {
		t.Fatal(err)
	}
	if begun.columns[0].stream.ahead == nil {
		t.Error("nothing is read ahead of the first rows")
	}
	begun.Close()
	if begun.columns[0].stream.ahead != nil {
		t.Error("the file is read when it is closed")
	}
}

// Damage in a page further on is an error where its rows are, and none of those before it.
func TestDamageFurtherOn(t *testing.T) {
	file, _ := flats(t, 900)
	for _, part := range []int{2, 3, 5} {
		damaged := bytes.Clone(file)
		for i := range 8 {
			damaged[len(file)/part+i] ^= 0x55
		}
		if _, rows, err := readAll(damaged); err == nil {
			t.Errorf("%d rows are read of a file that is damaged", len(rows))
		}
	}
}

// A decimal is the whole number that its bytes are, or none that 64 bits hold.
func TestWhole(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 31))
	for range 20_000 {
		data := make([]byte, 1+r.IntN(20))
		if r.IntN(3) == 0 {
			data = make([]byte, 16)
		}
		size, sign := r.IntN(len(data)+1), byte(-r.IntN(2))
		for i := range data { // most begin with nothing but their sign
			if data[i] = sign; i >= size {
				data[i] = byte(r.Uint32())
			}
		}
		want := coefficient(data)
		if n, ok := whole(data); ok != want.IsInt64() || ok && n != want.Int64() {
			t.Fatalf("% x is %d, %v; want %s", data, n, ok, want)
		}
	}
}
