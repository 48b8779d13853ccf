package month

import (
	"context"
	"errors"

	"lastblock/core/capability/tieout"
	"lastblock/core/finding"
	"lastblock/core/source"
)

// Verdict is what the tie-out of a plan comes to, as each result that is made from the plan carries
// it.
type Verdict struct {
	Sources int // that were read
	Planned int // that the plan names
	Partial bool
	Stops   []finding.Finding // what keeps it from agreeing: "stop" findings that nobody has accepted
}

// Failed tells whether it keeps results from being written.
func (v *Verdict) Failed() bool { return v != nil && len(v.Stops) > 0 }

// VerdictOf is the verdict of a tie-out of what was read, whose findings are settled.
func (in *Input) VerdictOf(result *tieout.Result) *Verdict {
	v := &Verdict{Sources: len(result.Sources), Planned: len(result.Sources), Partial: in.Partial}
	if v.Partial {
		v.Planned = in.Planned
	}
	for i := range result.Findings {
		if result.Findings[i].Stops() {
			v.Stops = append(v.Stops, result.Findings[i])
		}
	}
	return v
}

// Compare counts what the plan names where only some of it may be read. What is read is all of it
// where the files that were named are those of the plan after all.
func (p *Plan) Compare(ctx context.Context, in *Input, machine int64) error {
	if !in.Partial {
		return nil
	}
	t := NewTieOut()
	if _, err := p.Apply(t, AllOptions(t)); err != nil {
		return err
	}
	whole, err := t.Open(ctx, nil, machine)
	if err == nil {
		_, err = t.Ask(ctx, whole)
	}
	if none := new(source.NoSourcesError); errors.As(err, &none) {
		return nil // the plan's own files have gone
	}
	if err != nil {
		return err
	}
	planned := make(map[string]bool)
	for i := range whole.Set.Sources {
		planned[whole.Set.Sources[i].Name] = true
	}
	read := 0
	for i := range in.Set.Sources {
		if planned[in.Set.Sources[i].Name] {
			read++
		}
	}
	in.Planned, in.Partial = len(planned), read < len(planned)
	return nil
}
