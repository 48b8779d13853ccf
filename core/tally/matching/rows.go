package matching

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"io"
	"slices"
	"sync/atomic"

	"lastblock/core/large/inorder"
	"lastblock/core/large/partition"

	"golang.org/x/sync/errgroup"
)

// Rows are byte strings that several goroutines make in any order, each with a
// number, and that are given back in the order of the numbers.
type Rows struct {
	most    uint64 // no number is greater
	buckets int
	limit   int64
	writers []*RowWriter
}

// NewRows makes rows with numbers up to most, for so many bytes.
func NewRows(most uint64, size, memory int64, jobs int) *Rows {
	const least, buckets, usual = 4, 1 << 12, 1 << 18
	r := &Rows{most: most, buckets: least, limit: memory / int64(4*max(1, jobs))}
	for r.buckets < buckets && size > int64(r.buckets)*usual {
		r.buckets *= 2
	}
	return r
}

// RowWriter takes the rows that one goroutine makes.
type RowWriter struct {
	rows *Rows
	bins *partition.Bins
}

// Writer makes the writer of one goroutine. It must not be called while another
// one is being used.
func (r *Rows) Writer() *RowWriter {
	w := &RowWriter{rows: r, bins: partition.NewBins(r.buckets, r.limit)}
	r.writers = append(r.writers, w)
	return w
}

// Add takes a row in; row may be used again.
func (w *RowWriter) Add(number uint64, row []byte) error {
	bucket := number / (w.rows.most/uint64(w.rows.buckets) + 1)
	item, err := w.bins.Room(int(bucket), numberSize+len(row))
	if err == nil {
		binary.LittleEndian.PutUint64(item, number)
		copy(item[numberSize:], row)
	}
	return err
}

// Write writes all rows in the order of their numbers, rows of one number by their
// bytes. They can be written several times.
func (r *Rows) Write(ctx context.Context, jobs int, w io.Writer) error {
	ordered := inorder.NewWriter(w, 4*max(1, jobs))
	var next atomic.Int64
	group, ctx := errgroup.WithContext(ctx)
	for range max(1, jobs) {
		group.Go(func() error {
			var rows []numbered
			var out []byte
			for {
				bucket := int(next.Add(1)) - 1
				if bucket >= r.buckets {
					return nil
				}
				if err := ctx.Err(); err != nil {
					return err
				}
				rows = rows[:0]
				for _, writer := range r.writers {
					err := writer.bins.Each(bucket, func(item []byte) error {
						rows = append(rows, numbered{binary.LittleEndian.Uint64(item), item[numberSize:]})
						return nil
					})
					if err != nil {
						return err
					}
				}
				slices.SortFunc(rows, numbered.compare)
				for _, row := range rows {
					out = append(out, row.row...)
				}
				var err error
				if out, err = ordered.Deliver(ctx, bucket, out); err != nil {
					return err
				}
			}
		})
	}
	return group.Wait()
}

// numbered is a row with its number.
type numbered struct {
	number uint64
	row    []byte
}

func (a numbered) compare(b numbered) int {
	switch {
	case a.number < b.number:
		return -1
	case a.number > b.number:
		return 1
	}
	return bytes.Compare(a.row, b.row)
}

const numberSize = 8

// Close gives back what the rows hold. Nil holds nothing.
func (r *Rows) Close() error {
	if r == nil {
		return nil
	}
	var errs []error
	for _, w := range r.writers {
		errs = append(errs, w.bins.Close())
	}
	return errors.Join(errs...)
}
