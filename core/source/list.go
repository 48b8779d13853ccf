package source

import (
	"cmp"
	"context"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"lastblock/core/large/fresh"
	"lastblock/core/value/natural"

	"github.com/bmatcuk/doublestar/v4"
)

// found is something that is in a folder, or that a pattern matches.
type found struct {
	file, below string // its path, and that below the folder that was named, with slashes
	mode        fs.FileMode
}

// folder adds the data files of a folder.
func (f *finder) folder(ctx context.Context, root string) error {
	var all []found
	var err error
	if f.search.Recurse {
		all, err = f.entriesBelow(root)
	} else {
		all, err = entriesOf(root)
	}
	return cmp.Or(f.take(ctx, all), err)
}

// entriesBelow is what is in a folder and those in it, and what was found before an error.
func (f *finder) entriesBelow(root string) (all []found, err error) {
	err = filepath.WalkDir(root, func(file string, entry fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case !entry.IsDir():
			all = append(all, found{file, relative(root, file), entry.Type()})
		case file != root && isHidden(entry.Name()):
			f.passOver(relative(root, file), "hidden folder")
			return filepath.SkipDir
		}
		return nil
	})
	return all, err
}

// entriesOf is what is in a folder, in no order, and what was found before an error. Many paths are parts of one text,
// as a folder may hold a hundred thousand files, and are made while the next ones are being asked for.
func entriesOf(folder string) (all []found, err error) {
	file, err := os.Open(folder)
	if err != nil {
		return nil, err
	}
	const together, ahead = 1 << 10, 16
	parts := make(chan []fs.DirEntry, ahead)
	go func() {
		defer close(parts)
		defer file.Close()
		for err == nil {
			var entries []fs.DirEntry
			entries, err = file.ReadDir(together)
			parts <- entries
		}
	}()
	front := joined(folder, "x")
	front = front[:len(front)-1]
	for entries := range parts {
		all = appendFound(all, front, entries)
	}
	if errors.Is(err, io.EOF) {
		err = nil
	}
	return all, err
}

// appendFound appends what has a path that begins with front.
func appendFound(all []found, front string, entries []fs.DirEntry) []found {
	size := len(entries) * len(front)
	for _, entry := range entries {
		size += len(entry.Name())
	}
	var text strings.Builder
	text.Grow(size)
	if len(all)+len(entries) > cap(all) {
		all = slices.Grow(all, len(all)+len(entries)) // twice as many; less leaves much more behind
	}
	for _, entry := range entries {
		from := text.Len()
		text.WriteString(front)
		text.WriteString(entry.Name())
		path := text.String()[from:]
		all = append(all, found{path, path[len(front):], entry.Type()})
	}
	return all
}

// joined is the path of a name in a folder.
func joined(folder, name string) string {
	if folder == filepath.Clean(folder) && folder != "." && !os.IsPathSeparator(folder[len(folder)-1]) {
		return folder + string(filepath.Separator) + name
	}
	return filepath.Join(folder, name)
}

// take takes in the files among what was found, and passes over what is not read.
func (f *finder) take(ctx context.Context, all []found) error {
	// What was found takes fewer steps to be brought into order than sources, which are then mostly in it.
	natural.Sort(all, func(one *found) string { return one.below })
	sources := fresh.Make[Source](len(all))
	reasons := make([]string, len(all))
	var texts []keptText
	if f.set.kept != nil {
		texts = fresh.Make[keptText](len(all))
	}
	err := f.share(ctx, len(all), func(from, to int) error {
		early := f.earlyReader()
		defer f.giveBack(early)
		for i := from; i < to; i++ {
			one := &all[i]
			if reasons[i] = f.reasonFor(one); reasons[i] != "" {
				continue
			}
			sources[i] = Source{Name: one.below, Path: one.file, below: one.below}
			if early != nil {
				sources[i].early = &texts[i]
				early.read(&sources[i])
			}
			_ = sources[i].stat() // an error is met again when it is known that it is read
		}
		return nil
	})
	if err != nil {
		return err
	}
	at := 0
	for i := range all {
		switch {
		case reasons[i] != "" && !isOwnNote(all[i].file):
			f.passOver(all[i].below, reasons[i])
		case reasons[i] == "" && (len(f.search.Paths) == 1 || !f.isSeen(all[i].file)):
			if at < i {
				sources[at] = sources[i]
			}
			at++
		}
	}
	f.ordered = len(f.set.Sources) == 0
	if sources = sources[:at]; !f.ordered {
		sources = append(f.set.Sources, sources...)
	}
	f.set.Sources = sources
	return nil
}

// reasonFor tells why something that was found is not read, "" if it is.
func (f *finder) reasonFor(one *found) string {
	name, mode := filepath.Base(one.file), one.mode
	if mode&fs.ModeSymlink != 0 {
		if info, err := os.Stat(one.file); err == nil {
			mode = info.Mode().Type()
		}
	}
	switch {
	case isLockFile(name):
		return lockFileReason
	case isHidden(name):
		return hiddenReason
	case mode.IsDir() && f.search.Recurse:
		return "link to a folder, which is not followed; name it to read it"
	case mode.IsDir():
		return "folder; ⟨recurse⟩ reads what is below it"
	case !mode.IsRegular():
		return "not a regular file"
	case isArchive(name) && !f.globs.matchesAny(f.search.Skip, one.below):
		return "" // its entries are chosen among
	}
	return f.reasonAgainst(one.below, name)
}

// glob adds the files that a pattern matches.
func (f *finder) glob(ctx context.Context, pattern string) error {
	slashed := filepath.ToSlash(pattern)
	if err := checkPattern(slashed); err != nil {
		return err
	}
	base, rest := doublestar.SplitPattern(slashed)
	matches := false
	var all []found
	err := doublestar.GlobWalk(os.DirFS(base), rest, func(below string, entry fs.DirEntry) error {
		matches = true
		if !entry.IsDir() {
			all = append(all, found{filepath.Join(base, filepath.FromSlash(below)), below, entry.Type()})
		}
		return nil
	})
	if err != nil {
		return err
	}
	if !matches {
		return notFound(pattern, func(string) (string, string) { return filepath.FromSlash(base), "" })
	}
	return f.take(ctx, all)
}
