// Package tally does what every capability that counts has to do alike: it
// counts records and adds up amount columns per source, sets aside what cannot
// be used, tells what it noticed on the way, and keeps the figures of the
// proof. What is done with the records that can be used is for the
// capabilities.
package tally

import (
	"context"

	"lastblock/core/finding"
	"lastblock/core/finding/drop"
	"lastblock/core/finding/proof"
	"lastblock/core/finding/suspense"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
)

// Options say what is counted.
type Options struct {
	Amounts  []string       // columns to read as amounts, by name or as "#3"
	Optional []string       // of these, the ones that no source needs to have
	Columns  []string       // others that sources need to have
	Filed    bool           // tell who has sent several files for one period
	Every    bool           // every column is read as amounts that holds some
	Suspense *suspense.File // nil: what is set aside is counted only
	Whole    bool           // keep every finding, see finding.List.KeepAll
	Drop     *drop.Set      // what is left out; nil for nothing
	Both     bool           // what is left out goes into the suspense file, too, with its reason
	Silent   bool           // nothing is told of the sources, as others of the run tell it
}

// Tally is the count of one run.
type Tally struct {
	set      *source.Set
	options  Options
	visitors []*Visitor

	Sources  []Source // one per source of the set, in its order; own outputs have no Head
	Findings finding.List
	Proof    proof.Proof // all but Used

	toldDiffering bool
	twins         [][]int
}

// Source is the count of one source.
type Source struct {
	Head     *source.Head
	Decimal  byte // the decimal mark of its amounts
	Read     int  // records, the ones in suspense included
	Used     int  // records that can be used, counted where they are handed on
	Suspense int
	Dropped  int          // left out by a condition, or by Options.Drop
	Left     int          // of these, by Options.Drop
	Totals   []amount.Sum // of the records that can be used, by Options.Amounts
	Blank    []int        // records whose amount is blank
	Trailer  *source.Trailer
	set      aside
}

// aside is what does not count as used.
type aside struct {
	*amountsAside
	some *seldom // nil while there is none of it
}

// amountsAside are the amounts of records that are not used, by column.
type amountsAside struct {
	totals  []amount.Sum // of the records in suspense, as far as they are amounts
	unread  []int        // records in suspense of which they are none
	dropped []amount.Sum // of the records that a condition left out, likewise
}

// noAmounts is what sources share where no column is read as amounts.
var noAmounts amountsAside

// seldom is what most of a hundred thousand sources have none of.
type seldom struct {
	hidden      int // rows that are hidden
	quotes      int // records in suspense because of quotes
	blank       int // blank lines
	totalLines  []source.TotalLine
	padded      padded // records that were filled up
	guessed     string // the encoding that was guessed, and the first line that needed it
	guessedLine int
	left        map[drop.Reason]*left
	repeated    []int // lines on which the header stands again

	missed, blanked []record.Told // see record.Batch
}

// none is what sources have none of. Nothing is written to it.
var none seldom

// seldom is read.
func (a *aside) seldom() *seldom {
	if a.some == nil {
		return &none
	}
	return a.some
}

// noted is seldom, to be written to.
func (a *aside) noted() *seldom {
	if a.some == nil {
		a.some = new(seldom)
	}
	return a.some
}

// Whole is a total of all records that are amounts there, the ones that a
// condition left out with them: what a branch declares speaks of its file, without what somebody has decided to leave
// out.
func (s *Source) Whole(total int) amount.Amount {
	var whole amount.Sum
	whole.Merge(&s.Totals[total])
	whole.Merge(&s.set.dropped[total])
	for _, left := range s.set.seldom().left {
		whole.Sub(left.totals[total].Amount())
	}
	return whole.Amount()
}

// New makes a tally of a set.
func New(set *source.Set, options Options) *Tally {
	t := &Tally{set: set, options: options}
	set.Need(options.Amounts...)
	set.Need(options.Columns...)
	if options.Whole {
		t.Findings.KeepAll()
	}
	for _, name := range options.Drop.Sources() {
		if options.Drop.Of(name).HasRecords() {
			set.KeepSent(name)
		}
	}
	return t
}

// Amounts are the columns that are read as amounts.
func (t *Tally) Amounts() []string { return t.options.Amounts }

// Visitor counts what one goroutine of a scan reads. A capability's visitor
// calls Batch and Flush first thing in its own.
type Visitor struct {
	tally    *Tally
	suspense *suspense.Buffer
	index    int          // of the source that was visited last
	at       *Source      // its counts; nil before the first one
	shared   []entry      // of sources that others may read, too
	head     *source.Head // for which columns is right
	columns  []int        // index of each amount column, -1 where the source lacks it
	counted  int          // records, of all batches
	read     []amount.Sum // by column, likewise
	batch    []amount.Sum // of this one
	bad      []badValue
	scratch  []byte
	keep     []bool
	print    equality.Print

	// Findings are what was noticed; a capability adds what it notices itself.
	Findings finding.List

	// Aside, where it is set, is given each record of a batch that is not used, before Batch returns.
	Aside func(a *Aside)

	// OnlySums says that nobody asks for Values, which are then mostly not kept.
	OnlySums bool

	// Rows are the rows of the batch that can be used, nil if that is all of
	// them, and Values their amounts, row after row.
	Rows   []int
	Values []amount.Amount
	Plain  bool // all amounts of the batch stand there in their plain form
}

// entry is what one goroutine counts of a source that several read.
type entry struct {
	index int
	*Source
}

// Read is how many records the visitors have counted so far. None of them must be in use.
func (t *Tally) Read() int {
	read := 0
	for _, v := range t.visitors {
		read += v.counted
	}
	return read
}

// Visitor makes the visitor of one goroutine. It must not be called while
// another one is being used.
func (t *Tally) Visitor() *Visitor {
	t.makeRoom()
	v := &Visitor{
		tally:    t,
		suspense: t.options.Suspense.Buffer(),
		read:     make([]amount.Sum, len(t.options.Amounts)),
		batch:    make([]amount.Sum, len(t.options.Amounts)),
		columns:  make([]int, len(t.options.Amounts)),
	}
	if t.options.Whole {
		v.Findings.KeepAll()
	}
	t.visitors = append(t.visitors, v)
	return v
}

// makeRoom makes room for the counts of all sources, of which there are no more and no fewer once they are read.
func (t *Tally) makeRoom() {
	if t.Sources == nil {
		t.Sources = make([]Source, len(t.set.Sources))
	}
}

// Batch counts a batch, and leaves in v.Rows and v.Values what can be used. The
// error is always nil.
func (v *Visitor) Batch(b *source.Batch) error {
	entry := v.enter(b)
	drops := v.tally.options.Drop.Of(v.tally.set.Sources[b.Index].Name)
	_, gone := drops.Whole()
	left := v.take(b, drops)
	if b.First && !gone {
		v.lookAtHead(b)
	}
	entry.Read += b.Arrived
	v.counted += b.Arrived
	if b.Trailer != nil {
		entry.Trailer = b.Trailer
	}
	if b.Blank+b.Hidden+len(b.Totals)+len(b.Repeated)+len(b.Missed)+len(b.Blanked)+len(b.Padded) > 0 ||
		b.Guessed != "" {
		entry.set.noted().note(b)
	}
	for i := range b.Refused {
		reason, isLeft := left.reason(b.Refused[i].Rank - 1)
		switch {
		case isLeft:
			v.leaveRefused(b, entry, i, reason)
		case !v.isDoubtful(b, b.Refused[i].Line):
			v.refuse(b, entry, i)
		}
	}
	v.Rows, v.Values, v.Plain = nil, v.Values[:0], true
	v.giveDropped(b)
	v.leaveOut(b, entry, left)
	if !gone {
		for i := range b.Doubtful {
			v.doubt(b, entry, &b.Doubtful[i])
		}
	}
	if b.Dropped != nil {
		v.drop(b, entry)
	}
	if len(v.columns) > 0 {
		v.readAmounts(b, entry)
	}
	v.breakRows(b)
	entry.Used += v.Usable(b)
	return nil
}

// note notes what a batch has of it.
func (s *seldom) note(b *source.Batch) {
	s.blank += b.Blank
	s.hidden += b.Hidden
	s.totalLines = append(s.totalLines, b.Totals...)
	if b.Guessed != "" && s.guessed == "" {
		s.guessLine(b)
	}
	s.repeated = append(s.repeated, b.Repeated...)
	s.noteExpressions(b.Missed, b.Blanked)
	s.padded.count(b)
}

// Usable is how many rows of the batch can be used.
func (v *Visitor) Usable(b *source.Batch) int {
	if v.Rows == nil {
		return b.Batch.Rows
	}
	return len(v.Rows)
}

// Row returns which row of the batch the i-th usable one is.
func (v *Visitor) Row(i int) int {
	if v.Rows == nil {
		return i
	}
	return v.Rows[i]
}

// Flush ends a task.
func (v *Visitor) Flush(ctx context.Context, task int) error { return v.suspense.Flush(ctx, task) }

// Part gives away what a task has set aside so far.
func (v *Visitor) Part(ctx context.Context, task int) error { return v.suspense.Part(ctx, task) }

// enter returns the counts of the batch's source. Those of a source that one goroutine reads alone are at once where
// they will be looked for: of a hundred thousand sources, all else would be there twice.
func (v *Visitor) enter(b *source.Batch) *Source {
	if v.at != nil && v.index == b.Index {
		return v.at
	}
	if b.Head != v.head {
		v.head = b.Head
		for i, column := range v.tally.options.Amounts {
			index, ok := b.Head.Layout.Find(column)
			if !ok {
				index = -1
			}
			v.columns[i] = index
		}
	}
	if v.index = b.Index; v.tally.set.IsShared(b.Index) {
		v.at = new(Source)
		v.shared = append(v.shared, entry{b.Index, v.at})
	} else {
		v.at = &v.tally.Sources[b.Index]
	}
	if b.First || v.at.Head == nil { // fresh memory is not looked at before it is written to, which costs twice
		v.at.begin(b, len(v.columns))
	}
	return v.at
}

// begin makes s the counts of a source of which nothing was counted, with n columns of amounts.
func (s *Source) begin(b *source.Batch, n int) {
	sums, counts, set := make([]amount.Sum, 3*n), make([]int, 2*n), &noAmounts
	if n > 0 {
		set = &amountsAside{totals: sums[n : 2*n : 2*n], unread: counts[n:], dropped: sums[2*n:]}
	}
	s.Head, s.Decimal, s.Totals, s.Blank, s.set.amountsAside = b.Head, b.Decimal, sums[:n:n], counts[:n:n], set
}

// drop counts what a condition left out. What is no amount there does no harm.
func (v *Visitor) drop(b *source.Batch, entry *Source) {
	entry.Dropped += b.Dropped.Rows
	for i, column := range v.columns {
		if column < 0 {
			continue
		}
		for row := range b.Dropped.Rows {
			value, err := amount.Parse(b.Dropped.Text(row, column, &v.scratch), b.DecimalOf(column))
			if err == nil {
				v.read[i].Add(value)
				entry.set.dropped[i].Add(value)
			}
		}
	}
}

// Finish puts the visitors' counts together. Nothing may be counted after it.
func (t *Tally) Finish() error {
	t.makeRoom()
	n := len(t.options.Amounts)
	t.Proof.Totals = make([]proof.Total, n)
	read, aside, dropped := make([]amount.Sum, n), make([]amount.Sum, n), make([]amount.Sum, n)
	for _, v := range t.visitors {
		t.Findings.Merge(&v.Findings)
		for i := range v.read {
			read[i].Merge(&v.read[i])
		}
		for _, part := range v.shared {
			t.Sources[part.index].merge(part.Source)
		}
	}
	for i := range t.Sources {
		s := &t.Sources[i]
		t.Proof.Read += s.Read
		t.Proof.Suspense += s.Suspense
		t.Proof.Dropped += s.Dropped
		for k := range s.Totals {
			aside[k].Merge(&s.set.totals[k])
			t.Proof.Totals[k].Unread += s.set.unread[k]
			dropped[k].Merge(&s.set.dropped[k])
		}
		if s.Head != nil && !t.isGone(i) && !t.options.Silent {
			t.tell(i, s)
		}
		if s.Head != nil {
			t.tellLeft(i, s)
		}
	}
	t.tellNoText()
	TellSpellings(t.set, &t.Findings)
	for k, column := range t.options.Amounts {
		total := &t.Proof.Totals[k]
		total.Column, total.Read = column, read[k].Amount()
		total.Suspense, total.Dropped = aside[k].Amount(), dropped[k].Amount()
	}
	if err := t.tellTwins(); err != nil {
		return err
	}
	if t.options.Filed {
		if err := t.tellFiled(); err != nil {
			return err
		}
	}
	if t.set.Mode == source.StrictColumns {
		t.TellDiffering()
	}
	return t.checkColumns()
}

func (s *seldom) merge(o *seldom) {
	s.hidden += o.hidden
	s.quotes += o.quotes
	s.blank += o.blank
	s.totalLines = append(s.totalLines, o.totalLines...)
	s.padded.merge(o.padded)
	if o.guessed != "" && (s.guessed == "" || o.guessedLine < s.guessedLine) {
		s.guessed, s.guessedLine = o.guessed, o.guessedLine
	}
	s.mergeLeft(o)
	s.repeated = append(s.repeated, o.repeated...)
	s.noteExpressions(o.missed, o.blanked)
}

func (s *Source) merge(o *Source) {
	if s.Head == nil {
		*s = *o
		return
	}
	s.Read += o.Read
	s.Used += o.Used
	s.Suspense += o.Suspense
	s.Dropped += o.Dropped
	s.Left += o.Left
	if o.Trailer != nil {
		s.Trailer = o.Trailer
	}
	if o.set.some != nil {
		s.set.noted().merge(o.set.some)
	}
	for i := range o.Totals {
		s.Totals[i].Merge(&o.Totals[i])
		s.set.totals[i].Merge(&o.set.totals[i])
		s.set.unread[i] += o.set.unread[i]
		s.set.dropped[i].Merge(&o.set.dropped[i])
		s.Blank[i] += o.Blank[i]
	}
}
