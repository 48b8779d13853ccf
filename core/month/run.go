package month

import (
	"context"
	"slices"

	"lastblock/core/capability/tieout"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/core/source/shape"
	"lastblock/core/value/period"
)

// Run is one reading of the sources of a month end, for several parts: the results that are asked
// for, and the tie-out of the plan beside them.
type Run struct {
	*Input
	Roster *tieout.Roster // of the tie-out; nil without one
	tieout *tiePart       // nil without one
	parts  []*Part
}

// Part is a part of a run: with the sources as it sees them, and the severities of its findings.
type Part struct {
	Input
	whole    *source.Set
	narrow   *shape.Request
	narrowed *source.Narrowed // nil where it sees all that is read
	member   source.Member
}

// tiePart is the tie-out of a run.
type tiePart struct {
	*Part
	job *tieout.Job
}

// Begin makes a run of what in has found. The tie-out of the plan takes part in it, where it has
// one; options are those of the command line. plan is nil without one.
func Begin(ctx context.Context, in *Input, p *Plan, options option.List, machine int64) (*Run, error) {
	run := &Run{Input: in}
	if p == nil || p.parsed.Command(NewTieOut().Name()) == nil {
		return run, nil
	}
	asked, err := p.tieOut(options)
	if err != nil {
		return nil, err
	}
	if err := p.Compare(ctx, in, machine); err != nil {
		return nil, err
	}
	tie, err := asked.Task.Ask(ctx, in)
	if err != nil {
		return nil, asked.Err(err)
	}
	if tie.Noticed, err = p.Noticed(ctx, in); err != nil {
		return nil, err
	}
	return run, run.tieOut(ctx, asked, tie)
}

// BeginClose makes the run of a close: of all sources up to the period that is closed, which c says or
// which is the newest for which all have filed, with the tie-out of the plan.
func BeginClose(ctx context.Context, in *Input, p *Plan, c *Closing, options option.List) (*Run, error) {
	run := &Run{Input: in}
	asked, err := p.tieOut(options)
	if err != nil {
		return nil, err
	}
	tie, err := asked.Task.Ask(ctx, in)
	if err != nil {
		return nil, asked.Err(err)
	}
	closed, given := period.Parse(c.Period)
	if !given {
		if closed, err = FiledBy(in.Set, in.Ended()).Newest(tie.Roster); err != nil {
			return nil, err
		}
	}
	in.Closing, in.Seals, tie.Until = closed.String(), true, &closed
	in.UpTo(closed)
	tie.Periods = slices.DeleteFunc(tie.Periods, func(p period.Period) bool { return p.Last() > closed.Last() })
	if err := in.NeedSources(); err != nil {
		return nil, err
	}
	if tie.Noticed = in.Arrived; !c.Restate {
		if tie.Noticed, err = p.Noticed(ctx, in); err != nil {
			return nil, err
		}
	}
	return run, run.tieOut(ctx, asked, tie)
}

// tieOut has a tie-out take part in the run.
func (r *Run) tieOut(ctx context.Context, asked *Result[*TieOut], tie tieout.Options) error {
	if err := r.Set.Look(ctx, r.Reading); err != nil {
		return err
	}
	part, err := asked.Part(ctx, r)
	if err != nil {
		return err
	}
	tie.Whole, r.Roster = false, tie.Roster
	r.tieout = &tiePart{part, tieout.Prepare(part.Set, r.Reading, tie)}
	part.Join(r.tieout.job)
	return nil
}

// tieOut is the tie-out of the plan, with what is typed about reading.
func (p *Plan) tieOut(typed option.List) (*Result[*TieOut], error) {
	r := &Result[*TieOut]{Task: NewTieOut(), plan: p}
	reading := r.Task.Sources().Options()
	var kept option.List
	for _, o := range typed {
		if known := reading.Find(o.Word); known != nil && (!known.PerResult || o.Word == severityTable) {
			kept = append(kept, o)
		}
	}
	var err error
	r.Options, r.Narrow, err = p.resultOf(r.Task, kept, p.parsed.Command(r.Task.Name()))
	return r, err
}

// Whole is a part that sees all that is read, on its own.
func (in *Input) Whole() *Part { return &Part{Input: *in, whole: in.Set} }

// Join has a part take part in the run.
func (r *Run) Join(p *Part) *Part {
	r.parts = append(r.parts, p)
	return p
}

// Together makes the parts of several results in a run. Where they are to share a reading, the
// sources have been looked at.
func Together(ctx context.Context, run *Run, all []Asked) ([]*Part, error) {
	parts := make([]*Part, len(all))
	for i, asked := range all {
		var err error
		if parts[i], err = asked.Part(ctx, run); err != nil {
			return nil, err
		}
		parts[i].Reading.Memory /= int64(len(all)) // which all of them have to share
	}
	if run.IsAlone() {
		return parts, nil
	}
	return parts, run.Set.Look(ctx, run.Reading)
}

// Asked is a Result of any task.
type Asked interface {
	Name() string
	Command() string
	Err(err error) error
	Fill(in *Input) error
	Part(ctx context.Context, run *Run) (*Part, error)
}

// Amounts are the columns that the tie-out reads as amounts; nil where the run has none.
func (r *Run) Amounts() []string {
	if r.tieout == nil {
		return nil
	}
	return r.tieout.job.Amounts()
}

// IsAlone tells whether one part has all that is read to itself.
func (r *Run) IsAlone() bool { return len(r.parts) == 1 && r.parts[0].narrowed == nil }

// Part makes a part of a run for the result.
func (r *Result[T]) Part(ctx context.Context, run *Run) (*Part, error) {
	p := run.Input.Whole()
	var err error
	if p.Severities, err = r.severities(); err != nil {
		return nil, r.Err(err)
	}
	if r.Narrow != nil {
		if err := run.Set.Look(ctx, run.Reading); err != nil {
			return nil, err
		}
		p.narrow, p.narrowed = r.Narrow, run.Set.Narrow(r.Narrow)
		p.Set = p.narrowed.Set
	}
	return run.Join(p), nil
}

// Join has a member, which was prepared with the part's set, take part in the reading.
func (p *Part) Join(member source.Member) {
	if p.member = member; p.narrowed != nil {
		p.member = p.narrowed.Member(member)
	}
}

// Read reads the sources, once, for all parts that have joined. What they hold must be given back
// by the caller where it fails.
func (r *Run) Read(ctx context.Context) error {
	var members []source.Member
	for _, p := range r.parts {
		if p.member != nil {
			members = append(members, p.member)
		}
	}
	return r.Set.ScanFor(ctx, r.Reading, members...)
}

// Verdict finishes the tie-out, when all was read; nil where the run has none.
func (r *Run) Verdict(ctx context.Context) (*Verdict, error) {
	if r.tieout == nil {
		return nil, nil
	}
	result, err := r.Tied(ctx)
	if err != nil {
		return nil, err
	}
	return r.VerdictOf(result), result.Close()
}

// Tied finishes the tie-out, when all was read. Its findings are settled.
func (r *Run) Tied(ctx context.Context) (*tieout.Result, error) {
	result, err := r.tieout.job.Finish(ctx)
	if err == nil {
		r.tieout.Settle(result.Findings)
	}
	return result, err
}

// Close gives back what the tie-out holds, where the run has failed.
func (r *Run) Close() error {
	if r.tieout == nil {
		return nil
	}
	return r.tieout.job.Close()
}
