package split

import (
	"bytes"
	"context"
	"errors"
	"io"
	"slices"
	"sync"

	"lastblock/core/format/delimited"
	"lastblock/core/large/inorder"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
)

// visitor makes the text of what one goroutine reads.
type visitor struct {
	set   *source.Set
	tally *tally.Visitor
	order *inorder.Queue[[]*chunk]
	by    string
	width int        // of the totals
	spare *sync.Pool // of chunks

	chunks []*chunk
	at     map[string]*chunk // with by
	text   []byte
	usable []int // by row of the batch: which of the usable ones it is, -1 for none
}

// chunk is the text of some records that follow one another, or that have one
// value, and what is needed to cut it.
type chunk struct {
	header []byte
	value  string
	text   []byte
	ends   []int           // of each record in text
	values []amount.Amount // of each record; zero where it cannot be used
	totals []amount.Sum    // of all of them
}

func (v *visitor) Batch(b *source.Batch) error {
	if err := v.tally.Batch(b); err != nil {
		return err
	}
	v.at = make(map[string]*chunk)
	verbatim := v.set.IsVerbatim(b.Index) && b.Head.Delimiter != 0
	if v.by == "" && verbatim && v.copyAll(b) {
		return nil
	}
	v.numberUsable(b)
	var common *chunk
	by := -1
	if v.by == "" {
		common = v.chunk(b, "")
	} else if at, ok := b.Head.Layout.Find(v.by); ok {
		by = at
	}
	refused := 0
	byLine := slices.SortedFunc(slices.Values(indices(len(b.Refused))),
		func(x, y int) int { return b.Refused[x].Line - b.Refused[y].Line })
	for row := range b.Batch.Rows {
		for refused < len(byLine) && b.Refused[byLine[refused]].Line < b.Line(row) {
			v.addRefused(b, byLine[refused], common)
			refused++
		}
		c := common
		if c == nil {
			c = v.chunkOf(b, row, by)
		}
		if verbatim {
			c.text = append(append(c.text, b.Raw(row)...), '\n')
		} else {
			c.text = v.appendRecord(c.text, b, row)
		}
		v.end(c, v.usable[row])
	}
	for ; refused < len(byLine); refused++ {
		v.addRefused(b, byLine[refused], common)
	}
	return nil
}

// copyAll copies all records at once, where they follow one another with nothing
// between them and all can be used.
func (v *visitor) copyAll(b *source.Batch) bool {
	n := b.Batch.Rows
	if n == 0 || len(b.Refused) > 0 || v.tally.Rows != nil || b.Dropped != nil {
		return false
	}
	start := int(b.Bounds[0] + 1)
	for row := 1; row < n && !b.Chained; row++ {
		if b.RecordBounds(row)[0] != b.RecordBounds(row - 1)[b.Width] {
			return false
		}
	}
	end := int(b.RecordBounds(n - 1)[b.Width])
	if end >= len(b.Data) || b.Data[end] != '\n' {
		return false
	}
	c := v.chunk(b, "")
	c.text = append(c.text, b.Data[start:end+1]...)
	for row := range n {
		c.ends = append(c.ends, int(b.RecordBounds(row)[b.Width])+1-start)
	}
	c.values = append(c.values, v.tally.Values...)
	for i, value := range c.values {
		c.totals[i%v.width].Add(value)
	}
	return true
}

func indices(n int) []int {
	all := make([]int, n)
	for i := range all {
		all[i] = i
	}
	return all
}

// numberUsable finds out which records can be used.
func (v *visitor) numberUsable(b *source.Batch) {
	v.usable = v.usable[:0]
	for range b.Batch.Rows {
		v.usable = append(v.usable, -1)
	}
	for i := range v.tally.Usable(b) {
		v.usable[v.tally.Row(i)] = i
	}
}

// chunk starts a chunk.
func (v *visitor) chunk(b *source.Batch, value string) *chunk {
	c := v.spare.Get().(*chunk)
	*c = chunk{value: value, header: v.header(b), totals: make([]amount.Sum, v.width), text: c.text[:0],
		ends: c.ends[:0], values: c.values[:0]}
	v.chunks = append(v.chunks, c)
	v.at[value] = c
	return c
}

func (v *visitor) chunkOf(b *source.Batch, row, by int) *chunk {
	var value []byte
	if by >= 0 {
		value = bytes.TrimSpace(b.Text(row, by, &v.text))
	}
	if c := v.at[string(value)]; c != nil {
		return c
	}
	return v.chunk(b, string(value))
}

// addRefused adds a line that could not be read as a record, as it was sent. It
// has no value, so that it goes to those without one.
func (v *visitor) addRefused(b *source.Batch, i int, c *chunk) {
	if c == nil {
		if c = v.at[""]; c == nil {
			c = v.chunk(b, "")
		}
	}
	c.text = append(append(c.text, b.Refused[i].Raw...), '\n')
	v.end(c, -1)
}

// end ends a record of a chunk.
func (v *visitor) end(c *chunk, usable int) {
	c.ends = append(c.ends, len(c.text))
	for k := range v.width {
		var value amount.Amount
		if usable >= 0 {
			value = v.tally.Values[usable*v.width+k]
			c.totals[k].Add(value)
		}
		c.values = append(c.values, value)
	}
}

// header is the line that each part begins with.
func (v *visitor) header(b *source.Batch) []byte {
	switch {
	case v.set.IsVerbatim(b.Index) && b.Head.Delimiter != 0 && b.Head.HasHeader():
		return append(bytes.TrimRight(bytes.Clone(b.Head.Header), "\r\n"), '\n')
	case v.set.IsVerbatim(b.Index) && b.Head.Delimiter != 0:
		return nil
	}
	var line []byte
	for i, name := range b.Head.Layout.Columns {
		if i > 0 {
			line = append(line, ',')
		}
		line = delimited.AppendField(line, []byte(name), ',')
	}
	return append(line, '\n')
}

// appendRecord writes a record as delimited text.
func (v *visitor) appendRecord(dst []byte, b *source.Batch, row int) []byte {
	from := len(dst)
	for column := range b.Width {
		if column > 0 {
			dst = append(dst, ',')
		}
		dst = delimited.AppendField(dst, b.Text(row, column, &v.text), ',')
	}
	if len(dst) == from { // a blank line would be no record
		dst = append(dst, '"', '"')
	}
	return append(dst, '\n')
}

func (v *visitor) Part(ctx context.Context, task int) error {
	if err := v.tally.Part(ctx, task); err != nil {
		return err
	}
	chunks := v.chunks
	v.chunks = nil
	return v.order.Part(ctx, task, chunks)
}

func (v *visitor) Flush(ctx context.Context, task int) error {
	if err := v.tally.Flush(ctx, task); err != nil {
		return err
	}
	chunks := v.chunks
	v.chunks = nil
	return v.order.Deliver(ctx, task, chunks)
}

// writer writes the chunks, in their order, into parts.
type writer struct {
	parts Parts
	by    string
	sizes func(part int) int // how many records a part has
	width int
	limit int64 // bytes that may be held, with by
	spare *sync.Pool

	all   []*part
	known map[string]*part // with by
	held  int64
}

// part is a part that is being written.
type part struct {
	value  string
	rows   int
	totals []amount.Sum
	out    io.WriteCloser
	held   []byte // not yet written, with by
}

func (w *writer) take(chunks []*chunk) error {
	for _, c := range chunks {
		var err error
		defer w.spare.Put(c)
		if w.by != "" {
			err = w.takeValue(c)
		} else {
			err = w.takeRows(c)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// start starts a part with its header.
func (w *writer) start(c *chunk) (*part, error) {
	out, err := w.parts.Part(len(w.all), c.value)
	if err != nil {
		return nil, err
	}
	p := &part{value: c.value, out: out, totals: make([]amount.Sum, w.width)}
	w.all = append(w.all, p)
	_, err = out.Write(c.header)
	return p, err
}

// takeRows cuts a chunk where parts are full.
func (w *writer) takeRows(c *chunk) error {
	if len(c.ends) == 0 && len(w.all) == 0 {
		_, err := w.start(c) // of a source without records the one part is its header
		return err
	}
	for from := 0; from < len(c.ends); {
		if len(w.all) == 0 || w.all[len(w.all)-1].rows == w.sizes(len(w.all)-1) {
			if err := w.closeLast(); err != nil {
				return err
			}
			if _, err := w.start(c); err != nil {
				return err
			}
		}
		p := w.all[len(w.all)-1]
		to := min(len(c.ends), from+w.sizes(len(w.all)-1)-p.rows)
		if err := p.add(c, from, to, w.width); err != nil {
			return err
		}
		from = to
	}
	return nil
}

// add writes some of the records of a chunk.
func (p *part) add(c *chunk, from, to, width int) error {
	start := 0
	if from > 0 {
		start = c.ends[from-1]
	}
	p.rows += to - from
	if from == 0 && to == len(c.ends) {
		for k := range p.totals {
			p.totals[k].Merge(&c.totals[k])
		}
	} else {
		for i, value := range c.values[from*width : to*width] {
			p.totals[i%width].Add(value)
		}
	}
	_, err := p.out.Write(c.text[start:c.ends[to-1]])
	return err
}

func (w *writer) closeLast() error {
	if len(w.all) == 0 {
		return nil
	}
	return w.all[len(w.all)-1].close()
}

func (p *part) close() error {
	if p.out == nil {
		return nil
	}
	_, err := p.out.Write(p.held)
	err = errors.Join(err, p.out.Close())
	p.out, p.held = nil, nil
	return err
}

// takeValue puts a chunk to its part, which is written now and then.
func (w *writer) takeValue(c *chunk) error {
	p := w.known[c.value]
	if p == nil {
		var err error
		if p, err = w.start(c); err != nil {
			return err
		}
		w.known[c.value] = p
	}
	p.rows += len(c.ends)
	for k := range p.totals {
		p.totals[k].Merge(&c.totals[k])
	}
	p.held = append(p.held, c.text...)
	if w.held += int64(len(c.text)); w.held <= w.limit {
		return nil
	}
	w.held = 0
	for _, p := range w.all {
		if len(p.held) == 0 {
			continue
		}
		if _, err := p.out.Write(p.held); err != nil {
			return err
		}
		p.held = nil
	}
	return nil
}

func (w *writer) close() error {
	var errs []error
	for _, p := range w.all {
		errs = append(errs, p.close())
	}
	return errors.Join(errs...)
}
