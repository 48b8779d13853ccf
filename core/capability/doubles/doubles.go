// Package doubles finds what would be counted twice: files that hold the same
// records, or some of the same, records that stand more than once, and records
// that are almost the same. What of it is to be kept is for others to say; it
// proposes what a rule would keep.
package doubles

import (
	"context"
	"errors"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/finding/drop"
	"lastblock/core/finding/proof"
	"lastblock/core/finding/suspense"
	"lastblock/core/large/prints"
	"lastblock/core/large/spill"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
)

// Options say what counts as a double.
type Options struct {
	Totals []string       // amount columns whose money is told
	Share  amount.Amount  // files overlap from so many percent of the smaller one's records on
	On     []string       // records are the same where these columns are; nil for all columns
	Key    []string       // records with the same values here are to be the same; nil for no such check
	Loose  equality.Loose // what makes no difference in Key
	Near   []Near
	Across bool // only what stands in several sources
	Within bool // only what stands several times in one source

	Keep     Policy // what to propose to keep, "" for no proposal
	Drop     *drop.Set
	Suspense *suspense.File
	Whole    bool // keep every finding, see Result.EachFinding

	hash func(print uint64) uint64 // by which records are put together; nil for the usual one
}

// DefaultShare is the share in percent from which on files overlap.
var DefaultShare = amount.New(5, 0)

// Result is what was found.
type Result struct {
	Columns  []string // by which whole records are compared, as Place.Texts has them
	Totals   []string
	Kinds    []KindRow // that were found, in the order in which they are listed in package finding
	Pairs    []PairRow
	Findings []finding.Finding
	Proof    proof.Proof

	Proposed Proposal // nothing without Options.Keep

	all finding.List
}

// KindRow sums up the findings of a kind.
type KindRow struct {
	Kind finding.Kind
	Sum
}

// PairRow sums up the findings about two entities, which may be one and the same.
type PairRow struct {
	A, B string // entities, as the files' names tell them; sources where they do not
	Sum
}

// Sum counts findings.
type Sum struct {
	Findings int
	Records  int             // that are counted twice
	Totals   []amount.Amount // of them, by Result.Totals
}

// Proposal is what Options.Keep would leave out.
type Proposal struct {
	Drop    *drop.Set // with what was to be left out anyway; nil for nothing
	Sources int       // left out as a whole
	Records int       // those of the sources with them
}

// EachFinding calls visit for every finding in the order of sources and lines.
// Without Options.Whole these are Findings.
func (r *Result) EachFinding(visit func(*finding.Finding) error) error {
	if r.all.Keeps() {
		return r.all.Each(visit)
	}
	for i := range r.Findings {
		if err := visit(&r.Findings[i]); err != nil {
			return err
		}
	}
	return nil
}

// Close gives back what EachFinding needs.
func (r *Result) Close() error { return r.all.Close() }

// ErrPipe says that a source cannot be read twice.
var ErrPipe = errors.New("some records have to be read a second time, and standard input or a database is read only " +
	"once; write it to a file first, as collate ⟨out⟩ does")

// Find finds doubles. It reads all sources once and makes a fingerprint of each
// record; then once more the records whose fingerprints stand several times, and
// compares what is in them. Values are compared by what they mean, see package
// meaning; columns are matched by name, and one that a source lacks is blank. The
// error is what reading returned, or a *proof.FailedError.
func Find(ctx context.Context, set *source.Set, reading source.Reading, options Options) (*Result, error) {
	j, err := Prepare(ctx, set, reading, options)
	if err != nil {
		return nil, err
	}
	if err := set.Scan(ctx, reading, j.Visitor); err != nil {
		j.Close()
		return nil, err
	}
	return j.Finish(ctx)
}

// Job is a search on its way: prepared, shown the records by its visitors, and finished.
type Job struct{ search *search }

// Prepare looks at all sources and finds the columns. The caller then scans the set with the
// job's visitors and calls Finish, or Close where the scan has failed. The error is that of
// Find.
func Prepare(ctx context.Context, set *source.Set, reading source.Reading, options Options) (*Job, error) {
	if slices.ContainsFunc(set.Sources, func(s source.Source) bool { return s.Size < 0 }) {
		return nil, ErrPipe
	}
	if err := set.Look(ctx, reading); err != nil {
		return nil, err
	}
	s := &search{set: set, reading: reading, options: options}
	err := s.bind()
	if err == nil {
		err = s.chooseTelling(ctx)
	}
	if err != nil {
		s.close()
		return nil, err
	}
	s.begin()
	return &Job{s}, nil
}

// Visitor makes the visitor of one goroutine.
func (j *Job) Visitor() source.Visitor { return j.search.visitor() }

// Read is how many records the visitors have counted.
func (j *Job) Read() int { return j.search.tally.Read() }

// Close gives back what the job holds.
func (j *Job) Close() { j.search.close() }

// Finish looks once more at the records whose fingerprints stand several times, and gives
// back what the job holds.
func (j *Job) Finish(ctx context.Context) (*Result, error) {
	s := j.search
	defer s.close()
	steps := []func(context.Context) error{s.addUp, s.findTwins, s.mark, s.readMarked, s.relate, s.tellFiles,
		s.tellRecords, s.tellKeys, s.tellNear}
	for _, step := range steps {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if err := step(ctx); err != nil {
			return nil, err
		}
	}
	return s.finish()
}

// search is one run.
type search struct {
	set     *source.Set
	reading source.Reading
	options Options

	columns []string // that are compared
	totals  []int    // of the columns, those whose money is told
	scales  []int    // of these, see zero
	telling []int    // columns that tell records apart, see chooseTelling
	records *matcher // whole records, or those of Options.On
	whole   *matcher // whole records
	keys    *matcher // nil without a key
	nears   []*nearMatcher

	tally    *tally.Tally
	visitors []*visitor
	sources  []state
	relation relations
	report   report
}

// state is what is known of a source.
type state struct {
	records     int // that can be used
	sum         prints.Sum
	first, last int   // lines of its first and its last record
	copyOf      int   // the source of which it is a copy, itself for none
	twin        bool  // the copy has the same bytes
	crowded     bool  // several records start on one line
	contained   []int // sources in which all its records stand, nil for none
}

// isCopy tells whether nothing of a source needs to be looked at.
func (s *search) isCopy(index int) bool { return s.sources[index].copyOf != index }

// bind finds the columns that options name.
func (s *search) bind() error {
	s.columns = s.set.Columns()
	resolver := tally.NewResolver(s.set)
	find := func(word string, names []string) ([]int, error) {
		var indices []int
		for _, name := range names {
			column, err := resolver.ResolveData(name)
			if err != nil {
				return nil, option.Errorf(word, "%w", err)
			}
			indices = append(indices, slices.Index(s.columns, column.Name))
		}
		return indices, nil
	}
	all := make([]int, len(s.columns))
	for i := range all {
		all[i] = i
	}
	s.whole = &matcher{columns: all}
	s.records = s.whole
	var err error
	if s.totals, err = find("total", s.options.Totals); err != nil {
		return err
	}
	if s.options.On != nil {
		s.records = &matcher{rest: true}
		if s.records.columns, err = find("on", s.options.On); err != nil {
			return err
		}
	}
	if s.options.Key != nil {
		s.keys = &matcher{rest: true, loose: s.options.Loose}
		if s.keys.columns, err = find("key", s.options.Key); err != nil {
			return err
		}
	}
	for i := range s.options.Near {
		m := &nearMatcher{near: &s.options.Near[i]}
		if m.columns, err = find("near", m.near.columns()); err != nil {
			return err
		}
		s.nears = append(s.nears, m)
	}
	s.sources = make([]state, len(s.set.Sources))
	for i := range s.sources {
		s.sources[i].copyOf = i
	}
	return nil
}

// findTwins finds the files that are the same bytes, of which one is enough to be
// looked at. They are among those whose fingerprints are the same.
func (s *search) findTwins(ctx context.Context) error {
	alike := make(map[int]bool)
	for _, class := range s.classes() {
		for _, index := range class {
			alike[index] = true
		}
	}
	if len(alike) == 0 {
		return nil
	}
	twins, err := s.set.Twins(ctx, s.reading.Jobs, func(index int) bool { return alike[index] })
	for _, same := range twins {
		for _, index := range same[1:] {
			s.sources[index].copyOf, s.sources[index].twin = same[0], true
		}
	}
	return err
}

func (s *search) finish() (*Result, error) {
	result := &Result{Columns: s.columns, Totals: s.options.Totals, Proof: s.tally.Proof}
	for _, v := range s.visitors {
		result.Proof.Used += v.used
		for i := range v.sums {
			result.Proof.Totals[i].Used = result.Proof.Totals[i].Used.Add(v.sums[i].Amount())
		}
	}
	if err := result.Proof.Check(); err != nil {
		return nil, err
	}
	s.report.list.Merge(&s.tally.Findings)
	result.Kinds, result.Pairs = s.report.sums()
	result.Proposed = s.report.proposed
	if result.Proposed.Drop == nil {
		result.Proposed.Drop = s.options.Drop
	}
	result.Findings = s.report.list.All()
	if s.options.Whole {
		result.all = s.report.list
	}
	return result, nil
}

func (s *search) closeDealers() error {
	var errs []error
	for _, v := range s.visitors {
		errs = append(errs, v.close())
	}
	return errors.Join(errs...)
}

// close gives back all temporary files.
func (s *search) close() error {
	errs := []error{s.closeDealers()}
	var kept []*spill.Sorter
	for _, m := range s.matchers() {
		kept = append(kept, m.kept...)
	}
	for _, m := range s.nears {
		kept = append(kept, m.kept...)
	}
	for _, sorter := range kept {
		errs = append(errs, sorter.Close())
	}
	return errors.Join(errs...)
}
