package rollup

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"

	"lastblock/core/large/spill"
	"lastblock/core/large/texts"
	"lastblock/core/value/amount"
)

// A run is groups in the order of their keys, each key once: a table, or, when
// memory was full, a file. The result is all runs merged.
type run interface {
	// open starts from the first group.
	open() cursor
	// close gives back what the run holds.
	close() error
}

// cursor stands on one group of a run. Its item begins with the key.
type cursor interface {
	spill.Run
	// group adds what the group has.
	group(to *counted) error
}

// counted is what was counted of a group.
type counted struct {
	records int
	sums    []amount.Sum
	lines   Lines
}

// tableRun is a table in order.
type tableRun struct {
	table  *table
	groups []uint32
}

func (r *tableRun) open() cursor { return &tableCursor{run: r, at: -1} }
func (r *tableRun) close() error { return nil }

type tableCursor struct {
	run *tableRun
	at  int
}

func (c *tableCursor) Next() error {
	if c.at++; c.at >= len(c.run.groups) {
		return io.EOF
	}
	return nil
}

func (c *tableCursor) Item() []byte { return c.run.table.key(int(c.run.groups[c.at])) }

func (c *tableCursor) group(to *counted) error {
	g := int(c.run.groups[c.at])
	for i := range to.sums {
		to.sums[i].Merge(&c.run.table.of(g)[i])
	}
	to.records += c.run.table.counts[g]
	to.lines = to.lines.with(c.run.table.at(g))
	return nil
}

// fileRun is a run in a temporary file: of each group the key, its count, its lines, and its sums as texts.
type fileRun struct {
	file  *spill.File
	parts int // of the key
}

// putAside writes a table to a temporary file.
func putAside(t *table, parts int) (*fileRun, error) {
	file, err := spill.Write(func(add func(item []byte)) error {
		var item, text []byte
		for _, g := range t.sorted() {
			item = append(item[:0], t.key(int(g))...)
			for _, n := range []int{t.counts[g], t.at(int(g)).First, t.at(int(g)).Last} {
				item = binary.AppendUvarint(item, uint64(n))
			}
			for _, sum := range t.of(int(g)) {
				text = sum.Amount().Append(text[:0])
				item = texts.Append(item, text)
			}
			add(item)
		}
		return nil
	})
	return &fileRun{file, parts}, err
}

func (r *fileRun) open() cursor { return &fileCursor{r.file.Open(), r.parts} }
func (r *fileRun) close() error { return r.file.Close() }

type fileCursor struct {
	spill.Run
	parts int
}

func (c *fileCursor) group(to *counted) error {
	_, rest := texts.First(c.Item(), c.parts)
	var n [3]int
	for i := range n {
		value, size := binary.Uvarint(rest)
		n[i], rest = int(value), rest[size:]
	}
	to.records += n[0]
	to.lines = to.lines.with(Lines{n[1], n[2]})
	for i := range to.sums {
		var text []byte
		text, rest = texts.Take(rest)
		value, err := amount.Parse(text, '.')
		if err != nil {
			return fmt.Errorf("taking groups back: %w", err)
		}
		to.sums[i].Add(value)
	}
	return nil
}

// merge calls visit for each group of all runs in the order of their keys, of so many parts, with
// what the runs have of it added up. What visit is given is good until it returns.
func merge(runs []run, parts, width int, visit func(key []byte, of counted) error) error {
	cursors, items := make([]cursor, len(runs)), make([]spill.Run, len(runs))
	for i, r := range runs {
		cursors[i] = r.open()
		items[i] = cursors[i]
	}
	of := counted{sums: make([]amount.Sum, width)}
	var key []byte
	err := spill.MergeRuns(orderOf(parts), items, func(run int, item []byte) error {
		next, _ := texts.First(item, parts)
		if of.records > 0 && !bytes.Equal(next, key) {
			if err := visit(key, of); err != nil {
				return err
			}
			of.records, of.lines = 0, Lines{}
			clear(of.sums)
		}
		key = append(key[:0], next...)
		return cursors[run].group(&of)
	})
	if err != nil || of.records == 0 {
		return err
	}
	return visit(key, of)
}
