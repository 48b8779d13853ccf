// Package intake tells what arrived: how each source is written, how many
// records and which columns it holds, from when to when, and what differs
// between sources. It changes and combines nothing.
package intake

import (
	"cmp"
	"context"
	"fmt"
	"unicode/utf8"

	"lastblock/core/finding"
	"lastblock/core/finding/proof"
	"lastblock/core/format/decode"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/date"
	"lastblock/core/value/kind"
)

// Options say what is looked at.
type Options struct {
	Head int // how many first rows to keep of each source
}

// Column is what is known of a column, of one source or of all of them.
type Column struct {
	Name    string
	Kind    record.Kind
	Sources int    // how many sources have it
	Filled  int    // values that are not blank
	Others  int    // of these, the ones that are not of the kind
	Code    string // why figures are taken for codes, "" where they are not
	Scale   int    // of amounts: the most digits behind the decimal mark
}

// Sheet is what is known of one source.
type Sheet struct {
	Index     int // of the source in the set
	Head      *source.Head
	Encoding  string // "utf-8", another one that was found or asked for, or "not utf-8"
	Packed    string // the compression it lay in, "" for none
	Separated string // see source.Batch
	Decimal   byte   // the decimal mark of its amounts
	Rows      int    // records, the ones that cannot be read included
	Columns   []Column
	FirstDate string // ISO 8601, of the first date column; "" where none is clear
	LastDate  string
	First     [][]string // the first rows

	unclear []string // columns of dates whose order is not proven
}

// Result is what arrived.
type Result struct {
	Sources  []Sheet
	Columns  []Column // every column of any source, in the order in which sources bring them
	Rows     int
	Findings []finding.Finding
	Proof    proof.Proof
}

// Run looks at a set. The error is what reading returned.
func Run(ctx context.Context, set *source.Set, reading source.Reading, options Options) (*Result, error) {
	j := Prepare(set, options)
	if err := set.Scan(ctx, reading, j.Visitor); err != nil {
		return nil, err
	}
	return j.Finish()
}

// Job is a look on its way: prepared, shown the records by its visitors, and finished.
type Job struct {
	set      *source.Set
	options  Options
	tally    *tally.Tally
	visitors []*visitor
}

// Prepare makes ready for the records. The caller then scans the set with the job's visitors and
// calls Finish.
func Prepare(set *source.Set, options Options) *Job {
	return &Job{set: set, options: options, tally: tally.New(set, tally.Options{Every: true})}
}

// Visitor makes the visitor of one goroutine.
func (j *Job) Visitor() source.Visitor {
	v := &visitor{tally: j.tally.Visitor(), options: j.options}
	j.visitors = append(j.visitors, v)
	return v
}

// Read is how many records the visitors have counted.
func (j *Job) Read() int { return j.tally.Read() }

// Finish puts together what arrived, when all records have been visited. The error is a
// *proof.FailedError.
func (j *Job) Finish() (*Result, error) {
	t, set, visitors := j.tally, j.set, j.visitors
	if err := t.Finish(); err != nil {
		return nil, err
	}
	t.TellDiffering()
	found := make([]columns, len(set.Sources))
	for _, v := range visitors {
		for i := range v.sources {
			found[v.sources[i].index].merge(&v.sources[i])
		}
	}
	for i := range found {
		if line := found[i].notUTF8; line > 0 {
			t.Findings.Add(finding.Finding{
				Kind: finding.NotUTF8, Source: set.Sources[i].Name, Order: i, Line: line,
				Message: "some bytes are no UTF-8, first on this line; they are kept as they were sent",
			})
		}
	}
	result := &Result{Proof: t.Proof}
	all := newUnion()
	for i := range t.Sources {
		counted := &t.Sources[i]
		if counted.Head == nil {
			continue
		}
		s := sheet(i, counted, &found[i])
		for _, c := range s.unclear {
			t.Findings.Add(finding.Finding{
				Kind: finding.DateUnclear, Source: set.Sources[i].Name, Sheet: set.Sources[i].Sheet(), Order: i,
				Column: c,
				Message: fmt.Sprintf("no date of this column proves whether the day or the month comes first; say "+
					"it with ⟨as⟩ %s=date:dmy or date:mdy", c),
			})
		}
		result.Sources = append(result.Sources, s)
		result.Rows += counted.Read
		result.Proof.Used += counted.Used
		all.add(counted.Head, found[i].stats)
	}
	result.Columns, result.Findings = all.columns(), t.Findings.All()
	return result, result.Proof.Check()
}

// columns are the counts of one source's columns.
type columns struct {
	index   int
	stats   []kind.Evidence
	first   [][]string
	layers  []decode.Layer
	parted  string // see source.Batch.Separated
	decimal byte   // found out before the first batch
	guessed string // the encoding it was taken for
	notUTF8 int    // the first line with bytes that are no UTF-8, 0 for none
}

func (c *columns) merge(o *columns) {
	if c.stats == nil {
		c.stats = o.stats
	} else {
		for i := range c.stats {
			c.stats[i].Merge(&o.stats[i])
		}
	}
	if o.first != nil {
		c.first = o.first
	}
	if o.layers != nil {
		c.layers = o.layers
	}
	c.parted = cmp.Or(c.parted, o.parted)
	c.decimal = max(c.decimal, o.decimal)
	if o.guessed != "" {
		c.guessed = o.guessed
	}
	c.tellNotUTF8(o.notUTF8)
}

// tellNotUTF8 keeps the first line that is not.
func (c *columns) tellNotUTF8(line int) {
	if line > 0 && (c.notUTF8 == 0 || line < c.notUTF8) {
		c.notUTF8 = line
	}
}

// sheet sums up one source.
func sheet(index int, counted *tally.Source, found *columns) Sheet {
	s := Sheet{Index: index, Head: counted.Head, Encoding: "utf-8", Decimal: found.decimal, Rows: counted.Read,
		First: found.first, Separated: found.parted}
	for _, layer := range found.layers {
		if layer.Packed() {
			s.Packed = string(layer)
		} else {
			s.Encoding = string(layer)
		}
	}
	switch {
	case found.guessed != "":
		s.Encoding = found.guessed
	case found.notUTF8 > 0:
		s.Encoding = "not utf-8"
	}
	if counted.Head.Mark {
		s.Encoding += " with mark"
	}
	dated := false
	for i, name := range counted.Head.Layout.Columns {
		stats := &found.stats[i]
		is, others := stats.Kind(name)
		if asked := counted.Head.Kind(i); asked != "" {
			is, others = asked, 0 // what is of another kind was refused
		}
		s.Columns = append(s.Columns, Column{Name: name, Kind: is, Sources: 1, Filled: stats.Filled, Others: others,
			Scale: stats.Scale})
		if is == record.Date && stats.IsUnclear() && counted.Head.Kind(i) == "" {
			s.unclear = append(s.unclear, name)
		}
		if is == record.Date && !dated {
			dated = true
			if first, last, ok := stats.Between(); ok {
				s.FirstDate, s.LastDate = date.String(first), date.String(last)
			}
		}
	}
	return s
}

// union adds up columns of the same name.
type union struct {
	names []string
	at    map[string]int
	stats []kind.Evidence
	count []int
	asked []record.Kind // the kind that was asked for in some source, "" for none
}

func newUnion() *union { return &union{at: make(map[string]int)} }

func (u *union) add(head *source.Head, found []kind.Evidence) {
	for i, name := range head.Layout.Columns {
		at, ok := u.at[name]
		if !ok {
			at = len(u.names)
			u.at[name] = at
			u.names = append(u.names, name)
			u.stats = append(u.stats, kind.Evidence{})
			u.count = append(u.count, 0)
			u.asked = append(u.asked, "")
		}
		if asked := head.Kind(i); asked != "" {
			u.asked[at] = asked
		}
		u.stats[at].Merge(&found[i])
		u.count[at]++
	}
}

func (u *union) columns() []Column {
	var all []Column
	for i, name := range u.names {
		is, others := u.stats[i].Kind(name)
		code := ""
		if is == record.Text {
			code = u.stats[i].Code(name)
		}
		if u.asked[i] != "" && (others == 0 || u.asked[i] == record.Text) {
			is, others, code = u.asked[i], 0, ""
		}
		all = append(all, Column{Name: name, Kind: is, Sources: u.count[i], Filled: u.stats[i].Filled, Others: others,
			Scale: u.stats[i].Scale, Code: code})
	}
	return all
}

// visitor looks at what one goroutine reads.
type visitor struct {
	tally   *tally.Visitor
	options Options
	sources []columns
	scratch []byte
}

func (v *visitor) Batch(b *source.Batch) error {
	if err := v.tally.Batch(b); err != nil {
		return err
	}
	if n := len(v.sources); n == 0 || v.sources[n-1].index != b.Index {
		v.sources = append(v.sources, columns{index: b.Index, stats: make([]kind.Evidence, b.Width)})
	}
	found := &v.sources[len(v.sources)-1]
	if b.First {
		found.first, found.layers, found.decimal, found.parted = v.firstRows(b), b.Layers, b.Decimal, b.Separated
		if !utf8.Valid(b.Head.Header) {
			found.tellNotUTF8(b.Head.Line)
		}
	}
	if b.Guessed != "" {
		found.guessed = b.Guessed
	} else if !utf8.Valid(b.Data) {
		for row := range b.Batch.Rows {
			if !utf8.Valid(b.Raw(row)) {
				found.tellNotUTF8(b.Line(row))
				break
			}
		}
	}
	for column := range found.stats {
		stats, decimal := &found.stats[column], b.DecimalOf(column)
		for row := range b.Batch.Rows {
			stats.Add(b.Text(row, column, &v.scratch), decimal, 1)
		}
	}
	return nil
}

func (v *visitor) Flush(ctx context.Context, task int) error { return v.tally.Flush(ctx, task) }

// firstRows keeps the first rows of a source.
func (v *visitor) firstRows(b *source.Batch) [][]string {
	rows := [][]string{}
	for row := range min(v.options.Head, b.Batch.Rows) {
		texts := make([]string, b.Width)
		for column := range texts {
			texts[column] = string(b.Text(row, column, &v.scratch))
		}
		rows = append(rows, texts)
	}
	return rows
}
