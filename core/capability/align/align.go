// Package align puts several sources side by side: one row for each key, with all
// columns of all sources, and nothing where a source does not have the key.
package align

import (
	"cmp"
	"context"
	"errors"
	"io"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/finding/drop"
	"lastblock/core/finding/proof"
	"lastblock/core/large/texts"
	"lastblock/core/option"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally/matching"
	"lastblock/core/value/equality"
)

// Options say how sources are put side by side.
type Options struct {
	Key    []string
	Loose  equality.Loose // what makes no difference in it
	Totals []string       // amount columns to be proven as well
	Sorted bool           // keys in their natural order, and not as they come
	Only   Only
	Drop   *drop.Set
	Kinds  bool // the format tells the kinds of columns apart
}

// Only says which keys are kept.
type Only byte

// Which keys are kept.
const (
	All     Only = iota
	Common       // those that all sources have
	Missing      // those that some source lacks
)

// PresentColumn is the column that says how many sources have a key.
const PresentColumn = "present_in"

// Column is a column of the result.
type Column struct {
	Name  string
	Kind  record.Kind
	Scale int

	source int // -1 for one of the key, or PresentColumn
	data   int // of Side.Columns; -1 for PresentColumn
}

// Present counts the keys that are found in exactly Sources of the sources.
type Present struct{ Sources, Keys int }

// Result holds the aligned rows' columns and counts, and the proof that every record has its row.
type Result struct {
	Columns  []Column
	Keys     int // rows that are written
	Present  []Present
	Findings []finding.Finding
	Proof    proof.Proof

	run *run
}

// ErrNoKey says that there is nothing to put sources side by side by.
var ErrNoKey = option.Errorf("key", "name the columns that say which records stand side by side")

// Sources are sources that were read, and are ready to be put side by side.
type Sources struct{ run *run }

// Read reads all sources, each once. The error is what reading returned, or a
// *tally.UnknownColumnError.
func Read(ctx context.Context, set *source.Set, reading source.Reading, options Options) (*Sources, error) {
	j, err := Prepare(ctx, set, reading, options)
	if err != nil {
		return nil, err
	}
	if err := set.Scan(ctx, reading, j.Visitor); err != nil {
		return nil, errors.Join(err, j.Close())
	}
	return j.Finish()
}

// Job is the reading of sources on its way: prepared, shown the records by its visitors, and
// finished.
type Job struct {
	*matching.Job
	run *run
}

// Prepare finds the columns. The caller then scans the set with the job's visitors and calls
// Finish, or Close where the scan has failed. The error is that of Read.
func Prepare(ctx context.Context, set *source.Set, reading source.Reading, options Options) (*Job, error) {
	r := &run{options: options, reading: reading,
		side: &matching.Side{Set: set, Drop: options.Drop, Kinds: options.Kinds}}
	if err := r.bind(ctx); err != nil {
		return nil, errors.Join(err, r.close())
	}
	r.heaps = matching.NewHeaps(2*set.Bytes(), reading.Memory/2, reading.Jobs)
	r.heaps.Keep = options.Sorted
	return &Job{r.side.Prepare(func() matching.Taker {
		return &taker{dealer: r.heaps.Dealer(0), key: &matching.Key{Columns: r.key.Columns, Loose: r.key.Loose}}
	}), r}, nil
}

// Close gives back what the job holds.
func (j *Job) Close() error { return j.run.close() }

// Finish names the columns, when all records have been visited.
func (j *Job) Finish() (*Sources, error) {
	if err := j.Job.Finish(); err != nil {
		return nil, errors.Join(err, j.Close())
	}
	j.run.nameColumns()
	return &Sources{j.run}, nil
}

// Columns are those of the result: the key, in how many sources it stands, and then,
// column by column, those of the sources, with the name of the source behind it where
// several have it.
func (s *Sources) Columns() []Column { return s.run.columns }

// Align puts the sources side by side. encode makes what is written of a row; a cell that
// is nil is one that a source does not have, as different from one that is blank there.
// It can be called once.
func (s *Sources) Align(ctx context.Context, encode record.Encoder) (*Result, error) {
	s.run.encode = encode
	result, err := s.run.align(ctx)
	if err != nil {
		return nil, errors.Join(err, s.run.close())
	}
	return result, nil
}

// Write writes the rows.
func (r *Result) Write(ctx context.Context, w io.Writer) error {
	return r.run.rows.Write(ctx, r.run.reading.Jobs, w)
}

// Close gives back what the result holds to be written.
func (r *Result) Close() error { return r.run.close() }

// run is one alignment.
type run struct {
	options Options
	reading source.Reading
	side    *matching.Side
	key     *matching.Key
	columns []Column
	cells   [][]cell // by source
	encode  record.Encoder

	heaps   *matching.Heaps
	rows    *matching.Rows
	ranks   map[uint64]uint64 // numbers of rows by those of their keys' first places; nil for the same
	workers []*worker
}

func (r *run) bind(ctx context.Context) error {
	if len(r.options.Key) == 0 {
		return ErrNoKey
	}
	reading := r.reading
	if err := r.side.Look(ctx, reading); err != nil {
		return err
	}
	r.key = new(matching.Key)
	for _, name := range r.options.Key {
		at, err := r.side.Find(name)
		if err != nil {
			return option.Errorf("key", "%w", err)
		}
		r.key.Columns = append(r.key.Columns, at)
		r.key.Loose = append(r.key.Loose, r.options.Loose)
	}
	for _, name := range r.options.Totals {
		at, err := r.side.Find(name)
		if err != nil {
			return option.Errorf("total", "%w", err)
		}
		r.side.ReadAmounts(at)
	}
	r.side.Needed, r.side.Require = r.key.Columns, r.key.Columns
	return nil
}

// taker deals the records that one goroutine reads.
type taker struct {
	dealer *matching.Dealer
	key    *matching.Key
	room   []byte
}

func (t *taker) Take(record *matching.Record) error {
	key, blank := t.key.Append(t.room[:0], record.Texts, record.Decimals)
	t.room = key
	return t.dealer.Put(record, key, blank, 0)
}

func (r *run) align(ctx context.Context) (*Result, error) {
	if r.options.Sorted {
		if err := r.rank(ctx); err != nil {
			return nil, err
		}
	}
	r.rows = matching.NewRows(r.side.Lines()+1, 2*r.side.Set.Bytes(), r.reading.Memory/2, r.reading.Jobs)
	r.workers = nil
	err := r.heaps.EachGroup(ctx, r.reading.Jobs, func() matching.Groups {
		w := r.worker()
		w.rows = r.rows.Writer()
		return w
	})
	if err != nil {
		return nil, err
	}
	return r.finish()
}

// rank finds out in which order keys stand that are sorted.
func (r *run) rank(ctx context.Context) error {
	err := r.heaps.EachGroup(ctx, r.reading.Jobs, func() matching.Groups { return r.worker() })
	if err != nil {
		return err
	}
	type key struct {
		number uint64
		texts  []byte
	}
	var keys []key
	for _, w := range r.workers {
		for _, k := range w.keys {
			keys = append(keys, key{k.number, w.arena[k.from:k.to]})
		}
	}
	slices.SortFunc(keys, func(a, b key) int {
		return cmp.Or(texts.Compare(a.texts, b.texts), cmp.Compare(a.number, b.number))
	})
	r.ranks = make(map[uint64]uint64, len(keys))
	for i, k := range keys {
		r.ranks[k.number] = uint64(i)
	}
	return nil
}

func (r *run) finish() (*Result, error) {
	result := &Result{Columns: r.columns, Proof: r.side.Proof(), run: r}
	list := &r.side.Tally.Findings
	p := &result.Proof
	p.Totals = slices.Clone(p.Totals)
	present := make([]int, len(r.side.Set.Sources)+1)
	for _, w := range r.workers {
		result.Keys += w.written
		for n, keys := range w.present {
			present[n] += keys
		}
		p.Used += w.count.Used
		p.Suspense += w.count.Suspense
		p.Dropped += w.count.Dropped
		for i := range p.Totals {
			t := &p.Totals[i]
			t.Used = t.Used.Add(w.sums[used][i].Amount())
			t.Suspense = t.Suspense.Add(w.sums[suspended][i].Amount())
			t.Dropped = t.Dropped.Add(w.sums[dropped][i].Amount())
		}
		list.Merge(&w.findings)
	}
	for n := len(present) - 1; n > 0; n-- {
		if present[n] > 0 {
			result.Present = append(result.Present, Present{n, present[n]})
		}
	}
	result.Findings = list.All()
	return result, p.Check()
}

func (r *run) close() error { return errors.Join(r.heaps.Close(), r.rows.Close()) }
