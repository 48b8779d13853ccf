package source

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"lastblock/core/format/delimited"
	"lastblock/core/format/postgres"
	"lastblock/core/record"
	"lastblock/core/source/shape"
	"lastblock/core/value/moved"
	"lastblock/core/value/natural"

	"golang.org/x/sync/errgroup"
)

// Search is what a run reads: paths, and what narrows them down.
type Search struct {
	Paths   []string // files, folders, patterns, or "-"
	Recurse bool     // below folders, too
	Only    []string // patterns; a file that is found must match one
	Skip    []string // patterns; a file that is found must match none
	Mode    ColumnMode
	Manner  *Manner       // how sources are written; nil for nothing said
	Manners []NamedManner // how those are whose names match; the first one counts
	Jobs    int
	Memory  int64 // that the run has for what is larger than it, in bytes; 0 for as much as it takes
	// Moved are paths that were moved, from the folder Base: their sources go on to be called as they were.
	Moved moved.Moves
	Base  string

	// Frozen are files that are read in place of others.
	Frozen []FrozenFile

	// Early is the memory of a run, in bytes, that goes on to Look at all sources: small texts are then read when their
	// files are found, which asks the system for less. 0 reads nothing.
	Early    int64
	patience time.Duration // with a disk; 0 for earlyPatience

	// KeepLocked says that a file that is protected by a password is a source, of which nothing can be read.
	KeepLocked bool

	// Spellings are how values of words of names are to be written, by word; others are written as the first source
	// does.
	Spellings map[string][]string

	Root   string // the folder below which names of sources are paths; "" for the one that each is found in
	Prefix string // of the options that say all this
}

// NamedManner is how the sources are written whose file's name matches a
// pattern, or where that is "" the pattern of the manner that tells words.
type NamedManner struct {
	Match string
	*Manner
}

// Find returns the sources that the search means, in natural order of their
// names, and what was passed over. Finding nothing to read is no error here.
func Find(ctx context.Context, search Search) (*Set, error) {
	f := newFinder(search)
	if err := f.find(ctx); err != nil {
		return nil, f.set.addressed(err)
	}
	return f.set, nil
}

func newFinder(search Search) *finder {
	return &finder{
		search: search,
		set: &Set{named: make(map[string]bool), sent: make(map[string]bool), Paths: search.Paths,
			Recurse: search.Recurse, Mode: search.Mode,
			Prefix: search.Prefix},
		seen:    make(map[string]bool),
		ledgers: make(map[string]ledger),
		globs:   make(globs),
		folders: make(map[string]string),
	}
}

func (f *finder) find(ctx context.Context) error {
	search := &f.search
	if err := search.makeWords(); err != nil {
		return err
	}
	if search.Early > 0 {
		f.set.kept = &kept{owner: f.set}
		defer f.endEarly()
	}
	f.folderOfRun, _ = os.Getwd() // only to see that two paths are one; without it they may be told apart
	patterns := append(slices.Clone(search.Only), search.Skip...)
	for _, named := range search.Manners {
		patterns = append(patterns, named.Match)
	}
	for _, p := range patterns {
		if err := checkPattern(p); err != nil {
			return err
		}
		f.globs.add(p)
	}
	for _, p := range search.Paths {
		if err := f.path(ctx, p); err != nil {
			return err
		}
	}
	f.takeFrozen()
	if err := f.stat(ctx); err != nil {
		return err
	}
	f.passOverOwn()
	if err := f.unpackArchives(); err != nil {
		return err
	}
	if err := f.chooseParts(ctx); err != nil {
		return err
	}
	f.nameAll()
	f.readNames()
	f.set.unifyWords(search.Spellings)
	slices.SortFunc(f.set.PassedOver, func(a, b PassedOver) int { return natural.Compare(a.Source, b.Source) })
	return nil
}

// FrozenFile is a copy of a file, which is read in its place: it is called as that was, and so is what its name tells.
type FrozenFile struct {
	Path  string // of the copy
	Was   string // where the file lay, from the folder Base
	Below string // what FileBelow said of it

	// Records says that it holds the records of the file as delimited text, each with its line in a last column, and
	// that Decimal is the mark of their amounts, 0 to find out.
	Records bool
	Decimal byte
}

// takeFrozen takes copies in, in place of the files that they are of.
func (f *finder) takeFrozen() {
	if len(f.search.Frozen) == 0 {
		return
	}
	copied := make(map[string]bool)
	for i := range f.search.Frozen {
		copied[f.search.Frozen[i].Was] = true
	}
	base := Resolved(f.search.Base)
	f.set.Sources = slices.DeleteFunc(f.set.Sources, func(s Source) bool {
		return s.Path != "-" && s.format != postgresql && copied[f.relative(base, s.Path)]
	})
	for _, file := range f.search.Frozen {
		if reason := f.reasonAgainst(file.Below, path.Base(file.Below)); reason != "" && !isArchive(file.Below) {
			f.passOver(file.Below, reason)
			continue
		}
		if f.add(file.Path, file.Below); file.Records {
			f.readRecords(&file)
		}
	}
}

// readRecords has the source that was added last be read as records of another file.
func (f *finder) readRecords(file *FrozenFile) {
	s := &f.set.Sources[len(f.set.Sources)-1]
	manner := new(Manner)
	if usual := f.mannerOf(s); usual != nil {
		manner.Name, manner.Parts = usual.Name, usual.Parts
	}
	manner.Request = delimited.Request{Delimiter: ',', HeaderLines: 1}
	manner.Encoding, manner.Decimal, manner.NoTotalLine, manner.Lined = "utf-8", file.Decimal, true, true
	manner.Shape = &shape.Request{Drop: []string{record.LineColumn}}
	s.as = manner
}

type finder struct {
	search  Search
	set     *Set
	seen    map[string]bool // absolute paths; not kept for a single PATH, which names no file twice
	ledgers map[string]ledger
	globs   globs
	folders map[string]string // behind all links

	early earlyReaders

	folderOfRun string // the working directory, once
	ordered     bool   // the sources are in order and called as they were found, no two of them alike
}

// path adds what one PATH means.
func (f *finder) path(ctx context.Context, p string) error {
	if p == "-" {
		f.add("-", "-")
		f.set.named[p] = true
		return nil
	}
	if IsQuery(p) {
		return f.query(p)
	}
	if postgres.HoldsPassword(p) { // in the form of words, host=… password=…
		return postgres.ErrPassword
	}
	info, err := os.Stat(p)
	switch {
	case err == nil && info.IsDir():
		return f.folder(ctx, p)
	case err == nil:
		f.add(p, filepath.Base(p))
		f.set.named[p] = true
		return nil
	case strings.ContainsAny(p, "*?[{"):
		return f.glob(ctx, p)
	case errors.Is(err, fs.ErrNotExist):
		return notFound(p, filepath.Split)
	}
	return err
}

// add takes a file in, unless it was taken in before.
func (f *finder) add(file, below string) {
	if len(f.search.Paths) > 1 && f.isSeen(file) {
		return
	}
	below = filepath.ToSlash(below)
	f.set.Sources = append(f.set.Sources, Source{Name: below, Path: file, below: below})
	f.ordered = false
}

// isSeen tells whether a file was taken in before, and notes that it is now.
func (f *finder) isSeen(file string) bool {
	absolute := filepath.Clean(file)
	if !filepath.IsAbs(absolute) {
		absolute = filepath.Join(f.folderOfRun, absolute)
	}
	seen := f.seen[absolute]
	f.seen[absolute] = true
	return seen
}

func (f *finder) passOver(name, reason string) {
	f.set.PassedOver = append(f.set.PassedOver, PassedOver{Source: filepath.ToSlash(name), Reason: reason})
}

const (
	lockFileReason = "lock file of an open workbook"
	hiddenReason   = "hidden file"
)

// reasonAgainst tells why something that was found by its name is not read, ""
// if it is.
func (f *finder) reasonAgainst(below, name string) string {
	switch ending := strings.ToLower(path.Ext(unpackedName(name))); {
	case isLockFile(name):
		return lockFileReason
	case isHidden(name):
		return hiddenReason
	case ending == "":
		return "no ending that tells its format; name the file itself to read it"
	case ending == archiveEnding:
		return "an archive within an archive; unpack it to read it"
	case formatOf(name) == nil:
		return fmt.Sprintf("format %s is not read", ending)
	case len(f.search.Only) > 0 && !f.globs.matchesAny(f.search.Only, below):
		return "not matched by ⟨only⟩"
	case f.globs.matchesAny(f.search.Skip, below):
		return "matched by ⟨skip⟩"
	}
	return ""
}

// folderOf is the folder of a path as it is written there.
func folderOf(path string) string {
	for i := len(path) - 1; i >= 0; i-- {
		if os.IsPathSeparator(path[i]) {
			return path[:i+1]
		}
	}
	return "."
}

func isHidden(name string) bool { return strings.HasPrefix(name, ".") }

func isLockFile(name string) bool {
	return strings.HasPrefix(name, "~$") || strings.HasPrefix(name, ".~lock.")
}

// stat fills in the states of sources that have none yet.
func (f *finder) stat(ctx context.Context) error {
	sources := f.set.Sources
	return f.share(ctx, len(sources), func(from, to int) error {
		for i := from; i < to; i++ {
			if err := sources[i].stat(); err != nil {
				return err
			}
		}
		return nil
	})
}

// share has all goroutines work on n items that are many and take little each.
func (f *finder) share(ctx context.Context, n int, work func(from, to int) error) error {
	const together = 256
	var next atomic.Int64
	group, ctx := errgroup.WithContext(ctx)
	for range min(max(1, f.search.Jobs), (n+together-1)/together) {
		group.Go(func() error {
			for {
				from := int(next.Add(together)) - together
				if from >= n {
					return nil
				}
				if err := ctx.Err(); err != nil {
					return err
				}
				if err := work(from, min(from+together, n)); err != nil {
					return err
				}
			}
		})
	}
	return group.Wait()
}

// stat fills in size and time, unless they are known.
func (s *Source) stat() error {
	if s.Path == "-" || s.format != nil {
		s.Size = -1
		return nil
	}
	if !s.isUnknown() {
		return nil
	}
	state, changed, err := stateOf(s.Path)
	if s.is(state); s.isUnknown() {
		s.Size, s.changed = -1, changed
	}
	return err
}

// is says what the state of the source's file is.
func (s *Source) is(state identity) { s.Size, s.changed, s.identity = state.size, state.time, state }

// passOverOwn takes out what a ledger knows as written by Lastblock, unless
// nothing else is left: then somebody means it.
func (f *finder) passOverOwn() {
	own := make(map[string]bool)
	var folder string
	var notes ledger
	for i := range f.set.Sources {
		s := &f.set.Sources[i]
		if of := folderOf(s.Path); of != folder { // mostly that of the one before
			folder, notes = of, f.ledger(of)
		}
		if s.Size >= 0 && notes.wrote(s.Path, s.Size) {
			own[s.Path] = true
		}
	}
	if len(own) == 0 || len(own) == len(f.set.Sources) {
		return
	}
	f.set.Sources = slices.DeleteFunc(f.set.Sources, func(s Source) bool {
		if own[s.Path] {
			f.passOver(s.Name, OwnOutputReason)
		}
		return own[s.Path]
	})
}

// OwnOutputReason is why a result of Lastblock is passed over.
const OwnOutputReason = "written by Lastblock itself"

// ledger is that of a source's folder. Ledgers elsewhere do not count: a result of one source may hold the very bytes
// of that source.
func (f *finder) ledger(folder string) ledger {
	notes, ok := f.ledgers[folder]
	if !ok {
		notes = readLedger(folder)
		f.ledgers[folder] = notes
	}
	return notes
}
