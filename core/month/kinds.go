package month

import (
	"context"
	"slices"

	"lastblock/core/capability/intake"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/source/shape"
)

// Column is what a column of all sources together is read as.
type Column struct {
	Kind  record.Kind
	Scale int // of amounts: the most digits behind the decimal mark
}

// Kinds are the kinds of columns, as far as all values are of one, by name. All values are read for
// it; what comes from a pipe cannot be read twice, and then no kind is known.
func (p *Part) Kinds(ctx context.Context) (map[string]Column, error) {
	kinds := make(map[string]Column)
	if slices.ContainsFunc(p.whole.Sources, func(s source.Source) bool { return s.Size < 0 }) {
		return kinds, nil
	}
	look, reading := *p.whole, p.Reading
	look.Sources, look.PassedOver = slices.Clone(p.whole.Sources), nil
	reading.Progress = nil
	found, err := gather(ctx, &look, reading, p.narrow)
	if err != nil {
		return nil, err
	}
	for _, c := range found.Columns {
		if c.Others == 0 {
			kinds[c.Name] = Column{c.Kind, c.Scale}
		}
	}
	return kinds, nil
}

// gather takes an intake of a set, narrowed where that is asked for.
func gather(ctx context.Context, set *source.Set, reading source.Reading, narrow *shape.Request) (*intake.Result,
	error) {
	if narrow == nil {
		return intake.Run(ctx, set, reading, intake.Options{})
	}
	if err := set.Look(ctx, reading); err != nil {
		return nil, err
	}
	narrowed := set.Narrow(narrow)
	job := intake.Prepare(narrowed.Set, intake.Options{})
	if err := set.ScanFor(ctx, reading, narrowed.Member(job)); err != nil {
		return nil, err
	}
	return job.Finish()
}
