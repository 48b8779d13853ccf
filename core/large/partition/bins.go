package partition

import (
	"bufio"
	"encoding/binary"
	"fmt"
	"io"
	"os"

	"lastblock/core/large/spill"
)

// Bins keeps items of any length, each in the bin that it is put into, for one
// goroutine. Beyond its limit all that is held goes to a temporary file, and each
// bin is read back by itself.
type Bins struct {
	limit int64
	held  int64
	open  [][]byte // the last chunk of each bin; by themselves, so that they lie close together
	bins  []bin
	spare [][]byte // chunks of the usual size that are free again
	file  *os.File // nil while all is held
	size  int64    // of the file
}

// bin is what is held of a bin, in chunks of whole items, so that none is moved
// when more come, and where the rest lies in the file.
type bin struct {
	full [][]byte
	runs []stretch
}

// stretch is where some bytes lie in the file.
type stretch struct{ at, size int64 }

const (
	firstChunk = 1 << 10 // bytes, of a bin's first chunk; each next one has twice as many
	mostChunk  = 1 << 15
	leastBytes = 1 << 18 // that are held before anything goes to a file
)

// NewBins makes so many bins that together hold at most about limit bytes in
// memory.
func NewBins(count int, limit int64) *Bins {
	return &Bins{limit: max(limit, leastBytes), open: make([][]byte, count), bins: make([]bin, count)}
}

// Add puts an item into a bin; item may be used again.
func (b *Bins) Add(number int, item []byte) error {
	room, err := b.Room(number, len(item))
	copy(room, item)
	return err
}

// Room makes an item of so many bytes in a bin, which is to be filled at once.
func (b *Bins) Room(number, size int) ([]byte, error) {
	open := b.open[number]
	if need := size + binary.MaxVarintLen32; cap(open)-len(open) < need {
		var err error
		if open, err = b.grow(number, need); err != nil {
			return nil, err
		}
	}
	if size < 0x80 {
		open = append(open, byte(size))
	} else {
		open = binary.AppendUvarint(open, uint64(size))
	}
	from := len(open)
	b.open[number] = open[:from+size]
	return open[from : from+size], nil
}

// grow gives a bin a chunk with room for so many bytes.
func (b *Bins) grow(number, need int) ([]byte, error) {
	if b.held >= b.limit {
		if err := b.spill(); err != nil {
			return nil, err
		}
	}
	size := firstChunk
	if open := b.open[number]; len(open) > 0 {
		size = min(2*cap(open), mostChunk)
		b.bins[number].full = append(b.bins[number].full, open)
	}
	size = max(size, need)
	b.held += int64(size)
	if n := len(b.spare); n > 0 && size <= mostChunk {
		open := b.spare[n-1]
		b.spare = b.spare[:n-1]
		b.held += int64(cap(open) - size)
		return open, nil
	}
	return make([]byte, 0, size), nil
}

// spill writes what is held to the file.
func (b *Bins) spill() error {
	if b.file == nil {
		file, err := spill.TempFile()
		if err != nil {
			return err
		}
		b.file = file
	}
	w := bufio.NewWriterSize(io.NewOffsetWriter(b.file, b.size), 1<<18)
	for i := range b.bins {
		in := &b.bins[i]
		run := stretch{at: b.size}
		for _, chunk := range append(in.full, b.open[i]) {
			w.Write(chunk) // Flush tells of all writes
			run.size += int64(len(chunk))
			if cap(chunk) == mostChunk {
				b.spare = append(b.spare, chunk[:0])
			}
		}
		if run.size > 0 {
			in.runs = append(in.runs, run)
			b.size += run.size
		}
		in.full, b.open[i] = nil, nil
	}
	b.held = 0
	return spill.PutAside(w.Flush())
}

// Each gives the items of a bin, in the order in which they came. They are good
// until the bins are closed. It may be called by several goroutines once nothing
// is added any more.
func (b *Bins) Each(number int, visit func(item []byte) error) error {
	in := &b.bins[number]
	for _, run := range in.runs {
		data := make([]byte, run.size)
		if _, err := b.file.ReadAt(data, run.at); err != nil {
			return fmt.Errorf("taking back what was put aside: %w", err)
		}
		if err := eachItem(data, visit); err != nil {
			return err
		}
	}
	for _, chunk := range in.full {
		if err := eachItem(chunk, visit); err != nil {
			return err
		}
	}
	return eachItem(b.open[number], visit)
}

func eachItem(data []byte, visit func(item []byte) error) error {
	for len(data) > 0 {
		size, n := binary.Uvarint(data)
		end := n + int(size)
		if err := visit(data[n:end:end]); err != nil {
			return err
		}
		data = data[end:]
	}
	return nil
}

// Free lets go of what is held of a bin, once it is no longer needed.
func (b *Bins) Free(number int) {
	b.bins[number], b.open[number] = bin{}, nil
}

// Close gives back what the bins hold. Nil bins hold nothing.
func (b *Bins) Close() error {
	if b == nil {
		return nil
	}
	b.bins, b.open, b.spare = nil, nil, nil
	if b.file == nil {
		return nil
	}
	file := b.file
	b.file = nil
	return spill.Remove(file)
}
