package month

import (
	"context"

	"lastblock/core/month/block"
	"lastblock/core/source"
)

// Recheck finds out more of sealed files whose bytes are other ones, and of what databases gave: it reads the
// sources of the plan that they are once more, and holds the fingerprint of their records against the sealed
// one. Of an archive or a workbook it says which entries or sheets have changed; what a database
// gives, as a source or a reference, is Untouched or Changed then. in has found the sources of the plan p.
func Recheck(ctx context.Context, p *Plan, in *Input, chain *block.Chain, files []block.Sealed) error {
	if err := recheckReferences(ctx, p, in, chain, files); err != nil {
		return err
	}
	at := make(map[string][]int) // of the sources of the set, by what they are called
	for i := range in.Set.Sources {
		at[in.Set.Sources[i].Name] = append(at[in.Set.Sources[i].Name], i)
	}
	sealed := make(map[int][]block.Source)
	var wanted []int
	for i := range files {
		f := &files[i]
		if f.Role != block.OfSource || f.State != block.Changed && f.State != block.Unknown {
			continue
		}
		list := sealed[f.Number]
		if list == nil {
			var err error
			if list, err = chain.Sources(&chain.Entries[f.Number-1]); err != nil {
				return err
			}
			sealed[f.Number] = list
		}
		for k := range list {
			if list[k].Name == f.Name && list[k].Query == f.Query {
				wanted = append(wanted, at[list[k].Source]...)
			}
		}
	}
	if len(wanted) == 0 {
		return nil
	}
	now, err := fingerprints(ctx, in, wanted)
	if err != nil {
		return err
	}
	for i := range files {
		if f := &files[i]; f.Role == block.OfSource && (f.State == block.Changed || f.State == block.Unknown) {
			judge(f, sealed[f.Number], now)
		}
	}
	return nil
}

// fingerprints are those of the records of sources, by what they are called.
func fingerprints(ctx context.Context, in *Input, indices []int) (map[string]string, error) {
	set := in.Set.Subset(indices)
	prints := new(source.Fingerprints)
	if err := set.ScanFor(ctx, in.Reading, prints); err != nil {
		return nil, err
	}
	of := make(map[string]string)
	for i := range set.Sources {
		of[set.Sources[i].Name] = prints.Of(i)
	}
	return of, nil
}

// judge says what has become of a file by the fingerprints of what is in it.
func judge(f *block.Sealed, list []block.Source, now map[string]string) {
	var parts []string
	held := 0
	for k := range list {
		s := &list[k]
		if s.Name != f.Name || s.Query != f.Query {
			continue
		}
		held++
		switch print, read := now[s.Source]; {
		case !read && f.State == block.Unknown:
			return // the plan does not ask for it any more
		case print != s.Fingerprint:
			parts = append(parts, s.Source)
		}
	}
	if f.State == block.Unknown {
		if f.State = block.Untouched; len(parts) > 0 {
			f.State = block.Changed
		}
		return
	}
	if held > 1 {
		f.Parts = parts
	}
}

// recheckReferences asks databases again that are references.
func recheckReferences(ctx context.Context, p *Plan, in *Input, chain *block.Chain, files []block.Sealed) error {
	type asked struct{ name, query string }
	now := make(map[asked]string)
	for i := range files {
		f := &files[i]
		if f.Role != block.OfReference || f.State != block.Unknown {
			continue
		}
		if len(now) == 0 {
			sets, err := p.queries(ctx, in)
			if err != nil {
				return err
			}
			for _, set := range sets {
				prints := new(source.Fingerprints)
				if err := set.ScanFor(ctx, in.Reading, prints); err != nil {
					return err
				}
				for k := range set.Sources {
					now[asked{set.Sources[k].Name, set.Query(k)}] = prints.Of(k)
				}
			}
		}
		for _, r := range chain.Entries[f.Number-1].References {
			print, known := now[asked{r.Name, r.Query}]
			if r.Name != f.Name || r.Query != f.Query || !known {
				continue // of another file, or not asked for by the plan any more
			}
			if f.State == block.Unknown {
				f.State = block.Untouched
			}
			if print != r.Fingerprint {
				f.State = block.Changed
			}
		}
	}
	return nil
}

// queries are the references of the plan's results that are databases.
func (p *Plan) queries(ctx context.Context, in *Input) (sets []*source.Set, err error) {
	add := func(set *source.Set) {
		for i := range set.Sources {
			if set.IsQueried(i) {
				sets = append(sets, set)
				return
			}
		}
	}
	if typed := NewReconcile(); p.Has(typed.Name()) {
		results, _, err := Results(p, typed, AllOptions(typed), NewReconcile)
		if err != nil {
			return nil, err
		}
		for _, r := range results {
			options, _, err := r.Task.Ask()
			if err != nil {
				return nil, r.Err(err)
			}
			there, err := r.Task.There(ctx, in, &options)
			if err != nil {
				return nil, r.Err(err)
			}
			add(there.Set)
		}
	}
	if typed := NewAttach(); p.Has(typed.Name()) {
		results, _, err := Results(p, typed, AllOptions(typed), NewAttach)
		if err != nil {
			return nil, err
		}
		for _, r := range results {
			references, err := r.Task.Ask(ctx, in)
			if err != nil {
				return nil, r.Err(err)
			}
			for _, reference := range references {
				add(reference.Set)
			}
		}
	}
	return sets, nil
}
