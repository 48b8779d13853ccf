package tieout

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"lastblock/core/option"
	"lastblock/core/source"
	"lastblock/core/value/spelling"
)

// covers reads the covering sheets of workbooks.
func (q *requestReader) covers(context.Context) error {
	of := make(map[string]string) // the source of a covering sheet
	for i := range q.set.Sources {
		grid, ok, err := q.set.ReadCover(i, q.reading.Memory)
		if err != nil {
			return err
		}
		if q.set.CoverName(i) != "" {
			q.options.CoveredBy = fmt.Sprintf("sheet %q", q.set.CoverName(i))
		}
		if !ok {
			continue
		}
		name := q.set.Sources[i].Name
		if other, twice := of[grid.Name]; twice {
			return option.Errorf("declared-sheet", "%s declares %s and %s together; read one of them with ⟨sheet⟩",
				grid.Name, other, name)
		}
		of[grid.Name] = name
		q.options.Covers = append(q.options.Covers, Cover{Source: name, Grid: grid})
	}
	return nil
}

// isBeside tells whether what is declared is a pattern of files, each beside its source.
func isBeside(declared string) bool { return strings.Contains(declared, "{") }

var patternWord = regexp.MustCompile(`\{([^{}]*)\}`)

// besideSources reads a file beside each source.
func (q *requestReader) besideSources() error {
	q.options.CoveredBy = "file " + filepath.Base(q.Declared)
	known := append([]string{sourceColumn}, q.set.Words()...)
	for _, word := range patternWord.FindAllStringSubmatch(q.Declared, -1) {
		if !slices.Contains(known, word[1]) {
			return option.Wrong("declared", fmt.Sprintf("%q", q.Declared), "{%s} is not known; there is: {%s}", word[1],
				strings.Join(known, "}, {"))
		}
	}
	files, err := q.filesBeside()
	if err != nil {
		return err
	}
	covers := make(map[string]string) // path of a file, by the source it is for
	for i := range q.set.Sources {
		if files.exist[files.of[i]] && !files.exist[filepath.Clean(q.set.Sources[i].Path)] {
			covers[q.set.Sources[i].Name] = files.of[i]
		}
	}
	q.options.Strays = q.strays(files)
	q.set.LeaveOut("declares what is in a source",
		slices.Concat(slices.Sorted(maps.Keys(files.exist)), q.options.Strays)...)
	for i := range q.set.Sources {
		file, ok := covers[q.set.Sources[i].Name]
		if !ok {
			continue
		}
		q.set.Beside = append(q.set.Beside, file)
		grid, err := source.ReadGrid(file)
		if err != nil {
			return err
		}
		q.options.Covers = append(q.options.Covers, Cover{Source: q.set.Sources[i].Name, Grid: grid})
	}
	return nil
}

// besideFiles are the files beside the sources.
type besideFiles struct {
	of      []string        // paths, by source
	exist   map[string]bool // those that there are
	folders map[string]bool // in which sources lie
	// of what lies in a folder, by spelling.Fold of them, and as they are behind "="
	names map[string]map[string]string
}

// near is a file that is there under a name that means the same as that of another one which is not, or that one.
func (f *besideFiles) near(file string) string {
	folder, name := filepath.Split(file)
	if f.names[folder] == nil {
		f.names[folder] = make(map[string]string)
		entries, err := os.ReadDir(cmp.Or(folder, "."))
		if err != nil {
			return file // who reads it says why not
		}
		for _, e := range entries {
			if folded := spelling.Fold(e.Name()); f.names[folder][folded] == "" {
				f.names[folder][folded] = e.Name()
			}
			f.names[folder]["="+e.Name()] = e.Name()
		}
	}
	if as := f.names[folder][spelling.Fold(name)]; as != "" && f.names[folder]["="+name] == "" {
		return filepath.Join(folder, as)
	}
	return file
}

func (q *requestReader) filesBeside() (*besideFiles, error) {
	files := &besideFiles{of: make([]string, len(q.set.Sources)), exist: make(map[string]bool),
		folders: make(map[string]bool), names: make(map[string]map[string]string)}
	for i := range q.set.Sources {
		src := &q.set.Sources[i]
		if src.Path == "-" {
			continue
		}
		name := path.Base(filepath.ToSlash(src.Path))
		if src.Entry() != "" {
			name = path.Base(src.Entry())
		}
		told := patternWord.ReplaceAllStringFunc(q.Declared, func(word string) string {
			if word = word[1 : len(word)-1]; word == sourceColumn {
				return source.Stem(name)
			}
			return q.set.SentWord(i, word)
		})
		files.of[i] = files.near(filepath.Join(filepath.Dir(src.Path), told))
		files.folders[filepath.Dir(src.Path)] = true
		switch _, err := os.Stat(files.of[i]); {
		case err == nil:
			files.exist[files.of[i]] = true
		case !errors.Is(err, fs.ErrNotExist):
			return nil, err
		}
	}
	return files, nil
}

// strays are files that match the pattern and declare a source that is not in their folder.
// They can be told where folders were named, and not some files of them, and where the pattern
// has the name of the source.
func (q *requestReader) strays(files *besideFiles) []string {
	before, behind, ok := strings.Cut(q.Declared, "{"+sourceColumn+"}")
	if !ok || q.set.AllNamed() || patternWord.MatchString(before+behind) {
		return nil
	}
	var strays []string
	for folder := range files.folders {
		found, err := filepath.Glob(filepath.Join(folder, before+"*"+behind))
		entries, unread := os.ReadDir(folder)
		if err != nil || unread != nil {
			continue // a pattern with signs that no file's name has; a folder that is gone is told by who reads it
		}
		for _, file := range found {
			stem := strings.TrimPrefix(filepath.ToSlash(file), filepath.ToSlash(filepath.Join(folder, before)))
			stem = strings.TrimPrefix(strings.TrimSuffix(stem, behind), "/")
			if !files.exist[filepath.Clean(file)] && !hasSource(entries, stem, filepath.Base(file)) {
				strays = append(strays, file)
			}
		}
	}
	slices.Sort(strays)
	return strays
}

// hasSource tells whether there is a file of a name, whatever its ending, that is not the one
// which declares it.
func hasSource(entries []fs.DirEntry, stem, declares string) bool {
	return slices.ContainsFunc(entries, func(e fs.DirEntry) bool {
		return source.Stem(e.Name()) == stem &&
			e.Name() != declares
	})
}
