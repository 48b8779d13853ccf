package source

import (
	"context"
	"errors"
	"io"
	"slices"
	"sync"
	"sync/atomic"

	"lastblock/core/decode"
	"lastblock/core/delimited"
	"lastblock/core/record"

	"golang.org/x/sync/errgroup"
)

// Head tells how a source is written.
type Head = delimited.Head

// Reading is how a set is read.
type Reading struct {
	Request    delimited.Request
	Encoding   string // of the sources, as decode.Named knows it; "" to find out
	Memory     int64  // in bytes; bounds the longest record
	Jobs       int    // how many goroutines read
	OwnOutputs bool   // read what Lastblock wrote, too
	Progress   *Progress
}

// Progress counts what has been read; it may be looked at any time.
type Progress struct {
	Files, Bytes atomic.Int64
}

// add counts files and bytes; nil counts nothing.
func (p *Progress) add(files, bytes int64) {
	if p != nil {
		p.Files.Add(files)
		p.Bytes.Add(bytes)
	}
}

// Batch is a stretch of one source.
type Batch struct {
	record.Batch
	Index  int // of the source in the set
	Head   *Head
	Layers []decode.Layer // compressions and encodings that the text lay in
	First  bool           // the first batch of its source; every source has one, be it empty
}

// Visitor is given what one of the reading goroutines reads. Each goroutine
// has its own; none is called concurrently with itself.
type Visitor interface {
	// Batch is called for each stretch. b must not be kept.
	Batch(b *Batch) error
	// Flush is called when everything of a task was given to Batch. Tasks are
	// numbered from 0 without gaps in the order of the sources and, within a
	// source, of its records, so that what the tasks make can be put in order;
	// the tasks themselves end in any order. ctx ends when any of them fails.
	Flush(ctx context.Context, task int) error
}

const (
	taskBytes  = 1 << 20 // small files are read together up to so much
	taskFiles  = 64      // and so many
	sharedSize = 4 << 20 // a source larger than this is read by all goroutines
	minRecord  = 1 << 20 // the least that the longest record may have
)

// Scan reads every source of the set, with visit's visitors on as many
// goroutines. Own outputs among the sources are passed over, unless there is
// nothing else.
//
// Small files are handed to the goroutines in groups. A large file is cut into
// blocks of whole records by whichever goroutine comes to take the next one,
// one at a time; the costly part, scanning and computing, then runs at the
// same time on all of them.
func (s *Set) Scan(ctx context.Context, reading Reading, visit func() Visitor) error {
	f := newFeed(s, reading)
	f.tasks = plan(s.Sources)
	visitors := make([]Visitor, max(1, min(reading.Jobs, f.width())))
	for i := range visitors {
		visitors[i] = visit()
	}
	if err := f.run(ctx, visitors); err != nil {
		return err
	}
	if len(f.own) > 0 && !slices.Contains(f.own, false) {
		f.reading.OwnOutputs = true // nothing but own outputs: somebody means them
		f.own, f.done = make([]bool, len(s.Sources)), 0
		if err := f.run(ctx, visitors); err != nil {
			return err
		}
	}
	s.own = f.own
	for i, own := range f.own {
		if own {
			s.passOver(s.Sources[i].Name, OwnOutputReason)
		}
	}
	return nil
}

func (f *feed) run(ctx context.Context, visitors []Visitor) error {
	group, ctx := errgroup.WithContext(ctx)
	for _, visitor := range visitors {
		worker := &worker{feed: f, visitor: visitor}
		group.Go(func() error { return worker.run(ctx) })
	}
	err := group.Wait()
	if f.shared != nil {
		f.shared.close()
		f.shared = nil
	}
	return err
}

// span is a task: sources from to to.
type span struct {
	from, to int
	shared   bool
}

// plan groups the sources into tasks.
func plan(sources []Source) []span {
	var tasks []span
	for from := 0; from < len(sources); {
		to, bytes := from, int64(0)
		for to < len(sources) && to-from < taskFiles && !isShared(sources[to]) && (to == from || bytes+sources[to].Size <= taskBytes) {
			bytes += sources[to].Size
			to++
		}
		if to == from {
			tasks = append(tasks, span{from, from + 1, true})
			from++
			continue
		}
		tasks = append(tasks, span{from: from, to: to})
		from = to
	}
	return tasks
}

func isShared(s Source) bool { return s.Size < 0 || s.Size > sharedSize }

// feed hands out work. Its mutex guards everything below it.
type feed struct {
	set     *Set
	reading Reading
	heads   *delimited.Heads
	limit   int
	own     []bool // each entry is written by the one goroutine that opens its source

	mutex  sync.Mutex
	tasks  []span
	done   int // tasks given out
	number int // of the next task, blocks of shared sources included
	shared *stream
}

func newFeed(s *Set, reading Reading) *feed {
	return &feed{
		set:     s,
		reading: reading,
		heads:   delimited.NewHeads(reading.Request),
		limit:   int(min(delimited.MaxRecord, max(minRecord, reading.Memory/16))),
		own:     make([]bool, len(s.Sources)),
	}
}

// width is how many goroutines could have something to do.
func (f *feed) width() int {
	for _, t := range f.tasks {
		if t.shared {
			return f.reading.Jobs
		}
	}
	return len(f.tasks)
}

// work is what a goroutine takes from the feed: a group of small sources, or a
// block of a shared one.
type work struct {
	number int
	span   span
	stream *stream // set for a block
	block  delimited.Block
	first  bool
}

// take returns the next piece of work, or io.EOF.
func (f *feed) take(w *worker) (work, error) {
	f.mutex.Lock()
	defer f.mutex.Unlock()
	for {
		if f.shared != nil {
			first := !f.shared.started
			block, err := f.shared.next(w)
			if err == nil {
				f.number++
				return work{number: f.number - 1, stream: f.shared, block: block, first: first}, nil
			}
			f.shared.close()
			f.shared = nil
			if !errors.Is(err, io.EOF) {
				return work{}, err
			}
		}
		if f.done == len(f.tasks) {
			return work{}, io.EOF
		}
		task := f.tasks[f.done]
		f.done++
		if !task.shared {
			f.number++
			return work{number: f.number - 1, span: task}, nil
		}
		stream, err := f.open(task.from)
		if err != nil {
			return work{}, err
		}
		f.shared = stream
	}
}

// stream is an open source.
type stream struct {
	feed    *feed
	index   int
	file    io.Closer // nil where all was read before
	unwrap  *unwrapper
	cutter  *delimited.Cutter
	started bool
	counted bool // its progress was counted when it was looked at
}

func (f *feed) open(index int) (*stream, error) {
	if f.set.looked != nil {
		if kept := f.set.looked[index].kept; kept != nil {
			f.set.looked[index].kept = nil
			kept.feed = f
			return kept, nil
		}
	}
	source := &f.set.Sources[index]
	file, err := openSource(source.Path)
	if err != nil {
		return nil, &Error{source.Name, err}
	}
	unwrap := &unwrapper{encoding: f.reading.Encoding, size: source.Size, progress: f.reading.Progress}
	return &stream{
		feed: f, index: index, file: file, unwrap: unwrap,
		cutter: delimited.NewCutter(file, f.limit, unwrap.unwrap, f.heads.Find),
	}, nil
}

// ErrChanged says that somebody wrote to a source while it was being read.
var ErrChanged = errors.New("the file has changed since this run began; wait until it is whole, and run again")

// next cuts the next block, into the buffer of the goroutine that asks for it.
func (s *stream) next(w *worker) (delimited.Block, error) {
	first := !s.started
	s.started = true
	block, buffer, err := s.cutter.Next(w.buffer)
	w.buffer = buffer
	if err != nil {
		if errors.Is(err, io.EOF) {
			return block, err
		}
		return block, &Error{s.feed.set.Sources[s.index].Name, err}
	}
	if first {
		columns := s.cutter.Head().Layout.Columns
		if looked := s.feed.set.looked; looked != nil {
			if !slices.Equal(columns, looked[s.index].head.Layout.Columns) {
				return block, &Error{s.feed.set.Sources[s.index].Name, ErrChanged}
			}
		} else if !s.feed.reading.OwnOutputs && isOwnOutput(columns) {
			s.feed.own[s.index] = true
			return block, io.EOF
		}
	}
	if !s.counted && !s.unwrap.isPacked() {
		s.feed.reading.Progress.add(0, int64(len(block.Data)))
	}
	return block, nil
}

func (s *stream) close() {
	s.unwrap.close() // as below
	if s.file != nil {
		s.file.Close() // it was only read; there is nothing a failure could lose
	}
	if !s.counted {
		s.feed.reading.Progress.add(1, 0)
	}
}

// worker is one reading goroutine. Its buffers are its own.
type worker struct {
	feed    *feed
	visitor Visitor
	buffer  []byte
	batch   Batch
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
			err = w.visit(work.stream, work.block, work.first)
		} else {
			err = w.readSources(ctx, work.span)
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
func (w *worker) readSources(ctx context.Context, group span) error {
	for index := group.from; index < group.to; index++ {
		if err := ctx.Err(); err != nil {
			return err
		}
		if err := w.readSource(index); err != nil {
			return err
		}
	}
	return nil
}

func (w *worker) readSource(index int) error {
	stream, err := w.feed.open(index)
	if err != nil {
		return err
	}
	defer stream.close()
	for first := true; ; first = false {
		block, err := stream.next(w)
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		if err := w.visit(stream, block, first); err != nil {
			return err
		}
	}
}

// visit scans a block and shows it to the visitor.
func (w *worker) visit(s *stream, block delimited.Block, first bool) error {
	head := s.cutter.Head()
	scanner := delimited.Scanner{Dialect: head.Dialect, Width: len(head.Layout.Columns), Header: head.Header}
	scanner.Scan(block, &w.batch.Batch)
	w.batch.Index, w.batch.Head, w.batch.First = s.index, head, first
	w.batch.Layers = s.unwrap.layers
	return w.visitor.Batch(&w.batch)
}
