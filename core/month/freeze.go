package month

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"lastblock/core/finding"
	"lastblock/core/finding/decision"
	"lastblock/core/month/block"
	"lastblock/core/source"
	"lastblock/core/tally"
	"lastblock/core/value/moved"
	"lastblock/core/value/natural"
	"lastblock/core/value/nearest"
	"lastblock/core/value/period"
	"lastblock/core/value/spelling"
	"lastblock/core/value/words"
)

// FrozenFolder is where the files of entities are kept that are no longer read, beside the plan.
const FrozenFolder = "frozen"

// frozenVersion is that of the lists of frozen files that are written.
const frozenVersion = 1

// Frozen is an entity whose sources are kept as they were sealed, and whose files are not read any more.
type Frozen struct {
	Version int            `json:"version"`
	Entity  string         `json:"entity"`
	Reason  string         `json:"reason"`
	User    string         `json:"user"`
	Time    time.Time      `json:"time"`
	Sources []FrozenSource `json:"sources"`
}

// FrozenSource is a source that was frozen. One file may have several, with the sheets of a workbook.
type FrozenSource struct {
	Source string `json:"source"`       // as results call it
	Of     string `json:"of,omitempty"` // the result whose form it is; "" for a source that all results share
	Name   string `json:"name"`         // of its file, as blocks have it
	File   string `json:"file"`         // the copy, from the folder of frozen files
	Below  string `json:"below"`        // see source.FrozenFile
	SHA256 string `json:"sha256"`
	Period string `json:"period,omitempty"`
	Rows   int    `json:"rows"`
	Size   int64  `json:"size"`
	Block  int    `json:"block"`

	// Copy is the SHA-256 of the records that stand for the file, "" where the copy is the file itself; Columns are
	// theirs, and Decimal is the decimal mark of their amounts.
	Copy    string   `json:"copy,omitempty"`
	Columns []string `json:"columns,omitempty"`
	Decimal string   `json:"decimal,omitempty"`
}

// Through is the last period of which sources were frozen; ok is false where their names tell none.
func (f *Frozen) Through() (last period.Period, ok bool) {
	for i := range f.Sources {
		if p, is := period.Parse(f.Sources[i].Period); is && f.Sources[i].Of == "" && (!ok || p.Last() > last.Last()) {
			last, ok = p, true
		}
	}
	return last, ok
}

// ListName is the file that lists what was frozen of an entity, in the folder of frozen files.
func ListName(entity string) string { return url.PathEscape(strings.ToLower(entity)) + ".json" }

// foldEntity is how entities are told apart.
func foldEntity(entity string) string { return spelling.Fold(entity) }

// Standing is what was written down beside decisions: which entities are frozen, and where files lie now.
type Standing struct {
	Frozen []*Frozen
	Moves  moved.Moves // copies of frozen files count as moved
}

// ReadStanding reads what stands in a file of decisions beside a plan in a folder. The error says what is not as
// it was written.
func ReadStanding(folder string, log *decision.Log) (*Standing, error) {
	s := new(Standing)
	if log == nil {
		return s, nil
	}
	current := make(map[string]bool)
	for _, d := range log.Current() {
		current[d.ID] = d.Verdict == decision.Freeze
	}
	for i := range log.Decisions {
		d := &log.Decisions[i]
		switch last, _ := log.Of(d.ID); {
		case d.Verdict == decision.Relocate:
			s.Moves = append(s.Moves, moved.Move{Old: d.Source, New: d.State})
		case d.Verdict == decision.Freeze && current[d.ID] && last.State == d.State && last.Time.Equal(d.Time):
			f, err := readFrozen(folder, d)
			if err != nil {
				return nil, err
			}
			s.Frozen = append(s.Frozen, f)
			s.Moves = append(s.Moves, f.moves(s.Moves)...)
		}
	}
	return s, nil
}

// FrozenError is a list of frozen files that is not as it was written.
type FrozenError struct {
	Entity string
	Err    error
}

func (e *FrozenError) Error() string {
	return fmt.Sprintf("%v; put it back from a copy, or have its own files read again with 'freeze %s ⟨undo⟩ ⟨reason⟩ "+
		"TEXT'", e.Err, e.Entity)
}

func (e *FrozenError) Unwrap() error { return e.Err }

// FrozenIn tells whether an entity is frozen by a file of decisions, whatever became of its copies since.
func FrozenIn(log *decision.Log, entity string) bool {
	return slices.ContainsFunc(log.Current(), func(d decision.Decision) bool {
		return d.Verdict == decision.Freeze && foldEntity(d.Source) == foldEntity(entity)
	})
}

// FrozenCopy is a copy that is not as it was frozen.
type FrozenCopy struct {
	Name   string // of the copy, from the folder of the plan
	Source string // that it stands for
	Entity string
	State  block.State // Changed or Gone
}

// Touched are the copies of frozen files that are not as they were frozen, for a plan in a folder. The error is what
// reading one returned, or that of the context.
func (s *Standing) Touched(ctx context.Context, folder string) (touched []FrozenCopy, err error) {
	looked := make(map[string]bool)
	for _, f := range s.Frozen {
		for i := range f.Sources {
			of := &f.Sources[i]
			c := FrozenCopy{path.Join(FrozenFolder, of.File), of.Source, f.Entity, block.Changed}
			if looked[c.Name] {
				continue
			}
			looked[c.Name] = true
			hash, err := source.HashFile(ctx, filepath.Join(folder, filepath.FromSlash(c.Name)))
			switch {
			case errors.Is(err, fs.ErrNotExist):
				c.State = block.Gone
			case err != nil:
				return nil, err
			case hash == cmp.Or(of.Copy, of.SHA256):
				continue
			}
			touched = append(touched, c)
		}
	}
	return touched, nil
}

func readFrozen(folder string, d *decision.Decision) (*Frozen, error) {
	file := filepath.Join(folder, FrozenFolder, ListName(d.Source))
	data, err := os.ReadFile(file)
	if err != nil {
		err = fmt.Errorf("%s was frozen on %s: %w", d.Source, d.Time.Format(time.DateOnly), err)
	} else if block.SealOf(data) != d.State {
		err = fmt.Errorf("%s is not as it was when %s was frozen", file, d.Source)
	}
	if err != nil {
		return nil, &FrozenError{d.Source, err}
	}
	f := new(Frozen)
	return f, json.Unmarshal(data, f)
}

// moves are the files that lie among the frozen ones now, each once; before are those that were made earlier.
func (f *Frozen) moves(before moved.Moves) (moves moved.Moves) {
	for i := range f.Sources {
		s := &f.Sources[i]
		m := moved.Move{Old: before.Is(s.Name), New: path.Join(FrozenFolder, s.File)}
		if !slices.Contains(moves, m) {
			moves = append(moves, m)
		}
	}
	return moves
}

// files are the copies, each once, for a plan in a folder: those of the forms of a result, or "" of the sources
// that all results share.
func (f *Frozen) files(folder, of string, moves moved.Moves) (files []source.FrozenFile) {
	told := make(map[string]bool)
	for i := range f.Sources {
		s := &f.Sources[i]
		if told[s.File] || s.Of != of {
			continue
		}
		told[s.File] = true
		file := source.FrozenFile{Path: filepath.Join(folder, FrozenFolder, filepath.FromSlash(s.File)),
			Was: moves.Is(s.Name), Below: s.Below}
		if file.Records = s.Copy != ""; file.Records && s.Decimal != "" {
			file.Decimal = s.Decimal[0]
		}
		files = append(files, file)
	}
	return files
}

// takeStanding has the reading take frozen files in, and call moved ones as they were. planned are the paths of the
// plan; those of which only frozen files were read need not be there any more.
func (r *Reading) takeStanding(in *Input, planned []string) (paths []string, err error) {
	if in.standing, err = ReadStanding(in.planned, in.Decided); err != nil {
		return nil, err
	}
	r.Base, r.Moved = in.planned, in.standing.Moves
	var before moved.Moves // without those of frozen files
	for _, m := range in.standing.Moves {
		if _, isFrozen := moved.Below(FrozenFolder, m.New); !isFrozen {
			before = append(before, m)
		}
	}
	for _, f := range in.standing.Frozen {
		r.Frozen = append(r.Frozen, f.files(in.planned, in.of, before)...)
	}
	return slices.DeleteFunc(slices.Clone(planned), func(path string) bool {
		if _, err := os.Stat(path); !errors.Is(err, fs.ErrNotExist) {
			return false
		}
		name, err := moved.Moves(nil).Name(in.planned, path)
		return err == nil && slices.ContainsFunc(r.Frozen, func(f source.FrozenFile) bool {
			_, below := moved.Below(name, f.Was)
			return below
		})
	}), nil
}

// passOverFrozen passes over what has arrived of frozen entities, and tells it.
func (in *Input) passOverFrozen() {
	if in.standing == nil || len(in.standing.Frozen) == 0 {
		return
	}
	frozen := make(map[string]*Frozen)
	known := make(map[string]bool)
	for _, f := range in.standing.Frozen {
		frozen[foldEntity(f.Entity)] = f
		for i := range f.Sources {
			if f.Sources[i].Of == in.of {
				known[f.Sources[i].Source] = true
			}
		}
	}
	in.Set.PassOver("of an entity that was frozen", func(i int) bool {
		f := frozen[foldEntity(in.Set.Word(i, tally.EntityWord))]
		name := in.Set.Sources[i].Name
		if f == nil || known[name] {
			return false
		}
		arrived := finding.Finding{Kind: finding.FrozenSource, Source: name, Severity: finding.FrozenSource.Severity(),
			Message: fmt.Sprintf("%s was frozen on %s (%s), and a file of it has arrived, which is not read; take "+
				"it away, or "+
				"'freeze %s ⟨undo⟩' and it counts", f.Entity, f.Time.Format(time.DateOnly), f.Reason, f.Entity)}
		arrived.ID, arrived.State = finding.Identify(&arrived, 0), finding.StateOf(&arrived)
		in.Arrived = append(in.Arrived, arrived)
		if of, ok := period.Parse(in.Set.Word(i, tally.PeriodWord)); ok {
			if in.arrivedFor == nil {
				in.arrivedFor = make(map[string]period.Period)
			}
			in.arrivedFor[name] = of
		}
		return true
	})
}

// tellHidden tells the archives in place of which frozen copies are read, and that hold records of others by now.
func (r *Reading) tellHidden(ctx context.Context, in *Input) error {
	if in.standing == nil {
		return nil
	}
	told := make(map[string]bool)
	for _, f := range in.standing.Frozen {
		for i := range f.Sources {
			s := &f.Sources[i]
			path := filepath.Join(in.planned, filepath.FromSlash(s.Name))
			if s.Of != in.of || told[path] || inner(s.Source, s.Name) == "" {
				continue
			}
			told[path] = true
			if _, err := os.Stat(path); errors.Is(err, fs.ErrNotExist) {
				continue
			}
			others, err := r.othersIn(ctx, path, f.Entity)
			if err != nil {
				return err
			}
			if len(others) == 0 {
				continue
			}
			hidden := finding.Finding{Kind: finding.FrozenSource, Source: s.Name, Key: words.And(others...),
				Severity: finding.FrozenSource.Severity(),
				Message: fmt.Sprintf("%s was frozen, so this file is not read, and it holds records of %s; give them "+
					"a file of their own", f.Entity, words.And(others...))}
			hidden.ID, hidden.State = finding.Identify(&hidden, 0), finding.StateOf(&hidden)
			in.Arrived = append(in.Arrived, hidden)
		}
	}
	return nil
}

// othersIn are the entities, other than one, of which a file holds records.
func (r *Reading) othersIn(ctx context.Context, path, entity string) (others []string, err error) {
	alone := r.Request
	alone.Frozen, alone.Looks, alone.Only, alone.Skip = nil, false, nil, nil
	set, _, err := alone.Find(ctx, []string{path}, 1<<30)
	if err != nil {
		return nil, err
	}
	for i := range set.Sources {
		who := set.Word(i, tally.EntityWord)
		if foldEntity(who) != foldEntity(entity) && who != "" && !slices.Contains(others, who) {
			others = append(others, who)
		}
	}
	slices.Sort(others)
	return others, nil
}

// Ended are the entities that were frozen, and their last periods, by spelling.Fold of their names.
func (in *Input) Ended() map[string]period.Period {
	if in.standing == nil {
		return nil
	}
	ended := make(map[string]period.Period)
	for _, f := range in.standing.Frozen {
		if last, ok := f.Through(); ok {
			ended[foldEntity(f.Entity)] = last
		}
	}
	return ended
}

// Moves are the paths that were moved, those of frozen files with them.
func (in *Input) Moves() moved.Moves {
	if in.standing == nil {
		return nil
	}
	return in.standing.Moves
}

// Freeze finds the sources of an entity as the newest blocks of their periods have sealed them, whose files have to be
// as they were; nothing is written. in has found the sources of the plan, and forms the forms of its grids. The error
// says why that cannot be.
func Freeze(ctx context.Context, in *Input, forms []*Input, chain *block.Chain, entity string) (*Frozen, error) {
	stands, err := standing(chain)
	if err != nil {
		return nil, err
	}
	f := &Frozen{Version: frozenVersion, Entity: entity}
	holds := make(map[string][]string) // other entities, by file
	have := make(map[string]bool)
	for i := range stands {
		s := &stands[i]
		if s.Entity != "" {
			have[s.Entity] = true
		}
		if foldEntity(s.Entity) != foldEntity(entity) {
			holds[s.Name] = append(holds[s.Name], cmp.Or(s.Entity, "no entity"))
			continue
		}
		f.Entity = s.Entity
		f.Sources = append(f.Sources, FrozenSource{Source: s.Source.Source, Of: s.Of, Name: s.Name, SHA256: s.SHA256,
			Period: s.Period, Rows: s.Rows, Size: s.Size, Block: s.Number})
	}
	if len(f.Sources) == 0 {
		var names []string
		for name := range have {
			names = append(names, name)
		}
		slices.SortFunc(names, natural.Compare)
		return nil, nearest.Unknown("entity", entity, names)
	}
	all := make(map[string]*found)
	for _, in := range append([]*Input{in}, forms...) {
		all[in.of] = newFound(in)
		if err := in.holders(f.Entity, holds); err != nil {
			return nil, err
		}
	}
	for i := range f.Sources {
		s := &f.Sources[i]
		if all[s.Of] == nil {
			return nil, fmt.Errorf("%s is a form of %s, which the plan does not ask for any more", s.Source, s.Of)
		}
		if err := s.find(ctx, all[s.Of], chain, f.Entity, holds); err != nil {
			return nil, err
		}
	}
	return f, nil
}

// holders adds the other entities of which files hold records today, by the names that blocks have for files.
func (in *Input) holders(entity string, holds map[string][]string) error {
	for i := range in.Set.Sources {
		of := &in.Set.Sources[i]
		who := in.Set.Word(i, tally.EntityWord)
		if in.Set.IsQueried(i) || of.Path == "-" || foldEntity(who) == foldEntity(entity) {
			continue
		}
		name, err := in.Moves().Name(in.planned, of.Path)
		if err != nil {
			return err
		}
		holds[name] = append(holds[name], cmp.Or(who, "no entity"))
	}
	return nil
}

// found are sources that were found, by what they are called.
type found struct {
	in *Input
	at map[string]int
}

func newFound(in *Input) *found {
	f := &found{in, make(map[string]int)}
	for i := range in.Set.Sources {
		f.at[in.Set.Sources[i].Name] = i
	}
	return f
}

// standing are the sources that blocks have sealed, as they stand, with those whose names tell no period, and forms for
// what is still to come.
func standing(chain *block.Chain) ([]block.Standing, error) {
	stands, _, err := chain.Stands()
	if err != nil || chain.Last() == nil {
		return nil, err
	}
	latest := chain.Latest()
	sources, err := chain.Sources(latest)
	known := make(map[string]bool)
	for i := range stands {
		known[stands[i].Of+"\x00"+stands[i].Source.Source] = true
	}
	for i := range sources {
		s := &sources[i]
		if _, ok := period.Parse(s.Period); !ok || s.Of != "" && !known[s.Of+"\x00"+s.Source] {
			stands = append(stands, block.Standing{Source: *s, Number: latest.Number})
		}
	}
	return stands, err
}

// find makes sure that the file of a source is as it was sealed, and says where its copy will be.
func (s *FrozenSource) find(ctx context.Context, found *found, chain *block.Chain, entity string,
	holds map[string][]string) error {
	what, in := "", found.in
	index, there := found.at[s.Source]
	switch {
	case s.SHA256 == "":
		what = "comes from a database, which is not"
	case !there:
		what = "is not there"
	default:
		hash, err := source.HashFile(ctx, in.Set.Sources[index].Path)
		if err != nil {
			return err
		}
		if hash != s.SHA256 {
			what = "is not"
		}
	}
	if others := holds[s.Name]; len(others) > 0 && s.SHA256 != "" {
		slices.Sort(others)
		return fmt.Errorf("%s holds records of %s as well; give %s a file of its own first", s.Name,
			words.And(slices.Compact(others)...), entity)
	}
	if what != "" {
		return s.retain(chain, entity, what)
	}
	s.Below = in.Set.Sources[index].FileBelow()
	folder := url.PathEscape(strings.ToLower(entity))
	if s.Of != "" {
		folder = path.Join(folder, "of "+url.PathEscape(s.Of))
	}
	s.File = path.Join(folder, strings.TrimPrefix(path.Clean("/"+s.Below), "/"))
	return nil
}

// retain has the source be frozen from the records that its block has retained.
func (s *FrozenSource) retain(chain *block.Chain, entity, what string) error {
	if s.Of != "" {
		return s.notThere(what)
	}
	e := &chain.Entries[s.Block-1]
	sources, err := chain.Sources(e)
	if err != nil {
		return err
	}
	at := slices.IndexFunc(sources, func(of block.Source) bool { return of.Source == s.Source })
	ok, err := s.fromRecords(chain, &sources[at])
	if err != nil {
		return err
	}
	if !ok {
		return s.notThere(what)
	}
	s.Columns = e.Layouts[sources[at].Layout-1]
	s.Below = s.Source
	s.File = path.Join(url.PathEscape(strings.ToLower(entity)), strings.TrimPrefix(path.Clean("/"+s.Source), "/")) +
		".records.csv"
	return nil
}

// PathOf is where the file of a frozen source lies before it is copied.
func (s *FrozenSource) PathOf(in *Input) string { return in.Moves().Path(in.planned, s.Name) }

// Encode writes the list of what is frozen.
func (f *Frozen) Encode() ([]byte, error) {
	data, err := json.MarshalIndent(f, "", "  ")
	return append(data, '\n'), err
}
