// Package suspense writes the records that could not be used, each with its
// place, the reason, and its text as the branch sent it, so that it can be
// mended and sent again.
package suspense

import (
	"context"
	"io"
	"strconv"

	"lastblock/core/finding"
	"lastblock/core/format/delimited"
	"lastblock/core/large/inorder"
	"lastblock/core/record"
)

// Header names the columns of a suspense file. The last two are those of every
// result, so that it is never read as a source by accident.
const Header = "reason,column,found,record," + record.SourceColumn + "," + record.LineColumn + "\n"

// File is a suspense file that the goroutines of a scan write together; nil
// writes nothing.
type File struct {
	ordered *inorder.Writer
	shield  bool
}

// New starts a suspense file. shield has texts shielded that a spreadsheet would run as
// formulas.
func New(w io.Writer, shield bool) (*File, error) {
	if _, err := io.WriteString(w, Header); err != nil {
		return nil, err
	}
	return &File{inorder.NewWriter(w, 256), shield}, nil
}

// Buffer collects what one task sets aside.
type Buffer struct {
	file *File
	rows []byte
	room []byte // for a text that is shielded
}

// Buffer makes the buffer of one visitor.
func (f *File) Buffer() *Buffer { return &Buffer{file: f} }

// Entry is one record that is set aside.
type Entry struct {
	Reason finding.Kind
	Source string
	Line   int
	Column string // the column that could not be used, if it was one
	Found  []byte // what stood in it
	Record []byte // the record as it was sent
}

// Add sets a record aside.
func (b *Buffer) Add(e Entry) {
	if b.file == nil {
		return
	}
	rows := append(b.rows, e.Reason...)
	for _, text := range [][]byte{[]byte(e.Column), e.Found, e.Record, []byte(e.Source)} {
		if b.file.shield {
			text = delimited.Shield(text, &b.room)
		}
		rows = delimited.AppendField(append(rows, ','), text, ',')
	}
	rows = strconv.AppendInt(append(rows, ','), int64(e.Line), 10)
	b.rows = append(rows, '\n')
}

// Part hands over what a task has set aside so far.
func (b *Buffer) Part(ctx context.Context, task int) (err error) {
	if b.file == nil || len(b.rows) == 0 {
		return nil
	}
	b.rows, err = b.file.ordered.Part(ctx, task, b.rows)
	return err
}

// Flush hands over what a task set aside.
func (b *Buffer) Flush(ctx context.Context, task int) (err error) {
	if b.file == nil {
		return nil
	}
	b.rows, err = b.file.ordered.Deliver(ctx, task, b.rows)
	return err
}
