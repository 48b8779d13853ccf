package align

import (
	"bytes"
	"fmt"
	"strconv"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/finding/proof"
	"lastblock/core/large/texts"
	"lastblock/core/record"
	"lastblock/core/tally/matching"
	"lastblock/core/value/amount"
	"lastblock/core/value/kind"
)

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
		run: r, texts: make([][]byte, len(r.side.Columns)), cells: make([][]byte, len(r.columns)),
		kinds: make([]record.Kind, len(r.columns)),
		rooms: make([][]byte, len(r.columns)), present: make([]int, len(r.side.Set.Sources)+1),
	}
	for i := range w.sums {
		w.sums[i] = make([]amount.Sum, len(r.side.Amounts))
	}
	r.workers = append(r.workers, w)
	return w
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
	f := finding.Finding{Kind: finding.Ambiguous, Source: of.Name, Sheet: of.Sheet(), Order: first.Source(),
		Line: first.Line(), Count: len(items)}
	if !w.findings.Full(f.Kind, f.Order, f.Line) {
		var parts, lines []string
		items[0].Texts(w.texts)
		for _, data := range w.run.key.Columns {
			parts = append(parts, w.run.side.Columns[data]+" "+
				string(bytes.ToValidUTF8(w.texts[data], []byte("\ufffd"))))
		}
		for i, item := range items {
			if i == most {
				lines = append(lines, "…")
				break
			}
			lines = append(lines, strconv.Itoa(item.Place().Line()))
		}
		f.Key = strings.Join(parts, ", ")
		f.Message = fmt.Sprintf("%s is found %s, on lines %s; the first one is taken, the others are set aside",
			f.Key, times(len(items)), strings.Join(lines, ", "))
	}
	w.findings.Add(f)
}

func times(n int) string {
	if n == 2 {
		return "twice"
	}
	return fmt.Sprintf("%d times", n)
}
