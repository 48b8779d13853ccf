package delimited

import (
	"bytes"
	"errors"
	"fmt"
	"io"
)

// BlockSize is how much of a source one block usually holds: enough to make
// the hand-over cheap, little enough to stay in a core's cache.
const BlockSize = 256 << 10

// Block is a stretch of a source that holds whole records and ends in a line
// end.
type Block struct {
	Data      []byte
	FirstLine int  // the line of the source on which Data begins
	lines     int  // line ends in Data
	quotes    bool // Data holds a quote
}

// TooLongError says that a record, or the header, is longer than memory allows.
type TooLongError struct {
	Line  int
	Limit int
}

func (e *TooLongError) Error() string {
	return fmt.Sprintf("the record that starts on line %d is longer than %d MB; if the file really holds such records, raise --memory", e.Line, e.Limit>>20)
}

// Cutter cuts a stream into blocks of whole records. It reads ahead of what it
// has handed out by less than a block.
type Cutter struct {
	source io.Reader
	find   func(sample []byte) *Head
	limit  int // of one record, in bytes
	block  int // bytes of a usual block

	head     *Head
	carry    []byte // read, and not yet handed out
	line     int    // the line on which carry begins
	ended    bool   // the source has no more
	finished bool   // the last block was handed out
}

// NewCutter makes a cutter of source. find is given the start of the source
// and returns its head. No record may be longer than limit bytes.
func NewCutter(source io.Reader, limit int, find func(sample []byte) *Head) *Cutter {
	return &Cutter{source: source, find: find, limit: limit, block: BlockSize, line: 1}
}

// Head tells how the source is written; it is known once Peek or Next has
// returned without an error.
func (c *Cutter) Head() *Head { return c.head }

// Peek finds the head without handing out a block. It reads size bytes, and
// more only where they do not show the whole head; with a size larger than the
// source, all of it is then held in memory.
func (c *Cutter) Peek(size int) error {
	for want := size; c.head == nil; want = 2 * want {
		data, err := c.fill(c.carry, want)
		if err != nil {
			return err
		}
		c.carry = data
		if err := c.start(data); err != nil {
			return err
		}
		if c.head != nil {
			c.carry = data[c.head.size:]
		} else if len(data) >= c.limit {
			return &TooLongError{Line: c.line, Limit: c.limit}
		}
	}
	return nil
}

// Whole tells whether the source has been read to its end.
func (c *Cutter) Whole() bool { return c.ended }

// Next reads the next block into buffer, which it may replace by a larger one,
// and returns both. The error is io.EOF behind the last block, a
// *ForeignError, a *TooLongError, or what the source returned. The first call always returns a
// block, an empty one if there are no records.
func (c *Cutter) Next(buffer []byte) (Block, []byte, error) {
	if c.finished {
		return Block{}, buffer, io.EOF
	}
	data := append(buffer[:0], c.carry...)
	c.carry = c.carry[:0]
	head := 0 // bytes of data before the first record
	for want := c.block; ; want = min(2*want, c.limit) {
		read := want
		if c.head == nil {
			read = max(want, sampleSize)
		}
		var err error
		if data, err = c.fill(data, head+read); err != nil {
			return Block{}, data, err
		}
		if c.head == nil {
			if err := c.start(data); err != nil {
				return Block{}, data, err
			}
			if c.head != nil {
				head = c.head.size
			}
		}
		if c.head != nil {
			if block, ok := c.cut(data[head:], want); ok {
				return block, data, nil
			}
		}
		if want == c.limit {
			return Block{}, data, &TooLongError{Line: c.line, Limit: c.limit}
		}
	}
}

// fill reads until data holds want bytes or the source has ended. Behind data
// there is always room for one more line end.
func (c *Cutter) fill(data []byte, want int) ([]byte, error) {
	if cap(data) < want+1 {
		grown := make([]byte, len(data), want+1)
		copy(grown, data)
		data = grown
	}
	for len(data) < want && !c.ended {
		n, err := c.source.Read(data[len(data):want])
		data = data[:len(data)+n]
		switch {
		case errors.Is(err, io.EOF):
			c.ended = true
		case err != nil:
			return data, err
		}
	}
	return data, nil
}

// start finds the head; where more of the source is needed to see it, there is
// none yet. The error is a *ForeignError.
func (c *Cutter) start(data []byte) error {
	if err := checkForeign(data); err != nil {
		return err
	}
	if _, known := lineEndOf(data); known || c.ended {
		c.head = c.find(data)
		c.line += c.head.lines
	}
	return nil
}

// cut makes a block of the whole records in the first want bytes of data and
// keeps the rest for the next one; false where there is no whole record.
func (c *Cutter) cut(data []byte, want int) (Block, bool) {
	if c.ended && len(data) <= want {
		c.finished = true
		if n := len(data); n > 0 && data[n-1] != c.head.Dialect.LineEnd {
			data = append(data, c.head.Dialect.LineEnd)
		}
		return c.blockOf(data), true
	}
	end := c.head.Dialect.lastRecordEnd(data[:min(len(data), want)], want == c.limit)
	if end == 0 {
		return Block{}, false
	}
	c.carry = append(c.carry[:0], data[end:]...)
	return c.blockOf(data[:end]), true
}

func (c *Cutter) blockOf(data []byte) Block {
	block := Block{
		Data:      data,
		FirstLine: c.line,
		lines:     bytes.Count(data, []byte{c.head.Dialect.LineEnd}),
		quotes:    bytes.IndexByte(data, '"') >= 0,
	}
	c.line += block.lines
	return block
}

// lastRecordEnd returns the end of the last whole record in data, or 0. A line
// end is the end of a record unless it stands within quotes, and only where a
// quote stands does anybody have to look closer.
//
// final says that no more than data will be read for its first record: where a
// quote of that record is still open, it counts as never closed.
func (d Dialect) lastRecordEnd(data []byte, final bool) int {
	start := 0 // of the record that is being read
	for at := 0; ; {
		i := bytes.IndexByte(data[at:], '"')
		if i < 0 {
			i = len(data) - at
		}
		quote := at + i
		if before := bytes.LastIndexByte(data[at:quote], d.LineEnd); before >= 0 {
			start = at + before + 1
		}
		if quote == len(data) {
			return start
		}
		if quote != start && data[quote-1] != d.Delimiter {
			at = quote + 1 // within an unquoted field a quote is text
			continue
		}
		closing, state := d.closingQuote(data, quote)
		if state == closed {
			at = closing + 1
			continue
		}
		if state == unfinished && (!final || start > 0) {
			return start
		}
		line := bytes.IndexByte(data[quote:], d.LineEnd)
		if line < 0 {
			return start
		}
		start = quote + line + 1
		at = start
	}
}

// firstRecordEnd returns the end of the first record of data, or 0 where data
// does not hold all of it.
func (d Dialect) firstRecordEnd(data []byte) int {
	for at, fieldStart := 0, true; at < len(data); {
		switch c := data[at]; {
		case c == '"' && fieldStart:
			closing, state := d.closingQuote(data, at)
			if state != closed { // a quote that does not close ends with its line
				line := bytes.IndexByte(data[at:], d.LineEnd)
				if line < 0 {
					return 0
				}
				return at + line + 1
			}
			at = closing
		case c == d.LineEnd:
			return at + 1
		}
		fieldStart = data[at] == d.Delimiter
		at++
	}
	return 0
}
