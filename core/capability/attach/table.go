package attach

import (
	"bytes"
	"context"
	"fmt"
	"math"
	"slices"

	"lastblock/core/format/delimited"
	"lastblock/core/large/intern"
	"lastblock/core/large/texts"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/value/equality"
	"lastblock/core/value/kind"
	"lastblock/core/value/period"
	"lastblock/core/value/spelling"
)

// table is a reference that was read.
type table struct {
	reference *Reference
	brought   []Column
	keys      []lookedUp // of the records
	date      lookedUp

	numbers *intern.Table // of keys
	of      []span        // rows, by number of a key
	rows    []row
	texts   []byte // what the rows bring, each text with its length before it
	written []byte // the same as delimited text, a delimiter before each
	width   int
	index   index
}

// span are the rows of a key.
type span struct {
	first, count int32
	many         bool // they bring different values
}

// row is a row of the reference.
type row struct {
	texts, written       int // where they begin
	textsEnd, writtenEnd int
	from, until          int // days on which it holds
}

// nothing is the row that stands for no row.
const nothing = 0

// readTable reads a reference.
func readTable(ctx context.Context, r *Reference, reading source.Reading, options Options) (*table, error) {
	t := &table{reference: r, numbers: intern.New(), width: len(r.Bring)}
	if err := r.Set.Look(ctx, reading); err != nil {
		return nil, err
	}
	have := r.Set.Columns()
	wanted := []string{}
	for _, pair := range r.Key {
		wanted = append(wanted, pair.Is)
	}
	for _, pair := range r.Bring {
		wanted = append(wanted, pair.Column)
	}
	if r.Valid != nil {
		wanted = append(wanted, r.Valid.From, r.Valid.Until)
	}
	for _, name := range wanted {
		if err := t.known(name, have); err != nil {
			return nil, err
		}
	}
	reading.Jobs = 1 // the first row of a key is the first one
	reader := &tableReader{table: t, wanted: wanted, scratch: make([][]byte, len(wanted))}
	if err := r.Set.Scan(ctx, reading, func() source.Visitor { return reader }); err != nil {
		return nil, err
	}
	return t, t.arrange(reader, options)
}

// known makes sure that a source has a column.
func (t *table) known(name string, have []string) error {
	for i := range t.reference.Set.Sources {
		if _, ok := t.reference.Set.Head(i).Layout.Find(name); ok {
			return nil
		}
	}
	return &unknownError{t.reference.Name, name, have}
}

// spelt are the values of a word of names of sources that the reference writes otherwise in its n-th column of the key,
// as it does, such as an entity in capitals.
func (t *table) spelt(n int, word string, set *source.Set) map[string][]byte {
	written := make(map[string]bool)
	same := make(map[string][]byte)
	for number := range t.numbers.Len() {
		part := texts.Nth(t.numbers.Key(number), n)
		written[string(part)] = true
		if key := spelling.Of(word, string(part)); same[key] == nil {
			same[key] = bytes.Clone(part)
		}
	}
	all := make(map[string][]byte)
	for i := range set.Sources {
		value := set.Word(i, word)
		if as := same[spelling.Of(word, value)]; as != nil && !written[value] {
			all[value] = as
		}
	}
	return all
}

// tableReader reads the rows of a reference.
type tableReader struct {
	table   *table
	wanted  []string // columns: those of the key, those that are brought, from and until
	at      []int
	scratch [][]byte
	head    *source.Head
	key     []byte
	room    []byte
	raw     []rawRow
	arena   []byte // texts of the columns that are brought, as they were sent
	kinds   []kind.Evidence
}

// rawRow is a row as it was read.
type rawRow struct {
	number      int32
	from        int // of its texts in the arena
	line        int
	since, till int
}

func (r *tableReader) Batch(b *source.Batch) error {
	t := r.table
	if r.head != b.Head {
		r.head = b.Head
		r.at = r.at[:0]
		for _, name := range r.wanted {
			at, ok := b.Head.Layout.Find(name)
			if !ok {
				at = -1
			}
			r.at = append(r.at, at)
		}
	}
	if r.kinds == nil {
		r.kinds = make([]kind.Evidence, t.width)
	}
	if len(b.Refused) > 0 {
		return fmt.Errorf("%s: line %d of the reference cannot be read: it does not have the fields of its header, "+
			"or a quote in it is not closed", t.reference.Set.Sources[b.Index].Name, b.Refused[0].Line)
	}
	keys := len(t.reference.Key)
	for i := range b.Batch.Rows {
		text := func(k int) ([]byte, byte) {
			if r.at[k] < 0 {
				return nil, '.'
			}
			return b.Text(i, r.at[k], &r.scratch[k]), b.DecimalOf(r.at[k])
		}
		r.key = r.key[:0]
		for k := range keys {
			value, decimal := text(k)
			r.key = texts.Append(r.key, equality.Of(value, decimal, &r.room))
		}
		number, _ := t.numbers.Number(r.key)
		raw := rawRow{number: int32(number), from: len(r.arena), line: b.Line(i), till: math.MaxInt, since: math.MinInt}
		for k := range t.width {
			value, decimal := text(keys + k)
			r.kinds[k].Add(value, decimal, 1)
			r.arena = append(texts.Append(r.arena, value), decimal)
		}
		if t.reference.Valid != nil {
			if err := r.readValid(&raw, b, text); err != nil {
				return err
			}
		}
		r.raw = append(r.raw, raw)
	}
	return nil
}

func (r *tableReader) Flush(context.Context, int) error { return nil }

// readValid reads on which days a row holds.
func (r *tableReader) readValid(raw *rawRow, b *source.Batch, text func(int) ([]byte, byte)) error {
	n := len(r.table.reference.Key) + r.table.width
	for k, to := range []*int{&raw.since, &raw.till} {
		value, _ := text(n + k)
		if len(bytes.TrimSpace(value)) == 0 {
			continue
		}
		first, last, ok := dayOf(value)
		if !ok {
			return fmt.Errorf("%s: line %d, column %q: %q is no day", r.table.reference.Set.Sources[b.Index].Name,
				raw.line, r.wanted[n+k], value)
		}
		if *to = first; k == 1 {
			*to = last
		}
	}
	return nil
}

// dayOf reads a day, or the first and the last one of a period.
func dayOf(text []byte) (first, last int, ok bool) {
	if day, ok := equality.Day(text); ok {
		return day, day, true
	}
	if p, ok := period.Parse(string(text)); ok {
		return p.First, p.Last(), true
	}
	return 0, 0, false
}

// arrange puts the rows of each key behind one another. Those that bring the same are
// one, unless they hold at different times.
func (t *table) arrange(r *tableReader, options Options) error {
	for k, pair := range t.reference.Bring {
		c := Column{Name: pair.Is, Kind: record.Text}
		if r.kinds != nil {
			if kind, others := r.kinds[k].Kind(pair.Column); others == 0 {
				c.Kind, c.Scale = kind, r.kinds[k].Scale
			}
		}
		t.brought = append(t.brought, c)
	}
	t.addRow(t.elseTexts(), options)
	slices.SortStableFunc(r.raw, func(a, b rawRow) int { return int(a.number) - int(b.number) })
	t.of = make([]span, t.numbers.Len())
	values := make([][]byte, t.width)
	for _, raw := range r.raw {
		data := r.arena[raw.from:]
		for k := range values {
			values[k], data = texts.Take(data)
			decimal := data[0]
			data = data[1:]
			if c := &t.brought[k]; options.Typed && c.Kind != record.Text {
				if plain, ok := kind.AppendPlain(nil, values[k], c.Kind, decimal); ok {
					values[k] = plain
				}
			}
		}
		s := &t.of[raw.number]
		if s.count == 0 {
			s.first = int32(len(t.rows))
		} else if last := &t.rows[len(t.rows)-1]; t.isSame(last, values) {
			if t.reference.Valid == nil || last.from == raw.since && last.until == raw.till {
				continue
			}
		} else {
			s.many = true
		}
		t.addRow(values, options)
		of := &t.rows[len(t.rows)-1]
		of.from, of.until = raw.since, raw.till
		s.count++
	}
	t.index = newIndex(t)
	return nil
}

// elseTexts are those that stand where nothing is found.
func (t *table) elseTexts() [][]byte {
	texts := make([][]byte, t.width)
	if t.reference.Else != nil {
		for k := range texts {
			texts[k] = []byte(*t.reference.Else)
		}
	}
	return texts
}

// addRow adds a row that brings some texts.
func (t *table) addRow(values [][]byte, options Options) {
	r := row{texts: len(t.texts), written: len(t.written)}
	for _, text := range values {
		t.texts = texts.Append(t.texts, text)
		t.written = delimited.AppendField(append(t.written, options.Delimiter), text, options.Delimiter)
	}
	r.textsEnd, r.writtenEnd = len(t.texts), len(t.written)
	t.rows = append(t.rows, r)
}

// isSame tells whether a row brings some texts.
func (t *table) isSame(r *row, values [][]byte) bool {
	data := t.texts[r.texts:r.textsEnd]
	for _, text := range values {
		var own []byte
		if own, data = texts.Take(data); !bytes.Equal(own, text) {
			return false
		}
	}
	return true
}
