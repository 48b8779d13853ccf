// Package align puts several sources side by side: one row for each key, with all
// columns of all sources, and nothing where a source does not have the key.
package align

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/amount"
	"lastblock/core/drop"
	"lastblock/core/finding"
	"lastblock/core/kind"
	"lastblock/core/matching"
	"lastblock/core/meaning"
	"lastblock/core/proof"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/texts"
)

// Options say how sources are put side by side.
type Options struct {
	Key    []string
	Loose  meaning.Loose // what makes no difference in it
	Totals []string      // amount columns to be proven as well
	Sorted bool          // keys in their natural order, and not as they come
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

// Present is in how many sources so many keys stand.
type Present struct{ Sources, Keys int }

// Result is what came of it.
type Result struct {
	Columns  []Column
	Keys     int // rows that are written
	Present  []Present
	Findings []finding.Finding
	Proof    proof.Proof

	run *run
}

// ErrNoKey says that there is nothing to put sources side by side by.
var ErrNoKey = errors.New("--key: name the columns that say which records stand side by side")

// Sources are sources that were read, and are ready to be put side by side.
type Sources struct{ run *run }

// Read reads all sources, each once. The error is what reading returned, or a
// *tally.UnknownColumnError.
func Read(ctx context.Context, set *source.Set, reading source.Reading, options Options) (*Sources, error) {
	r := &run{options: options, reading: reading, side: &matching.Side{Set: set, Drop: options.Drop, Kinds: options.Kinds}}
	err := r.bind(ctx)
	if err == nil {
		err = r.read(ctx)
	}
	if err != nil {
		return nil, errors.Join(err, r.close())
	}
	return &Sources{r}, nil
}

// Columns are those of the result: the key, in how many sources it stands, and then,
// column by column, those of the sources, with the name of the source behind it where
// several have it.
func (s *Sources) Columns() []Column { return s.run.columns }

// Close gives back what is held.
func (s *Sources) Close() error { return s.run.close() }

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
	reading.Amounts = r.options.Totals
	if err := r.side.Look(ctx, reading); err != nil {
		return err
	}
	r.key = new(matching.Key)
	for _, name := range r.options.Key {
		at, err := r.side.Find(name)
		if err != nil {
			return fmt.Errorf("--key: %w", err)
		}
		r.key.Columns = append(r.key.Columns, at)
		r.key.Loose = append(r.key.Loose, r.options.Loose)
	}
	for _, name := range r.options.Totals {
		at, err := r.side.Find(name)
		if err != nil {
			return fmt.Errorf("--total: %w", err)
		}
		r.side.ReadAmounts(at)
	}
	r.side.Needed, r.side.Require = r.key.Columns, r.key.Columns
	return nil
}

// cell says in which column of the result stands a column of a source.
type cell struct{ data, at int }

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

func (r *run) read(ctx context.Context) error {
	r.heaps = matching.NewHeaps(2*r.side.Set.Bytes(), r.reading.Memory/2, r.reading.Jobs)
	r.heaps.Keep = r.options.Sorted
	err := r.side.Read(ctx, r.reading, func() matching.Taker {
		return &taker{dealer: r.heaps.Dealer(0), key: &matching.Key{Columns: r.key.Columns, Loose: r.key.Loose}}
	})
	if err == nil {
		r.nameColumns()
	}
	return err
}

// nameColumns finds out which columns the result has.
func (r *run) nameColumns() {
	s := r.side
	add := func(name string, source, data int) {
		c := Column{Name: name, Kind: record.Text, source: source, data: data}
		if data >= 0 {
			e := &s.Evidence[data]
			if slices.Contains(s.Amounts, data) {
				c.Kind, c.Scale = record.Amount, e.Scale
			} else if kind, others := e.Kind(s.Columns[data]); others == 0 && (r.options.Kinds || kind == record.Amount) {
				c.Kind, c.Scale = kind, e.Scale // amounts stand with one decimal mark, whichever the sources have
			}
		}
		r.columns = append(r.columns, c)
	}
	for _, at := range r.key.Columns {
		add(s.Columns[at], -1, at)
	}
	var names record.Names
	for i := range r.columns {
		names.Take(r.columns[i].Name)
	}
	r.columns = append(r.columns, Column{Name: names.Free(PresentColumn), Kind: record.Amount, source: -1, data: -1})
	having := make([][]int, s.Data) // sources, by column
	index := make(map[string]int, s.Data)
	for data, name := range s.Columns[:s.Data] {
		index[name] = data
	}
	for i := range s.Set.Sources {
		for _, name := range s.Set.Head(i).Layout.Columns {
			if data, ok := index[name]; ok && !slices.Contains(r.key.Columns, data) {
				having[data] = append(having[data], i)
			}
		}
	}
	r.cells = make([][]cell, len(s.Set.Sources))
	of := r.namesOfSources()
	for data, sources := range having {
		for _, i := range sources {
			name := s.Columns[data]
			if len(sources) > 1 {
				name += " " + of[i]
			}
			r.cells[i] = append(r.cells[i], cell{data, len(r.columns)})
			add(names.Free(name), i, data)
		}
	}
}

// namesOfSources are how columns call the sources: as the files' names tell, by the first
// word of --name that tells them apart, or by all of them; else by the file's name,
// without its ending unless two are the same then.
func (r *run) namesOfSources() []string {
	words := r.side.Set.Words()
	for i := range words {
		if names := r.byWords(words[i : i+1]); names != nil {
			return names
		}
	}
	if names := r.byWords(words); names != nil {
		return names
	}
	var names []string
	count := make(map[string]int)
	for i := range r.side.Set.Sources {
		of := &r.side.Set.Sources[i]
		name := source.Stem(of.Name)
		if of.Sheet() != "" && strings.HasSuffix(of.Name, "/"+of.Sheet()) {
			name = source.Stem(strings.TrimSuffix(of.Name, "/"+of.Sheet())) + "/" + of.Sheet()
		}
		names = append(names, name)
		count[name]++
	}
	for i, name := range names {
		if count[name] > 1 {
			names[i] = r.side.Set.Sources[i].Name
		}
	}
	return names
}

// byWords are the sources by what some words of --name say of them; nil where that does
// not tell them apart.
func (r *run) byWords(words []string) []string {
	var names []string
	seen := make(map[string]bool)
	for i := range r.side.Set.Sources {
		var parts []string
		for _, word := range words {
			if value := r.side.Set.Word(i, word); value != "" {
				parts = append(parts, value)
			}
		}
		name := strings.Join(parts, " ")
		if name == "" || seen[name] {
			return nil
		}
		seen[name] = true
		names = append(names, name)
	}
	return names
}

// worker makes the rows of some keys, for one goroutine.
type worker struct {
	run   *run
	rows  *matching.RowWriter // nil while only the keys are looked at
	texts [][]byte
	cells [][]byte
	kinds []record.Kind
	rooms [][]byte
	row   []byte

	keys     []rankedKey // to be put in order
	arena    []byte
	present  []int // keys by how many sources have them
	count    proof.Count
	totals   []proof.Total
	sums     [3][]amount.Sum // used, suspense, dropped
	written  int
	findings finding.List
}

// rankedKey is a key with the number of its first place.
type rankedKey struct {
	number   uint64
	from, to int // of the key's texts in the arena
}

func (r *run) worker() *worker {
	w := &worker{
		run: r, texts: make([][]byte, len(r.side.Columns)), cells: make([][]byte, len(r.columns)), kinds: make([]record.Kind, len(r.columns)),
		rooms: make([][]byte, len(r.columns)), present: make([]int, len(r.side.Set.Sources)+1),
	}
	for i := range w.sums {
		w.sums[i] = make([]amount.Sum, len(r.side.Amounts))
	}
	r.workers = append(r.workers, w)
	return w
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
		return cmp.Or(compareKeys(a.texts, b.texts), cmp.Compare(a.number, b.number))
	})
	r.ranks = make(map[uint64]uint64, len(keys))
	for i, k := range keys {
		r.ranks[k.number] = uint64(i)
	}
	return nil
}

// compareKeys compares the texts of two keys, column by column, in natural order.
func compareKeys(a, b []byte) int {
	for len(a) > 0 && len(b) > 0 {
		var x, y []byte
		x, a = texts.Take(a)
		y, b = texts.Take(b)
		if c := source.Natural(x, y); c != 0 {
			return c
		}
	}
	return cmp.Compare(len(a), len(b))
}

// Group makes the row of a key.
func (w *worker) Group(items, _ []matching.Item) error {
	number := w.run.side.Number(items[0].Place())
	if w.rows == nil {
		w.noteKey(number, items[0])
		return nil
	}
	clear(w.cells)
	sources := w.takeRecords(items)
	w.present[sources]++
	all := sources == len(w.run.side.Set.Sources)
	if w.run.options.Only == Common && !all || w.run.options.Only == Missing && all {
		w.addAll(items, dropped)
		return nil
	}
	w.setKey(items[0], sources)
	w.written++
	w.row = w.run.encode(w.row[:0], w.cells, w.kinds)
	if w.run.ranks != nil {
		number = w.run.ranks[number]
	}
	return w.rows.Add(number, w.row)
}

func (w *worker) noteKey(number uint64, item matching.Item) {
	item.Texts(w.texts)
	k := rankedKey{number: number, from: len(w.arena)}
	for _, at := range w.run.key.Columns {
		w.arena = texts.Append(w.arena, w.texts[at])
	}
	k.to = len(w.arena)
	w.keys = append(w.keys, k)
}

// What becomes of a record.
const (
	used = iota
	suspended
	dropped
)

// takeRecords puts the records of a key into their cells, and returns of how many
// sources they are. Of several of one source the first one counts.
func (w *worker) takeRecords(items []matching.Item) (sources int) {
	for i := 0; i < len(items); {
		index := items[i].Place().Source()
		end := i + 1
		for end < len(items) && items[end].Place().Source() == index {
			end++
		}
		sources++
		items[i].Texts(w.texts)
		for _, c := range w.run.cells[index] {
			w.set(c.at, w.texts[c.data], c.data, index)
		}
		if end > i+1 {
			w.tellAmbiguous(items[i:end])
		}
		i = end
	}
	keep := w.run.options.Only
	if all := sources == len(w.run.side.Set.Sources); keep == All || keep == Common && all || keep == Missing && !all {
		before := -1
		for i := range items {
			as := used
			if index := items[i].Place().Source(); index == before {
				as = suspended
			} else {
				before = index
			}
			w.addAll(items[i:i+1], as)
		}
	}
	return sources
}

// addAll counts records as what becomes of them.
func (w *worker) addAll(items []matching.Item, as int) {
	switch n := len(items); as {
	case used:
		w.count.Used += n
	case suspended:
		w.count.Suspense += n
	case dropped:
		w.count.Dropped += n
	}
	for _, item := range items {
		for i, column := range w.run.side.Amounts {
			value, err := amount.Parse(item.Text(column, len(w.texts)), '.')
			if err == nil { // else it is blank
				w.sums[as][i].Add(value)
			}
		}
	}
}

// set sets a cell to a text of a source, which is not nil even if it is blank.
func (w *worker) set(at int, text []byte, data, index int) {
	c := &w.run.columns[at]
	w.kinds[at] = record.Text
	if c.Kind != record.Text && len(text) > 0 {
		decimal := w.run.side.DecimalsOf(index)[data]
		if plain, ok := kind.AppendPlain(w.rooms[at][:0], text, c.Kind, decimal); ok {
			w.rooms[at] = plain
			w.cells[at], w.kinds[at] = plain, c.Kind
			return
		}
	}
	if text == nil {
		text = []byte{}
	}
	w.cells[at] = text
}

// setKey sets the cells of the key, as it stands first.
func (w *worker) setKey(item matching.Item, sources int) {
	item.Texts(w.texts)
	for i, data := range w.run.key.Columns {
		w.set(i, w.texts[data], data, item.Place().Source())
	}
	at := len(w.run.key.Columns)
	w.rooms[at] = strconv.AppendInt(w.rooms[at][:0], int64(sources), 10)
	w.cells[at], w.kinds[at] = w.rooms[at], record.Amount
}

// tellAmbiguous tells that a key stands more than once in one source.
func (w *worker) tellAmbiguous(items []matching.Item) {
	const most = 20
	first := items[0].Place()
	of := &w.run.side.Set.Sources[first.Source()]
	f := finding.Finding{Kind: finding.Ambiguous, Source: of.Name, Sheet: of.Sheet(), Order: first.Source(), Line: first.Line(), Count: len(items)}
	if !w.findings.Full(f.Kind, f.Order, f.Line) {
		var parts, lines []string
		items[0].Texts(w.texts)
		for _, data := range w.run.key.Columns {
			parts = append(parts, w.run.side.Columns[data]+" "+string(bytes.ToValidUTF8(w.texts[data], []byte("\ufffd"))))
		}
		for i, item := range items {
			if i == most {
				lines = append(lines, "…")
				break
			}
			lines = append(lines, strconv.Itoa(item.Place().Line()))
		}
		f.Key = strings.Join(parts, ", ")
		f.Message = fmt.Sprintf("%s stands %s here, on lines %s; the first one is taken, the others are set aside", f.Key, times(len(items)), strings.Join(lines, ", "))
	}
	w.findings.Add(f)
}

func times(n int) string {
	if n == 2 {
		return "twice"
	}
	return fmt.Sprintf("%d times", n)
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
