package parquet

import (
	"errors"
	"io"

	"lastblock/core/format/delimited"
	"lastblock/core/record"

	"github.com/parquet-go/parquet-go"
)

// lists reads the rows of files in which a column may have several values of a row, as the library puts them together.
type lists struct {
	leaves []leaf
	rows   parquet.Rows
	buffer []parquet.Row
	texts  [][]byte
	counts []int // how many values a column has in the row
}

func newLists(leaves []leaf) *lists {
	const rows = 256
	return &lists{leaves: leaves, buffer: make([]parquet.Row, rows), texts: make([][]byte, len(leaves)),
		counts: make([]int, len(leaves))}
}

func (l *lists) close() {
	if l.rows != nil {
		l.rows.Close()
		l.rows = nil
	}
}

// composeLists makes the batch of the next rows.
func (r *Reader) composeLists(b *record.Batch, rows *Rows) error {
	rows.made = true
	data := rows.data[:0]
	for len(data) < batchBytes && !r.done {
		n, err := r.readLists()
		if err != nil {
			return err
		}
		for _, row := range r.lists.buffer[:n] {
			data = r.lists.add(b, data, row)
		}
		r.number += n
	}
	b.Data, rows.data = data, data
	return nil
}

// readLists reads some rows into the buffer.
func (r *Reader) readLists() (int, error) {
	l := r.lists
	for {
		if l.rows == nil {
			if len(r.groups) == 0 {
				r.done = true
				return 0, nil
			}
			r.due = r.groups[0].NumRows()
			l.rows, r.groups = r.groups[0].Rows(), r.groups[1:]
		}
		n, err := l.rows.ReadRows(l.buffer)
		if r.due -= int64(n); errors.Is(err, io.EOF) {
			l.close()
			if err = nil; r.due != 0 {
				err = errRows
			}
			r.done = len(r.groups) == 0
		}
		if err != nil {
			return 0, err
		}
		if n > 0 || r.done {
			return n, nil
		}
	}
}

// add appends the values of a row.
func (l *lists) add(b *record.Batch, data []byte, row parquet.Row) []byte {
	b.Bounds = append(b.Bounds, uint32(len(data))-1)
	for i := range l.texts {
		l.texts[i], l.counts[i] = l.texts[i][:0], 0
	}
	for _, v := range row {
		i := v.Column()
		if i < 0 || i >= len(l.leaves) || v.IsNull() {
			continue
		}
		if l.counts[i]++; l.counts[i] > 1 { // a list: its values behind one another
			l.texts[i] = append(l.texts[i], ", "...)
		}
		l.texts[i] = l.leaves[i].append(l.texts[i], valueOf(v))
	}
	for i, text := range l.texts {
		if i > 0 {
			data = append(data, ',')
		}
		data = delimited.AppendField(data, text, ',')
		b.Bounds = append(b.Bounds, uint32(len(data)))
	}
	b.Rows++
	return append(data, '\n')
}
