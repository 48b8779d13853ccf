// Package matching brings records together that have one key, from two sets of
// sources or from many files, however many records there are, and puts what is
// made of them back into the order in which the records came. What is to be done
// with records that have one key is for the capabilities.
package matching

import (
	"bytes"
	"context"
	"slices"
	"sync"

	"lastblock/core/finding/drop"
	"lastblock/core/finding/proof"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/kind"
)

// Side is a set of sources whose records are brought together with others.
type Side struct {
	Set     *source.Set
	Drop    *drop.Set // what is left out
	Kinds   bool      // find out of what kinds the columns are by all values, and not by those a source begins with
	Columns []string  // of its records: those of the data, then the words of file names
	Data    int       // how many of them are data
	Unused  []bool    // by column: nobody needs its texts, and takers are given none; nil for none
	Require []int     // columns that every source is to have, or it is told
	Needed  []int     // columns that the takers look at; others may have no texts where records are dealt as they stand
	Amounts []int     // of Columns, those that are read as amounts

	Tally    *tally.Tally    // once it was read
	Evidence []kind.Evidence // of what kinds they are, by column

	resolver *tally.Resolver
	columns  []tally.Column
	decimals [][]byte // by source and column
	first    []uint64 // by source: the number of its first line among all lines
	lines    uint64   // of all sources
}

// Look reads the heads of the sources, and finds out which columns there are.
// Columns that are read as amounts come with the reading.
func (s *Side) Look(ctx context.Context, reading source.Reading) error {
	if err := s.Set.Look(ctx, reading); err != nil {
		return err
	}
	s.resolver = tally.NewResolver(s.Set)
	s.Columns = slices.Clone(s.resolver.Data())
	s.Data = len(s.Columns)
	for _, ours := range s.resolver.Ours {
		if ours.Word != record.SourceColumn && ours.Word != record.LineColumn {
			s.Columns = append(s.Columns, ours.Name)
		}
	}
	s.columns = nil
	for _, name := range s.Columns {
		column, err := s.resolver.Resolve(name)
		if err != nil {
			return err
		}
		s.columns = append(s.columns, column)
	}
	s.decimals = make([][]byte, len(s.Set.Sources))
	return nil
}

// Find returns which of Columns a name, or a position such as "#3", means. The
// error is a *tally.UnknownColumnError.
func (s *Side) Find(name string) (int, error) {
	if at := slices.Index(s.Columns, name); at >= 0 {
		return at, nil
	}
	column, err := s.resolver.Resolve(name)
	if err != nil {
		return 0, err
	}
	return slices.Index(s.Columns, column.Name), nil
}

// Word is the word of names of sources that a column is, "" for none.
func (s *Side) Word(column int) string {
	if column >= len(s.columns) {
		return "" // it was computed
	}
	return s.columns[column].Word()
}

// ReadAmounts has a column read as amounts, and tells which of Amounts it is.
func (s *Side) ReadAmounts(column int) int {
	if at := slices.Index(s.Amounts, column); at >= 0 {
		return at
	}
	s.Amounts = append(s.Amounts, column)
	return len(s.Amounts) - 1
}

// Record is a record that is being read. What it points to is good until Take
// returns.
type Record struct {
	Place    record.Place
	Texts    [][]byte // by Side.Columns; what is read as an amount in its plain form
	Decimals []byte   // decimal marks, by column
	Values   []amount.Amount

	// all texts of the data, one behind another with a byte between them; nil where they do not stand so
	raw    []byte
	bounds []uint32 // of the texts in raw, see record.Batch
	quoted bool     // of those some are in quotes, in which there are no others
	sent   []byte   // decimal marks that amounts had when they were sent, by column
}

// Changed says that the taker has changed some of Texts.
func (r *Record) Changed() { r.raw = nil }

// Taker is given the records that one goroutine reads.
type Taker interface{ Take(r *Record) error }

// Job is the reading of a side on its way: prepared, shown the records by its visitors, and
// finished.
type Job struct {
	side     *Side
	taker    func() Taker
	visitors []*visitor
	mutex    sync.Mutex // guards the side's decimals
}

// Read reads all sources and gives every record that can be used to the takers, of
// which each goroutine has its own. The proof is all but Used.
func (s *Side) Read(ctx context.Context, reading source.Reading, taker func() Taker) error {
	j := s.Prepare(taker)
	if err := s.Set.Scan(ctx, reading, j.Visitor); err != nil {
		return err
	}
	return j.Finish()
}

// Prepare makes ready for the records. The caller then scans the set with the job's visitors and
// calls Finish.
func (s *Side) Prepare(taker func() Taker) *Job {
	options := tally.Options{Drop: s.Drop, Every: true}
	for _, column := range s.Amounts {
		options.Amounts = append(options.Amounts, s.Columns[column])
	}
	for _, column := range s.Require {
		if column < s.Data { // words of file names are no columns of a source
			options.Columns = append(options.Columns, s.Columns[column])
		}
	}
	s.Tally = tally.New(s.Set, options)
	return &Job{side: s, taker: taker}
}

// Visitor makes the visitor of one goroutine.
func (j *Job) Visitor() source.Visitor {
	s := j.side
	v := &visitor{
		side: s, tally: s.Tally.Visitor(), taker: j.taker(), mutex: &j.mutex, last: make(map[int]int),
		scratch: make([][]byte, len(s.Columns)), bound: tally.NewBinding(s.Set, s.columns),
		evidence: make([]kind.Evidence, len(s.Columns)),
	}
	v.record.Texts = make([][]byte, len(s.Columns))
	j.visitors = append(j.visitors, v)
	return v
}

// Read is how many records the visitors have counted.
func (j *Job) Read() int { return j.side.Tally.Read() }

// Finish puts together what is known of the side, when all records have been visited.
func (j *Job) Finish() error {
	s := j.side
	if err := s.Tally.Finish(); err != nil {
		return err
	}
	last := make([]uint64, len(s.Set.Sources))
	s.Evidence = make([]kind.Evidence, len(s.Columns))
	for _, v := range j.visitors {
		for index, line := range v.last {
			last[index] = max(last[index], uint64(line))
		}
		for i := range v.evidence {
			s.Evidence[i].Merge(&v.evidence[i])
		}
	}
	s.first, s.lines = make([]uint64, len(last)), 0
	for i, lines := range last {
		s.first[i] = s.lines
		s.lines += lines + 1
	}
	return nil
}

// Proof is that of reading the side, in which nothing is used yet.
func (s *Side) Proof() proof.Proof { return s.Tally.Proof }

// Number is the number of a place among all lines of the side, which are Lines.
func (s *Side) Number(p record.Place) uint64 { return s.first[p.Source()] + uint64(p.Line()) }

// Lines is how many lines all sources have together.
func (s *Side) Lines() uint64 { return s.lines }

// DecimalsOf are the decimal marks of a source, by column.
func (s *Side) DecimalsOf(index int) []byte { return s.decimals[index] }

// OneDecimal is the decimal mark of all sources, or 0 where they have several.
func (s *Side) OneDecimal() byte {
	mark := byte(0)
	for _, decimals := range s.decimals {
		for column, decimal := range decimals {
			if slices.Contains(s.Amounts, column) {
				continue
			}
			if mark != 0 && mark != decimal {
				return 0
			}
			mark = decimal
		}
	}
	return mark
}

// visitor hands records on to a taker.
type visitor struct {
	side     *Side
	tally    *tally.Visitor
	taker    Taker
	mutex    *sync.Mutex
	record   Record
	bound    *tally.Binding
	straight bool // the source has the columns of the side, in their order
	scratch  [][]byte
	unquoted []byte // a record, and
	ends     []uint32
	last     map[int]int // line of the last record, by source
	evidence []kind.Evidence
}

func (v *visitor) Batch(b *source.Batch) error {
	if err := v.tally.Batch(b); err != nil {
		return err
	}
	v.bind(b)
	n, width := v.tally.Usable(b), len(v.side.Amounts)
	if n == 0 {
		return nil
	}
	r := &v.record
	last := 0
	bound := v.bound.Bound
	straight := v.straight && b.Head.Delimiter != 0 && v.tally.Plain
	for i := range n {
		row := v.tally.Row(i)
		line := b.Line(row)
		last = max(last, line)
		r.Place, r.raw = record.PlaceOf(b.Index, line), nil
		r.Values = v.tally.Values[i*width : (i+1)*width]
		sampled := v.side.Kinds || b.First && i < mostSampled
		data := b.Data
		if straight {
			r.bounds, r.quoted = b.RecordBounds(row), false
			if b.Quoted {
				var plain bool
				if r.quoted, plain = quotes(data, r.bounds); !plain {
					data, r.bounds = v.unquote(data, r.bounds)
					r.quoted = false
				}
			}
			r.raw = data[r.bounds[0]+1 : r.bounds[b.Width]]
		}
		if !straight || sampled {
			v.take(b, row)
		} else {
			for _, k := range v.side.Needed {
				if at := bound[k].Column; at >= 0 {
					r.Texts[k] = within(data[r.bounds[at]+1:r.bounds[at+1]:r.bounds[at+1]], r.quoted)
				}
			}
		}
		if !v.tally.Plain {
			for k, column := range v.side.Amounts {
				v.setAmount(column, r.Values[k])
			}
		}
		if sampled {
			for k := range v.evidence {
				v.evidence[k].Add(r.Texts[k], r.Decimals[k], 1)
			}
		}
		if err := v.taker.Take(r); err != nil {
			return err
		}
	}
	v.last[b.Index] = max(v.last[b.Index], last)
	return nil
}

// take takes the texts of a record.
func (v *visitor) take(b *source.Batch, row int) {
	r, bound := &v.record, v.bound.Bound
	bounds := b.RecordBounds(row)
	for k := range bound {
		at := bound[k].Column
		if at < 0 {
			continue
		}
		text := b.Data[bounds[at]+1 : bounds[at+1] : bounds[at+1]]
		if b.Quoted && len(text) > 0 && text[0] == '"' {
			text = record.Unquoted(text, &v.scratch[k])
		}
		r.Texts[k] = text
	}
}

// unquote makes a record without quotes, with its bounds, of one that has some. What stands between quoted texts is
// copied in one piece.
func (v *visitor) unquote(data []byte, bounds []uint32) ([]byte, []uint32) {
	made, ends := append(v.unquoted[:0], 0), append(v.ends[:0], 0) // the first byte is for what stands before the texts
	copied := bounds[0] + 1                                        // up to here
	for k, end := range bounds[1:] {
		from := bounds[k] + 1
		if from < end && data[from] == '"' {
			made = append(made, data[copied:from]...)
			made = append(made, record.Unquoted(data[from:end], &v.scratch[k])...)
			copied = end
		}
		ends = append(ends, uint32(len(made))+end-copied)
	}
	v.unquoted, v.ends = append(made, data[copied:bounds[len(bounds)-1]]...), ends
	return v.unquoted, ends
}

// quotes tells whether any of the texts between some bounds is in quotes, and whether all that are have no others in
// them. Such records are dealt as they stand: made without quotes, they took a tenth longer to reconcile than others.
func quotes(data []byte, bounds []uint32) (some, plain bool) {
	for k := 1; k < len(bounds); k++ {
		if from := bounds[k-1] + 1; from < bounds[k] && data[from] == '"' {
			if some = true; bytes.IndexByte(data[from+1:bounds[k]-1], '"') >= 0 {
				return true, false
			}
		}
	}
	return some, true
}

// within is what is between the quotes of a text, which it has only in records with some.
func within(text []byte, quoted bool) []byte {
	if quoted && len(text) > 0 && text[0] == '"' {
		return text[1 : len(text)-1 : len(text)-1]
	}
	return text
}

// mostSampled is how many records of a source tell of what kinds its columns are.
const mostSampled = 1000

// setAmount puts the plain form of an amount in the place of its text; one that is
// blank stays so.
func (v *visitor) setAmount(column int, value amount.Amount) {
	text := v.record.Texts[column]
	if coef, scale, ok := amount.ParsePlain(text, '.'); ok && v.record.sent[column] == '.' &&
		amount.New(coef, int(scale)) == value {
		return // it has it already
	}
	if value.Sign() == 0 {
		if _, err := amount.Parse(text, v.record.sent[column]); err != nil {
			v.record.Texts[column] = nil
			return
		}
	}
	v.scratch[column] = value.Append(v.scratch[column][:0])
	v.record.Texts[column] = v.scratch[column]
}

// bind finds the columns in the source of a batch.
func (v *visitor) bind(b *source.Batch) {
	if !v.bound.To(b) {
		return
	}
	v.straight = v.side.Unused == nil && slices.Equal(b.Head.Layout.Columns, v.side.Columns[:v.side.Data])
	for _, word := range v.bound.Bound[v.side.Data:] { // which would be taken for a text in quotes
		v.straight = v.straight && !bytes.HasPrefix(word.Constant, []byte{'"'})
	}
	v.record.sent = append(v.record.sent[:0], v.bound.Decimals...)
	for k := range v.side.columns {
		if v.side.Unused != nil && v.side.Unused[k] {
			v.bound.Bound[k], v.record.sent[k] = tally.Bound{Column: -1}, '.'
		}
		v.record.Texts[k] = v.bound.Bound[k].Constant
	}
	v.mutex.Lock()
	defer v.mutex.Unlock()
	if v.side.decimals[b.Index] == nil {
		decimals := slices.Clone(v.record.sent)
		for _, k := range v.side.Amounts {
			decimals[k] = '.' // they come in their plain form
		}
		v.side.decimals[b.Index] = decimals
	}
	v.record.Decimals = v.side.decimals[b.Index]
}

func (v *visitor) Flush(ctx context.Context, task int) error { return v.tally.Flush(ctx, task) }
