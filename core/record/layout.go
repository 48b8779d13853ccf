// Package record holds what every reader hands over and every capability
// works on: batches of records over one byte buffer, the layout that names
// their columns, and the place each record came from. It reads nothing itself.
package record

import (
	"fmt"
	"slices"
	"strconv"
)

// Layout names the columns of a source in their order. Two sources with the
// same header share one Layout, so a capability that has worked out its
// columns for a Layout need not do so again for the next source.
type Layout struct {
	Columns []string
	index   map[string]int
	sent    []int // which column of the source each is, from 1, 0 for none; nil where they are the source's
}

// NewLayout makes a layout of columns, whose names must differ.
func NewLayout(columns []string) *Layout {
	l := &Layout{Columns: columns, index: make(map[string]int, len(columns))}
	for i, name := range columns {
		l.index[name] = i
	}
	return l
}

// Arranged makes a layout of columns of which some are left out or were added. sent
// says which column of the source each is, counted from 1, and 0 of one that is none.
func Arranged(columns []string, sent []int) *Layout {
	l := NewLayout(columns)
	l.sent = sent
	return l
}

// Sent is which column of the source a column is, from 0; -1 where it is none.
func (l *Layout) Sent(column int) int {
	if l.sent == nil {
		return column
	}
	return l.sent[column] - 1
}

// Has tells whether there is a column of this name.
func (l *Layout) Has(name string) bool {
	_, ok := l.index[name]
	return ok
}

// Find returns the index of the column that a user calls by its name or by its
// position, "#1" being the first that the source sent, whatever was left out or added
// since. A column that really bears such a name comes first.
func (l *Layout) Find(column string) (index int, ok bool) {
	if i, ok := l.index[column]; ok {
		return i, true
	}
	n, ok := Position(column)
	switch {
	case !ok:
		return 0, false
	case l.sent != nil:
		index = slices.Index(l.sent, n)
		return max(0, index), index >= 0
	}
	return min(n, len(l.Columns)) - 1, n <= len(l.Columns)
}

// Position reads a column given by its position, "#3".
func Position(column string) (n int, ok bool) {
	if len(column) < 2 || column[0] != '#' {
		return 0, false
	}
	n, err := strconv.Atoi(column[1:])
	return n, err == nil && n >= 1
}

// PositionName is the name of the n-th column, counted from 1, where a source
// has no header.
func PositionName(n int) string { return fmt.Sprintf("#%d", n) }

// Names gives names that are not taken. The zero value is ready.
type Names struct {
	next map[string]int // the number to try next, by every name that is taken
}

// Take marks a name as taken.
func (n *Names) Take(name string) {
	if n.next == nil {
		n.next = make(map[string]int)
	}
	if n.next[name] == 0 {
		n.next[name] = 2
	}
}

// Free takes and returns name, or where it is taken the first of name_2,
// name_3, … that is not.
func (n *Names) Free(name string) string {
	free := name
	for n.next[free] > 0 {
		free = name + "_" + strconv.Itoa(n.next[name])
		n.next[name]++
	}
	n.Take(free)
	return free
}
