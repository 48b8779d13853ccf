package spill

import (
	"bufio"
	"bytes"
	"container/heap"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"
)

// Order is an order of items.
type Order struct {
	// Prefix settles most comparisons: it is greater of an item that comes later, and equal where
	// it does not tell.
	Prefix  func(item []byte) uint64
	Compare func(a, b []byte) int
}

// Bytes is the order of items by their bytes.
var Bytes = Order{prefixOf, bytes.Compare}

// Run gives items in their order, one after another.
type Run interface {
	// Next goes to the next item; the error is io.EOF behind the last one.
	Next() error
	// Item is where the run stands. It is good until the next call of Next.
	Item() []byte
}

// File is a run of items in a temporary file. It can be opened several times.
type File struct{ file *os.File }

// Write puts items aside, which each gives in their order.
func Write(each func(add func(item []byte)) error) (*File, error) {
	file, err := TempFile()
	if err != nil {
		return nil, err
	}
	w := bufio.NewWriterSize(file, 1<<18)
	var size []byte
	err = each(func(item []byte) {
		size = binary.AppendUvarint(size[:0], uint64(len(item)))
		w.Write(size) // Flush tells of all writes
		w.Write(item)
	})
	if err := errors.Join(err, PutAside(w.Flush())); err != nil {
		return nil, errors.Join(err, Remove(file))
	}
	return &File{file}, nil
}

// Open starts from the first item.
func (f *File) Open() Run {
	const whole = 1 << 62
	return &fileRun{reader: bufio.NewReaderSize(io.NewSectionReader(f.file, 0, whole), readSize)}
}

// Close gives the file back.
func (f *File) Close() error { return Remove(f.file) }

// fileRun reads a file.
type fileRun struct {
	reader *bufio.Reader
	item   []byte
}

func (r *fileRun) Item() []byte { return r.item }

func (r *fileRun) Next() error {
	size, err := binary.ReadUvarint(r.reader)
	if errors.Is(err, io.EOF) {
		return io.EOF
	}
	if err == nil {
		if uint64(cap(r.item)) < size {
			r.item = make([]byte, size)
		}
		r.item = r.item[:size]
		if _, err = io.ReadFull(r.reader, r.item); errors.Is(err, io.EOF) {
			err = io.ErrUnexpectedEOF
		}
	}
	if err != nil {
		return fmt.Errorf("taking back what was put aside: %w", err)
	}
	return nil
}

// MergeRuns calls visit for every item of all runs, in their order; items that are equal are given
// one after another. run is the number of the run that the item is from.
func MergeRuns(order Order, runs []Run, visit func(run int, item []byte) error) error {
	merging := &merge{order: order}
	for i, r := range runs {
		switch err := r.Next(); {
		case err == nil:
			merging.runs = append(merging.runs, head{r, i, order.Prefix(r.Item())})
		case !errors.Is(err, io.EOF):
			return err
		}
	}
	heap.Init(merging)
	for len(merging.runs) > 0 {
		first := &merging.runs[0]
		if err := visit(first.number, first.run.Item()); err != nil {
			return err
		}
		switch err := first.run.Next(); {
		case err == nil:
			if len(merging.runs) > 1 {
				first.prefix = order.Prefix(first.run.Item())
				heap.Fix(merging, 0)
			}
		case errors.Is(err, io.EOF):
			heap.Pop(merging)
		default:
			return err
		}
	}
	return nil
}

// head is a run with the prefix of the item it stands on.
type head struct {
	run    Run
	number int
	prefix uint64
}

// merge has the run with the first item on top.
type merge struct {
	order Order
	runs  []head
}

func (m *merge) Len() int { return len(m.runs) }
func (m *merge) Less(i, j int) bool {
	if m.runs[i].prefix != m.runs[j].prefix {
		return m.runs[i].prefix < m.runs[j].prefix
	}
	return m.order.Compare(m.runs[i].run.Item(), m.runs[j].run.Item()) < 0
}
func (m *merge) Swap(i, j int) { m.runs[i], m.runs[j] = m.runs[j], m.runs[i] }
func (m *merge) Push(x any)    { m.runs = append(m.runs, x.(head)) }
func (m *merge) Pop() any {
	last := m.runs[len(m.runs)-1]
	m.runs = m.runs[:len(m.runs)-1]
	return last
}
