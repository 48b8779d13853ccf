package source

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// AmongSourcesError is an output that would be read as a source the next time.
type AmongSourcesError struct {
	Output string
	Folder string
}

func (e *AmongSourcesError) Error() string {
	return fmt.Sprintf("%s would lie among the sources in %s, and be read as one more of them next time; write it "+
		"to another folder", e.Output, e.Folder)
}

// KeepApart refuses an output that is a source, or that lies where it would be read next time:
// in a folder which was named, where a pattern reads, or beside files that a shell has named for
// a pattern. The error may be an *AmongSourcesError.
func (s *Set) KeepApart(output string) error {
	folder := Resolved(filepath.Dir(output))
	if s.IsSource(output) {
		return fmt.Errorf("%s is one of the sources, and those are never changed; choose another file", output)
	}
	for _, p := range s.Paths {
		if info, err := os.Stat(p); err == nil && info.IsDir() && s.covers(p, folder) {
			return &AmongSourcesError{output, p}
		}
	}
	if !s.AllNamed() && s.countIn(folder, "") > 0 || s.looksLikePattern(folder, filepath.Ext(output)) {
		return &AmongSourcesError{output, filepath.Dir(output)}
	}
	return nil
}

// Resolved is the absolute path of a file that need not be there, without links.
func Resolved(path string) string {
	absolute, err := filepath.Abs(path)
	if err != nil {
		return filepath.Clean(path)
	}
	if real, err := filepath.EvalSymlinks(absolute); err == nil {
		return real
	}
	folder, name := filepath.Split(absolute)
	if folder == absolute || name == "" {
		return absolute
	}
	return filepath.Join(Resolved(filepath.Clean(folder)), name)
}

// looksLikePattern tells whether the sources in a folder, if they were named one by one, are what
// a pattern gives: several, and all that there are with an ending.
func (s *Set) looksLikePattern(folder, ending string) bool {
	const several = 3
	all, err := filepath.Glob(filepath.Join(folder, "*"+ending))
	if err != nil || len(all) < several {
		return false // of which no more can have been named
	}
	named := s.countIn(folder, ending)
	return named >= several && len(all) <= named
}

// IsSource tells whether a file is one of the sources, under whatever path.
func (s *Set) IsSource(file string) bool {
	info, err := os.Stat(file)
	if err != nil {
		return false
	}
	return slices.ContainsFunc(s.Sources, func(source Source) bool {
		if source.Entry() == "" && source.Size != info.Size() {
			return false
		}
		other, err := os.Stat(source.Path)
		return err == nil && os.SameFile(info, other)
	})
}

// countIn counts the sources with an ending that lie in a folder, given its absolute path.
func (s *Set) countIn(folder, ending string) int {
	byFolder := make(map[string]int)
	last, n := "", 0 // folder, and how many in a row lie there: mostly all
	for i := range s.Sources {
		path := s.Sources[i].Path
		if path == "-" || !strings.HasSuffix(path, ending) {
			continue
		}
		if of := folderOf(path); of != last {
			byFolder[last] += n
			last, n = of, 0
		}
		n++
	}
	byFolder[last] += n
	count := 0
	for of, n := range byFolder {
		if Resolved(of) == folder {
			count += n
		}
	}
	return count
}

// AllNamed tells whether all paths name files, and none a folder or a pattern.
func (s *Set) AllNamed() bool {
	return !slices.ContainsFunc(s.Paths, func(p string) bool {
		info, err := os.Stat(p)
		return p != "-" && (err != nil || info.IsDir())
	})
}

// covers tells whether reading a folder would find what lies in another.
func (s *Set) covers(root, folder string) bool {
	absolute := Resolved(root)
	return folder == absolute || s.Recurse && strings.HasPrefix(folder, absolute+string(filepath.Separator))
}
