package delimited

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"slices"
)

// BlockSize is how much of a source one block usually holds: enough to make
// the hand-over cheap, little enough to stay in a core's cache.
const BlockSize = 256 << 10

// Block is a stretch of a source that holds whole records and ends in a line
// end.
type Block struct {
	Data      []byte
	FirstLine int   // the line of the source on which Data begins
	Offset    int64 // of Data in the text
	Last      bool  // nothing follows
	cutOff    bool  // the last line had no line end
	lines     int   // line ends in Data
	quotes    bool  // Data holds a quote
}

// LastLine is the last line of the source on which something of Data may stand.
func (b *Block) LastLine() int { return b.FirstLine + b.lines }

// Narrow leaves out what stands before and behind some lines, as far as it is
// certain without a closer look that records end there.
func (b *Block) Narrow(first, last int, lineEnd byte) {
	if b.quotes || b.Last {
		return
	}
	skip := func(lines int) (at int) {
		for ; lines > 0; lines-- {
			at += bytes.IndexByte(b.Data[at:], lineEnd) + 1
		}
		return at
	}
	before := max(0, first-b.FirstLine)
	count := min(last-b.FirstLine+1, b.lines) - before
	if count <= 0 {
		return
	}
	at := skip(before)
	b.Data, b.Offset, b.FirstLine, b.lines = b.Data[at:], b.Offset+int64(at), b.FirstLine+before, count
	b.Data = b.Data[:skip(count)]
}

// MaxRecord is the longest record that is ever read, in bytes. Records of
// journals have some hundred; this leaves room for a million columns.
const MaxRecord = 64 << 20

// TooLongError says that a record, or the header, is longer than Limit bytes.
type TooLongError struct {
	Line  int
	Limit int
}

func (e *TooLongError) Error() string {
	text := fmt.Sprintf("the record that starts on line %d is longer than %d MB", e.Line, e.Limit>>20)
	if e.Limit < MaxRecord {
		return text + "; if the file really holds such records, raise ⟨memory⟩"
	}
	return text + ", the most that one record may have; the file is damaged, or no table"
}

// Cutter cuts a stream into blocks of whole records. It reads ahead of what it
// has handed out by less than a block, unless a quote stays open.
type Cutter struct {
	source io.Reader
	unwrap Unwrap
	find   func(sample []byte, whole bool) *Head
	limit  int // of one record, in bytes
	block  int // bytes of a usual block

	head     *Head
	own      []byte // room for ahead
	ahead    []byte // read from the source, and from taken on not yet handed out
	taken    int
	line     int   // the line on which the next block begins
	offset   int64 // of it in the text
	ended    bool  // the source has no more
	cutOff   bool  // nor a line end behind its last line
	given    bool  // ahead is not the cutter's own
	finished bool  // the last block was handed out
}

// Unwrap is given the start of a source and what follows it. It returns a
// reader of the text within, from its start, or nil where the source is text.
// whole says that nothing follows.
type Unwrap func(sample []byte, rest io.Reader, whole bool) (io.Reader, error)

// NewCutter makes a cutter of source. find is given the start of the text, and
// whether that is all of it, and returns its head, or nil where more is needed;
// unwrap may be nil. No record may be longer than limit bytes.
func NewCutter(source io.Reader, limit int, unwrap Unwrap, find func(sample []byte, whole bool) *Head) *Cutter {
	c := new(Cutter)
	c.Reset(source, limit, unwrap, find)
	return c
}

// Reset makes c what NewCutter makes, in the room that it has.
func (c *Cutter) Reset(source io.Reader, limit int, unwrap Unwrap, find func(sample []byte, whole bool) *Head) {
	own := c.own
	if cap(c.ahead) > cap(own) && !c.given {
		own = c.ahead
	}
	*c = Cutter{source: source, unwrap: unwrap, find: find, limit: min(limit, MaxRecord), block: BlockSize, line: 1,
		own: own, ahead: own[:0]}
}

// Give has c cut a whole text that was read before, whose head is known. text is not changed.
func (c *Cutter) Give(text []byte, head *Head) {
	c.head, c.ahead, c.taken, c.given = head, text[:len(text):len(text)], head.size, true
	c.line, c.offset = 1+head.lines, int64(head.size)
	c.ended = true
}

// PeekInto is Peek that reads into buffer as far as that holds what it reads, and two bytes more. It must be called
// before anything was read. Peeked is then mostly a part of buffer, which is c's until Own or Forget is called.
func (c *Cutter) PeekInto(buffer []byte, size int) error {
	c.ahead, c.given = buffer[:0], true
	return c.Peek(size)
}

// PeekText is PeekInto of a whole text, which stands in the buffer.
func (c *Cutter) PeekText(text []byte, size int) error {
	c.ahead, c.given, c.ended = text[:len(text):len(text)], true, true
	return c.Peek(size)
}

// Own has c hold by itself what Peek has read.
func (c *Cutter) Own() {
	if c.given {
		c.ahead, c.given = slices.Clone(c.ahead), false
	}
}

// Forget lets go of a text that Give was given, or a buffer that PeekInto was.
func (c *Cutter) Forget() {
	if c.given {
		c.ahead, c.taken, c.given = nil, 0, false
	}
}

// Head tells how the source is written; it is known once Peek or Next has
// returned without an error.
func (c *Cutter) Head() *Head { return c.head }

// Peek finds the head without handing out a block. It reads size bytes, and
// more only where they do not show the whole head; with a size larger than the
// source, all of it is then held in memory.
func (c *Cutter) Peek(size int) error {
	for want := size; c.head == nil; want = max(size, 2*len(c.ahead)) {
		var err error
		if c.ahead, err = c.read(c.ahead, want); err != nil {
			return err
		}
		if !c.ended && len(c.ahead) < sampleSize { // a head is found from so much, or from all
			if c.ahead, err = c.read(c.ahead, sampleSize); err != nil {
				return err
			}
		}
		if c.ahead, err = c.start(c.ahead); err != nil {
			return err
		}
		if c.head != nil {
			c.taken = c.head.size
		} else if len(c.ahead) >= c.limit {
			return &TooLongError{Line: c.line, Limit: c.limit}
		}
	}
	return nil
}

// Peeked is what Peek has read of the text; it is good until Next is called.
func (c *Cutter) Peeked() []byte { return c.ahead }

// Line is the line on which the next block begins.
func (c *Cutter) Line() int { return c.line }

// Resume goes on with another reader of the same text, from the start of a block
// that was handed out before, of the same cutter or of another one.
func (c *Cutter) Resume(source io.Reader, line int, offset int64) {
	c.source, c.line, c.offset = source, line, offset
	c.ahead, c.taken = c.ahead[:0], 0
	c.ended, c.finished = false, false
}

// Whole tells whether the source has been read to its end.
func (c *Cutter) Whole() bool { return c.ended }

// Next reads the next block into buffer, which it may replace by a larger one,
// and returns both. The error is io.EOF behind the last block, a
// *ForeignError, a *TooLongError, or what the source returned. The first call
// always returns a block, an empty one if there are no records.
func (c *Cutter) Next(buffer []byte) (Block, []byte, error) {
	if c.finished {
		return Block{}, buffer, io.EOF
	}
	data := buffer[:0]
	head := 0 // bytes of data before the first record
	for want := c.block; ; want = min(2*want, c.limit) {
		need := want
		if c.head == nil {
			need = max(want, sampleSize)
		}
		var err error
		if data, err = c.fill(data, head+need); err != nil {
			return Block{}, data, err
		}
		if c.head == nil {
			if data, err = c.start(data); err != nil {
				return Block{}, data, err
			}
			if c.head != nil {
				head = c.head.size
			}
		}
		if err := c.lookAhead(); err != nil {
			return Block{}, data, err
		}
		if c.head != nil {
			if block, ok := c.cut(data[head:], want); ok {
				return block, data, nil
			}
		}
		if want == c.limit {
			return Block{}, data, &TooLongError{Line: c.line, Limit: c.limit}
		}
		if len(data) == 0 { // it was no text; what is within is read as usual
			want = c.block / 2
		}
	}
}

// lookAhead finds out whether anything follows what was read, so that the last
// block is known as the last one.
func (c *Cutter) lookAhead() (err error) {
	if !c.ended && c.taken == len(c.ahead) {
		c.ahead, err = c.read(c.ahead[:0], 1)
		c.taken = 0
	}
	return err
}

// fill adds what was read ahead, and then what the source has, until data
// holds want bytes or there is no more. Behind data there is always room for
// one more line end.
func (c *Cutter) fill(data []byte, want int) ([]byte, error) {
	if cap(data) < want+1 {
		data = slices.Grow(data, want+1-len(data))
	}
	if n := min(want-len(data), len(c.ahead)-c.taken); n > 0 {
		data = append(data, c.ahead[c.taken:c.taken+n]...)
		c.taken += n
	}
	if len(data) >= want || c.ended {
		return data, nil
	}
	c.ahead, c.taken = c.ahead[:0], 0 // none of it is left, and what is read now is not in it
	return c.read(data, want)
}

// read reads from the source until data holds want bytes or there is no more.
func (c *Cutter) read(data []byte, want int) ([]byte, error) {
	if c.ended {
		return data, nil
	}
	if cap(data) < want+1 {
		data = slices.Grow(data, want+1-len(data))
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
// none yet. It returns data, or nothing of it where that has to be read again
// since it was no text. The error is a *ForeignError, or that of unwrapping.
func (c *Cutter) start(data []byte) ([]byte, error) {
	if c.unwrap != nil {
		inner, err := c.unwrap(data, c.source, c.ended)
		if err != nil {
			return data, err
		}
		if inner != nil {
			c.source, c.ended = inner, false
			return data[:0], nil
		}
	}
	if err := checkForeign(data); err != nil {
		return data, err
	}
	if _, known := lineEndOf(data); !known && !c.ended {
		return data, nil
	}
	if c.head = c.find(data, c.ended); c.head != nil {
		c.line += c.head.lines
		c.offset = int64(c.head.size)
	}
	return data, nil
}

// cut makes a block of the whole records in the first want bytes of data and
// keeps the rest for the next one; false where there is no whole record.
func (c *Cutter) cut(data []byte, want int) (Block, bool) {
	lineEnd := c.head.Dialect.LineEnd
	last := c.ended && c.taken == len(c.ahead) && len(data) <= want
	if n := len(data); last && n > 0 && data[n-1] != lineEnd {
		c.cutOff = true
		data = append(data, lineEnd)
		c.ahead, c.taken = c.ahead[:0], 0 // which does not hold this line end
	}
	end := len(data)
	quotes := c.head.Dialect.hasQuotes(data)
	if !last || end > c.block {
		part := data
		if !last {
			part = data[:min(len(data), want)]
		}
		if quotes {
			end = c.head.Dialect.lastRecordEnd(part, last || want == c.limit)
		} else {
			end = bytes.LastIndexByte(part, lineEnd) + 1
		}
		if end == 0 && !last {
			return Block{}, false
		}
		if end == 0 {
			end = len(data)
		}
	}
	c.finished = last && end == len(data)
	c.keep(data[end:])
	return c.blockOf(data[:end], quotes && c.head.Dialect.hasQuotes(data[:end])), true
}

// hasQuotes tells whether a quote that means something stands in data.
func (d Dialect) hasQuotes(data []byte) bool { return !d.NoQuotes && bytes.IndexByte(data, '"') >= 0 }

// keep keeps what was read and not handed out. Where all of it came from what
// was read ahead, it still stands there.
func (c *Cutter) keep(rest []byte) {
	if len(rest) <= c.taken {
		c.taken -= len(rest)
		return
	}
	tail := len(c.ahead) - c.taken
	c.ahead = slices.Grow(c.ahead, len(rest))
	copy(c.ahead[len(rest):len(rest)+tail], c.ahead[c.taken:])
	c.ahead, c.taken = c.ahead[:len(rest)+tail], 0
	copy(c.ahead, rest)
}

func (c *Cutter) blockOf(data []byte, quotes bool) Block {
	block := Block{
		Data:      data,
		FirstLine: c.line,
		Offset:    c.offset,
		Last:      c.finished,
		cutOff:    c.finished && c.cutOff,
		lines:     bytes.Count(data, []byte{c.head.Dialect.LineEnd}),
		quotes:    quotes,
	}
	c.line += block.lines
	c.offset += int64(len(data))
	return block
}

// lastRecordEnd returns the end of the last whole record in data, or 0. A line
// end is the end of a record unless it stands within quotes, and only where a
// quote stands does anybody have to look closer.
//
// final says that no more than data will be read for its first record. Where a
// quote of that record is still open, it counts as never closed, and the end
// is that of the line it stands on: a block of that line alone leaves the
// scanner no other way than to refuse it.
func (d Dialect) lastRecordEnd(data []byte, final bool) int {
	if end, regular := d.rule(true).Cut(data); regular && end > 0 {
		return end
	}
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
		if state == unfinished {
			return start
		}
		at = start
	}
}
