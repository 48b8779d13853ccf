package month

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"lastblock/core/month/block"
	"lastblock/core/month/plan"
	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/core/value/moved"
)

// Whereabouts is what was found of a sealed source in another place.
type Whereabouts string

// The whereabouts.
const (
	There   Whereabouts = "there"
	Other   Whereabouts = "changed" // a file of the name is there, and its content is another one
	Missing Whereabouts = "missing"
)

// RelocatedFile is a file that was sealed as a source, and lay where others lie now.
type RelocatedFile struct {
	Name string // as blocks call it
	Path string // where it is now, or should be
	Whereabouts
}

// Relocation is a plan whose files lie elsewhere.
type Relocation struct {
	moved.Move
	Files []RelocatedFile
	Lines []PlanLine // of the plan that are another now
	Was   []byte     // the text of the plan
	Text  []byte     // the same as it is written anew
	Noted bool       // the move is a decision already, which the plan has not followed
}

// PlanLine is a line of a plan, before and after.
type PlanLine struct {
	Line    int
	Was, Is string
}

// All tells whether all files are there.
func (r *Relocation) All() bool {
	return !slices.ContainsFunc(r.Files, func(f RelocatedFile) bool { return f.Whereabouts != There })
}

// Relocate finds the files below a path, as blocks have sealed them, below another one, by their content, and writes
// the plan anew for where they are. Both paths are from the working directory, or as the plan has them. Nothing is
// changed. The error says why that cannot be, or is what reading returned.
func (p *Plan) Relocate(ctx context.Context, chain *block.Chain, stands *Standing, old, new string) (*Relocation,
	error) {
	r := &relocating{plan: p, folder: filepath.Dir(p.parsed.File), moves: stands.Moves, typed: new}
	if chain.Last() != nil {
		sources, err := chain.Sources(chain.Latest())
		if err != nil {
			return nil, err
		}
		r.sources = sources
	}
	var err error
	if r.New, err = r.from(new); err != nil {
		return nil, err
	}
	from, err := r.from(old)
	if err != nil {
		return nil, err
	}
	data, err := os.ReadFile(p.parsed.File)
	if err != nil {
		return nil, err
	}
	r.Was = data
	for _, candidate := range []string{from, moved.Slashed(filepath.ToSlash(old))} {
		r.Old = candidate
		if r.rewrite(data); r.Lines != nil || r.has(candidate) {
			break
		}
	}
	if at := slices.Index(stands.Moves, r.Move); at >= 0 && r.Lines != nil {
		r.Noted, r.moves = true, slices.Delete(slices.Clone(stands.Moves), at, at+1)
	}
	switch _, inside := moved.Below(r.Old, r.New); {
	case r.Lines == nil && !r.has(r.Old):
		return nil, fmt.Errorf("nothing that the plan names, and no sealed source, lies below %s", old)
	case r.Old == r.New:
		return nil, fmt.Errorf("%s is where they are already", new)
	case !inside && r.has(r.New):
		return nil, fmt.Errorf("sealed sources lie below %s already; move the files to a place of their own",
			new)
	}
	return &r.Relocation, r.find(ctx)
}

// relocating is a relocation on its way.
type relocating struct {
	Relocation
	plan    *Plan
	folder  string // of the plan
	typed   string // the new path as it was typed
	moves   moved.Moves
	sources []block.Source
}

// from is a path as it is called from the folder of the plan, without moves. One of a drive or a share stays as it is.
func (r *relocating) from(path string) (string, error) {
	if moved.HasVolume(path) && filepath.VolumeName(path) == "" {
		return moved.Slashed(path), nil // of another system, where the plan is used as well
	}
	return moved.Moves(nil).Name(r.folder, path)
}

// has tells whether a sealed source lies below a path.
func (r *relocating) has(path string) bool {
	return slices.ContainsFunc(r.sources, func(s block.Source) bool {
		_, below := moved.Below(path, r.moves.Is(s.Name))
		return s.SHA256 != "" && below
	})
}

// rewrite writes the plan anew, whose text is data.
func (r *relocating) rewrite(data []byte) {
	rewriting := r.plan.parsed.Rewrite(data)
	r.plan.eachPath(func(e *plan.Entry, o *option.Option) {
		for i, text := range option.TextsOf(e.Value) {
			is := text
			if o == nil || o.Path == nil {
				is = r.moveText(text)
			} else {
				is = o.Path(text, r.moveText)
			}
			if is != text {
				rewriting.Set(e, i, is)
			}
		}
	})
	r.Text, r.Lines = rewriting.Bytes(), nil
	was, is := bytes.Split(data, []byte{'\n'}), bytes.Split(r.Text, []byte{'\n'})
	for i := range was {
		if !bytes.Equal(was[i], is[i]) {
			r.Lines = append(r.Lines, PlanLine{i + 1, strings.TrimRight(string(was[i]), "\r"),
				strings.TrimRight(string(is[i]), "\r")})
		}
	}
}

// IsPlanOf tells whether the plan is the one with a SHA-256, but for its paths, which relocations since have written
// anew.
func (p *Plan) IsPlanOf(hash string, moves moved.Moves) (bool, error) {
	data, err := os.ReadFile(p.parsed.File)
	if err != nil {
		return false, err
	}
	parsed := p.parsed
	for i := len(moves) - 1; ; i-- {
		if block.SealOf(data) == hash {
			return true, nil
		}
		if i < 0 {
			return false, nil
		}
		if _, isFrozen := moved.Below(FrozenFolder, moves[i].New); isFrozen {
			continue
		}
		back := &relocating{plan: &Plan{parsed: parsed}, folder: filepath.Dir(p.parsed.File), typed: moves[i].Old}
		back.Old, back.New = moves[i].New, moves[i].Old
		back.rewrite(data)
		data = back.Text
		if parsed, err = plan.Parse(p.parsed.File, data); err != nil {
			return false, err
		}
	}
}

// moveText is a path of the plan as it is now, written as it was: from the folder of the plan, or whole.
func (r *relocating) moveText(text string) string {
	if text == "" || text == "-" || source.IsQuery(text) {
		return text
	}
	path := text
	if !moved.HasVolume(text) {
		path = beside(r.plan.parsed.File, text)
	}
	named, err := r.from(path)
	rest, below := moved.Below(r.Old, named)
	if err != nil || !below {
		return text
	}
	if moved.HasVolume(r.typed) {
		return moved.Join(r.typed, rest)
	}
	if filepath.IsAbs(text) && filepath.IsAbs(r.typed) {
		return moved.Join(r.typed, rest)
	}
	return moved.Join(r.New, rest)
}

// eachPath visits the entries of the plan that hold paths, with their options; nil for those of what is read. Of
// commands it visits the tables of some, or of all.
func (p *Plan) eachPath(visit func(e *plan.Entry, o *option.Option), commands ...string) {
	tables := func(table *plan.Table, options option.List) {
		for i := range table.Entries {
			e := &table.Entries[i]
			if o := options.Find(e.Key); o != nil && o.File != option.NoFile {
				visit(e, o)
			}
		}
	}
	reading := newReading()
	tables(&p.parsed.Read, reading.Options())
	if e := p.parsed.Read.Find(pathsKey); e != nil {
		visit(e, nil)
	}
	for _, t := range Tasks() {
		if len(commands) > 0 && !slices.Contains(commands, t.Name()) {
			continue
		}
		for _, table := range p.parsed.All(t.Name()) {
			tables(table, AllOptions(t))
			if e := table.Find(pathsKey); e != nil {
				visit(e, nil)
			}
		}
	}
}

// find finds the files.
func (r *relocating) find(ctx context.Context) error {
	told := make(map[string]bool)
	var lost []int // among Files
	hashes := make(map[string]string)
	for i := range r.sources {
		s := &r.sources[i]
		rest, below := moved.Below(r.Old, r.moves.Is(s.Name))
		if s.SHA256 == "" || told[s.Name] || !below {
			continue
		}
		told[s.Name] = true
		f := RelocatedFile{Name: s.Name, Path: moved.Moves(nil).Path(r.folder, moved.Join(r.New, rest)),
			Whereabouts: There}
		hash, err := source.HashFile(ctx, f.Path)
		switch {
		case errors.Is(err, fs.ErrNotExist):
			f.Whereabouts = Missing
		case err != nil:
			return err
		case hash != s.SHA256:
			f.Whereabouts = Other
			same, err := r.hasSame(ctx, s.Name, f.Path)
			if err != nil {
				return err
			}
			if same {
				f.Whereabouts = There
			}
		}
		if f.Whereabouts != There {
			lost = append(lost, len(r.Files))
			hashes[s.Name] = s.SHA256
		}
		r.Files = append(r.Files, f)
	}
	if len(lost) == 0 {
		return nil
	}
	return r.search(ctx, lost, hashes)
}

// hasSame tells whether an archive or a workbook of other bytes has the entries or sheets that were sealed, by the
// fingerprints of their records: one that was packed again is the same, as changes has it.
func (r *relocating) hasSame(ctx context.Context, name, path string) (bool, error) {
	sealed := make(map[string]string) // fingerprints by entry or sheet
	for i := range r.sources {
		if s := &r.sources[i]; s.Name == name && s.Of == "" {
			sealed[inner(s.Source, s.Name)] = s.Fingerprint
		}
	}
	if _, plain := sealed[""]; plain || len(sealed) == 0 {
		return false, nil
	}
	t := NewClosing()
	if err := TakePlan(t, r.plan.parsed.File); err != nil {
		return false, err
	}
	set, reading, err := t.Sources().Find(ctx, []string{path}, 0)
	if err != nil {
		return false, nil // it cannot be read as the plan reads it, and so is another one
	}
	reading.Memory, reading.Partial = reread, true
	var indices []int
	for i := range set.Sources {
		indices = append(indices, i)
	}
	now, err := fingerprints(ctx, &Input{Set: set, Reading: reading}, indices)
	if err != nil {
		return false, ctx.Err()
	}
	same := 0
	for i := range set.Sources {
		if s := &set.Sources[i]; sealed[inner(s.Name, path)] == now[s.Name] {
			same++
		}
	}
	return same == len(sealed), nil
}

// reread is the memory for reading one file again, in bytes.
const reread = 256 << 20

// search looks for files under other names, by their content.
func (r *relocating) search(ctx context.Context, lost []int, hashes map[string]string) error {
	sizes := make(map[int64]bool)
	for i := range r.sources {
		if s := &r.sources[i]; hashes[s.Name] != "" {
			sizes[s.Size] = true
		}
	}
	taken := make(map[string]bool)
	for _, f := range r.Files {
		if f.Whereabouts == There {
			taken[f.Path] = true
		}
	}
	at := make(map[string][]string) // paths by content
	err := filepath.WalkDir(moved.Moves(nil).Path(r.folder, r.New), func(path string, d fs.DirEntry, err error) error {
		if err != nil || !d.Type().IsRegular() || taken[path] {
			return nil // what cannot be looked at has none of them
		}
		if info, err := d.Info(); err != nil || !sizes[info.Size()] {
			return nil
		}
		hash, err := source.HashFile(ctx, path)
		if err == nil {
			at[hash] = append(at[hash], path)
		}
		return ctx.Err()
	})
	if err != nil {
		return err
	}
	for _, i := range lost {
		f := &r.Files[i]
		if paths := at[hashes[f.Name]]; len(paths) > 0 {
			f.Path, f.Whereabouts = paths[0], There
			at[hashes[f.Name]] = paths[1:]
		}
	}
	return nil
}
