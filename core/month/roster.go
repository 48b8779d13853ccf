package month

import (
	"context"

	"lastblock/core/capability/tieout"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/core/source/shape"
)

// rosterFile is the roster that the tie-out of a plan names: entities are written in all results as they are there.
type rosterFile struct {
	path    string
	renames []string
}

// roster is that of the plan, nil where it names none.
func (p *Plan) roster() *rosterFile {
	tie := p.parsed.Command(NewTieOut().Name())
	e := find(tie, "roster")
	if e == nil {
		return nil
	}
	path, ok := e.Value.(string)
	if !ok {
		return nil
	}
	r := &rosterFile{path: beside(p.parsed.File, path)}
	if renames := find(tie, "roster-rename"); renames != nil {
		r.renames = option.TextsOf(renames.Value)
	}
	return r
}

// names are the entities on the roster; nil where it cannot be read, which the tie-out tells.
func (r *rosterFile) names(ctx context.Context) []string {
	if r == nil {
		return nil
	}
	const memory = 64 << 20
	table, err := source.ReadTable(ctx, r.path, source.Reading{Memory: memory}, 0)
	if err != nil {
		return nil
	}
	renames, err := shape.ParseRenames(r.renames)
	if err != nil || table.Rename(renames) != nil {
		return nil
	}
	roster, err := tieout.ReadRoster(table)
	if err != nil {
		return nil
	}
	return roster.Names()
}
