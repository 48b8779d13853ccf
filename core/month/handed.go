package month

import (
	"context"
	"os"
	"path/filepath"
	"slices"

	"lastblock/core/month/block"
	"lastblock/core/value/amount"
	"lastblock/core/value/moved"
)

// FigureIn is a figure as a file has it that was made of a result of the plan, and handed out. ok is false where the
// file has no columns for it.
func (p *Plan) FigureIn(ctx context.Context, file, result, sum string, say []block.Word, machine int64) (
	figure amount.Amount, ok bool, err error) {
	f, err := p.figure(&Tracing{Writing: Writing{Named: []string{result}}}, say)
	if err != nil {
		return figure, false, err
	}
	column, groups := sum, []block.Word{}
	qualified := func(what string) string {
		if len(f.sums) == 1 {
			return what
		}
		return what + " " + sum
	}
	if f.across != "" {
		column = qualified("total")
	}
	for _, w := range say {
		switch {
		case w.Column == f.across:
			column = qualified(w.Value)
		case len(f.by) > 0 && !slices.Contains(f.by, w.Column):
			return figure, false, nil
		default:
			groups = append(groups, w)
		}
	}
	t := NewTracing()
	t.Sum, t.Top = column, 1
	in, err := t.Open(ctx, []string{file}, machine)
	if err != nil {
		return figure, false, err
	}
	in.Reading.OwnOutputs = true
	found, err := TraceSources(ctx, in, t, groups)
	if err != nil {
		return figure, false, ctx.Err() // it has no such columns any more
	}
	return found.Amount, true, found.Close()
}

// Made is the newest result of a chain that has the bytes of a file, or its name where none has; nil for none. root
// is the folder of the plan, and moves are of its files.
func Made(chain *block.Chain, root, file string, moves moved.Moves) (*block.Entry, *block.Result, error) {
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, nil, err
	}
	hash := block.SealOf(data)
	name, err := moves.Name(root, file)
	if err != nil {
		return nil, nil, err
	}
	for _, same := range []func(r *block.Result) bool{
		func(r *block.Result) bool { return r.SHA256 == hash },
		func(r *block.Result) bool { return r.Name == name },
	} {
		for i := len(chain.Entries) - 1; i >= 0; i-- {
			e := &chain.Entries[i]
			for k := range e.Results {
				if r := &e.Results[k]; r.As == "" && same(r) {
					return e, r, nil
				}
			}
		}
	}
	return nil, nil, nil
}

// PlanAbove is the plan of a name in the folder of a file, or in the nearest one above it; "" for none.
func PlanAbove(file, name string) string {
	folder, err := filepath.Abs(filepath.Dir(file))
	for err == nil {
		path := filepath.Join(folder, name)
		if _, missing := os.Stat(path); missing == nil {
			return path
		}
		above := filepath.Dir(folder)
		if above == folder {
			break
		}
		folder = above
	}
	return ""
}
