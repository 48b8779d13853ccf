package source

import (
	"context"
	"errors"
	"io"
	"slices"
	"strconv"

	"lastblock/core/record"
	"lastblock/core/source/shape"
)

// worker is one reading goroutine. Its buffers are its own.
type worker struct {
	feed    *feed
	visitor Visitor
	batch   *Batch // that is read
	spare   spare  // what is read next
	sent    sent   // the records of the batch as they were sent
	shaper  shape.Worker
	room    room

	evidence evidence
	evident  *shape.Shape // of which the evidence is

	visited int  // bytes of records since Part was called
	whole   bool // the batch is all of its source
	scratch []byte
	keep    []bool
}

func newWorker(f *feed, visitor Visitor) *worker {
	return &worker{feed: f, visitor: visitor, batch: new(Batch), spare: spare{batch: new(Batch)}}
}

func (w *worker) run(ctx context.Context) error {
	for {
		if err := ctx.Err(); err != nil {
			return err
		}
		work, err := w.feed.take(w)
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		if work.stream != nil {
			err = w.visit(work.stream, work.first)
		} else {
			err = w.readSources(ctx, work)
		}
		if err != nil {
			return err
		}
		if err := w.visitor.Flush(ctx, work.number); err != nil {
			return err
		}
	}
}

// readSources reads a group of small sources from start to end.
func (w *worker) readSources(ctx context.Context, group work) error {
	w.visited = 0
	for index := group.span.from; index < group.span.to; index++ {
		if err := w.readSource(ctx, index, group.number); err != nil {
			return err
		}
	}
	return nil
}

func (w *worker) readSource(ctx context.Context, index, task int) error {
	stream, err := w.feed.open(index, &w.room)
	if w.feed.isNoText(index, err) {
		return nil
	}
	if err != nil {
		return err
	}
	defer stream.close()
	for first := true; ; first = false {
		if err := ctx.Err(); err != nil {
			return err
		}
		err := stream.next(w)
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		if err := w.visit(stream, first); err != nil {
			return err
		}
		if w.visited += len(w.batch.Data); w.visited < partBytes {
			continue
		}
		w.visited = 0
		if parter, ok := w.visitor.(Parter); ok {
			if err := parter.Part(ctx, task); err != nil {
				return err
			}
		}
	}
}

// begin finds out what is to be known of a source before its first stretch is
// passed on.
func (w *worker) begin(s *stream) error {
	first := &w.batch.Stretch
	source := &s.feed.set.Sources[s.index]
	s.shape = s.feed.shape(s.index, s.reader.Head())
	columns := s.shape.Head.Layout.Columns
	if looked := s.feed.set.looked; looked != nil {
		if !slices.Equal(columns, looked[s.index].head.Layout.Columns) {
			return &Error{source.Name, ErrChanged}
		}
	} else if !s.feed.reading.OwnOutputs && isOwnOutput(columns) {
		s.feed.aside.own[s.index] = true
		return io.EOF
	}
	s.constants = s.feed.set.constants(s.index, s.shape.Constants())
	s.reader.Parse(first)
	if err := w.settle(s, first); err != nil {
		return &Error{source.Name, err}
	}
	return nil
}

// takeLines takes the lines on which records start from their last column.
func takeLines(b *record.Batch) {
	b.KeepLines()
	var scratch []byte
	for row := range b.Rows {
		if line, err := strconv.Atoi(string(b.Text(row, b.Width-1, &scratch))); err == nil {
			b.Lines[row] = line
		}
	}
}

// isWanted tells whether the stretch that was taken needs to be read.
func (w *worker) isWanted(s *stream) bool {
	skipping, ok := s.reader.(skippingReader)
	if !ok || w.feed.reading.Wanted == nil {
		return true
	}
	block := &w.batch.Stretch.block
	from, to, ok := w.feed.reading.Wanted(s.index, block.FirstLine, block.LastLine())
	if ok {
		skipping.narrow(&w.batch.Stretch, from, to)
	}
	return ok
}

// parse makes the records of a stretch, or leaves it at its columns where nobody needs more.
func (w *worker) parse(s *stream) {
	manner := s.feed.set.Sources[s.index].manner()
	if columns, ok := s.reader.(columnsReader); ok && manner.Trailer == nil && !manner.Lined && s.shape.IsNothing() {
		if visitor, ok := w.visitor.(ColumnVisitor); ok && visitor.TakesColumns() {
			columns.parseColumns(&w.batch.Stretch)
			return
		}
	}
	s.reader.Parse(&w.batch.Stretch)
}

// keepSent keeps the records as they were sent, before they get their shape.
func (w *worker) keepSent(s *stream) {
	w.batch.sent = nil
	set := s.feed.set
	if s.shape.IsNothing() || len(set.sent) == 0 || !set.sent[set.Sources[s.index].Name] {
		return
	}
	b := &w.batch.Stretch.Batch
	b.KeepLines()
	b.Unchain()
	w.sent.Batch, w.sent.head = *b, s.reader.Head()
	w.sent.Bounds, w.sent.Lines = slices.Clone(b.Bounds), slices.Clone(b.Lines)
	w.batch.sent = &w.sent
	b.KeepRanks()
}

// visit makes the batch of the stretch that was taken, and shows it to the
// visitor.
func (w *worker) visit(s *stream, first bool) error {
	if !first {
		if !w.isWanted(s) {
			return nil
		}
		w.parse(s)
	}
	if delimiter := s.shape.Head.Delimiter; delimiter != 0 && w.batch.Width > 1 {
		w.keep = takeDelimiterLines(&w.batch.Stretch.Batch, delimiter, w.keep)
	}
	w.batch.Trailer = nil
	if w.batch.Last {
		w.batch.Trailer = takeTrailer(&w.batch.Stretch.Batch, s.feed.set.Sources[s.index].manner().Trailer,
			s.shape.Head.Delimiter)
	}
	w.whole = first && w.batch.Last
	if s.feed.set.Sources[s.index].manner().Lined {
		takeLines(&w.batch.Stretch.Batch)
	}
	if err := w.takeTotals(s, &w.batch.Stretch.Batch); err != nil {
		return err
	}
	w.batch.Arrived = w.batch.Read()
	w.keepSent(s)
	w.shaper.Apply(s.shape, &w.batch.Stretch.Batch, s.written.Writing, s.constants)
	s.feed.noteMissed(w.batch.Missed)
	w.batch.Index, w.batch.Head, w.batch.First = s.index, s.shape.Head, first
	w.batch.Written = s.written
	return w.visitor.Batch(w.batch)
}
