package month

import (
	"context"
	"maps"
	"path/filepath"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/finding/decision"
	"lastblock/core/finding/drop"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/period"
)

// Reading is what a task reads, and how, and what else is asked of any task that reads sources.
type Reading struct {
	source.Request
	Decisions string
	Severity  []string
	Plan      string
	JSON      bool
	Quiet     bool
	Outside   bool // the plan may write outside of its own folder

	ByCells  bool        // sources are read by their cells, not as records
	Of       string      // the result of the plan whose sources they are; "" for those that all results share
	Planned  []string    // the paths of the plan
	ownPaths bool        // which the table of the task names
	roster   *rosterFile // of the plan, whose names are spelt as it does; nil for none
	Narrowed bool        // which files are read was said on the command line, beside a plan
}

func newReading() Reading { return Reading{Request: source.NewRequest()} }

// HasPaths tells whether a plan names sources for the task alone.
func (r *Reading) HasPaths() bool { return r.ownPaths }

// newLooking is newReading of a task that looks at all sources before it reads any.
func newLooking() Reading {
	r := newReading()
	r.Looks = true
	return r
}

// Options are those that all tasks share, as far as they have to do with how the sources are read.
func (r *Reading) Options() option.List {
	all := append(r.Request.Options(),
		&option.Option{Word: "plan", Value: &r.Plan, File: option.Read, OneRun: true,
			Meaning: "take all of this from a plan; flags given beside it win"},
		&option.Option{Word: "decisions", Value: &r.Decisions, File: option.Read,
			Meaning: "what was decided about findings (" + DecisionsName + " beside the plan)"},
		&option.Option{Word: "severity", Value: &r.Severity, PerResult: true,
			Subject: func(text string) string { kind, _, _ := option.Pair(text); return kind },
			Meaning: "the severity of a kind of finding, e.g. 'filed-twice=review': stop, review or note"},
		&option.Option{Word: "outside", Value: &r.Outside, OneRun: true,
			Meaning: "let the plan write outside of its own folder"},
		&option.Option{Word: "quiet", Value: &r.Quiet, OneRun: true, Meaning: "no progress"},
		&option.Option{Word: "json", Value: &r.JSON, OneRun: true, Meaning: "print one JSON document instead"},
	)
	if r.ByCells {
		all = slices.DeleteFunc(all, func(o *option.Option) bool { return !slices.Contains(cellWords, o.Word) })
	}
	return all
}

// cellWords are the options of reading that hold where sources are read by their cells.
var cellWords = []string{"only", "skip", "recurse", "memory", "jobs", "name", "delimiter", "encoding", "decimal",
	"sheet",
	"table", "no-quotes", "widths", "plan", "decisions", severityTable, "outside", "quiet", "json"}

// DecisionsName is what the file of decisions is called beside a plan.
const DecisionsName = "decisions.csv"

// DecisionsFile is the file of decisions, "" for none.
func (r *Reading) DecisionsFile() string {
	if r.Decisions == "" && r.Plan != "" {
		return beside(r.Plan, DecisionsName)
	}
	return r.Decisions
}

// Input is what a task reads.
type Input struct {
	Set     *source.Set
	Reading source.Reading
	Decimal byte              // of amounts, that was asked for; 0 for none
	Partial bool              // only some of what the plan names is read
	Planned int               // sources that the plan names, where only some are read
	Closing string            // the period that is closed; "" in other runs
	Seen    string            // the file of hashes of files that were seen before, "" for none
	Later   []string          // sources of later periods than that, which are not read
	Decided *decision.Log     // nil for nothing
	Arrived []finding.Finding // about files of entities that were frozen, which are not read

	Severities finding.Severities // of kinds that have another one in this run

	// Seals says that what is read is sealed, so that hashes kept from before count for nothing; hashes are those that
	// this run has made.
	Seals  bool
	hashes []source.Hash
	byPath map[string]string // the same, by paths

	formPeriods []period.Period // of forms, those that are not added up with them

	arrivedFor map[string]period.Period // of which Arrived are, by source

	of       string                   // the result whose sources they are; "" for those that all results share
	planned  string                   // the folder of the plan, "" without one
	standing *Standing                // nil without a plan
	copies   map[string]*FrozenSource // by path; nil before they are asked for
}

// Open finds the sources that paths name, or the plan where there are none. machine is how much
// memory there is, in bytes.
func (r *Reading) Open(ctx context.Context, paths []string, machine int64) (*Input, error) {
	in := &Input{Partial: r.Plan != "" && (len(paths) > 0 || r.Narrowed), of: r.Of}
	var err error
	if in.Severities, err = finding.ParseSeverities(r.Severity); err != nil {
		return nil, option.Errorf("severity", "%w", err)
	}
	isWhole := len(paths) == 0
	if isWhole {
		paths = r.Planned
	}
	file := r.DecisionsFile()
	if file != "" {
		if in.Decided, err = decision.Read(file); err != nil {
			return nil, option.Errorf("decisions", "%w", err)
		}
	}
	if r.Plan != "" {
		in.planned = filepath.Dir(r.Plan)
		r.Root = source.RootOf(r.Planned, in.planned)
		if paths, err = r.takeStanding(in, paths); err != nil {
			return nil, option.Errorf("decisions", "%w", err)
		}
		if !isWhole {
			r.Frozen = nil
		}
	}
	if names := r.roster.names(ctx); names != nil {
		r.Spellings = maps.Clone(r.Spellings)
		if r.Spellings == nil {
			r.Spellings = make(map[string][]string)
		}
		r.Spellings[tally.EntityWord] = append(names, r.Spellings[tally.EntityWord]...)
	}
	if in.Set, in.Reading, err = r.Find(ctx, paths, machine); err != nil {
		return nil, err
	}
	in.passOverFrozen()
	if err := r.tellHidden(ctx, in); err != nil {
		return nil, err
	}
	if manner, err := r.Manner.Manner(r.Prefix); err == nil {
		in.Decimal = manner.Decimal
	}
	if file != "" {
		in.Set.Beside = append(in.Set.Beside, file)
	}
	if r.Plan != "" {
		in.Set.Beside = append(in.Set.Beside, r.Plan)
	}
	return in, in.NeedSources()
}

// NeedSources wants at least one source. The error is a *source.NoSourcesError.
func (in *Input) NeedSources() error {
	if len(in.Set.Sources) > 0 {
		return nil
	}
	return &source.NoSourcesError{Paths: in.Set.Paths, PassedOver: in.Set.PassedOver}
}

// Reference finds the sources of a second set, which are read with the same means as the first.
func (in *Input) Reference(ctx context.Context, r source.Request, paths []string) (*Input, error) {
	r.Columns, r.Jobs = string(source.AllColumns), in.Reading.Jobs
	if in.planned != "" {
		r.Root, r.Base, r.Moved = source.RootOf(paths, in.planned), in.planned, in.Moves()
	}
	r.Frozen, r.Spellings = nil, in.Set.Spellings()
	other := &Input{Decided: in.Decided, Severities: in.Severities}
	var err error
	if other.Set, other.Reading, err = r.Find(ctx, paths, 0); err != nil {
		return nil, err
	}
	other.Reading = in.Reading
	return other, other.NeedSources()
}

// Left is what was decided to be left out.
func (in *Input) Left() (*drop.Set, error) {
	left, err := tally.Decided(in.Set, in.Decided)
	if err != nil {
		return nil, option.Errorf("decisions", "%w", err)
	}
	return left, nil
}

// Settle gives findings the severities of the run, and marks those that were accepted.
func (in *Input) Settle(findings []finding.Finding) {
	for i := range findings {
		in.SettleOne(&findings[i])
	}
}

// SettleOne is Settle for one finding.
func (in *Input) SettleOne(f *finding.Finding) {
	in.Severities.Set(f)
	in.Decided.Settle(f)
}

// Check makes sure that some source has each of the columns, before all is read, as soon as the
// first source lacks one. The error is a *tally.UnknownColumnError.
func (in *Input) Check(ctx context.Context, columns []string) error {
	if len(columns) == 0 || in.Set.Sources[0].Size < 0 || !in.Set.IsText(0) {
		return nil // what comes from a pipe can be looked at only once, and a document costs more
	}
	first := source.Set{Sources: in.Set.Sources[:1:1]}
	reading := in.Reading
	reading.Partial = true
	if err := first.Look(ctx, reading); err != nil {
		return err
	}
	lacks := false
	for _, column := range columns {
		_, ok := first.Head(0).Layout.Find(column)
		lacks = lacks || !ok
	}
	if !lacks {
		return nil
	}
	if err := in.Set.Look(ctx, in.Reading); err != nil {
		return err
	}
	for _, column := range columns {
		if _, err := tally.NewResolver(in.Set).ResolveData(column); err != nil {
			return err
		}
	}
	return nil
}
