package block

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"lastblock/core/finding"
	"lastblock/core/source"
	"lastblock/core/value/moved"
	"lastblock/core/value/period"

	"golang.org/x/sync/errgroup"
)

// State is how a file stands to what a block has sealed.
type State string

// The states.
const (
	Untouched  State = "untouched"
	Changed    State = "changed"
	Gone       State = "gone"
	Superseded State = "superseded" // a newer block names the file again, or has settled that it is not there
	Unknown    State = "unknown"    // what a database gave, before it was asked again
)

// Role is what a file is to a block.
type Role string

// The roles.
const (
	OfResult    Role = "result"
	OfSource    Role = "source"
	OfReference Role = "reference"
	OfFigures   Role = "figures"
	OfRecords   Role = "records"
	OfPack      Role = "pack"
)

// Sealed is a file that a block has sealed, and how it stands now.
type Sealed struct {
	File
	Query  string // of a database
	Role   Role
	Number int // of the block
	Period string
	State  State
	Parts  []string // of a file that has changed: the entries or sheets that have, as far as that was found out

	// sources are what it is of, or has in it. Of a form the first tells the result, and the period that it was sent
	// for.
	sources []*Source
}

// key is what tells a file, or a query, from others.
func (f *Sealed) key() string { return f.Name + "\x00" + f.Query }

// Wanted is what is held against its seal.
type Wanted struct {
	Root  string // the folder of the plan, from which files are named
	Moved moved.Moves
	// StandFor are the SHA-256 of files that stand for others, and those of these.
	StandFor map[string]string
	Sources  bool // sources and references, too
	Block    int  // files of this block alone; 0 for those of all
	Jobs     int  // files that are read at a time
}

// Verify holds the files that blocks have sealed against what they are now. What a block says of a file
// holds until a newer block names it again. Entries of archives and sheets are parts of their file, which is
// read once. What a database gave is asked for by others: it is Unknown. The error is what reading a
// file returned, or a *BrokenError.
func (c *Chain) Verify(ctx context.Context, wanted Wanted) (all []Sealed, err error) {
	files, err := c.sealed(wanted.Root)
	if err == nil && wanted.Sources {
		files, err = c.withSources(files)
	}
	if err != nil {
		return nil, err
	}
	newest := make(map[string]int) // the block that names a file last
	for i := range files {
		newest[files[i].key()] = max(newest[files[i].key()], files[i].Number)
	}
	settled := formsOf(files)
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(max(1, wanted.Jobs))
	for _, f := range files {
		if wanted.Block == 0 || f.Number == wanted.Block && f.Role != OfSource {
			all = append(all, f)
		}
	}
	if wanted.Block > 0 && wanted.Sources {
		e := &c.Entries[wanted.Block-1]
		sources, err := c.Sources(e)
		if err != nil && !errors.As(err, new(*LostError)) { // with the figures, where there are too many to be listed
			return nil, err
		}
		all = append(all, filesOf(e, sources)...)
	}
	for i := range all {
		f := &all[i]
		switch {
		case newest[f.key()] > f.Number:
			f.State = Superseded
		case f.SHA256 == "":
			f.State = Unknown
		default:
			group.Go(func() (err error) {
				var hash string
				f.State, hash, err = f.state(ctx, wanted.Moved.Path(wanted.Root, f.Name), wanted.StandFor)
				if (f.State == Changed || f.State == Gone) && (c.isSettled(f, settled) || c.isAccepted(f, hash)) {
					f.State = Superseded
				}
				return err
			})
		}
	}
	return all, group.Wait()
}

// formsOf are the newest blocks that have forms of a result and a period.
func formsOf(files []Sealed) map[form]int {
	newest := make(map[form]int)
	for i := range files {
		if key := files[i].form(); key.result != "" {
			newest[key] = max(newest[key], files[i].Number)
		}
	}
	return newest
}

// form is what a form was sent for.
type form struct{ result, period string }

// form tells what a form was sent for, nothing of other files.
func (f *Sealed) form() form {
	if f.Role != OfSource {
		return form{}
	}
	return form{f.sources[0].Of, f.sources[0].Period}
}

// isSettled tells whether a newer block has read all that there was of the period of a source, so that one which it
// does not name was renamed or taken away, and that was accepted. forms are those of formsOf.
func (c *Chain) isSettled(f *Sealed, forms map[form]int) bool {
	if f.Role != OfSource {
		return false
	}
	if key := f.form(); key.result != "" {
		return forms[key] > f.Number
	}
	for _, s := range f.sources { // a close asks for those alone whose names tell a period
		if _, told := period.Parse(s.Period); !told {
			return false
		}
	}
	own, ok := period.Parse(f.Period)
	for i := f.Number; ok && i < len(c.Entries); i++ { // those behind it
		if p, is := period.Parse(c.Entries[i].Period); is && p.Last() >= own.Last() {
			return true
		}
	}
	return false
}

// isAccepted tells whether newer blocks have sealed decisions that what has become of a file is known: that its bytes
// have this SHA-256 now, "" where it is gone.
func (c *Chain) isAccepted(f *Sealed, hash string) bool {
	for _, s := range f.sources {
		about := finding.Finding{Kind: finding.ClosedPeriodChanged, Source: s.Source, Key: s.Of,
			Expected: Short(s.SHA256), Found: Short(hash)}
		id, state := finding.Identify(&about, 0), finding.StateOf(&about)
		accepted := false
		for i := f.Number; i < len(c.Entries); i++ { // those behind it
			accepted = accepted || slices.ContainsFunc(c.Entries[i].Findings, func(found Finding) bool {
				return found.ID == id && found.State == state && found.Decision != ""
			})
		}
		if !accepted {
			return false
		}
	}
	return len(f.sources) > 0
}

// Sealing is the newest seal of the file at a path, which may be that of a result or of a block, if it is as it was
// sealed; nil for none. wanted tells where files are. The error is what reading the file returned.
func (c *Chain) Sealing(ctx context.Context, wanted Wanted, path string) (*Sealed, error) {
	file, err := os.Stat(path)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	files, err := c.sealed(wanted.Root)
	if err != nil {
		return nil, err
	}
	for i := range c.Entries {
		e := &c.Entries[i]
		own := File{e.File, e.Seal}
		files = append(files, Sealed{File: c.beside(wanted.Root, own), Number: e.Number, Period: e.Period})
	}
	var newest *Sealed
	for i := range files {
		f := &files[i]
		if newest != nil && f.Number < newest.Number {
			continue
		}
		if info, err := os.Stat(wanted.Moved.Path(wanted.Root, f.Name)); err == nil && os.SameFile(info, file) {
			newest = f
		}
	}
	if newest == nil {
		return nil, nil
	}
	newest.State, _, err = newest.state(ctx, path, nil)
	if err != nil || newest.State != Untouched {
		return nil, err
	}
	return newest, nil
}

// state holds a file against its seal, and tells the SHA-256 that it has now, "" where it is gone or no file.
func (f *Sealed) state(ctx context.Context, path string, standFor map[string]string) (State, string, error) {
	if info, err := os.Stat(path); err == nil && !info.Mode().IsRegular() {
		return Changed, "", nil // a folder is there, or something else that is no file
	}
	switch hash, err := source.HashFile(ctx, path); {
	case errors.Is(err, fs.ErrNotExist):
		return Gone, "", nil
	case err != nil:
		return "", "", err
	case hash == f.SHA256 || standFor[hash] == f.SHA256:
		return Untouched, hash, nil
	default:
		return Changed, hash, nil
	}
}

// sealed are the files that blocks name beside sources, in the order of the blocks, each once a block.
func (c *Chain) sealed(root string) (all []Sealed, err error) {
	for i := range c.Entries {
		e := &c.Entries[i]
		named := make(map[string]bool)
		add := func(role Role, f File, query string) {
			s := Sealed{File: f, Query: query, Role: role, Number: e.Number, Period: e.Period}
			if !named[s.key()] && f.Name != "" {
				named[s.key()] = true
				all = append(all, s)
			}
		}
		for _, r := range e.Results {
			add(OfResult, r.File, "")
		}
		add(OfFigures, c.beside(root, e.Figures), "")
		if e.Records != nil {
			add(OfRecords, c.beside(root, *e.Records), "")
		}
		if e.Pack != nil {
			add(OfPack, c.beside(root, *e.Pack), "")
		}
	}
	return all, nil
}

// withSources adds the sources and the references that blocks name. A source that a block goes on to use as an earlier
// one has sealed it stands there once, with the newest block that uses it.
func (c *Chain) withSources(files []Sealed) (all []Sealed, err error) {
	through := make(map[int]int)         // the newest block that uses all sources of a block
	named := make(map[int]map[Named]int) // the newest one that uses a source of a block
	for i := range c.Entries {
		e := &c.Entries[i]
		for k := range e.Earlier {
			of := &e.Earlier[k]
			from, err := c.earlier(e, of)
			switch {
			case err != nil:
				return nil, err
			case of.Sources > 0 && len(of.Only)+len(of.Without) == 0:
				through[from.Number] = e.Number
				continue
			}
			own, err := c.listed(from)
			if err != nil {
				return nil, err
			}
			for _, s := range of.uses(own) {
				if named[from.Number] == nil {
					named[from.Number] = make(map[Named]int)
				}
				named[from.Number][s.name()] = e.Number
			}
		}
	}
	all = files
	type place struct {
		key    string
		number int
	}
	at := make(map[place]int)
	for i := range all {
		at[place{all[i].key(), all[i].Number}] = i
	}
	add := func(f Sealed) {
		key := place{f.key(), f.Number}
		if k, known := at[key]; known {
			all[k].sources = append(all[k].sources, f.sources...)
			return
		}
		at[key], all = len(all), append(all, f)
	}
	for i := range c.Entries {
		e := &c.Entries[i]
		own, err := c.listed(e)
		if err != nil {
			return nil, err
		}
		for _, f := range filesOf(e, own) {
			for _, s := range f.sources {
				f.Number = max(f.Number, through[e.Number], named[e.Number][s.name()])
			}
			f.Period = c.Entries[f.Number-1].Period
			add(f)
		}
		for _, r := range e.References {
			add(Sealed{File: r.File, Query: r.Query, Role: OfReference, Number: e.Number, Period: e.Period})
		}
	}
	return all, nil
}

// listed are the sources that stand in a block, none where there are too many for itself and its figures are gone.
func (c *Chain) listed(e *Entry) ([]Source, error) {
	own, err := c.own(e)
	if errors.As(err, new(*LostError)) {
		return nil, nil
	}
	return own, err
}

// filesOf are the files of sources that a block has sealed, each once.
func filesOf(e *Entry, sources []Source) (all []Sealed) {
	at := make(map[string]int)
	for i := range sources {
		s := &sources[i]
		f := Sealed{File: s.File, Query: s.Query, Role: OfSource, Number: e.Number, Period: e.Period}
		place, known := at[f.key()]
		if !known {
			place = len(all)
			at[f.key()], all = place, append(all, f)
		}
		all[place].sources = append(all[place].sources, s)
	}
	return all
}

// beside is a file that lies with the blocks, by its name from the plan.
func (c *Chain) beside(root string, f File) File {
	if f.Name == "" {
		return f
	}
	if below, err := filepath.Rel(root, filepath.Join(c.Folder, f.Name)); err == nil {
		f.Name = filepath.ToSlash(below)
	}
	return f
}
