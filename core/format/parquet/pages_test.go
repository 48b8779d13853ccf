package parquet

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"lastblock/core/record"

	"github.com/klauspost/compress/zstd"
	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/deprecated"
	"github.com/parquet-go/parquet-go/format"
	"github.com/pierrec/lz4/v4"
)

// readAll reads a file's columns and rows.
func readAll(data []byte) (columns []string, rows [][]string, err error) {
	r, err := Open(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, nil, err
	}
	defer r.Close()
	columns = r.Head().Layout.Columns
	var b record.Batch
	var made Rows
	var scratch []byte
	for {
		if err = readNext(r, &b, &made); errors.Is(err, io.EOF) {
			return columns, rows, nil
		} else if err != nil {
			return nil, nil, err
		}
		for i := range b.Rows {
			row := make([]string, len(columns))
			for c := range columns {
				row[c] = string(b.Text(i, c, &scratch))
			}
			rows = append(rows, row)
		}
	}
}

func readTestdata(t *testing.T, name string) (columns []string, rows [][]string) {
	t.Helper()
	data, err := os.ReadFile(filepath.Join("testdata", name))
	if err != nil {
		t.Fatal(err)
	}
	columns, rows, err = readAll(data)
	if err != nil {
		t.Fatalf("%s: %v", name, err)
	}
	return columns, rows
}

// What another engine has written, of each kind, as testdata/make.mjs says what it is.
func TestKindsOfAnotherEngine(t *testing.T) {
	want := map[string]string{ // of the row of i = 1
		"n": "1", "name": "text 1", "open": "false", "u8": "3", "u16": "1000", "u32": "4000000001",
		"u64": "18446744073709551001",
		"i8":  "-1", "i16": "-100", "i64": "-9007199254740994", "huge": "170141183460469231731687303715884105721",
		"d4": "1.25", "d9": "-1.25", "d18": "123456789013.345", "d38": "-12345678901234567890123455.789012",
		"day": "2031-02-01", "tod": "13:45:06.123456", "ts": "2031-03-31 23:59:59.123456",
		"ts_s":  "2031-03-31 23:59:59",
		"ts_ms": "2031-03-31 23:59:59.123", "ts_ns": "2031-03-31 23:59:59.123456789", "tsz": "2031-03-31 21:59:59.5",
		"uid_text": "6f1e2d3c-0000-4000-8000-000000000011", "uid": "6f1e2d3c-0000-4000-8000-000000000011",
		"side": "credit", "js": `{"a": 1}`,
		"list": "1, 2", "words": "a, b,c", "address.town": "Corvane", "address.no": "1", "pairs.key": "x, y",
		"pairs.value": "1, 2",
		"lists":       "1, 2, 3", "bytes": "ab", "iv": "P1M2D", "dbl": "0.1", "flt": "0.1",
	}
	for name, lacks := range map[string]int{"kinds.parquet": 0, "kinds-v2.parquet": 1} {
		columns, rows := readTestdata(t, name)
		if len(rows) != 4 || len(columns) != len(want)-lacks {
			t.Fatalf("%s: %d rows of %q", name, len(rows), columns)
		}
		for i, column := range columns {
			if rows[1][i] != want[column] {
				t.Errorf("%s: %s is %q, want %q", name, column, rows[1][i], want[column])
			}
			if rows[3][i] != "" {
				t.Errorf("%s: the blank %s is %q", name, column, rows[3][i])
			}
		}
	}
}

// Pages whose LZ4 is as long as a third of what it unpacks to, and longer, were read as
// blanks, and columns with blanks were called damaged.
func TestBlanksAreThoseOfTheFile(t *testing.T) {
	_, rows := readTestdata(t, "blanks.parquet")
	if len(rows) != 3000 {
		t.Fatalf("%d rows", len(rows))
	}
	for i, row := range rows {
		cents := i * 13 % 1000000
		want := []string{fmt.Sprint(i), fmt.Sprintf("document %d", i*7919%100000),
			fmt.Sprintf("%d.%02d", cents/100, cents%100), fmt.Sprint(i % 977)}
		if i%3 == 0 {
			want[1] = ""
		}
		if i%2 == 1 {
			want[3] = ""
		}
		if !slices.Equal(row, want) {
			t.Fatalf("row %d is %q, want %q", i, row, want)
		}
	}
}

// Every codec gives the same rows.
func TestCodecs(t *testing.T) {
	type line struct {
		N    int64   `parquet:"n"`
		Text *string `parquet:"text,optional"`
	}
	var lines []line
	for i := range 5000 {
		l := line{N: int64(i * 7919)}
		if i%3 > 0 {
			text := fmt.Sprint("document ", i%700, strings.Repeat("x", i%9))
			l.Text = &text
		}
		lines = append(lines, l)
	}
	var want [][]string
	for name, codec := range map[string]parquet.WriterOption{
		"none": parquet.Compression(&parquet.Uncompressed), "snappy": parquet.Compression(&parquet.Snappy),
		"gzip": parquet.Compression(&parquet.Gzip),
		"zstd": parquet.Compression(&parquet.Zstd), "brotli": parquet.Compression(&parquet.Brotli),
		"lz4": parquet.Compression(&parquet.Lz4Raw),
	} {
		for version := 1; version <= 2; version++ {
			var out bytes.Buffer
			if err := parquet.Write(&out, lines, codec, parquet.DataPageVersion(version),
				parquet.PageBufferSize(4000)); err != nil {
				t.Fatal(err)
			}
			_, rows, err := readAll(out.Bytes())
			if want == nil {
				want = rows
			}
			if err != nil || len(rows) != len(lines) || !slices.EqualFunc(rows, want, slices.Equal[[]string]) {
				t.Errorf("%s, version %d: %d rows, %v", name, version, len(rows), err)
			}
		}
	}
	for i, row := range want {
		text := ""
		if lines[i].Text != nil {
			text = *lines[i].Text
		}
		if row[0] != fmt.Sprint(lines[i].N) || row[1] != text {
			t.Fatalf("row %d is %q", i, row)
		}
	}
}

// A byte that is another one is never read as another value, since pages have checksums.
func TestAFlippedByteIsTold(t *testing.T) {
	type line struct {
		N    int64    `parquet:"n"`
		Text *string  `parquet:"text,optional"`
		Tags []string `parquet:"tags,list"`
	}
	text := "corvane"
	var out bytes.Buffer
	if err := parquet.Write(&out, []line{{1, &text, []string{"a"}}, {2, nil, nil}, {3, &text, []string{"b", "c"}}},
		parquet.Compression(&parquet.Lz4Raw)); err != nil {
		t.Fatal(err)
	}
	whole := out.Bytes()
	_, want, err := readAll(whole)
	if err != nil {
		t.Fatal(err)
	}
	footer := len(whole) - 8 - int(binary.LittleEndian.Uint32(whole[len(whole)-8:]))
	told := 0
	for at := range footer {
		for _, mask := range []byte{0x01, 0x55} {
			damaged := bytes.Clone(whole)
			damaged[at] ^= mask
			_, rows, err := readAll(damaged)
			if err == nil && !slices.EqualFunc(rows, want, slices.Equal[[]string]) {
				t.Errorf("byte %d of %d reads as %q", at, footer, rows)
			}
			if err != nil {
				told++
			}
		}
	}
	if told < footer/2 { // the others are in the index of pages, and in statistics, which nobody reads
		t.Errorf("of %d damages %d are told", 2*footer, told)
	}
}

// What older programs write: times of 96 bits, names of lists and maps, floats of 16 bits.
func TestOlderKinds(t *testing.T) {
	float16 := half16{parquet.Leaf(parquet.FixedLenByteArrayType(2))}
	list := parquet.Group{"bag": parquet.Repeated(parquet.Group{"array_element": parquet.Optional(parquet.String())})}
	plain := parquet.Group{"array": parquet.Repeated(parquet.String())}
	schema := parquet.NewSchema("", parquet.Group{
		"at": parquet.Leaf(parquet.Int96Type), "half": float16,
		"hive": logical{list, parquet.List(parquet.String()).Type()},
		"two":  logical{plain, parquet.List(parquet.String()).Type()},
	})
	var out bytes.Buffer
	w := parquet.NewWriter(&out, schema)
	// 2031-03-31 is day 22,369 after 1970-01-01, whose Julian number is 2,440,588
	const noon = 12 * 3600 * 1_000_000_000
	at := deprecated.Int96{noon & math.MaxUint32, noon >> 32, 2440588 + 22369}
	row := parquet.Row{
		// -2.5
		parquet.Int96Value(at).Level(0, 0, 0), parquet.FixedLenByteArrayValue([]byte{0x00, 0xc1}).Level(0, 0, 1),
		parquet.ByteArrayValue([]byte("a")).Level(0, 2, 2), parquet.ByteArrayValue([]byte("b")).Level(1, 2, 2),
		parquet.ByteArrayValue([]byte("c")).Level(0, 1, 3),
	}
	if _, err := w.WriteRows([]parquet.Row{row}); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	columns, rows, err := readAll(out.Bytes())
	if err != nil || !slices.Equal(columns, []string{"at", "half", "hive", "two"}) || len(rows) != 1 {
		t.Fatalf("%q %q %v", columns, rows, err)
	}
	if want := []string{"2031-03-31 12:00:00", "-2.5", "a, b", "c"}; !slices.Equal(rows[0], want) {
		t.Errorf("reads %q, want %q", rows[0], want)
	}
}

func TestHalves(t *testing.T) {
	// IEEE 754-2019, table 3.5
	for bits, want := range map[uint16]float64{0x3c00: 1, 0xc000: -2, 0x7bff: 65504, 0x0001: math.Ldexp(1, -24),
		0x3555: 0.333251953125, 0xfc00: math.Inf(-1)} {
		if got := half(binary.LittleEndian.AppendUint16(nil, bits)); got != want {
			t.Errorf("%#04x is %v, want %v", bits, got, want)
		}
	}
}

// The older LZ4 codec writes blocks behind their lengths, or does not.
func TestBlocksOfLZ4(t *testing.T) {
	text := []byte(strings.Repeat("corvane 2031-01 ", 40))
	pack := func(text []byte) []byte {
		packed := make([]byte, lz4.CompressBlockBound(len(text)))
		n, err := new(lz4.Compressor).CompressBlock(text, packed)
		if err != nil || n == 0 {
			t.Fatal(n, err)
		}
		return packed[:n]
	}
	framed := func(parts ...[]byte) (all []byte) {
		for _, part := range parts {
			packed := pack(part)
			all = binary.BigEndian.AppendUint32(all, uint32(len(part)))
			all = append(binary.BigEndian.AppendUint32(all, uint32(len(packed))), packed...)
		}
		return all
	}
	for name, packed := range map[string][]byte{"one block": pack(text), "with lengths": framed(text),
		"two": framed(text[:300], text[300:])} {
		got := make([]byte, len(text))
		if err := unpack(format.Lz4, got, packed); err != nil || !bytes.Equal(got, text) {
			t.Errorf("%s: %v", name, err)
		}
	}
	for name, length := range map[string]int{"short": len(text) - 1, "long": len(text) + 1} {
		for _, codec := range []format.CompressionCodec{format.Lz4, format.Lz4Raw} {
			if err := unpack(codec, make([]byte, length), pack(text)); err == nil {
				t.Errorf("%s: what is too %s is unpacked", codec, name)
			}
		}
		writer, err := zstd.NewWriter(nil)
		if err != nil {
			t.Fatal(err)
		}
		if err := unpack(format.Zstd, make([]byte, length), writer.EncodeAll(text, nil)); err == nil {
			t.Errorf("zstd: what is too %s is unpacked", name)
		}
	}
}

// What the format knows and this program does not is an error that names it.
func TestWhatCannotBeDecoded(t *testing.T) {
	var out bytes.Buffer
	if err := parquet.Write(&out, []struct {
		N int64 `parquet:"n"`
	}{{7}}); err != nil {
		t.Fatal(err)
	}
	size := int64(out.Len())
	metadata, err := readFooter(bytes.NewReader(out.Bytes()), size)
	if err != nil {
		t.Fatal(err)
	}
	kind := metadata.Schema[1]
	kind.Type.Valid = false
	if _, err := columnsOf([]format.SchemaElement{metadata.Schema[0], kind}); err == nil ||
		!strings.Contains(err.Error(), "column n") {
		t.Errorf("a column of no kind: %v", err)
	}
	if err := unpack(format.LZO, make([]byte, 3), []byte("abc")); err == nil {
		t.Error("LZO is unpacked")
	}
	c := &column{kind: format.ByteArray}
	for text, n := range map[string]int{"\x01\x00\x00\x00a": 2, "\x01\x00\x00\x00ab": 1, "\x02\x00\x00\x00a": 1} {
		if c.count([]byte(text), n) == nil {
			t.Errorf("%q holds %d values", text, n)
		}
	}
}

// logical is a node with another type than its own.
type logical struct {
	parquet.Node
	as parquet.Type
}

func (l logical) Type() parquet.Type { return l.as }

// half16 is a column of floats of 16 bits.
type half16 struct{ parquet.Node }

func (h half16) Type() parquet.Type { return float16Type{h.Node.Type()} }

type float16Type struct{ parquet.Type }

func (float16Type) LogicalType() *format.LogicalType {
	return &format.LogicalType{Value: new(format.Float16Type)}
}
