package source

import (
	"context"
	"errors"
	"io"
	"sync"
	"sync/atomic"

	"lastblock/core/format/decode"
	"lastblock/core/format/delimited"
	"lastblock/core/record"
	"lastblock/core/source/shape"

	"golang.org/x/sync/errgroup"
)

// Head tells how a source is laid out.
type Head = record.Head

// Reading is how a run reads.
type Reading struct {
	Memory     int64 // in bytes; bounds the longest record
	Jobs       int   // how many goroutines read
	OwnOutputs bool  // read what Lastblock wrote, too
	AsSent     bool  // no value is read as an amount or a date, so how they are written makes no difference
	Partial    bool  // not all sources are read, so a name that is not found may stand in others
	Progress   *Progress

	// Wanted, if it is set, tells which of some lines of a source are wanted: the
	// first and the last one. Much of a large source that is not wanted is then
	// not read, and given to nobody; other records that are not wanted may be.
	Wanted func(index, first, last int) (from, to int, ok bool)
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
	Stretch
	Index  int // of the source in the set
	Head   *Head
	Layers []decode.Layer // compressions and encodings that the text lay in
	// Separated says how fields were told apart that no delimiter parts, as "blanks" or
	// "widths 6,10,rest"; "" where one does.
	Separated string
	First     bool // the first batch of its source; every source has one, be it empty

	// Guessed is the encoding that the source was taken for, "" where it is
	// known. It may turn out late in a source.
	Guessed string
	// Totals are lines of the batch that sum up records above them, and were taken out;
	// Doubtful are lines that may be such lines or records, and are still in it.
	Totals   []TotalLine
	Doubtful []DoubtfulTotal
	// Trailer is the line at the end of a source by which it declares what is in
	// it, nil without one. It is told with the last batch.
	Trailer *Trailer
	// Arrived is how many records were read, counted before anything was done
	// with them.
	Arrived int
	*Written

	sent   *sent   // as the source sent its records, where that was asked for and they are read otherwise
	before *Batch  // as all members of a scan see it, of which this one was made; nil for this one itself
	parsed *parsed // amounts that several members of a scan ask for; nil where there is one
}

// Shared is the batch as all members of a scan see it, whatever a narrowed set makes of its records: what was
// decided about records speaks of these. Ranks say which row of it a record was.
func (b *Batch) Shared() *Batch {
	if b.before != nil {
		return b.before
	}
	return b
}

// sent are the records of a batch as the source has sent them.
type sent struct {
	record.Batch
	head *Head
}

// Sent are the records as the source has sent them, and how it is laid out then; nil where they come so, or nobody has
// asked with KeepSent. Ranks say which of them a record was.
func (b *Batch) Sent() (*record.Batch, *Head) {
	if b.sent == nil {
		return nil, nil
	}
	return &b.sent.Batch, b.sent.head
}

// KeepSent has batches of some sources, by their names, have their records as they were sent as well.
func (s *Set) KeepSent(names ...string) {
	if s.sent == nil {
		s.sent = make(map[string]bool)
	}
	for _, name := range names {
		s.sent[name] = true
	}
}

// DecimalOf is the decimal mark of the amounts in a column.
func (b *Batch) DecimalOf(column int) byte {
	if b.Head.IsPlain(column) {
		return '.'
	}
	return b.Decimal
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

// ColumnVisitor is a Visitor that can do with columns, see record.Batch.Columnar.
type ColumnVisitor interface {
	TakesColumns() bool
}

// Parter is a Visitor that holds what a task makes until Flush. One that makes much of
// small files, as packed ones may be, gives parts of it away before.
type Parter interface {
	// Part is called between batches of a task, now and then.
	Part(ctx context.Context, task int) error
}

const (
	sampleSize = 1 << 10   // of a file, by which its format is known
	partBytes  = 4 << 20   // of records are visited between two calls of Part
	taskBytes  = 1 << 20   // small files are read together up to so much
	taskFiles  = 64        // and so many
	sharedSize = 4 << 20   // a source larger than this is read by all goroutines
	sharedPart = 256 << 10 // and so is a document, which is packed, and slow to read
	minRecord  = 1 << 20   // the least that the longest record may have
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
	if s.narrowing != nil {
		visit = s.narrowAll().visitors(visit)
	}
	if s.prints != nil {
		visit = s.prints.beside(visit)
	}
	return s.addressed(s.scan(ctx, reading, visit))
}

func (s *Set) scan(ctx context.Context, reading Reading, visit func() Visitor) error {
	f := newFeed(ctx, s, reading)
	defer f.library.close()
	defer s.letGo()
	f.tasks = plan(s.Sources)
	visitors := make([]Visitor, max(1, min(reading.Jobs, f.width())))
	for i := range visitors {
		visitors[i] = visit()
	}
	if err := f.run(ctx, visitors); err != nil {
		return err
	}
	if err := f.aside.check(s); err != nil {
		return err
	}
	if f.aside.nothingElse() {
		f.reading.OwnOutputs = true // nothing but own outputs: somebody means them
		f.aside, f.done = newAside(len(s.Sources)), 0
		if err := f.run(ctx, visitors); err != nil {
			return err
		}
	}
	if err := f.checkNames(); err != nil {
		return err
	}
	s.aside = f.aside
	if reading.Wanted == nil {
		s.starts = f.starts
	}
	for i := range s.Sources {
		if !f.aside.isData(i) {
			s.passOver(f.aside.passedOver(s, i))
		}
	}
	return nil
}

func (f *feed) run(ctx context.Context, visitors []Visitor) error {
	group, ctx := errgroup.WithContext(ctx)
	for _, visitor := range visitors {
		worker := newWorker(f, visitor)
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
		for to < len(sources) && to-from < taskFiles && !isShared(&sources[to]) &&
			(to == from || bytes+sources[to].Size <= taskBytes) {
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

func isShared(s *Source) bool {
	if s.format != nil && s.format.open != nil && s.Size > sharedPart {
		return true
	}
	return s.Size < 0 || s.Size > sharedSize
}

// feed hands out work. Its mutex guards everything below it.
type feed struct {
	ctx     context.Context // of the run, for what is read over a connection
	set     *Set
	reading Reading
	finds   map[*Manner]func(sample []byte, whole bool) *delimited.Head // finds heads
	limit   int
	looking bool // for heads; nothing is kept of any source yet
	library library
	aside   *aside
	starts  map[int][]start // by shared source; likewise, by the goroutine that has the mutex

	shaping sync.Mutex // guards shapes and missed
	shapes  map[shaped]*shape.Shape
	missed  map[string]bool // names that expressions asked for where a source has no such column

	mutex  sync.Mutex
	tasks  []span
	done   int // tasks given out
	number int // of the next task, blocks of shared sources included
	shared *stream
}

// shaped is what a shape is for.
type shaped struct {
	manner *Manner
	head   *record.Head
}

// recordLimit is how long a record may be, in bytes.
func recordLimit(memory int64) int { return int(min(delimited.MaxRecord, max(minRecord, memory/16))) }

func newFeed(ctx context.Context, s *Set, reading Reading) *feed {
	f := &feed{
		ctx:     ctx,
		set:     s,
		reading: reading,
		finds:   make(map[*Manner]func(sample []byte, whole bool) *delimited.Head),
		limit:   recordLimit(reading.Memory),
		library: library{idle: max(1, reading.Jobs)},
		aside:   newAside(len(s.Sources)),
		starts:  make(map[int][]start),
		shapes:  make(map[shaped]*shape.Shape),
		missed:  make(map[string]bool),
	}
	if s.totals == nil {
		s.totals = &allTotals{of: make(map[int]*totals)}
	}
	for i := range s.Sources {
		manner := s.Sources[i].as
		if i > 0 && manner == s.Sources[i-1].as {
			continue // as mostly all are
		}
		if f.finds[manner] == nil {
			f.finds[manner] = delimited.NewHeads(s.Sources[i].manner().Request).Find
		}
	}
	return f
}

// shape returns the shape of a source's records.
func (f *feed) shape(index int, head *record.Head) *shape.Shape {
	return f.shapeOf(&f.set.Sources[index], head)
}

func (f *feed) shapeOf(source *Source, head *record.Head) *shape.Shape {
	f.shaping.Lock()
	defer f.shaping.Unlock()
	key := shaped{source.as, head}
	s := f.shapes[key]
	if s == nil {
		s = source.manner().Shape.For(head)
		f.shapes[key] = s
	}
	return s
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
	stream *stream // set for a stretch of a shared source, which is in the worker's batch
	first  bool
}

// take returns the next piece of work, or io.EOF.
func (f *feed) take(w *worker) (work, error) {
	if !w.spare.isTaken {
		f.mutex.Lock()
		defer f.mutex.Unlock()
		work, err := f.next(w)
		if err == nil {
			f.takeSpare(w)
		}
		return work, err
	}
	work, err := w.useSpare()
	if err == nil && f.mutex.TryLock() {
		defer f.mutex.Unlock()
		f.takeSpare(w)
	}
	return work, err
}

// stretch takes the next stretch of the shared source; the error is io.EOF behind the last one.
func (f *feed) stretch(w *worker) (work, error) {
	first := !f.shared.started
	err := f.shared.next(w)
	if err == nil {
		f.number++
		return work{number: f.number - 1, stream: f.shared, first: first}, nil
	}
	f.shared.close()
	f.shared = nil
	return work{}, err
}

// next is take for a goroutine that has the mutex.
func (f *feed) next(w *worker) (work, error) {
	for {
		if f.shared != nil {
			if work, err := f.stretch(w); !errors.Is(err, io.EOF) {
				return work, err
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
		stream, err := f.open(task.from, new(room))
		if f.isNoText(task.from, err) {
			continue
		}
		if err != nil {
			return work{}, err
		}
		f.shared = stream
	}
}
