package source

import (
	"archive/zip"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"slices"
	"strings"
	"sync"

	"lastblock/core/format/decode"
)

// archive is a zip file whose entries are sources. Its directory is read once;
// the file itself is open only while an entry of it is being read, so that a
// folder may hold any number of archives.
type archive struct {
	path    string
	entries map[string]*zip.File

	mutex sync.Mutex
	file  *os.File
	users int
}

// ReadAt reads from the file, which an open entry keeps open.
func (a *archive) ReadAt(p []byte, at int64) (int, error) { return a.file.ReadAt(p, at) }

// use opens the file unless it is open, and release closes it with its last
// user.
func (a *archive) use() error {
	a.mutex.Lock()
	defer a.mutex.Unlock()
	if a.users == 0 {
		file, err := os.Open(a.path)
		if err != nil {
			return err
		}
		a.file = file
	}
	a.users++
	return nil
}

func (a *archive) release() {
	a.mutex.Lock()
	defer a.mutex.Unlock()
	if a.users--; a.users == 0 {
		a.file.Close()
	}
}

// entryBytes is how much memory a source takes that is an entry of an archive, as it was measured.
const entryBytes = 3 << 10

// mostEntries is how many entries an archive may have within the memory of a run and what it takes beside that.
func (f *finder) mostEntries() int64 {
	const beside, least = 96 << 20, 10_000
	if f.search.Memory == 0 {
		return 1 << 30
	}
	return max(least, (f.search.Memory+beside)/entryBytes)
}

// openArchive reads the directory of a zip file, which has no more entries than most.
func openArchive(file string, size, most int64) (*archive, []*zip.File, error) {
	a := &archive{path: file, entries: make(map[string]*zip.File)}
	if err := a.use(); err != nil {
		return nil, nil, err
	}
	defer a.release()
	reader, err := decode.OpenArchive(a, size, most)
	if full := (*decode.EntriesError)(nil); errors.As(err, &full) {
		return nil, nil, err
	}
	if err != nil && !errors.Is(err, zip.ErrInsecurePath) { // nothing is written where a name points
		return nil, nil, fmt.Errorf("this zip file cannot be read (%w); it is damaged or was cut off, ask for it again",
			err)
	}
	if err := decode.CheckArchive(reader.File, size); err != nil {
		return nil, nil, err
	}
	for _, entry := range reader.File {
		if a.entries[entry.Name] != nil {
			return nil, nil, fmt.Errorf("this zip file holds %q twice; which one counts is for its sender to say",
				entry.Name)
		}
		a.entries[entry.Name] = entry
	}
	return a, reader.File, nil
}

// open opens an entry.
func (a *archive) open(name string) (io.ReadCloser, error) {
	entry := a.entries[name]
	const encrypted = 1
	if entry.Flags&encrypted != 0 {
		return nil, fmt.Errorf("this entry is protected by a password; unpack the archive first")
	}
	if err := a.use(); err != nil {
		return nil, err
	}
	content, err := entry.Open()
	if err != nil {
		a.release()
		return nil, fmt.Errorf("unpacking: %w", err)
	}
	return decode.Limit(&archiveEntry{content, a}, decode.Zip, int64(entry.CompressedSize64)), nil
}

type archiveEntry struct {
	io.ReadCloser
	archive *archive
}

func (e *archiveEntry) Close() error {
	defer e.archive.release()
	return e.ReadCloser.Close()
}

// unpackArchives puts the entries of zip files in the place of the files.
func (f *finder) unpackArchives() error {
	packed := false
	for i := range f.set.Sources {
		packed = packed || isArchive(f.set.Sources[i].Name)
	}
	if !packed {
		return nil
	}
	var sources []Source
	most := f.mostEntries() // of all archives together
	for i := range f.set.Sources {
		s := f.set.Sources[i]
		if !isArchive(s.Name) || s.Path == "-" {
			sources = append(sources, s)
			continue
		}
		a, entries, err := openArchive(s.Path, s.Size, most)
		if err != nil {
			return &Error{s.Name, err}
		}
		most -= int64(len(entries))
		for _, entry := range entries {
			name := path.Join(s.below, path.Join("/", strings.ReplaceAll(entry.Name, `\`, "/"))[1:])
			// Whatever its attributes say, which no checksum covers.
			if isFolder := strings.HasSuffix(entry.Name, "/") && entry.UncompressedSize64 == 0; isFolder {
				continue
			}
			if reason := f.reasonAgainst(name, entryName(entry.Name)); reason != "" {
				f.passOver(name, reason)
				continue
			}
			sources = append(sources, Source{
				Name: name, Path: s.Path, Size: int64(min(entry.UncompressedSize64, 1<<62)),
				changed: timeOf(entry.Modified), identity: s.identity, below: name,
				within: &within{file: s.below, archive: a, entry: entry.Name},
			})
		}
	}
	f.set.Sources, f.ordered = sources, false
	return nil
}

// entryName is by which an entry is judged: hidden if any folder it lies in is.
func entryName(name string) string {
	parts := strings.FieldsFunc(name, func(r rune) bool { return r == '/' || r == '\\' })
	if i := slices.IndexFunc(parts, func(p string) bool { return p != ".." && isHidden(p) }); i >= 0 {
		return parts[i]
	}
	if len(parts) == 0 {
		return name
	}
	return parts[len(parts)-1]
}
