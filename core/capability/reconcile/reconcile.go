// Package reconcile brings two sets of records together by key: which agree, which
// differ and in what, which only one side has, and what leads from the total of one
// side to that of the other. It can do so within one set as well, where companies
// book what they owe one another.
package reconcile

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"lastblock/core/finding"
	"lastblock/core/finding/drop"
	"lastblock/core/finding/proof"
	"lastblock/core/source"
	"lastblock/core/tally/matching"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
)

// Status says of a record, or of records that belong together, how the two sides
// stand to one another.
type Status byte

// The statuses.
const (
	Agrees    Status = iota // both sides have it, with the same values
	Differs                 // both sides have it, with different values
	OnlyHere                // the reference lacks it
	OnlyThere               // only the reference has it
	Ambiguous               // its key stands more than once, and does not pair off

	statuses = 5
)

var statusWords = [statuses]string{"agrees", "differs", "only-here", "only-there", "ambiguous"}

func (s Status) String() string { return statusWords[s] }

// Statuses are all statuses, in the order in which they are told.
func Statuses() []Status { return []Status{Agrees, Differs, OnlyHere, OnlyThere, Ambiguous} }

// ParseStatus reads a status. The error names what there is.
func ParseStatus(word string) (Status, error) {
	if at := slices.Index(statusWords[:], word); at >= 0 {
		return Status(at), nil
	}
	return 0, fmt.Errorf("%q: it is %s", word, strings.Join(statusWords[:], ", "))
}

// Loose says what makes no difference in a column of a key.
type Loose struct {
	Column string // "" for all
	Loose  equality.Loose
}

// Tolerance says by how much amounts of a column may differ and still agree.
type Tolerance struct {
	Column  string
	Within  amount.Amount
	Percent bool // Within is percent of the larger of the two
}

// Days says how many days the dates of a column may lie apart and still agree.
type Days struct {
	Column string
	Most   int
}

// Options say how records are brought together and compared. Columns are called by
// their names, which are those of both sides.
type Options struct {
	Keys       [][]string // of the first pass, and of those for what is left then
	Loose      []Loose
	Compare    []string // columns to compare; nil for all that both sides have
	Tolerances []Tolerance
	Days       []Days
	Sum        []string // amounts that are added up by key on each side first

	Combine       int      // look for so many records on one side that together make one on the other; 0 for no
	CombineWithin []string // only among records that have these columns in common

	Totals []string     // amounts of which there is a statement
	By     []string     // columns by which there is one more
	Drop   [2]*drop.Set // what is left out here and there
	Rows   bool         // the records are to be written
	Kinds  bool         // in a format that tells the kinds of columns apart

	Mirror *Mirror // within one set; nil for no
}

// Count counts what has a status.
type Count struct {
	Matches     int // records that belong together count once
	Here, There int
}

// Pass is one pass over what is left.
type Pass struct {
	Key     []string
	Combine bool
	Matches int
}

// Field is a column that was compared.
type Field struct {
	Column     string
	Differs    int  // pairs that differ in it
	IsAmount   bool // of amounts, by how much they do
	Difference amount.Amount
}

// Result is a finished reconciliation: how many records have each status, in which columns
// pairs differ, and the statement from one total to the other.
type Result struct {
	Counts    [statuses]Count
	Passes    []Pass
	Fields    []Field
	Totals    []string
	Statement Statement
	Groups    []Statement // with Options.By
	Companies []Company   // with Options.Mirror
	Corrected *Corrected  // nil where it is not written
	GaveUp    int         // records for which no combination was looked for any further
	Findings  []finding.Finding
	Proof     proof.Proof
	run       *run
}

// ErrNoKey says that there is nothing to bring records together by.
var ErrNoKey = errors.New("no key: name the columns that say which records belong together")

// Sides are both sides, read and ready to be matched.
type Sides struct{ run *run }

// Read reads the records of both sides, each once. The error is what reading returned,
// or a *tally.UnknownColumnError.
func Read(ctx context.Context, here, there *source.Set, reading source.Reading, options Options) (*Sides, error) {
	j, err := Prepare(ctx, here, there, reading, options)
	if err != nil {
		return nil, err
	}
	for side, of := range j.sides {
		if of != nil {
			if err := j.run.sides[side].Set.Scan(ctx, reading, of.Visitor); err != nil {
				return nil, errors.Join(err, j.Close())
			}
		}
	}
	return j.Finish()
}

// Job is the reading of both sides on its way: prepared, shown the records by the visitors of its
// members, and finished.
type Job struct {
	run   *run
	sides [2]*matching.Job // the second one nil for a mirror
}

// Prepare finds the columns of both sides. The caller then scans each set with the visitors of its
// member and calls Finish, or Close where a scan has failed. The error is that of Read.
func Prepare(ctx context.Context, here, there *source.Set, reading source.Reading, options Options) (*Job, error) {
	r := &run{reading: reading, options: options}
	r.sides[0] = &matching.Side{Set: here, Drop: options.Drop[0], Kinds: options.Kinds}
	r.sides[1] = r.sides[0]
	if options.Mirror == nil {
		r.sides[1] = &matching.Side{Set: there, Drop: options.Drop[1], Kinds: options.Kinds}
	}
	if err := r.bind(ctx); err != nil {
		return nil, errors.Join(err, r.close())
	}
	r.heaps = matching.NewHeaps(r.bytes(), reading.Memory/2, reading.Jobs)
	j := &Job{run: r}
	for side, s := range r.sides {
		if side == 1 && s == r.sides[0] {
			break
		}
		j.sides[side] = s.Prepare(func() matching.Taker {
			t := r.taker(side)
			r.takers = append(r.takers, t)
			return t
		})
	}
	return j, nil
}

// Here is shown the records.
func (j *Job) Here() source.Member { return j.sides[0] }

// There is shown the records of the reference; nil for a mirror, which has none.
func (j *Job) There() source.Member {
	if j.sides[1] == nil {
		return nil
	}
	return j.sides[1]
}

// Close gives back what the job holds.
func (j *Job) Close() error { return j.run.close() }

// Finish makes both sides ready to be matched, when all records have been visited.
func (j *Job) Finish() (*Sides, error) {
	r := j.run
	for side, of := range j.sides {
		if of == nil {
			continue
		}
		if err := of.Finish(); err != nil {
			return nil, errors.Join(err, r.close())
		}
		r.list.Merge(&r.sides[side].Tally.Findings)
	}
	r.finishSides()
	return &Sides{r}, nil
}

// Match brings the records of both sides together. Values are compared by what they
// mean, see package equality; those of Totals, Sum and Tolerances are amounts, of which
// a blank one is zero. It can be called once. The error is a *proof.FailedError, or
// says what cannot be put aside.
func (s *Sides) Match(ctx context.Context, writing Writing) (*Result, error) {
	s.run.writing = writing
	err := s.run.match(ctx)
	if err == nil {
		var result *Result
		if result, err = s.run.finish(); err == nil {
			return result, nil
		}
	}
	return nil, errors.Join(err, s.run.close())
}

// Close gives back what is held.
func (s *Sides) Close() error { return s.run.close() }

// Close gives back what the result holds to be written.
func (r *Result) Close() error { return r.run.close() }

// run is one reconciliation.
type run struct {
	reading source.Reading
	options Options
	sides   [2]*matching.Side
	names   [2][]string // columns of the items of each side

	fields []field
	values [2][]int // columns of the amounts: sides' Amounts, and with rates the converted one
	totals []int    // of values
	by     [2][]int
	passes []pass
	mirror *mirror

	isAmount []bool // by field: it holds amounts
	alike    bool   // both sides have the same columns in the same order, and one decimal mark

	writing   Writing
	columns   []Column
	corrected []Column

	heaps   *matching.Heaps
	rows    [2]*matching.Rows // with statuses, and corrected; nil where they are not written
	takers  []*taker
	workers []*worker
	list    finding.List
}

// Withholds tells whether a finding keeps results from being written: one that is not about how
// the two sides stand to one another.
func (r *Result) Withholds() bool {
	return slices.ContainsFunc(r.Findings, func(f finding.Finding) bool {
		return f.Stops() && !slices.Contains(finding.Reconciling, f.Kind)
	})
}
