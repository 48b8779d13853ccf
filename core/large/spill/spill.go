// Package spill sorts more items than fit into memory. What is beyond the
// memory goes to temporary files, sorted, and all is merged when it is read.
package spill

import (
	"cmp"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"sync"
)

// Sorter collects items, which are byte strings, and gives them back in
// their order. It is for one goroutine; several are read together by
// Merge.
type Sorter struct {
	limit   int64 // bytes that may be held
	order   Order
	arena   []byte
	entries []entry
	files   []*File
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

// New makes a sorter by bytes that holds at most about limit bytes in memory.
func New(limit int64) *Sorter { return NewBy(Bytes, limit) }

// NewBy is New for another order.
func NewBy(order Order, limit int64) *Sorter {
	return &Sorter{limit: min(max(limit, leastHeld), mostHeld), order: order}
}

// Add takes an item in; item may be used again.
func (s *Sorter) Add(item []byte) error {
	if held := int64(len(s.arena)+len(item)) + entrySize*int64(len(s.entries)); held > s.limit && len(s.entries) > 0 {
		if err := s.spill(); err != nil {
			return err
		}
	}
	s.entries = append(s.entries, entry{s.order.Prefix(item), uint32(len(s.arena)), uint32(len(item))})
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
		return s.order.Compare(s.item(a), s.item(b))
	})
}

// spill writes what is held to a temporary file.
func (s *Sorter) spill() error {
	s.sort()
	file, err := Write(func(add func(item []byte)) error {
		for _, e := range s.entries {
			add(s.item(e))
		}
		return nil
	})
	if err != nil {
		return err
	}
	s.files = append(s.files, file)
	s.arena, s.entries = s.arena[:0], s.entries[:0]
	return nil
}

// PutAside says what could not be done, and what to do about it.
func PutAside(err error) error {
	if err == nil {
		return nil
	}
	return fmt.Errorf("putting aside what does not fit into memory: %w; TMPDIR names another folder for it, and "+
		"⟨memory⟩ lets more fit", err)
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
		errs = append(errs, file.Close())
	}
	s.arena, s.entries, s.files = nil, nil, nil
	return errors.Join(errs...)
}

// Merge calls visit for every item of the sorters, in their order, which is that of all of them;
// items that are equal are given one after another. An item is good until visit returns. Nil
// sorters are passed over; nothing may be added any more.
func Merge(sorters []*Sorter, visit func(item []byte) error) error {
	var group sync.WaitGroup
	var runs []Run
	order := Bytes
	for _, s := range sorters {
		if s == nil {
			continue
		}
		order = s.order
		group.Go(s.sort)
		runs = append(runs, &heldRun{sorter: s, at: -1})
		for _, file := range s.files {
			runs = append(runs, file.Open())
		}
	}
	group.Wait()
	return MergeRuns(order, runs, func(_ int, item []byte) error { return visit(item) })
}

// heldRun are the items that a sorter holds in memory, which are sorted.
type heldRun struct {
	sorter *Sorter
	at     int
}

func (r *heldRun) Item() []byte { return r.sorter.item(r.sorter.entries[r.at]) }

func (r *heldRun) Next() error {
	if r.at++; r.at >= len(r.sorter.entries) {
		return io.EOF
	}
	return nil
}
