package attach

import (
	"bytes"
	"fmt"
	"strings"

	"lastblock/core/large/texts"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
	"lastblock/core/value/nearest"

	"github.com/zeebo/xxh3"
)

// Worker looks up the records that one goroutine reads.
type Worker struct {
	attachment *Attachment
	bound      []*tally.Binding // by table: of its keys, and last its date
	found      []found          // by table
	keys       []byte
	ends       []int
	hashes     []uint64
	touched    byte // of no use but that it was read
	room       []byte
	scratch    []byte
	texts      [][]byte
	kinds      []record.Kind
	missing    []map[string]*missing
}

// found is what a table has for the records of a batch.
type found struct {
	rows    []int32 // of the table
	written []int   // where in the table's index stands what is written; 0 where it is that of the row
}

// Worker makes the worker of one goroutine. It must not be called while another one is
// being used.
func (a *Attachment) Worker() *Worker {
	w := &Worker{attachment: a, found: make([]found, len(a.tables))}
	for range a.tables {
		w.missing = append(w.missing, make(map[string]*missing))
	}
	a.workers = append(a.workers, w)
	return w
}

// bind finds the keys in the source of a batch.
func (w *Worker) bind(b *source.Batch) {
	if w.bound == nil {
		for _, t := range w.attachment.tables {
			var columns []tally.Column
			for _, key := range t.all() {
				columns = append(columns, key.column) // none of the data, where a reference has brought it
			}
			w.bound = append(w.bound, tally.NewBinding(w.attachment.records, columns))
		}
	}
	for _, bound := range w.bound {
		bound.To(b)
	}
}

// all are the columns of the records that are looked at: those of the key, and the date.
func (t *table) all() []lookedUp {
	if t.reference.Valid == nil {
		return t.keys
	}
	return append(t.keys[:len(t.keys):len(t.keys)], t.date)
}

// Find looks the records of a batch up in all references: those that rows names, or
// with nil all of them. values are their amounts, by Options.Totals.
func (w *Worker) Find(b *source.Batch, rows []int, values []amount.Amount) {
	w.bind(b)
	for k, t := range w.attachment.tables {
		w.takeKeys(b, rows, k, t)
		w.find(b, rows, k, t, values)
	}
}

func rowOf(rows []int, i int) int {
	if rows == nil {
		return i
	}
	return rows[i]
}

// takeKeys takes the keys of the records by which a table is looked up.
func (w *Worker) takeKeys(b *source.Batch, rows []int, k int, t *table) {
	n := b.Batch.Rows
	if rows != nil {
		n = len(rows)
	}
	w.keys, w.ends, w.hashes = w.keys[:0], w.ends[:0], w.hashes[:0]
	from := 0
	for i := range n {
		for key := range t.keys {
			text := w.textOf(b, rowOf(rows, i), i, k, key, &t.keys[key])
			w.keys = texts.Append(w.keys, equality.Of(text, w.bound[k].Decimals[key], &w.room))
		}
		w.ends = append(w.ends, len(w.keys))
		w.hashes = append(w.hashes, xxh3.Hash(w.keys[from:]))
		from = len(w.keys)
	}
}

// textOf is the text of a column that a table is looked up by.
func (w *Worker) textOf(b *source.Batch, row, i, k, n int, key *lookedUp) []byte {
	if key.table >= 0 {
		return w.attachment.tables[key.table].text(w.found[key.table].rows[i], key.index)
	}
	text := w.bound[k].Text(b, row, n, &w.scratch)
	if as, otherwise := key.spelt[string(text)]; otherwise {
		return as
	}
	return text
}

// find looks the records of a batch up in one reference: first where each probably is,
// and then, when all of that is under way, whether it is.
func (w *Worker) find(b *source.Batch, rows []int, k int, t *table, values []amount.Amount) {
	f := &w.found[k]
	f.rows, f.written = f.rows[:0], f.written[:0]
	for _, hash := range w.hashes {
		f.rows = append(f.rows, int32(t.index.candidate(hash)))
	}
	touched := byte(0)
	for _, candidate := range f.rows { // these wait for memory all at once, and not one by one
		if candidate != 0 {
			touched ^= t.index.arena[(uint32(candidate)-1)*entryUnit]
		}
	}
	w.touched = touched
	width, from := len(w.attachment.options.Totals), 0
	for i, end := range w.ends {
		key := w.keys[from:end]
		from = end
		number, written, ok := 0, 0, false
		if candidate := uint32(f.rows[i]); candidate != 0 {
			if number, written, ok = t.index.is(candidate, key); !ok { // another key has its tag
				number, ok = t.numbers.Find(key, w.hashes[i])
			}
		}
		l := &looked{b: b, row: rowOf(rows, i), i: i, k: k, key: key, values: values[i*width : (i+1)*width]}
		switch {
		case !ok:
			w.note(l, t, false, false)
			f.rows[i], written = nothing, 0
		case t.reference.Valid != nil:
			f.rows[i], written = w.findValid(l, t, &t.of[number]), 0
		default:
			if t.of[number].many {
				w.note(l, t, true, false)
			}
			f.rows[i] = t.of[number].first
		}
		f.written = append(f.written, written)
	}
}

// looked is a record that is looked up.
type looked struct {
	b      *source.Batch
	row    int
	i, k   int // of the batch, and of the tables
	key    []byte
	values []amount.Amount
}

// findValid finds the row that holds on the day of a record.
func (w *Worker) findValid(l *looked, t *table, s *span) int32 {
	day, _, ok := dayOf(bytes.TrimSpace(w.textOf(l.b, l.row, l.i, l.k, len(t.keys), &t.date)))
	found := int32(nothing)
	for i := s.first; ok && i < s.first+s.count; i++ {
		of := &t.rows[i]
		if day < of.from || day > of.until {
			continue
		}
		if found != nothing && !t.bringSame(found, i) {
			w.note(l, t, false, true)
			return found
		}
		if found == nothing {
			found = i
		}
	}
	if found == nothing {
		w.note(l, t, false, false)
	}
	return found
}

func (t *table) bringSame(i, k int32) bool {
	a, b := &t.rows[i], &t.rows[k]
	return bytes.Equal(t.texts[a.texts:a.textsEnd], t.texts[b.texts:b.textsEnd])
}

// note counts a record for which there is nothing, or more than one row.
func (w *Worker) note(l *looked, t *table, many, twice bool) {
	id := append(bytes.Clone(l.key), 0)
	if many {
		id[len(id)-1] = 1
	} else if twice {
		id[len(id)-1] = 2
	}
	at := place{l.b.Index, l.b.Line(l.row)}
	m := w.missing[l.k][string(id)]
	if m == nil {
		m = &missing{totals: make([]amount.Sum, len(w.attachment.options.Totals)), first: at, many: many, twice: twice}
		w.missing[l.k][string(id)] = m
	}
	if m.records == 0 || at.before(m.first) {
		m.first = at
		var texts [][]byte
		for n := range t.keys {
			texts = append(texts, bytes.Clone(w.textOf(l.b, l.row, l.i, l.k, n, &t.keys[n])))
		}
		m.key = keyText(t.reference.Key, texts)
		if t.reference.Valid != nil && !many {
			m.key += fmt.Sprintf(" (first on %s)",
				strings.ToValidUTF8(string(w.textOf(l.b, l.row, l.i, l.k, len(t.keys), &t.date)), "\ufffd"))
		}
	}
	m.records++
	for i, value := range l.values {
		m.totals[i].Add(value)
	}
}

// text is the text of a column that a row brings.
func (t *table) text(row int32, column int) []byte {
	return texts.Nth(t.texts[t.rows[row].texts:], column)
}

// Texts are those that were found for the i-th record, by Columns, with their kinds.
// They are good until Texts is called again.
func (w *Worker) Texts(i int) ([][]byte, []record.Kind) {
	w.texts, w.kinds = w.texts[:0], w.kinds[:0]
	for k, t := range w.attachment.tables {
		row := w.found[k].rows[i]
		data := t.texts[t.rows[row].texts:]
		for column := range t.width {
			var text []byte
			text, data = texts.Take(data)
			kind := record.Text
			if row != nothing {
				kind = t.brought[column].Kind
			}
			w.texts, w.kinds = append(w.texts, text), append(w.kinds, kind)
		}
	}
	return w.texts, w.kinds
}

// AppendDelimited appends the same as delimited text, a delimiter before each.
func (w *Worker) AppendDelimited(dst []byte, i int) []byte {
	for k, t := range w.attachment.tables {
		if at := w.found[k].written[i]; at != 0 {
			text, _ := texts.Take(t.index.arena[at:])
			dst = append(dst, text...)
			continue
		}
		r := &t.rows[w.found[k].rows[i]]
		dst = append(dst, t.written[r.written:r.writtenEnd]...)
	}
	return dst
}

// unknownError is a column that a reference lacks.
type unknownError struct {
	reference, column string
	have              []string
}

func (e *unknownError) Error() string {
	text := fmt.Sprintf("%s has no column %q", e.reference, e.column)
	if near, ok := nearest.To(e.column, e.have); ok {
		text += fmt.Sprintf("; did you mean %q?", near)
	}
	return text + "\nthere is: " + strings.Join(e.have, ", ")
}
