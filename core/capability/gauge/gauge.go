// Package gauge tells what is in each column: how many values, how many
// different ones, what they add up to, how they are spread, and which are the
// most frequent. All of it is exact; what does not fit into memory is put into
// temporary files.
package gauge

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/finding/proof"
	"lastblock/core/finding/suspense"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/statistic"
)

// Options say what is told.
type Options struct {
	Each     bool // of each source, too
	Frequent int  // how many of the most frequent values
	Suspense *suspense.File
}

// Column is what is known of a column.
type Column struct {
	statistic.Summary
	Distinct int // different values; amounts that are equal are one

	// The quartiles of amounts: the values a quarter, half and three quarters of
	// the way from the smallest to the largest, interpolated between the two that
	// stand around that place. They are exact.
	Q1, Median, Q3 amount.Amount

	Frequent  []Frequent // the most frequent values
	NoAmounts []string   // of a column of amounts, the first texts that are none
}

// asked is a column, and of which kind it was said to be, "" for none.
type asked struct {
	name string
	kind record.Kind
}

// askedOf are the columns of some heads, in their order, with what was said of each.
func askedOf(names []string, heads ...*source.Head) []asked {
	kinds := make(map[string]record.Kind)
	var last *source.Head
	for _, head := range heads {
		if head == nil || head == last {
			continue
		}
		last = head
		for i, name := range head.Layout.Columns {
			if kind := head.Kind(i); kind != "" && kinds[name] != record.Text {
				kinds[name] = kind
			}
		}
	}
	var columns []asked
	for _, name := range names {
		columns = append(columns, asked{name, kinds[name]})
	}
	return columns
}

// Frequent is a value and how often it stands in its column.
type Frequent struct {
	Text  string
	Count int
}

// Sheet is what is known of one source.
type Sheet struct {
	Index   int // of the source in the set
	Rows    int // records that are described
	Columns []Column
}

// Result is what is known of all sources.
type Result struct {
	Rows     int
	Columns  []Column // every column of any source, in the order in which sources bring them
	Sources  []Sheet  // with Options.Each
	Findings []finding.Finding
	Proof    proof.Proof
}

// Run describes the columns of a set. The error is what reading or writing
// temporary files returned, or a *proof.FailedError.
func Run(ctx context.Context, set *source.Set, reading source.Reading, options Options) (*Result, error) {
	j := Prepare(set, reading, options)
	if err := set.Scan(ctx, reading, j.Visitor); err != nil {
		return nil, errors.Join(err, j.Close())
	}
	return j.Finish()
}

// Job is a description on its way: prepared, shown the records by its visitors, and finished.
type Job struct {
	set      *source.Set
	reading  source.Reading
	options  Options
	tally    *tally.Tally
	visitors []*visitor
}

// Prepare makes ready for the records. The caller then scans the set with the job's visitors and
// calls Finish, or Close where the scan has failed.
func Prepare(set *source.Set, reading source.Reading, options Options) *Job {
	return &Job{set: set, reading: reading, options: options,
		tally: tally.New(set, tally.Options{Every: true, Suspense: options.Suspense})}
}

// Visitor makes the visitor of one goroutine.
func (j *Job) Visitor() source.Visitor {
	limit := max(j.reading.Memory/int64(4*max(1, j.reading.Jobs)), 1<<20)
	v := &visitor{set: j.set, tally: j.tally.Visitor(), options: j.options, all: newGatherer(limit),
		memory: j.reading.Memory}
	j.visitors = append(j.visitors, v)
	return v
}

// Read is how many records the visitors have counted.
func (j *Job) Read() int { return j.tally.Read() }

// Close gives back what the job holds.
func (j *Job) Close() error {
	var errs []error
	for _, v := range j.visitors {
		errs = append(errs, v.close())
	}
	j.visitors = nil
	return errors.Join(errs...)
}

// Finish describes the columns, when all records have been visited, and gives back what the job
// holds.
func (j *Job) Finish() (result *Result, err error) {
	defer func() {
		if closing := j.Close(); err == nil {
			err = closing
		}
	}()
	t, visitors, reading, options := j.tally, j.visitors, j.reading, j.options
	if err := t.Finish(); err != nil {
		return nil, err
	}
	t.TellDiffering()
	result = &Result{Proof: t.Proof}
	var parts []*gatherer
	for _, v := range visitors {
		if v.part != nil {
			v.endSource()
		}
		parts = append(parts, v.all)
		result.Rows += v.all.rows
	}
	result.Proof.Used = result.Rows
	if err := result.Proof.Check(); err != nil {
		return nil, err
	}
	var heads []*source.Head
	for i := range t.Sources {
		heads = append(heads, t.Sources[i].Head)
	}
	if result.Columns, err = describe(parts, askedOf(t.Columns(), heads...), reading.Memory,
		options.Frequent); err != nil {
		return nil, err
	}
	tellOthers(result.Columns, &t.Findings)
	if options.Each {
		if result.Sources, err = sheets(t, visitors, reading.Memory, options.Frequent); err != nil {
			return nil, err
		}
	}
	result.Findings = t.Findings.All()
	return result, nil
}

// sheets describes each source. What several goroutines have gathered of a
// source is put together.
func sheets(t *tally.Tally, visitors []*visitor, memory int64, frequent int) ([]Sheet, error) {
	done := make(map[int]*Sheet)
	parts := make(map[int][]*gatherer)
	for _, v := range visitors {
		for i := range v.sheets {
			done[v.sheets[i].Index] = &v.sheets[i]
		}
		for i := range v.parts {
			parts[v.parts[i].index] = append(parts[v.parts[i].index], v.parts[i].gatherer)
		}
	}
	var all []Sheet
	for i := range t.Sources {
		head := t.Sources[i].Head
		if head == nil {
			continue
		}
		if sheet := done[i]; sheet != nil {
			all = append(all, *sheet)
			continue
		}
		sheet := Sheet{Index: i}
		for _, g := range parts[i] {
			sheet.Rows += g.rows
		}
		var err error
		if sheet.Columns, err = describe(parts[i], askedOf(head.Layout.Columns, head), memory, frequent); err != nil {
			return nil, err
		}
		all = append(all, sheet)
	}
	return all, nil
}

// visitor gathers what one goroutine reads.
type visitor struct {
	set     *source.Set
	tally   *tally.Visitor
	options Options
	memory  int64
	all     *gatherer

	part   *gatherer // of the source that is being read, with Options.Each
	index  int
	parts  []partOf // of sources that other goroutines read, too
	sheets []Sheet  // of sources that are done
	err    error
}

type partOf struct {
	index int
	*gatherer
}

// TakesColumns tells that values need not be taken out of records.
func (v *visitor) TakesColumns() bool { return true }

func (v *visitor) Batch(b *source.Batch) error {
	if err := v.tally.Batch(b); err != nil {
		return err
	}
	if !v.options.Each {
		return v.all.take(b, v.tally)
	}
	if v.part == nil || v.index != b.Index {
		v.endSource()
		v.index, v.part = b.Index, newGatherer(v.all.limit)
	}
	if err := v.part.take(b, v.tally); err != nil {
		return err
	}
	if b.Last && b.First {
		v.endSource()
	}
	return v.err
}

// endSource puts what was gathered of a source to the rest. A source that nobody
// else reads is described at once, which frees its values.
func (v *visitor) endSource() {
	if v.part == nil || v.err != nil {
		return
	}
	part := v.part
	v.part = nil
	if v.err = v.all.merge(part); v.err != nil {
		return
	}
	if v.set.IsShared(v.index) {
		v.parts = append(v.parts, partOf{v.index, part})
		return
	}
	sheet := Sheet{Index: v.index, Rows: part.rows}
	sheet.Columns, v.err = describe([]*gatherer{part}, askedOf(part.names, part.head), v.memory, v.options.Frequent)
	v.sheets = append(v.sheets, sheet)
	v.err = errors.Join(v.err, part.close())
}

func (v *visitor) Flush(ctx context.Context, task int) error { return v.tally.Flush(ctx, task) }

func (v *visitor) close() error {
	errs := []error{v.all.close(), v.err}
	if v.part != nil {
		errs = append(errs, v.part.close())
	}
	for _, p := range v.parts {
		errs = append(errs, p.close())
	}
	return errors.Join(errs...)
}

// tellOthers tells of columns of amounts or dates in which other values stand, too.
func tellOthers(columns []Column, findings *finding.List) {
	for i := range columns {
		c := &columns[i]
		if c.Others == 0 {
			continue
		}
		what := otherThan[c.Kind]
		f := finding.Finding{Kind: finding.OtherValues, Order: finding.End, Column: c.Column, Count: c.Others,
			Expected: what[0]}
		f.Message = fmt.Sprintf("%d values are not %s, and in no figure of the column", c.Others, what[1])
		if c.Others == 1 {
			f.Message = fmt.Sprintf("1 value is not %s, and in no figure of the column", what[0])
		}
		if len(c.NoAmounts) > 0 {
			f.Found = strings.Join(c.NoAmounts, ", ")
			f.Message += fmt.Sprintf(": %q", c.NoAmounts[0])
			for _, text := range c.NoAmounts[1:] {
				f.Message += fmt.Sprintf(", %q", text)
			}
		}
		findings.Add(f)
	}
}

// otherThan are the kinds in words, of one value and of several.
var otherThan = map[record.Kind][2]string{
	record.Amount: {"an amount", "amounts"}, record.Date: {"a date", "dates"},
	record.Flag: {"true or false", "true or false"},
}
