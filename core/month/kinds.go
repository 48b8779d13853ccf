package month

import (
	"context"
	"slices"

	"lastblock/core/capability/intake"
	"lastblock/core/record"
	"lastblock/core/source"
)

// Column is what a column of all sources together is read as.
type Column struct {
	Kind  record.Kind
	Scale int // of amounts: the most digits behind the decimal mark
}

// Kinds are the kinds of columns, as far as all values are of one, by name. All values are read for
// it; what comes from a pipe cannot be read twice, and then no kind is known.
func (in *Input) Kinds(ctx context.Context) (map[string]Column, error) {
	kinds := make(map[string]Column)
	if slices.ContainsFunc(in.Set.Sources, func(s source.Source) bool { return s.Size < 0 }) {
		return kinds, nil
	}
	look, reading := *in.Set, in.Reading
	look.Sources, look.PassedOver = slices.Clone(in.Set.Sources), nil
	reading.Progress = nil
	found, err := intake.Run(ctx, &look, reading, intake.Options{})
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
