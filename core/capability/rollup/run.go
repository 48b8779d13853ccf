package rollup

import (
	"bufio"
	"bytes"
	"container/heap"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"

	"lastblock/core/large/spill"
	"lastblock/core/value/amount"
)

// A run is groups in the order of their keys, each key once: a table, or, when
// memory was full, a file. The result is all runs merged.
type run interface {
	// open starts from the first group.
	open() (cursor, error)
	// close gives back what the run holds.
	close() error
}

// cursor stands on one group of a run.
type cursor interface {
	// next goes to the next group; the error is io.EOF behind the last one.
	next() error
	key() []byte
	count() int
	// addTo adds the group's sums.
	addTo(sums []amount.Sum)
}

// tableRun is a table in order.
type tableRun struct {
	table  *table
	groups []uint32
}

func (r *tableRun) open() (cursor, error) { return &tableCursor{run: r, at: -1}, nil }
func (r *tableRun) close() error          { return nil }

type tableCursor struct {
	run   *tableRun
	at    int
	group int
}

func (c *tableCursor) next() error {
	if c.at++; c.at >= len(c.run.groups) {
		return io.EOF
	}
	c.group = int(c.run.groups[c.at])
	return nil
}

func (c *tableCursor) key() []byte { return c.run.table.key(c.group) }
func (c *tableCursor) count() int  { return c.run.table.counts[c.group] }

func (c *tableCursor) addTo(sums []amount.Sum) {
	for i := range sums {
		sums[i].Merge(&c.run.table.of(c.group)[i])
	}
}

// fileRun is a run in a temporary file: for each group the length of its key,
// the key, its count, and its sums as texts with their lengths.
type fileRun struct {
	file  *os.File
	width int
}

// putAside writes a table to a temporary file.
func putAside(t *table) (*fileRun, error) {
	file, err := spill.TempFile()
	if err != nil {
		return nil, err
	}
	r := &fileRun{file: file, width: t.width}
	w := bufio.NewWriterSize(file, 1<<18)
	var line, text []byte
	for _, g := range t.sorted() {
		key := t.key(int(g))
		line = binary.AppendUvarint(line[:0], uint64(len(key)))
		line = append(line, key...)
		line = binary.AppendUvarint(line, uint64(t.counts[g]))
		for _, sum := range t.of(int(g)) {
			text = sum.Amount().Append(text[:0])
			line = binary.AppendUvarint(line, uint64(len(text)))
			line = append(line, text...)
		}
		if _, err := w.Write(line); err != nil {
			return nil, errors.Join(fmt.Errorf("putting groups aside: %w", err), r.close())
		}
	}
	if err := w.Flush(); err != nil {
		return nil, errors.Join(fmt.Errorf("putting groups aside: %w", err), r.close())
	}
	return r, nil
}

func (r *fileRun) open() (cursor, error) {
	const whole = 1 << 62
	return &fileCursor{reader: bufio.NewReaderSize(io.NewSectionReader(r.file, 0, whole), 1<<18), sums: make([]amount.Amount, r.width)}, nil
}

func (r *fileRun) close() error {
	return spill.Remove(r.file)
}

type fileCursor struct {
	reader  *bufio.Reader
	current []byte
	records int
	sums    []amount.Amount
	text    []byte
}

func (c *fileCursor) next() error {
	var err error
	if c.current, err = c.bytes(c.current); err != nil {
		return err // io.EOF behind the last group
	}
	records, err := binary.ReadUvarint(c.reader)
	if err != nil {
		return fmt.Errorf("taking groups back: %w", noEOF(err))
	}
	c.records = int(records)
	for i := range c.sums {
		if c.text, err = c.bytes(c.text); err != nil {
			return fmt.Errorf("taking groups back: %w", noEOF(err))
		}
		if c.sums[i], err = amount.Parse(c.text, '.'); err != nil {
			return fmt.Errorf("taking groups back: %w", err)
		}
	}
	return nil
}

// bytes reads a length and as many bytes.
func (c *fileCursor) bytes(into []byte) ([]byte, error) {
	n, err := binary.ReadUvarint(c.reader)
	if err != nil {
		return into, err
	}
	if uint64(cap(into)) < n {
		into = make([]byte, n)
	}
	into = into[:n]
	_, err = io.ReadFull(c.reader, into)
	return into, noEOF(err)
}

// noEOF makes an end in the middle of a group an error of its own.
func noEOF(err error) error {
	if errors.Is(err, io.EOF) {
		return io.ErrUnexpectedEOF
	}
	return err
}

func (c *fileCursor) key() []byte { return c.current }
func (c *fileCursor) count() int  { return c.records }

func (c *fileCursor) addTo(sums []amount.Sum) {
	for i := range sums {
		sums[i].Add(c.sums[i])
	}
}

// merge calls visit for each group of all runs in the order of their keys,
// with what the runs have of it added up. key and sums are good until visit
// returns.
func merge(runs []run, width int, visit func(key []byte, records int, sums []amount.Sum) error) error {
	var cursors cursorHeap
	for _, r := range runs {
		c, err := r.open()
		if err != nil {
			return err
		}
		if err := c.next(); err == nil {
			cursors = append(cursors, ordered{c, sortPrefix(c.key())})
		} else if !errors.Is(err, io.EOF) {
			return err
		}
	}
	heap.Init(&cursors)
	sums := make([]amount.Sum, width)
	var key []byte
	for len(cursors) > 0 {
		key = append(key[:0], cursors[0].key()...)
		records := 0
		clear(sums)
		for len(cursors) > 0 && bytes.Equal(cursors[0].key(), key) {
			records += cursors[0].count()
			cursors[0].addTo(sums)
			switch err := cursors[0].next(); {
			case err == nil:
				cursors[0].prefix = sortPrefix(cursors[0].key())
				heap.Fix(&cursors, 0)
			case errors.Is(err, io.EOF):
				heap.Pop(&cursors)
			default:
				return err
			}
		}
		if err := visit(key, records, sums); err != nil {
			return err
		}
	}
	return nil
}

// ordered is a cursor with the prefix of its key.
type ordered struct {
	cursor
	prefix uint64
}

// cursorHeap has the cursor with the first key on top.
type cursorHeap []ordered

func (h cursorHeap) Len() int { return len(h) }
func (h cursorHeap) Less(i, j int) bool {
	if h[i].prefix != h[j].prefix {
		return h[i].prefix < h[j].prefix
	}
	return compareKeys(h[i].key(), h[j].key()) < 0
}
func (h cursorHeap) Swap(i, j int) { h[i], h[j] = h[j], h[i] }
func (h *cursorHeap) Push(x any)   { *h = append(*h, x.(ordered)) }
func (h *cursorHeap) Pop() any {
	old := *h
	last := old[len(old)-1]
	*h = old[:len(old)-1]
	return last
}
