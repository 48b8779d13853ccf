package source

import (
	"bufio"
	"context"
	"encoding/csv"
	"errors"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"time"
)

// Seen are the SHA-256 of files by the state in which they were hashed, so that one that is still in
// that state need not be read again. It is a hint that may be deleted: what it does not know is hashed.
type Seen struct {
	files map[string]seenFile // by absolute path
	more  bool                // than Write has written
	anew  bool                // what it knows is not asked for
}

// Anew has all files be hashed, whatever was seen of them, and noted.
func (s *Seen) Anew() *Seen {
	s.anew = true
	return s
}

type seenFile struct {
	identity identity
	sha256   string
}

// settled is how long ago a file must have been written to for its state to tell it from later ones: some
// systems note times to the second or two.
const settled = 3 * time.Second

// ReadSeen reads what was written by Write. Where that is not there, or is not whole, nothing was seen.
func ReadSeen(path string) *Seen {
	s := &Seen{files: make(map[string]seenFile)}
	file, err := os.Open(path)
	if err != nil {
		return s
	}
	defer file.Close()
	in := csv.NewReader(bufio.NewReader(file))
	in.FieldsPerRecord = 7
	for {
		cells, err := in.Read()
		if err != nil {
			if !errors.Is(err, io.EOF) {
				clear(s.files)
			}
			return s
		}
		size, errSize := strconv.ParseInt(cells[1], 10, 64)
		written, errTime := strconv.ParseInt(cells[2], 10, 64)
		device, errDevice := strconv.ParseUint(cells[3], 10, 64)
		number, errNumber := strconv.ParseUint(cells[4], 10, 64)
		status, errStatus := strconv.ParseInt(cells[5], 10, 64)
		if errors.Join(errSize, errTime, errDevice, errNumber, errStatus) == nil {
			s.files[cells[0]] = seenFile{identity{size, written, device, number, status}, cells[6]}
		}
	}
}

// Write writes what was seen, for ReadSeen, where that is more than what was read.
func (s *Seen) Write(path string) (err error) {
	if !s.more {
		return nil
	}
	file, err := os.CreateTemp(filepath.Dir(path), ".seen-*")
	if err != nil {
		return err
	}
	defer os.Remove(file.Name()) // which has another name in the end
	buffer := bufio.NewWriter(file)
	out := csv.NewWriter(buffer)
	for name, f := range s.files {
		id := &f.identity
		err = errors.Join(err, out.Write([]string{name, strconv.FormatInt(id.size, 10), strconv.FormatInt(id.time, 10),
			strconv.FormatUint(id.device, 10), strconv.FormatUint(id.number, 10), strconv.FormatInt(id.status, 10),
			f.sha256}))
	}
	out.Flush()
	if err = errors.Join(err, out.Error(), buffer.Flush(), file.Close()); err != nil {
		return err
	}
	return os.Rename(file.Name(), path)
}

// HashesSeen is Hashes for files of which some were seen in the state that they have; it notes what it
// hashes.
func (s *Set) HashesSeen(ctx context.Context, jobs int, seen *Seen) ([]Hash, error) {
	var unseen []int
	known := make(map[string]string)
	paths := make(map[string]string) // absolute ones
	here, err := os.Getwd()
	if err != nil {
		return nil, err
	}
	for i := range s.Sources {
		of := &s.Sources[i]
		path := of.Path
		if !filepath.IsAbs(path) {
			path = filepath.Join(here, path)
		}
		paths[of.Path] = path
		if f, ok := seen.files[path]; ok && !seen.anew && of.identity != (identity{}) && f.identity == of.identity {
			known[of.Path] = f.sha256
		} else {
			unseen = append(unseen, i)
		}
	}
	rest := &Set{}
	for _, i := range unseen {
		rest.Sources = append(rest.Sources, s.Sources[i])
	}
	now := time.Now()
	hashed, err := rest.Hashes(ctx, jobs)
	if err != nil {
		return nil, err
	}
	for _, h := range hashed {
		known[h.Path] = h.SHA256
	}
	var hashes []Hash
	told := make(map[string]bool)
	for i := range s.Sources {
		of := &s.Sources[i]
		hash, ok := known[of.Path]
		if !ok || told[of.Path] {
			continue
		}
		told[of.Path] = true
		hashes = append(hashes, Hash{Path: of.Path, SHA256: hash})
		is := seenFile{of.identity, hash}
		last := max(of.identity.time, of.identity.status)
		if now.Sub(time.Unix(0, last)) > settled && seen.files[paths[of.Path]] != is {
			seen.files[paths[of.Path]], seen.more = is, true
		}
	}
	return hashes, nil
}
