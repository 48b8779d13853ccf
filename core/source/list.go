package source

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"lastblock/core/value/natural"

	"github.com/bmatcuk/doublestar/v4"
)

// found is something that is in a folder, or that a pattern matches.
type found struct {
	file, below string // its path, and that below the folder that was named
	name        string
	mode        fs.FileMode
}

// folder adds the data files of a folder.
func (f *finder) folder(root string) error {
	if !f.search.Recurse {
		all, err := entriesOf(root)
		// What was found takes fewer steps to be brought into order than sources, which are then mostly in it.
		natural.Sort(all, func(one *found) string { return one.below })
		f.set.Sources = slices.Grow(f.set.Sources, len(all))
		for i := range all {
			f.entry(&all[i])
		}
		return err
	}
	return filepath.WalkDir(root, func(file string, entry fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if entry.IsDir() {
			if file != root && isHidden(entry.Name()) {
				f.passOver(relative(root, file), "hidden folder")
				return filepath.SkipDir
			}
			return nil
		}
		f.entry(&found{file, relative(root, file), entry.Name(), entry.Type()})
		return nil
	})
}

// entriesOf is what is in a folder, in no order, and what was found before an error. Many paths are parts of one text,
// as a folder may hold a hundred thousand files.
func entriesOf(folder string) (all []found, err error) {
	file, err := os.Open(folder)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	const together = 1 << 10
	front := joined(folder, "x")
	front = front[:len(front)-1]
	var text strings.Builder
	for {
		entries, err := file.ReadDir(together)
		size := len(entries) * len(front)
		for _, entry := range entries {
			size += len(entry.Name())
		}
		text.Reset()
		text.Grow(size)
		for _, entry := range entries {
			name, from := entry.Name(), text.Len()
			text.WriteString(front)
			text.WriteString(name)
			path := text.String()[from:]
			all = append(all, found{path, path[len(front):], path[len(front):], entry.Type()})
		}
		switch {
		case errors.Is(err, io.EOF):
			return all, nil
		case err != nil:
			return all, err
		}
	}
}

// joined is the path of a name in a folder.
func joined(folder, name string) string {
	if folder == filepath.Clean(folder) && folder != "." && !os.IsPathSeparator(folder[len(folder)-1]) {
		return folder + string(filepath.Separator) + name
	}
	return filepath.Join(folder, name)
}

// entry looks at something that was found: it is a file to be read, or passed over.
func (f *finder) entry(one *found) {
	name, mode := one.name, one.mode
	if mode&fs.ModeSymlink != 0 {
		if info, err := os.Stat(one.file); err == nil {
			mode = info.Mode().Type()
		}
	}
	switch {
	case name == LedgerName:
		// Lastblock's own notes are not worth a word
	case isLockFile(name):
		f.passOver(one.below, lockFileReason)
	case isHidden(name):
		f.passOver(one.below, hiddenReason)
	case mode.IsDir() && f.search.Recurse:
		f.passOver(one.below, "link to a folder, which is not followed; name it to read it")
	case mode.IsDir():
		f.passOver(one.below, "folder; ⟨recurse⟩ reads what is below it")
	case !mode.IsRegular():
		f.passOver(one.below, "not a regular file")
	case isArchive(name) && !f.globs.matchesAny(f.search.Skip, one.below):
		f.add(one.file, one.below) // its entries are chosen among
	default:
		if reason := f.reasonAgainst(one.below, name); reason != "" {
			f.passOver(one.below, reason)
			return
		}
		f.add(one.file, one.below)
	}
}

// glob adds the files that a pattern matches.
func (f *finder) glob(pattern string) error {
	slashed := filepath.ToSlash(pattern)
	if err := checkPattern(slashed); err != nil {
		return err
	}
	base, rest := doublestar.SplitPattern(slashed)
	matches := false
	err := doublestar.GlobWalk(os.DirFS(base), rest, func(below string, entry fs.DirEntry) error {
		matches = true
		if !entry.IsDir() {
			below = filepath.FromSlash(below)
			f.entry(&found{filepath.Join(base, below), below, entry.Name(), entry.Type()})
		}
		return nil
	})
	if err != nil {
		return err
	}
	if !matches {
		return notFound(pattern, func(string) (string, string) { return filepath.FromSlash(base), "" })
	}
	return nil
}
