// Package prove decides whether two sets of sources hold the same records,
// whatever their order, the borders of their files, their format, and how their
// numbers are written.
package prove

import (
	"cmp"
	"context"
	"errors"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/finding/proof"
	"lastblock/core/large/prints"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/statistic"
)

// Options say how records are compared.
type Options struct {
	Exact bool // values are equal only where their texts are
	First int  // how many of the records that only one side has are told one by one
}

// Side is what is known of one of the two sets.
type Side struct {
	Rows        int // records that are compared
	Columns     []statistic.Summary
	OnlyColumns []string // that the other side lacks
	Only        int      // records that the other side lacks
	First       []Record // the first ones of them
	Findings    []finding.Finding
	Proof       proof.Proof
}

// Total is the sum of a column; ok is false where it holds no amounts.
func (s *Side) Total(column string) (total amount.Amount, ok bool) {
	for i := range s.Columns {
		if s.Columns[i].Column == column && s.Columns[i].Has {
			return s.Columns[i].Sum, true
		}
	}
	return amount.Amount{}, false
}

// Record is a record that only one side has.
type Record struct {
	Index int // of the source in its set
	Line  int
	Texts []string // by Result.Compared; nil where the source cannot be read again
}

// Result is the verdict on two sets, and what is known of each.
type Result struct {
	Equal    bool
	Compared []string // the columns that both sides have, in the order of the left one
	Left     Side
	Right    Side
}

// Run compares two sets. Records are compared by fingerprints of 128 bits; that
// two different sets have the same ones does not happen by chance. Where they
// are not equal, both are read once more to find out where. Values are compared
// by what they mean: amounts that are equal, and dates that are the same day,
// are equal however they are written, but digits with a leading zero of them
// are a code. In a column of amounts a dash is zero. Records that cannot be read are compared by their text. The error
// is what reading returned, or a *proof.FailedError.
func Run(ctx context.Context, left, right *source.Set, reading source.Reading, options Options) (*Result, error) {
	j, err := Prepare(ctx, left, right, reading, options)
	if err != nil {
		return nil, err
	}
	for _, s := range j.comparison.sides {
		if err := j.comparison.scan(ctx, s, reading.Progress); err != nil {
			return nil, errors.Join(err, j.Close())
		}
	}
	return j.Finish(ctx)
}

// Job is a comparison on its way: prepared, shown the records by the visitors of its members, and
// finished.
type Job struct {
	comparison *comparison
	piped      bool // a source cannot be read twice
}

// Prepare finds out which columns are compared. The caller then scans each set, partially, with
// the visitors of its member, and calls Finish, or Close where a scan has failed.
func Prepare(ctx context.Context, left, right *source.Set, reading source.Reading, options Options) (*Job, error) {
	c := &comparison{options: options, reading: reading, sides: [2]*side{{set: left}, {set: right}}}
	if err := c.look(ctx); err != nil {
		return nil, err
	}
	j := &Job{comparison: c}
	j.piped = slices.ContainsFunc(append(slices.Clone(left.Sources), right.Sources...),
		func(s source.Source) bool { return s.Size < 0 })
	for _, s := range c.sides {
		s.prepare(c, j.piped)
	}
	return j, nil
}

// Left is shown the records of the left set.
func (j *Job) Left() source.Member { return j.comparison.sides[0] }

// Right is shown the records of the right set.
func (j *Job) Right() source.Member { return j.comparison.sides[1] }

// Close gives back what the job holds.
func (j *Job) Close() error { return j.comparison.close() }

// Finish decides whether the sets are equal, when all records have been visited; where they are
// not, it reads them once more to find out where. It gives back what the job holds.
func (j *Job) Finish(ctx context.Context) (*Result, error) {
	c, piped := j.comparison, j.piped
	defer c.close()
	for _, s := range c.sides {
		if err := s.finish(c); err != nil {
			return nil, err
		}
	}
	l, r := c.sides[0], c.sides[1]
	if l.sum != r.sum && !piped && c.findDashes() {
		for _, s := range c.sides {
			if err := c.readAgain(ctx, s, false); err != nil {
				return nil, err
			}
		}
	}
	result := &Result{Compared: c.columns, Left: l.result, Right: r.result}
	result.Equal = len(l.result.OnlyColumns) == 0 && len(r.result.OnlyColumns) == 0 && l.sum == r.sum &&
		l.result.Rows == r.result.Rows
	if l.sum == r.sum && l.result.Rows == r.result.Rows {
		return result, nil
	}
	if !piped {
		for _, s := range c.sides {
			if err := c.readAgain(ctx, s, true); err != nil {
				return nil, err
			}
		}
	}
	if err := c.findOnly(); err != nil {
		return nil, err
	}
	for i, of := range []*Side{&result.Left, &result.Right} {
		s := c.sides[i]
		of.Only, of.First = s.only, s.first
		if err := c.fetch(ctx, s, of.First); err != nil {
			return nil, err
		}
	}
	return result, nil
}

// comparison is one run.
type comparison struct {
	options Options
	reading source.Reading
	columns []string // that are compared
	dashes  []bool   // of these, columns of amounts in which a dash is zero; nil for none
	sides   [2]*side
}

// side is one of the two sets, while it is read.
type side struct {
	number   int // 0 for the left one
	set      *source.Set
	tally    *tally.Tally
	visit    func() *visitor
	visitors []*visitor
	sum      prints.Sum
	result   Side
	dashes   []bool // which columns are of amounts and have dashes

	only  int
	first []Record
}

// look finds out which columns both sides have.
func (c *comparison) look(ctx context.Context) error {
	var columns [2][]string
	for i, s := range c.sides {
		s.number = i
		if err := s.set.Look(ctx, c.reading); err != nil {
			return err
		}
		columns[i] = s.set.Columns()
	}
	for _, name := range columns[0] {
		if slices.Contains(columns[1], name) {
			c.columns = append(c.columns, name)
		} else {
			c.sides[0].result.OnlyColumns = append(c.sides[0].result.OnlyColumns, name)
		}
	}
	for _, name := range columns[1] {
		if !slices.Contains(columns[0], name) {
			c.sides[1].result.OnlyColumns = append(c.sides[1].result.OnlyColumns, name)
		}
	}
	return nil
}

// prepare makes ready for the records; keep puts the fingerprint and the place of each aside.
func (s *side) prepare(c *comparison, keep bool) {
	s.visitors, s.tally = nil, tally.New(s.set, tally.Options{Every: true})
	s.visit = func() *visitor { return c.visitor(s, s.tally.Visitor(), keep) }
}

// Visitor makes the visitor of one goroutine.
func (s *side) Visitor() source.Visitor {
	v := s.visit()
	s.visitors = append(s.visitors, v)
	return v
}

// Read is how many records the visitors have counted.
func (s *side) Read() int { return s.tally.Read() }

func (c *comparison) scan(ctx context.Context, s *side, progress *source.Progress) error {
	reading := c.reading
	reading.Progress, reading.Partial = progress, true
	return s.set.Scan(ctx, reading, s.Visitor)
}

// readAgain reads one side once more.
func (c *comparison) readAgain(ctx context.Context, s *side, keep bool) error {
	s.prepare(c, keep)
	if err := c.scan(ctx, s, nil); err != nil {
		return err
	}
	return s.finish(c)
}

// finish adds up one side, when all records have been visited.
func (s *side) finish(c *comparison) error {
	t := s.tally
	if err := t.Finish(); err != nil {
		return err
	}
	s.sum = prints.Sum{}
	s.dashes = make([]bool, len(c.columns))
	r := Side{OnlyColumns: s.result.OnlyColumns, Proof: t.Proof, Findings: t.Findings.All()}
	moments := make([]statistic.Moments, len(c.columns))
	for _, v := range s.visitors {
		s.sum.Add(v.sum)
		r.Rows += v.compared
		r.Proof.Used += v.used
		for i := range v.columns {
			v.columns[i].settle()
			moments[i].Merge(&v.columns[i].moments)
		}
	}
	for i, name := range c.columns {
		s.dashes[i] = moments[i].Evidence.HasDashes(name)
		r.Columns = append(r.Columns, moments[i].Summary(name, r.Proof.Used, ""))
	}
	s.result = r
	return r.Proof.Check()
}

// findDashes tells whether dashes stand in a column of amounts, of either side, which
// means that they are zero.
func (c *comparison) findDashes() bool {
	if c.options.Exact {
		return false
	}
	c.dashes = make([]bool, len(c.columns))
	for i := range c.dashes {
		c.dashes[i] = c.sides[0].dashes[i] || c.sides[1].dashes[i]
	}
	return slices.Contains(c.dashes, true)
}

func (c *comparison) close() error {
	var errs []error
	for _, s := range c.sides {
		for _, v := range s.visitors {
			errs = append(errs, v.places.Close())
		}
	}
	return errors.Join(errs...)
}

// fetch reads the texts of some records. What comes from a pipe cannot be read
// again.
func (c *comparison) fetch(ctx context.Context, s *side, records []Record) error {
	var indices []int
	wanted := make(map[[2]int]*Record)
	for i := range records {
		r := &records[i]
		if s.set.Sources[r.Index].Size < 0 {
			continue
		}
		if !slices.Contains(indices, r.Index) {
			indices = append(indices, r.Index)
		}
		wanted[[2]int{r.Index, r.Line}] = r
	}
	if len(indices) == 0 {
		return nil
	}
	slices.SortFunc(indices, func(a, b int) int { return cmp.Compare(a, b) })
	reading := c.reading
	reading.Progress, reading.OwnOutputs, reading.Partial = nil, true, true
	return s.set.Subset(indices).Scan(ctx, reading, func() source.Visitor {
		return &fetcher{columns: c.columns, indices: indices, wanted: wanted}
	})
}

// fetcher keeps the texts of the records that are wanted. Each of them is read
// by one goroutine.
type fetcher struct {
	columns []string
	indices []int
	wanted  map[[2]int]*Record
	scratch []byte
}

func (f *fetcher) Batch(b *source.Batch) error {
	index := f.indices[b.Index]
	for row := range b.Batch.Rows {
		r := f.wanted[[2]int{index, b.Line(row)}]
		if r == nil {
			continue
		}
		r.Texts = make([]string, len(f.columns))
		for i, name := range f.columns {
			if at, ok := b.Head.Layout.Find(name); ok {
				r.Texts[i] = string(b.Text(row, at, &f.scratch))
			}
		}
	}
	for i := range b.Refused {
		if r := f.wanted[[2]int{index, b.Refused[i].Line}]; r != nil {
			r.Texts = []string{string(b.Refused[i].Raw)}
		}
	}
	return nil
}

func (f *fetcher) Flush(context.Context, int) error { return nil }
