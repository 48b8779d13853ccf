package source

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"os"
	"sync"

	"golang.org/x/sync/errgroup"
)

// Hash is the SHA-256 of a file, in hexadecimal digits.
type Hash struct {
	Path   string
	SHA256 string
}

// Hashes are the SHA-256 (FIPS 180-4) of the files of a set, each once however many entries or sheets of it
// are sources, in the order of the sources. What is no file, standard input or a database, has none. jobs
// files are read at a time. The error is an *Error of a source that is not as it was found, or what
// reading returned.
func (s *Set) Hashes(ctx context.Context, jobs int) ([]Hash, error) {
	var hashes []Hash
	var first []int // source of each file
	known := make(map[string]bool)
	for i := range s.Sources {
		of := &s.Sources[i]
		if of.identity == (identity{}) || known[of.Path] {
			continue
		}
		known[of.Path] = true
		hashes, first = append(hashes, Hash{Path: of.Path}), append(first, i)
	}
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(max(1, jobs))
	for k := range hashes {
		group.Go(func() (err error) {
			of := &s.Sources[first[k]]
			if hashes[k].SHA256, err = HashFile(ctx, of.Path); err != nil {
				return &Error{of.Name, err}
			}
			return of.untouched()
		})
	}
	return hashes, group.Wait()
}

// hashed are buffers for files that are hashed, or compared: with one for each of them, doubles among 100,000 files
// that were sent again took more than twice as long.
var hashed = sync.Pool{New: func() any { buffer := make([]byte, 256<<10); return &buffer }}

// HashFile reads a file for its SHA-256 (FIPS 180-4), in hexadecimal digits.
func HashFile(ctx context.Context, path string) (hash string, err error) {
	file, err := os.Open(path)
	if err != nil {
		return "", err
	}
	defer func() { err = errors.Join(err, file.Close()) }()
	room := hashed.Get().(*[]byte)
	defer hashed.Put(room)
	sum, buffer := sha256.New(), *room
	for {
		n, err := file.Read(buffer)
		sum.Write(buffer[:n]) // which takes everything
		switch {
		case errors.Is(err, io.EOF):
			return hex.EncodeToString(sum.Sum(nil)), nil
		case err != nil:
			return "", err
		case ctx.Err() != nil:
			return "", ctx.Err()
		}
	}
}

// Untouched makes sure that nobody has touched any of the files since they were found, be it with their sizes and times
// put back. The error is an *Error with ErrChanged.
func (s *Set) Untouched() error {
	known := make(map[string]bool)
	for i := range s.Sources {
		if of := &s.Sources[i]; !known[of.Path] {
			known[of.Path] = true
			if err := of.untouched(); err != nil {
				return err
			}
		}
	}
	for _, b := range s.beside {
		if now, _, err := stateOf(b.path); err != nil || now != b.state {
			return &Error{b.path, ErrChanged}
		}
	}
	return nil
}

// besideFile is a file that was read beside the sources, in the state that it had before.
type besideFile struct {
	path  string
	state identity
}

// noteBeside notes the state of a file that is about to be read beside the sources.
func (s *Set) noteBeside(path string) {
	if state, _, err := stateOf(path); err == nil && state != (identity{}) {
		s.beside = append(s.beside, besideFile{path, state})
	}
}

// PassOver passes over the sources for which isOver holds, for a reason. It must be called before
// the set is looked at.
func (s *Set) PassOver(reason string, isOver func(index int) bool) {
	kept := s.Sources[:0:0]
	for i := range s.Sources {
		if isOver(i) {
			s.PassedOver = append(s.PassedOver, PassedOver{Source: s.Sources[i].Name, Reason: reason})
			continue
		}
		kept = append(kept, s.Sources[i])
	}
	s.Sources = kept
}
