// Package partition finds items with the same hash, however many there are: they
// are dealt to heaps by their hash, and each heap, which fits into memory, is gone
// through by itself. What does not fit while they are dealt goes
// to temporary files.
package partition

import (
	"bufio"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"

	"lastblock/core/large/spill"
)

// Item is a few words, of which the first is the hash.
type Item interface{ [2]uint64 | [3]uint64 }

// heaps is how many heaps there are. Measured, 256 are as quick as any: a heap of
// ten million records fits into a core's cache while it is put in order.
const (
	heaps    = 256
	heapBits = 8
)

// Dealer deals items to heaps, for one goroutine.
type Dealer[T Item] struct {
	limit  int // items that may be held
	held   int
	heaps  [heaps]heap[T]
	spare  [][]T    // chunks that are free again
	file   *os.File // nil while all is held
	runs   [heaps][]run
	size   int64 // of the file
	buffer []byte
}

// heap are the items of a heap that are held, in chunks, so that none is moved
// when more come.
type heap[T Item] struct {
	full   [][]T
	open   []T
	staged int
	stage  [stageSize]T // the last ones, which go to open together
}

const (
	chunkSize = 256 // items of a chunk: a page, more or less
	// stageSize is how many items are put together before they are written to a
	// chunk, of which there are more than a core's cache holds: measured, so an
	// item takes two thirds of the time.
	stageSize = 8
)

func (h *heap[T]) each(visit func(items []T)) {
	for _, chunk := range h.full {
		visit(chunk)
	}
	visit(h.open)
	visit(h.stage[:h.staged])
}

func (h *heap[T]) count() int { return chunkSize*len(h.full) + len(h.open) + h.staged }

// run is where some items of a heap lie in the file.
type run struct {
	at    int64
	count int
}

const leastHeld = 1 << 12

// NewDealer makes a dealer that holds at most about limit bytes in memory.
func NewDealer[T Item](limit int64) *Dealer[T] {
	return &Dealer[T]{limit: max(leastHeld, int(limit/int64(itemSize[T]())))}
}

func itemSize[T Item]() int {
	var item T
	const word = 8
	return word * len(item)
}

// Add takes an item in.
func (d *Dealer[T]) Add(item T) error {
	h := &d.heaps[item[0]>>(64-heapBits)]
	if h.staged < stageSize {
		h.stage[h.staged] = item
		h.staged++
		return nil
	}
	if len(h.open) == cap(h.open) {
		if err := d.grow(h); err != nil {
			return err
		}
	}
	if h.staged == stageSize { // else all went to the file
		h.open = append(h.open, h.stage[:]...)
	}
	h.stage[0], h.staged = item, 1
	return nil
}

// grow makes room for more items of a heap.
func (d *Dealer[T]) grow(h *heap[T]) error {
	if d.held >= d.limit {
		if err := d.spill(); err != nil {
			return err
		}
	}
	if len(h.open) > 0 {
		h.full = append(h.full, h.open)
	}
	d.held += chunkSize
	if n := len(d.spare); n > 0 {
		h.open, d.spare = d.spare[n-1], d.spare[:n-1]
		return nil
	}
	h.open = make([]T, 0, chunkSize)
	return nil
}

// spill writes what is held to the file.
func (d *Dealer[T]) spill() error {
	if d.file == nil {
		file, err := spill.TempFile()
		if err != nil {
			return err
		}
		d.file = file
	}
	w := bufio.NewWriterSize(io.NewOffsetWriter(d.file, d.size), 1<<18)
	for i := range d.heaps {
		h := &d.heaps[i]
		n := h.count()
		if n == 0 {
			continue
		}
		d.runs[i] = append(d.runs[i], run{d.size, n})
		h.each(func(items []T) {
			for _, item := range items {
				d.buffer = appendItem(d.buffer[:0], item)
				w.Write(d.buffer) // Flush tells of all writes
			}
		})
		for _, chunk := range h.full {
			d.spare = append(d.spare, chunk[:0])
		}
		if cap(h.open) > 0 {
			d.spare = append(d.spare, h.open[:0])
		}
		d.size += int64(n * itemSize[T]())
		h.full, h.open, h.staged = h.full[:0], nil, 0
	}
	d.held = 0
	return spill.PutAside(w.Flush())
}

func appendItem[T Item](dst []byte, item T) []byte {
	for i := range len(item) {
		dst = binary.LittleEndian.AppendUint64(dst, item[i])
	}
	return dst
}

func readItem[T Item](data []byte) (item T) {
	const word = 8
	for i := range len(item) {
		item[i] = binary.LittleEndian.Uint64(data[word*i:])
	}
	return item
}

// Close gives back what the dealer holds.
func (d *Dealer[T]) Close() error {
	if d == nil {
		return nil
	}
	d.heaps, d.spare = [heaps]heap[T]{}, nil
	if d.file == nil {
		return nil
	}
	file := d.file
	d.file = nil
	return spill.Remove(file)
}

// count is how many items of a heap there are.
func (d *Dealer[T]) count(heap int) int {
	n := d.heaps[heap].count()
	for _, r := range d.runs[heap] {
		n += r.count
	}
	return n
}

// take appends the items of a heap of which the hash, below the bits that told
// the heap, begins with so many bits of a value.
func (d *Dealer[T]) take(items []T, heap int, bits int, value uint64) ([]T, error) {
	wanted := func(item T) bool { return item[0]<<heapBits>>(64-bits) == value }
	d.heaps[heap].each(func(held []T) {
		if bits == 0 {
			items = append(items, held...)
			return
		}
		for _, item := range held {
			if wanted(item) {
				items = append(items, item)
			}
		}
	})
	size := itemSize[T]()
	data := make([]byte, size)
	for _, r := range d.runs[heap] {
		reader := bufio.NewReaderSize(io.NewSectionReader(d.file, r.at, int64(r.count*size)), 1<<16)
		for range r.count {
			if _, err := io.ReadFull(reader, data); err != nil {
				return nil, fmt.Errorf("taking back what was put aside: %w", err)
			}
			if item := readItem[T](data); bits == 0 || wanted(item) {
				items = append(items, item)
			}
		}
	}
	return items, nil
}

// Close closes dealers.
func Close[T Item](dealers []*Dealer[T]) error {
	var errs []error
	for _, d := range dealers {
		errs = append(errs, d.Close())
	}
	return errors.Join(errs...)
}
