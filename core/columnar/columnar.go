// Package columnar reads Parquet files as records: decimals exactly, dates by
// ISO 8601, a column within a column as a.b.
package columnar

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math/big"
	"strconv"
	"strings"
	"time"

	"lastblock/core/amount"
	"lastblock/core/delimited"
	"lastblock/core/record"

	"github.com/parquet-go/parquet-go"
	"github.com/parquet-go/parquet-go/format"
)

// Reader reads the rows of a file.
type Reader struct {
	head   record.Head
	file   *parquet.File
	leaves []leaf
	groups []parquet.RowGroup
	rows   parquet.Rows
	buffer []parquet.Row
	number int // of the next row, from 1
	given  bool
	done   bool
	texts  [][]byte
	lists  []int // how many values a column has in the row
}

// leaf is a column of values.
type leaf struct {
	kind  parquet.Kind
	as    *format.LogicalType
	scale int // of a decimal, -1 for another
}

// Open opens a file. What the library cannot make out is an error.
func Open(file io.ReaderAt, size int64) (r *Reader, err error) {
	defer recoverInto(&err)
	f, err := parquet.OpenFile(file, size, parquet.SkipPageIndex(true), parquet.SkipBloomFilters(true))
	if err != nil {
		return nil, fmt.Errorf("this Parquet file cannot be read (%w); it is damaged or was cut off, ask for it again", err)
	}
	r = &Reader{file: f, groups: f.RowGroups(), number: 1, buffer: make([]parquet.Row, 256)}
	var names []string
	for _, path := range f.Schema().Columns() {
		column, ok := f.Schema().Lookup(path...)
		if !ok {
			return nil, errors.New("this Parquet file is damaged, a column of it has no kind")
		}
		l := leaf{kind: column.Node.Type().Kind(), as: column.Node.Type().LogicalType(), scale: -1}
		if l.as != nil {
			if decimal, ok := l.as.Value.(*format.DecimalType); ok {
				l.scale = int(decimal.Scale)
			}
		}
		r.leaves = append(r.leaves, l)
		names = append(names, strings.TrimSuffix(strings.Join(path, "."), ".list.element"))
	}
	r.texts, r.lists = make([][]byte, len(names)), make([]int, len(names))
	r.head = record.Head{Format: "parquet", Line: 1, Header: []byte(strings.Join(names, ",")), Empty: len(names) == 0}
	r.head.NameColumns(names)
	return r, nil
}

// recoverInto makes an error of a panic of the library, which some damaged
// files cause.
func recoverInto(err *error) {
	if cause := recover(); cause != nil {
		*err = fmt.Errorf("this Parquet file cannot be read (%v); it is damaged, ask for it again", cause)
	}
}

// Head tells which columns the file has.
func (r *Reader) Head() *record.Head { return &r.head }

// Next makes a batch of the next rows, in a buffer that is used again and
// returned; the error is io.EOF behind the last one.
func (r *Reader) Next(b *record.Batch, data []byte) (_ []byte, err error) {
	defer recoverInto(&err)
	if r.done {
		return data, io.EOF
	}
	const batchBytes = 256 << 10
	data = data[:0]
	b.Reset(len(r.leaves))
	b.Quoted, b.FirstLine = true, r.number
	for len(data) < batchBytes && !r.done {
		n, err := r.read()
		if err != nil {
			return data, err
		}
		for _, row := range r.buffer[:n] {
			data = r.add(b, data, row)
		}
	}
	b.Data, b.Last = data, r.done
	return data, nil
}

// read reads some rows into the buffer.
func (r *Reader) read() (int, error) {
	for {
		if r.rows == nil {
			if len(r.groups) == 0 {
				r.done = true
				return 0, nil
			}
			r.rows, r.groups = r.groups[0].Rows(), r.groups[1:]
		}
		n, err := r.rows.ReadRows(r.buffer)
		if errors.Is(err, io.EOF) {
			r.rows.Close()
			r.rows, err = nil, nil
			r.done = len(r.groups) == 0
		}
		if err != nil {
			return 0, fmt.Errorf("row %d cannot be read (%w); the Parquet file is damaged, ask for it again", r.number, err)
		}
		if n > 0 || r.done {
			return n, nil
		}
	}
}

// add appends a row.
func (r *Reader) add(b *record.Batch, data []byte, row parquet.Row) []byte {
	for i := range r.texts {
		r.texts[i], r.lists[i] = r.texts[i][:0], 0
	}
	for _, v := range row {
		i := v.Column()
		if i < 0 || i >= len(r.leaves) || v.IsNull() {
			continue
		}
		if r.lists[i]++; r.lists[i] > 1 { // a list: its values behind one another
			r.texts[i] = append(r.texts[i], ", "...)
		}
		r.texts[i] = r.leaves[i].append(r.texts[i], v)
	}
	b.Bounds = append(b.Bounds, uint32(len(data))-1)
	for i, text := range r.texts {
		if i > 0 {
			data = append(data, ',')
		}
		data = delimited.AppendField(data, text, ',')
		b.Bounds = append(b.Bounds, uint32(len(data)))
	}
	b.Rows++
	r.number++
	return append(data, '\n')
}

// append appends a value as a text.
func (l *leaf) append(dst []byte, v parquet.Value) []byte {
	if l.scale >= 0 {
		return l.appendDecimal(dst, v)
	}
	if l.as != nil {
		switch t := l.as.Value.(type) {
		case *format.DateType:
			return time.Unix(int64(v.Int32())*86400, 0).UTC().AppendFormat(dst, time.DateOnly)
		case *format.TimestampType:
			return appendTimestamp(dst, v.Int64(), t)
		}
	}
	switch l.kind {
	case parquet.Boolean:
		return strconv.AppendBool(dst, v.Boolean())
	case parquet.Int32:
		return strconv.AppendInt(dst, int64(v.Int32()), 10)
	case parquet.Int64:
		return strconv.AppendInt(dst, v.Int64(), 10)
	case parquet.Float:
		return amount.AppendPlain(dst, strconv.AppendFloat(nil, float64(v.Float()), 'g', -1, 32), 0)
	case parquet.Double:
		return amount.AppendPlain(dst, strconv.AppendFloat(nil, v.Double(), 'g', -1, 64), 0)
	case parquet.ByteArray, parquet.FixedLenByteArray:
		return append(dst, v.ByteArray()...)
	}
	return append(dst, v.String()...)
}

func (l *leaf) appendDecimal(dst []byte, v parquet.Value) []byte {
	var coefficient *big.Int
	switch l.kind {
	case parquet.Int32:
		coefficient = big.NewInt(int64(v.Int32()))
	case parquet.Int64:
		coefficient = big.NewInt(v.Int64())
	default: // two's complement, the highest byte first
		bytes := v.ByteArray()
		coefficient = new(big.Int).SetBytes(bytes)
		if len(bytes) > 0 && bytes[0]&0x80 != 0 {
			coefficient.Sub(coefficient, new(big.Int).Lsh(big.NewInt(1), uint(8*len(bytes))))
		}
	}
	return amount.FromBig(coefficient, l.scale).Append(dst)
}

func appendTimestamp(dst []byte, n int64, t *format.TimestampType) []byte {
	var at time.Time
	switch t.Unit.Value.(type) {
	case *format.MilliSeconds:
		at = time.UnixMilli(n)
	case *format.MicroSeconds:
		at = time.UnixMicro(n)
	default:
		at = time.Unix(0, n)
	}
	at = at.UTC()
	start := len(dst)
	dst = at.AppendFormat(dst, "2006-01-02 15:04:05.999999999")
	if bytes.HasSuffix(dst[start:], []byte(" 00:00:00")) {
		dst = dst[:len(dst)-len(" 00:00:00")]
	}
	return dst
}

// Close lets go of the rows.
func (r *Reader) Close() {
	if r.rows != nil {
		r.rows.Close()
	}
}
