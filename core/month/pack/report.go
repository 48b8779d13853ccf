package pack

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"time"

	"lastblock/core/finding"
	"lastblock/core/month/block"
	"lastblock/core/value/amount"
	"lastblock/core/value/natural"
	"lastblock/core/value/spelling"
)

// Report is a pack together with what its block says, ready to be shown.
type Report struct {
	*Pack
	State    State
	Number   int
	Seal     string // "" where it is not known, since the block seals what is shown
	Previous *block.Link
	Time     time.Time
	User     string
	Program  string
	Reason   string
	Restates int
	Plan     block.File
	Figures  block.File

	Columns  []string // of the totals of the sources
	Files    []block.Source
	Results  []block.Result
	Bridges  []block.Bridge
	Decided  block.Decisions
	Before   *Before // what it is held against; nil for nothing
	Given    *Given
	Entity   string   // whose own it is; "" for all
	Entities []string // of all sources, in natural order
}

// State is how far a report is from being sealed.
type State byte

// The states.
const (
	Rehearsed State = iota // nothing was sealed
	Closing                // it is sealed together with the block
	Sealed                 // it was made of a block
)

// Before are the figures of the block that a report is held against.
type Before struct {
	Number  int
	Period  string
	Sources int
	Rows    int // records that were read
	Used    int // of these
	Totals  []block.Total
	Results []block.Result
	Own     *Own // those of its period alone; nil where no source's name tells one
}

// Own are the figures of the sources of one period: of a month itself, and not of all up to it.
type Own struct {
	Period  string
	Sources int
	Records int             // that are used; -1 where that is not known
	Totals  []amount.Amount // by Report.Columns
}

// Against is the block that a pack is held against, with its sources; nil for none.
type Against struct {
	*block.Entry
	Sources []block.Source
}

// NewReport puts a pack and its block together; sources are those of the block, and before is the block that the pack
// is held against.
func NewReport(p *Pack, state State, e *block.Entry, sources []block.Source, before *Against) *Report {
	r := &Report{Pack: p, State: state, Number: e.Number, Previous: e.Previous, Time: e.Time, User: e.User,
		Program: e.Program, Reason: e.Reason, Restates: e.Restates, Plan: e.Plan, Files: sources, Results: e.Results,
		Bridges: e.Bridges, Decided: e.Decisions, Figures: e.Figures}
	if state == Sealed {
		r.Seal = e.Seal
	}
	for _, total := range e.Totals {
		r.Columns = append(r.Columns, total.Column)
	}
	if before != nil {
		r.Before = &Before{before.Number, before.Period, before.SourceCount, before.Rows, before.Proof.Used,
			before.Totals, before.Results, r.ownBefore(before)}
	}
	known := make(map[string]bool)
	add := func(name string) {
		if folded := fold(name); folded != "" && !known[folded] {
			known[folded] = true
			r.Entities = append(r.Entities, name)
		}
	}
	for i := range p.Sources {
		add(p.Sources[i].Entity)
	}
	if p.Filed != nil {
		for _, row := range p.Filed.Entities {
			add(row.Entity)
		}
	}
	slices.SortFunc(r.Entities, natural.Compare)
	return r
}

// Total is the total of one of Columns over the sources that all results share.
func (r *Report) Total(column int) amount.Amount {
	var sum amount.Sum
	for i := range r.Sources {
		if s := &r.Sources[i]; s.Of == "" && column < len(s.Totals) {
			sum.Add(s.Totals[column])
		}
	}
	return sum.Amount()
}

// Month are the figures of the sources of a period, as far as they are here; nil where none is.
func (r *Report) Month(of string) *Own {
	own := &Own{Period: of, Totals: make([]amount.Amount, len(r.Columns))}
	for i := range r.Sources {
		s := &r.Sources[i]
		if s.Of != "" || s.Period != of {
			continue
		}
		own.Sources++
		own.Records += s.Rows - s.Suspense - s.Dropped
		for k := range own.Totals {
			if k < len(s.Totals) {
				own.Totals[k] = own.Totals[k].Add(s.Totals[k])
			}
		}
	}
	if own.Sources == 0 {
		return nil
	}
	return own
}

// ownBefore are the own figures of the month before, as they are now; where its files are not read any more, or the
// same month is closed again, as they were sealed.
func (r *Report) ownBefore(before *Against) *Own {
	if before.Period != r.Period {
		if own := r.Month(before.Period); own != nil {
			return own
		}
	}
	rows := 0
	own := &Own{Period: before.Period, Records: -1, Totals: make([]amount.Amount, len(r.Columns))}
	for i := range before.Sources {
		s := &before.Sources[i]
		if s.Of != "" || s.Period != before.Period {
			continue
		}
		own.Sources++
		rows += s.Rows
		for k, column := range r.Columns {
			for _, total := range s.Totals {
				if value, err := amount.Parse([]byte(total.Amount), '.'); err == nil && total.Column == column {
					own.Totals[k] = own.Totals[k].Add(value)
				}
			}
		}
	}
	if own.Sources == 0 {
		return nil
	}
	switch {
	case own.Sources == len(before.Sources): // so that its records are all that it has
		own.Records = before.Proof.Used
	case before.Proof.Used == before.Rows: // all are used
		own.Records = rows
	}
	return own
}

// IsMonth tells whether all sources of records are of the period that is closed, so that the figures of the month are
// those of all.
func (r *Report) IsMonth() bool {
	return !slices.ContainsFunc(r.Sources, func(s Source) bool { return s.Of == "" && s.Period != r.Period })
}

// is tells whether a name is that of an entity.
func is(entity string) func(string) bool {
	return func(name string) bool { return fold(name) == fold(entity) }
}

func fold(entity string) string { return spelling.Fold(entity) }

// OfBlock is what a block came to: its pack, or where it has none what else it tells. figures are its figures. The
// error is what reading returned, a *block.BrokenError where a file is not as it was sealed.
func OfBlock(chain *block.Chain, e *block.Entry, sources []block.Source, figures Figures) (p *Pack, err error) {
	read := make(map[int][][]byte)
	lines := func(number int) (of [][]byte, err error) {
		if number < 1 || number >= e.Number {
			return nil, fmt.Errorf("what the checks of block %d came to stands on block %d, which is not before it",
				e.Number, number)
		}
		if read[number] == nil {
			read[number], err = Lines(chain, &chain.Entries[number-1])
			if of := new(block.LostError); errors.As(err, &of) {
				of := &chain.Entries[number-1]
				return nil, &block.LostError{Number: e.Number, What: "checks", In: number,
					Name:    filepath.Join(chain.Folder, of.Block.Pack.Name),
					Sources: e.SourceCount, Of: e.SourceCount}
			}
		}
		return read[number], err
	}
	ok, err := chain.Pack(e, func(r io.Reader) (err error) {
		p, err = Read(r, lines)
		return err
	})
	if ok || err != nil {
		return p, err
	}
	given, err := Gather(&e.Block, figures, nil)
	if err != nil {
		return nil, err
	}
	return FromBlock(e, sources, given), nil
}

// FromBlock is what a block of version 1 tells of what its checks came to: it has no pack. Summaries are in their
// plainest form, from its figures.
func FromBlock(e *block.Entry, sources []block.Source, given *Given) *Pack {
	p := &Pack{Period: e.Period, Verdict: e.Verdict}
	if e.Previous != nil {
		p.Since = e.Previous.Number
	}
	for _, f := range e.Findings {
		p.Findings = append(p.Findings, Finding{Finding: finding.Finding{ID: f.ID, Kind: finding.Kind(f.Kind),
			Severity: finding.Severity(f.Severity), Source: f.Source, State: f.State, Accepted: f.Decision}})
	}
	for i := range sources {
		s := &sources[i]
		own := Source{Source: s.Source, Of: s.Of, Entity: s.Entity, Period: s.Period, Rows: s.Rows}
		for _, total := range s.Totals {
			value, _ := amount.Parse([]byte(total.Amount), '.') // zero of what is none
			own.Totals = append(own.Totals, value)
		}
		p.Sources = append(p.Sources, own)
	}
	for i := range e.Results {
		if r := &e.Results[i]; r.As == "" && len(r.By) > 0 {
			p.Summaries = append(p.Summaries, rebuilt(given, r))
		}
	}
	p.Proof = Proof{Read: e.Proof.Read, Used: e.Proof.Used, Suspense: e.Proof.Suspense, Dropped: e.Proof.Dropped}
	return p
}

// rebuilt is a summary made of the figures of its result: its groups, and their total.
func rebuilt(given *Given, r *block.Result) Summary {
	name := cmp.Or(r.Title, r.Command)
	s := Summary{Name: name, By: r.By, Lines: []SummaryLine{}}
	for _, total := range r.Totals {
		s.Sums = append(s.Sums, total.Column)
	}
	sum := SummaryLine{Kind: Total, Sums: make([]amount.Amount, len(s.Sums))}
	for _, f := range given.all(r.Command, name) {
		s.Lines = append(s.Lines, SummaryLine{Kind: Group, Key: f.Key, Records: f.Rows, Sums: f.Totals})
		sum.Records, sum.Sums = sum.Records+f.Rows, added(sum.Sums, f.Totals)
	}
	s.Groups = len(s.Lines)
	if total := given.Of(r.Command, name, nil); total != nil && total.Rows != sum.Records && total.Totals != nil {
		rest := SummaryLine{Kind: Rest, Key: nil, Records: total.Rows - sum.Records, Sums: slices.Clone(total.Totals)}
		for i := range rest.Sums {
			rest.Sums[i] = rest.Sums[i].Sub(sum.Sums[i])
		}
		s.Lines = append(s.Lines, rest) // of sources whose figures are not known by group
		sum.Records, sum.Sums = total.Rows, slices.Clone(total.Totals)
	}
	s.Lines = append(s.Lines, sum)
	return s
}
