package source

import (
	"os"
	"path"
	"path/filepath"
	"strings"

	"lastblock/core/value/moved"
	"lastblock/core/value/natural"

	"github.com/bmatcuk/doublestar/v4"
)

// nameAll has files be called by their paths below the root, whatever else is named. Of those that
// are not below it, sources of the same name get the whole path that was named.
func (f *finder) nameAll() {
	if f.search.Root == "" && f.ordered {
		return
	}
	if f.search.Root != "" {
		root := Resolved(f.search.Root)
		for i := range f.set.Sources {
			s := &f.set.Sources[i]
			if below := f.below(root, s.Path); filepath.IsLocal(below) && s.Path != "-" && s.format != postgresql {
				s.Name = below + strings.TrimPrefix(s.Name, s.inner().file)
			}
		}
	}
	f.sort()
	sources, named := f.set.Sources, false
	for from := 0; from < len(sources); {
		to := from + 1
		for to < len(sources) && sources[to].Name == sources[from].Name {
			to++
		}
		for i := from; i < to && to-from > 1; i++ {
			if s := &sources[i]; s.format != postgresql {
				s.Name = filepath.ToSlash(filepath.Clean(s.Path)) + strings.TrimPrefix(s.Name, s.inner().file)
				named = true
			}
		}
		from = to
	}
	if named {
		f.sort()
	}
}

func (f *finder) sort() {
	natural.Sort(f.set.Sources, func(s *Source) string { return s.Name })
}

// below is what a file is called below a folder, which is behind all links: as it was before it was moved.
func (f *finder) below(root, file string) string {
	if len(f.search.Moved) == 0 {
		return f.relative(root, file)
	}
	base := Resolved(f.search.Base)
	was, wasRoot := f.search.Moved.Was(f.relative(base, file)), f.search.Moved.Was(relative(base, root))
	if rest, ok := moved.Below(wasRoot, was); ok {
		return rest
	}
	if wasRoot == "." {
		return was
	}
	return f.relative(root, file)
}

// relative is the path of a file below a folder, which are both behind all links.
func (f *finder) relative(root, file string) string {
	folder := filepath.Dir(file)
	resolved, ok := f.folders[folder]
	if !ok {
		resolved = Resolved(folder)
		f.folders[folder] = resolved
	}
	return relative(root, filepath.Join(resolved, filepath.Base(file)))
}

func relative(root, file string) string {
	below, err := filepath.Rel(root, file)
	if err != nil {
		return file
	}
	return filepath.ToSlash(below)
}

// RootOf is the folder below which the files of some paths are called by their names: that of the
// only path, be it a folder, a pattern or a file; of several paths it is the folder they are all
// named in, such as that of a plan.
func RootOf(paths []string, folder string) string {
	if len(paths) != 1 || IsQuery(paths[0]) || paths[0] == "-" {
		return folder
	}
	path := paths[0]
	if info, err := os.Stat(path); err == nil {
		if info.IsDir() {
			return path
		}
		return filepath.Dir(path)
	}
	base, _ := doublestar.SplitPattern(filepath.ToSlash(path))
	return filepath.FromSlash(base)
}

// unpackedName takes the ending of a compression off a name.
func unpackedName(name string) string {
	switch ending := path.Ext(name); strings.ToLower(ending) {
	case ".gz", ".zst", ".bz2":
		return strings.TrimSuffix(name, ending)
	}
	return name
}

// Stem is a file's name without its endings: that of its format, and that of a
// compression.
func Stem(name string) string {
	name = unpackedName(name)
	return strings.TrimSuffix(name, path.Ext(name))
}
