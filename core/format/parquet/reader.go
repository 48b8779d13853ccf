// Package parquet reads Parquet files as records: decimals exactly, dates by
// ISO 8601, a column within a column as a.b.
package parquet

import (
	"errors"
	"fmt"
	"io"
	"strings"

	"lastblock/core/record"

	"github.com/parquet-go/parquet-go"
)

// Reader reads the rows of a file.
type Reader struct {
	head    record.Head
	leaves  []leaf
	columns []column
	groups  []parquet.RowGroup // that have not been begun
	cursors []cursor           // of the group that is being read, by column
	due     int64              // rows of it that have not been read
	number  int                // of the next row, from 1
	done    bool

	lists *lists // reads rows in which a column may have several values; nil where none has
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
	r = &Reader{groups: f.RowGroups(), number: 1, columns: pages.columns}
	if r.leaves, err = leaves(f.Schema(), "", nil); err != nil {
		return nil, fmt.Errorf("this Parquet file cannot be read: %w", err)
	}
	if len(r.leaves) != len(pages.columns) {
		return nil, fmt.Errorf("this Parquet file cannot be read: %w", errSchema)
	}
	var names []string
	for i := range r.leaves {
		if pages.columns[i].half { // which the library does not tell from bytes
			r.leaves[i].writing = writing{append: appendHalf, bare: true}
		}
		names = append(names, r.leaves[i].name)
		if pages.columns[i].repetition > 0 && r.lists == nil {
			r.lists = newLists(r.leaves)
		}
	}
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

// Next reads the next rows, of which rows.Compose then makes the batch; the error is io.EOF behind the last one. What
// rows holds is used again.
func (r *Reader) Next(b *record.Batch, rows *Rows) (err error) {
	defer recoverInto(&err)
	if r.done {
		return io.EOF
	}
	b.Reset(len(r.leaves))
	b.Quoted, b.FirstLine = true, r.number
	if r.lists != nil {
		err = r.composeLists(b, rows)
	} else {
		err = r.take(b, rows)
	}
	if err != nil {
		return fmt.Errorf("row %d cannot be read (%w); the Parquet file is damaged, ask for it again", r.number, err)
	}
	b.Last = r.done
	return nil
}

const (
	batchBytes = 256 << 10 // of stored values, about
	mostRows   = 8 << 10
)

// take reads rows as they are stored.
func (r *Reader) take(b *record.Batch, rows *Rows) error {
	rows.reset(r.leaves)
	const first, most = 16, 256 // rows that are read at once; what they take is known behind the first ones
	bytes, some := 0, int64(first)
	for bytes < batchBytes && b.Rows < mostRows && !r.done {
		if r.due == 0 {
			if err := r.begin(); err != nil {
				return err
			}
			continue
		}
		n := int(min(r.due, some))
		bytes, some = 0, min(2*some, most)
		for i := range r.cursors {
			if err := r.cursors[i].take(&rows.columns[i], n); err != nil {
				return fmt.Errorf("column %s: %w", r.leaves[i].name, err)
			}
			bytes += rows.columns[i].size()
		}
		b.Rows += n
		r.number += n
		if r.due -= int64(n); r.due == 0 {
			if err := r.end(); err != nil {
				return err
			}
		}
	}
	return nil
}

// begin goes on to the next group of rows, if there is one.
func (r *Reader) begin() error {
	if len(r.groups) == 0 {
		r.done = true
		return nil
	}
	group := r.groups[0]
	r.groups = r.groups[1:]
	chunks := group.ColumnChunks()
	if len(chunks) != len(r.leaves) {
		return errSchema
	}
	r.due = group.NumRows()
	r.cursors = r.cursors[:0]
	for i, chunk := range chunks {
		r.cursors = append(r.cursors, cursor{pages: chunk.Pages(), notNull: byte(r.columns[i].definition)})
	}
	if r.due == 0 {
		return r.end()
	}
	return nil
}

// end ends a group, of which all rows were read.
func (r *Reader) end() error {
	for i := range r.cursors {
		if err := r.cursors[i].end(); err != nil {
			return fmt.Errorf("column %s: %w", r.leaves[i].name, err)
		}
	}
	r.Close()
	r.done = len(r.groups) == 0
	return nil
}

// Close lets go of the pages, and waits until nobody reads the file any more.
func (r *Reader) Close() {
	for i := range r.cursors {
		r.cursors[i].close()
	}
	for i := range r.columns {
		r.columns[i].stream.wait()
	}
	r.cursors = nil
	if r.lists != nil {
		r.lists.close()
	}
}
