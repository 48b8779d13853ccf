package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"lastblock/core/source"
	"lastblock/show"
)

// AmongSourcesError is an output that would be read as a source the next time.
type AmongSourcesError struct {
	Output string
	Folder string
}

func (e *AmongSourcesError) Error() string {
	return fmt.Sprintf("%s would lie among the sources in %s, and be read as one more of them next time; write it to another folder", e.Output, e.Folder)
}

// keepApart refuses an output that is a source, or that lies where it would be
// read next time: in a folder which was named, where a pattern reads, or beside
// files that a shell has named for a pattern.
func (in *input) keepApart(output string) error {
	folder := show.Resolved(filepath.Dir(output))
	if in.set == nil {
		return nil // its paths were wrong, which is told
	}
	if in.isSource(output) {
		return fmt.Errorf("%s is one of the sources, and those are never changed; choose another file", output)
	}
	for _, p := range in.paths {
		if info, err := os.Stat(p); err == nil && info.IsDir() && in.covers(p, folder) {
			return &AmongSourcesError{output, p}
		}
	}
	if !in.isNamed() && in.countIn(folder, "") > 0 || in.looksLikePattern(folder, filepath.Ext(output)) {
		return &AmongSourcesError{output, filepath.Dir(output)}
	}
	return nil
}

// looksLikePattern tells whether the sources in a folder, if they were named one
// by one, are what a pattern gives: several, and all that there are with an
// ending.
func (in *input) looksLikePattern(folder, ending string) bool {
	const several = 3
	named := in.countIn(folder, ending)
	all, err := filepath.Glob(filepath.Join(folder, "*"+ending))
	return named >= several && err == nil && len(all) <= named
}

// isSource tells whether a file is one of the sources, under whatever path.
func (in *input) isSource(file string) bool {
	info, err := os.Stat(file)
	if err != nil {
		return false
	}
	return slices.ContainsFunc(in.set.Sources, func(s source.Source) bool {
		if s.Entry() == "" && s.Size != info.Size() {
			return false
		}
		other, err := os.Stat(s.Path)
		return err == nil && os.SameFile(info, other)
	})
}

// countIn counts the sources with an ending that lie in a folder, given its
// absolute path.
func (in *input) countIn(folder, ending string) int {
	byFolder := make(map[string]int)
	for i := range in.set.Sources {
		if path := in.set.Sources[i].Path; path != "-" && strings.HasSuffix(path, ending) {
			byFolder[filepath.Dir(path)]++
		}
	}
	count := 0
	for of, n := range byFolder {
		if show.Resolved(of) == folder {
			count += n
		}
	}
	return count
}

// isNamed tells whether all paths name files.
func (in *input) isNamed() bool {
	return !slices.ContainsFunc(in.paths, func(p string) bool {
		info, err := os.Stat(p)
		return p != "-" && (err != nil || info.IsDir())
	})
}

// covers tells whether reading a folder would find what lies in another.
func (in *input) covers(root, folder string) bool {
	absolute := show.Resolved(root)
	return folder == absolute || in.recurse && strings.HasPrefix(folder, absolute+string(filepath.Separator))
}
