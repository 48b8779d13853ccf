// Package spill sorts more items than fit into memory. What is beyond the
// memory goes to temporary files, sorted, and all is merged when it is read.
package spill

import (
	"bufio"
	"bytes"
	"cmp"
	"container/heap"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"sync"
)

// Sorter collects items, which are byte strings, and gives them back in the
// order of their bytes. It is for one goroutine; several are read together by
// Merge.
type Sorter struct {
	limit   int64 // bytes that may be held
	arena   []byte
	entries []entry
	files   []*os.File
	count   int
}

// entry is an item in the arena, with its first bytes, which settle most
// comparisons.
type entry struct {
	prefix uint64
	at     uint32
	size   uint32
}

const (
	entrySize = 16
	leastHeld = 1 << 16
	mostHeld  = 1 << 31 // offsets into the arena have 32 bits
	readSize  = 1 << 17 // of one file, while merging
)

// New makes a sorter that holds at most about limit bytes in memory.
func New(limit int64) *Sorter {
	return &Sorter{limit: min(max(limit, leastHeld), mostHeld)}
}

// Add takes an item in; item may be used again.
func (s *Sorter) Add(item []byte) error {
	if held := int64(len(s.arena)+len(item)) + entrySize*int64(len(s.entries)); held > s.limit && len(s.entries) > 0 {
		if err := s.spill(); err != nil {
			return err
		}
	}
	s.entries = append(s.entries, entry{prefixOf(item), uint32(len(s.arena)), uint32(len(item))})
	s.arena = append(s.arena, item...)
	s.count++
	return nil
}

// Len is how many items were added.
func (s *Sorter) Len() int {
	if s == nil {
		return 0
	}
	return s.count
}

// prefixOf is the first eight bytes, so that greater bytes make a greater number.
func prefixOf(item []byte) uint64 {
	if len(item) >= 8 {
		return binary.BigEndian.Uint64(item)
	}
	var first [8]byte
	copy(first[:], item)
	return binary.BigEndian.Uint64(first[:])
}

func (s *Sorter) item(e entry) []byte { return s.arena[e.at : e.at+e.size] }

func (s *Sorter) sort() {
	slices.SortFunc(s.entries, func(a, b entry) int {
		if a.prefix != b.prefix {
			return cmp.Compare(a.prefix, b.prefix)
		}
		return bytes.Compare(s.item(a), s.item(b))
	})
}

// spill writes what is held to a temporary file.
func (s *Sorter) spill() error {
	file, err := TempFile()
	if err != nil {
		return err
	}
	s.files = append(s.files, file)
	s.sort()
	w := bufio.NewWriterSize(file, 1<<18)
	var size []byte
	for _, e := range s.entries {
		size = binary.AppendUvarint(size[:0], uint64(e.size))
		w.Write(size) // Flush tells of all writes
		w.Write(s.item(e))
	}
	s.arena, s.entries = s.arena[:0], s.entries[:0]
	return PutAside(w.Flush())
}

// PutAside says what could not be done, and what to do about it.
func PutAside(err error) error {
	if err == nil {
		return nil
	}
	return fmt.Errorf("putting aside what does not fit into memory: %w; TMPDIR names another folder for it, and ⟨memory⟩ lets more fit", err)
}

// TempFile makes a temporary file that the system removes at the latest when
// this process ends, where it lets go of a name while the file is open;
// elsewhere Remove does.
func TempFile() (*os.File, error) {
	file, err := os.CreateTemp("", "lastblock-*.spill")
	if err != nil {
		return nil, PutAside(err)
	}
	os.Remove(file.Name())
	return file, nil
}

// Remove closes a temporary file and takes it away.
func Remove(file *os.File) error {
	err := file.Close()
	os.Remove(file.Name()) // gone already, on most systems
	return err
}

// Close gives back what the sorter holds. A nil sorter holds nothing.
func (s *Sorter) Close() error {
	if s == nil {
		return nil
	}
	var errs []error
	for _, file := range s.files {
		errs = append(errs, Remove(file))
	}
	s.arena, s.entries, s.files = nil, nil, nil
	return errors.Join(errs...)
}

// Merge calls visit for every item of the sorters, in the order of their bytes;
// items that are equal are given one after another. An item is good until
// visit returns. Nil sorters are passed over; nothing may be added any more.
func Merge(sorters []*Sorter, visit func(item []byte) error) error {
	var group sync.WaitGroup
	var runs runHeap
	for _, s := range sorters {
		if s == nil {
			continue
		}
		group.Go(s.sort)
		if len(s.entries) > 0 {
			runs = append(runs, &run{sorter: s})
		}
		for _, file := range s.files {
			const whole = 1 << 62
			runs = append(runs, &run{reader: bufio.NewReaderSize(io.NewSectionReader(file, 0, whole), readSize)})
		}
	}
	group.Wait()
	for _, r := range runs {
		if err := r.next(); err != nil {
			return err // no run is empty
		}
	}
	heap.Init(&runs)
	for len(runs) > 0 {
		first := runs[0]
		if err := visit(first.item); err != nil {
			return err
		}
		switch err := first.next(); {
		case err == nil:
			if len(runs) > 1 {
				heap.Fix(&runs, 0)
			}
		case errors.Is(err, io.EOF):
			heap.Pop(&runs)
		default:
			return err
		}
	}
	return nil
}

// run is a sorted run of items: those that a sorter holds, or those of a file.
type run struct {
	sorter *Sorter
	at     int
	reader *bufio.Reader

	item   []byte
	prefix uint64
}

// next goes to the next item; the error is io.EOF behind the last one.
func (r *run) next() error {
	if r.sorter != nil {
		if r.at == len(r.sorter.entries) {
			return io.EOF
		}
		e := r.sorter.entries[r.at]
		r.item, r.prefix = r.sorter.item(e), e.prefix
		r.at++
		return nil
	}
	size, err := binary.ReadUvarint(r.reader)
	if err != nil {
		return err
	}
	if uint64(cap(r.item)) < size {
		r.item = make([]byte, size)
	}
	r.item = r.item[:size]
	if _, err := io.ReadFull(r.reader, r.item); err != nil {
		return fmt.Errorf("taking back what was put aside: %w", err)
	}
	r.prefix = prefixOf(r.item)
	return nil
}

// runHeap has the run with the first item on top.
type runHeap []*run

func (h runHeap) Len() int { return len(h) }
func (h runHeap) Less(i, j int) bool {
	if h[i].prefix != h[j].prefix {
		return h[i].prefix < h[j].prefix
	}
	return bytes.Compare(h[i].item, h[j].item) < 0
}
func (h runHeap) Swap(i, j int) { h[i], h[j] = h[j], h[i] }
func (h *runHeap) Push(x any)   { *h = append(*h, x.(*run)) }
func (h *runHeap) Pop() any {
	old := *h
	last := old[len(old)-1]
	*h = old[:len(old)-1]
	return last
}
