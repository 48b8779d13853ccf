// Package parquet reads Parquet files as records: decimals exactly, dates by
// ISO 8601, a column within a column as a.b.
package parquet

import (
	"errors"
	"fmt"
	"io"
	"strings"

	"lastblock/core/format/delimited"
	"lastblock/core/record"

	"github.com/parquet-go/parquet-go"
)

// Reader reads the rows of a file.
type Reader struct {
	head   record.Head
	file   *parquet.File
	leaves []leaf
	groups []parquet.RowGroup
	rows   parquet.Rows
	buffer []parquet.Row
	number int   // of the next row, from 1
	due    int64 // rows of the group that have not been read
	done   bool
	texts  [][]byte
	lists  []int // how many values a column has in the row
}

// Open opens a file. What the library cannot make out is an error.
func Open(file io.ReaderAt, size int64) (r *Reader, err error) {
	defer recoverInto(&err)
	var f *parquet.File
	pages, err := present(file, size)
	if err == nil {
		f, err = parquet.OpenFile(pages, pages.Size(), parquet.SkipPageIndex(true), parquet.SkipBloomFilters(true))
	}
	switch {
	case errors.Is(err, errEncrypted):
		return nil, fmt.Errorf("this Parquet file cannot be read: %w", err)
	case err != nil:
		return nil, fmt.Errorf("this Parquet file cannot be read (%w); it is damaged or was cut off, ask for it again",
			err)
	}
	r = &Reader{file: f, groups: f.RowGroups(), number: 1, buffer: make([]parquet.Row, 256)}
	if r.leaves, err = leaves(f.Schema(), "", nil); err != nil {
		return nil, fmt.Errorf("this Parquet file cannot be read: %w", err)
	}
	if len(r.leaves) != len(pages.columns) {
		return nil, fmt.Errorf("this Parquet file cannot be read: %w", errSchema)
	}
	var names []string
	for i := range r.leaves {
		if pages.columns[i].half { // which the library does not tell from bytes
			r.leaves[i].append = appendHalf
		}
		names = append(names, r.leaves[i].name)
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
			r.due = r.groups[0].NumRows()
			r.rows, r.groups = r.groups[0].Rows(), r.groups[1:]
		}
		n, err := r.rows.ReadRows(r.buffer)
		if r.due -= int64(n); errors.Is(err, io.EOF) {
			r.rows.Close()
			r.rows, err = nil, nil
			if r.due != 0 {
				err = fmt.Errorf("%d rows are missing", r.due)
			}
			r.done = len(r.groups) == 0
		}
		if err != nil {
			return 0, fmt.Errorf("row %d cannot be read (%w); the Parquet file is damaged, ask for it again", r.number,
				err)
		}
		if n > 0 || r.done {
			return n, nil
		}
	}
}

// add appends a row.
func (r *Reader) add(b *record.Batch, data []byte, row parquet.Row) []byte {
	b.Bounds = append(b.Bounds, uint32(len(data))-1)
	if r.isPlain(row) {
		for i, v := range row {
			if i > 0 {
				data = append(data, ',')
			}
			if from := len(data); !v.IsNull() {
				data = delimited.CloseField(r.leaves[i].append(data, v), from, ',', &r.texts[0])
			}
			b.Bounds = append(b.Bounds, uint32(len(data)))
		}
	} else {
		data = r.addLists(b, data, row)
	}
	b.Rows++
	r.number++
	return append(data, '\n')
}

// isPlain tells whether a row has one value of each column.
func (r *Reader) isPlain(row parquet.Row) bool {
	if len(row) != len(r.leaves) || len(row) == 0 {
		return false
	}
	for i := range row {
		if row[i].Column() != i {
			return false
		}
	}
	return true
}

// addLists appends the values of a row in which a column may have several.
func (r *Reader) addLists(b *record.Batch, data []byte, row parquet.Row) []byte {
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
	for i, text := range r.texts {
		if i > 0 {
			data = append(data, ',')
		}
		data = delimited.AppendField(data, text, ',')
		b.Bounds = append(b.Bounds, uint32(len(data)))
	}
	return data
}

// Close lets go of the rows.
func (r *Reader) Close() {
	if r.rows != nil {
		r.rows.Close()
	}
}
