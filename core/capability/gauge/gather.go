package gauge

import (
	"bytes"
	"encoding/binary"

	"lastblock/core/large/intern"
	"lastblock/core/large/spill"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
)

// gatherer counts the different texts of each column. Nearly all columns have
// few of them, so that what is costly, reading a text as an amount or a date, is
// done once for each and not once for each record.
type gatherer struct {
	limit   int64 // bytes that the texts may take
	rows    int
	names   []string
	at      map[string]int
	columns []dictionary // by name and decimal mark
	spilled *spill.Sorter
	head    *record.Head
	bound   []int // dictionary of each column of the source
	mark    byte  // for which bound is right
	text    []byte
	last    []byte
	item    []byte

	together [intern.Together][]byte // texts that are counted at once
	unquoted [intern.Together][]byte // room for each
}

// dictionary counts the texts of one column that were written with one decimal
// mark. No value is both among its texts and its codes when they are told.
type dictionary struct {
	column int // of names
	mark   int // the decimal mark of its amounts: 0 for the point, 1 for the comma
	texts  *intern.Counter
	codes  codes
}

func newGatherer(limit int64) *gatherer { return &gatherer{limit: limit, at: make(map[string]int)} }

// bind finds the dictionary of each column of a source.
func (g *gatherer) bind(b *source.Batch) {
	if g.head == b.Head && g.mark == b.Decimal {
		return
	}
	g.head, g.mark = b.Head, b.Decimal
	g.bound = g.bound[:0]
	for i, name := range b.Head.Layout.Columns {
		mark := 0
		if b.DecimalOf(i) == ',' {
			mark = 1
		}
		g.bound = append(g.bound, g.dictionary(name, mark))
	}
}

func (g *gatherer) dictionary(name string, mark int) int {
	column, ok := g.at[name]
	if !ok {
		column = len(g.names)
		g.at[name] = column
		g.names = append(g.names, name)
	}
	for i := range g.columns {
		if g.columns[i].column == column && g.columns[i].mark == mark {
			return i
		}
	}
	g.columns = append(g.columns, dictionary{column: column, mark: mark, texts: intern.NewCounter()})
	return len(g.columns) - 1
}

// take counts the records of a batch that can be used.
func (g *gatherer) take(b *source.Batch, v *tally.Visitor) error {
	g.bind(b)
	n := v.Usable(b)
	g.rows += n
	for column, at := range g.bound {
		d := &g.columns[at]
		if stored := b.CodesOf(column); stored != nil && d.mark == 0 && d.takeCodes(stored, v.Rows) {
			continue
		}
		g.count(d.texts, b, v, column)
	}
	return g.mayspill()
}

// count counts a column. Where values often come several times in a row, each
// run of them is counted at once.
func (g *gatherer) count(texts *intern.Counter, b *source.Batch, v *tally.Visitor, column int) {
	textOf := b.Text
	var stored *record.Stored // texts one behind the other
	if b.Columnar {
		textOf, stored = storedText(b, column), b.TextsOf(column)
	}
	const sample, often = 64, 16
	n := v.Usable(b)
	same, runs := 0, 0
	var last []byte
	i := 0
	for ; i < n && (i < sample || same >= often); i++ {
		text := textOf(v.Row(i), column, &g.text)
		if runs > 0 && bytes.Equal(text, last) {
			if i < sample {
				same++
			}
			runs++
			continue
		}
		if runs > 0 {
			texts.Add(last, runs)
		}
		last, runs = append(g.last[:0], text...), 1
		g.last = last
	}
	if runs > 0 {
		texts.Add(last, runs)
	}
	for i < n {
		some := min(n-i, intern.Together)
		for k := range some {
			if stored != nil {
				g.together[k] = stored.Text(v.Row(i + k))
				continue
			}
			g.together[k] = textOf(v.Row(i+k), column, &g.unquoted[k])
		}
		texts.AddAll(g.together[:some])
		i += some
	}
}

// storedText is b.Text for one column of a batch that has columns alone.
func storedText(b *source.Batch, column int) func(row, column int, scratch *[]byte) []byte {
	if texts := b.TextsOf(column); texts != nil {
		return func(row, _ int, _ *[]byte) []byte { return texts.Text(row) }
	}
	codes := b.CodesOf(column) // of another form than those that were counted
	return func(row, _ int, scratch *[]byte) []byte {
		*scratch = (*scratch)[:0]
		if !codes.IsNull(row) {
			*scratch = codes.Form.Append(*scratch, codes.Codes[row])
		}
		return *scratch
	}
}

// merge counts in what another gatherer has, which stays as it is.
func (g *gatherer) merge(o *gatherer) error {
	g.rows += o.rows
	for i := range o.columns {
		from := &o.columns[i]
		g.columns[g.dictionary(o.names[from.column], from.mark)].merge(from)
	}
	if o.spilled.Len() == 0 {
		return g.mayspill()
	}
	return spill.Merge([]*spill.Sorter{o.spilled}, func(item []byte) error {
		column, text, mark, n := fromItem(item)
		g.columns[g.dictionary(o.names[column], mark)].texts.Add(text, n)
		return g.mayspill()
	})
}

// size is roughly how many bytes the dictionaries take.
func (g *gatherer) size() int64 {
	var size int64
	for i := range g.columns {
		size += g.columns[i].size()
	}
	return size
}

// mayspill puts all texts aside where they take too much memory.
func (g *gatherer) mayspill() error {
	if g.size() <= g.limit {
		return nil
	}
	return g.spill()
}

// spill puts all texts aside, as items of column, text, mark and count.
func (g *gatherer) spill() error {
	if g.spilled == nil {
		g.spilled = spill.New(g.limit)
	}
	for i := range g.columns {
		d := &g.columns[i]
		err := d.eachValue(func(text []byte, n int) error {
			g.item = appendItem(g.item[:0], d.column, text, d.mark, n)
			return g.spilled.Add(g.item)
		})
		if err != nil {
			return err
		}
		d.clear()
	}
	return nil
}

func appendItem(dst []byte, column int, text []byte, mark, n int) []byte {
	dst = binary.BigEndian.AppendUint32(dst, uint32(column))
	dst = append(append(dst, text...), byte(mark))
	return binary.BigEndian.AppendUint64(dst, uint64(n))
}

const (
	itemHead = 4
	itemTail = 8
)

func fromItem(item []byte) (column int, text []byte, mark, n int) {
	tail := len(item) - itemTail
	return int(binary.BigEndian.Uint32(item)), item[itemHead : tail-1], int(item[tail-1]),
		int(binary.BigEndian.Uint64(item[tail:]))
}

func (g *gatherer) close() error { return g.spilled.Close() }
