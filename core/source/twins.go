package source

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"sync/atomic"

	"github.com/zeebo/xxh3"
	"golang.org/x/sync/errgroup"
)

// Twins finds sources that are the same bytes: files, or the same sheets or
// entries of files, that are equal. Each group is in the order of the set. Of small texts
// Look has found it out, if it was called. Of others only files of one size are read, of which the starts are the same;
// those with the same fingerprint are then compared byte by byte. Sources that are not wanted, hold nothing, or
// come from a pipe are passed over.
func (s *Set) Twins(ctx context.Context, jobs int, wanted func(index int) bool) ([][]int, error) {
	twins, others := s.knownTwins(wanted)
	first, alike := make(map[outside]int, len(others)), make(map[outside][]int)
	for _, i := range others {
		key := outside{size: s.fileSize(i)}
		if s.looked != nil {
			key.start = s.looked[i].start
		}
		if before, ok := first[key]; !ok {
			first[key] = i
		} else if alike[key] == nil {
			alike[key] = []int{before, i}
		} else {
			alike[key] = append(alike[key], i)
		}
	}
	var candidates []int
	for _, same := range alike {
		if !s.isOneFile(same) {
			candidates = append(candidates, same...)
		}
	}
	slices.Sort(candidates)
	prints := make([]string, len(s.Sources))
	if err := s.fingerprint(ctx, candidates, prints, jobs); err != nil {
		return nil, err
	}
	byPrint := make(map[part][]int)
	for _, i := range candidates {
		inner := s.Sources[i].inner()
		key := part{prints[i], inner.entry, inner.part.Sheet, inner.part.Table}
		byPrint[key] = append(byPrint[key], i)
	}
	for _, same := range byPrint {
		if len(same) < 2 {
			continue
		}
		groups, err := s.confirm(same)
		if err != nil {
			return nil, err
		}
		twins = append(twins, groups...)
	}
	slices.SortFunc(twins, func(a, b []int) int { return cmp.Compare(a[0], b[0]) })
	return twins, nil
}

// knownTwins are those that Look has seen to be the same bytes, and the wanted sources of which it has not, nor that
// they differ from all others.
func (s *Set) knownTwins(wanted func(index int) bool) (twins [][]int, others []int) {
	unknown := make(map[int64]bool) // sizes of sources of which nothing is known
	isKnown := func(i int) bool { return s.looked != nil && s.looked[i].same != 0 }
	for i := range s.Sources {
		if !isKnown(i) {
			unknown[s.fileSize(i)] = true
		}
	}
	most := 0
	for i := range s.looked {
		most = max(most, s.looked[i].same)
	}
	first, all := make([]int32, most+1), make(map[int][]int) // by look.same
	for i := range s.Sources {
		size := s.Sources[i].Size
		switch {
		case wanted != nil && !wanted(i), size == 0:
		case !isKnown(i) || unknown[size]:
			if s.fileSize(i) > 0 {
				others = append(others, i)
			}
		default:
			same := s.looked[i].same
			switch before := int(first[same]); {
			case before == 0:
				first[same] = int32(i + 1)
			case all[same] == nil:
				all[same] = []int{before - 1, i}
			default:
				all[same] = append(all[same], i)
			}
		}
	}
	for _, group := range all {
		twins = append(twins, group)
	}
	return twins, others
}

// outside is what is known of a file without reading it: its size, and where it was
// looked at its start.
type outside struct {
	size  int64
	start uint64
}

// part is a part of a file with a certain content.
type part struct {
	print string
	entry string
	sheet string
	table string
}

// fileSize is the size of the file that a source is, or is in.
func (s *Set) fileSize(index int) int64 {
	source := &s.Sources[index]
	if source.Entry() == "" {
		return source.Size
	}
	info, err := os.Stat(source.Path)
	if err != nil {
		return -1 // reading it will tell
	}
	return info.Size()
}

// isOneFile tells whether sources are all in one file.
func (s *Set) isOneFile(indices []int) bool {
	return !slices.ContainsFunc(indices, func(i int) bool { return s.Sources[i].Path != s.Sources[indices[0]].Path })
}

// fingerprint takes the fingerprints of the files of some sources; neighbours in
// one file share it.
func (s *Set) fingerprint(ctx context.Context, indices []int, prints []string, jobs int) error {
	var next atomic.Int64
	group, ctx := errgroup.WithContext(ctx)
	for range max(1, jobs) {
		group.Go(func() error {
			for {
				at := int(next.Add(1)) - 1
				if at >= len(indices) {
					return nil
				}
				if err := ctx.Err(); err != nil {
					return err
				}
				source := &s.Sources[indices[at]]
				if at > 0 && s.Sources[indices[at-1]].Path == source.Path {
					continue // it has the print of the one before
				}
				print, err := printOf(source.Path)
				if err != nil {
					return &Error{source.Name, err}
				}
				if err := source.Unchanged(); err != nil {
					return err
				}
				prints[indices[at]] = print
			}
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	for at, i := range indices {
		if prints[i] == "" {
			prints[i] = prints[indices[at-1]]
		}
	}
	return nil
}

// printOf is the fingerprint of a file, as Fingerprint prints it. A file that fits
// into a buffer is hashed at once, which is a third of the work where there are
// a hundred thousand small ones.
func printOf(path string) (string, error) {
	file, err := openFile(path)
	if err != nil {
		return "", err
	}
	defer file.Close()
	room := hashed.Get().(*[]byte)
	defer hashed.Put(room)
	buffer := *room
	n, err := io.ReadFull(file, buffer)
	switch {
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		sum := xxh3.Hash128(buffer[:n]).Bytes()
		return fmt.Sprintf("%x", sum), nil
	case err != nil:
		return "", err
	}
	hash := xxh3.New()
	hash.Write(buffer) // a hash takes everything
	if _, err := io.CopyBuffer(hash, struct{ io.Reader }{file}, buffer); err != nil {
		return "", err
	}
	return Fingerprint(hash), nil
}

// FilePrint is the fingerprint of the bytes of the file that a source is, or is
// in: a hash of 128 bits.
func (s *Set) FilePrint(index int) (string, error) {
	print, err := printOf(s.Sources[index].Path)
	if err != nil {
		return "", &Error{s.Sources[index].Name, err}
	}
	return print, s.Sources[index].Unchanged()
}

// confirm compares files with one fingerprint byte by byte.
func (s *Set) confirm(indices []int) ([][]int, error) {
	var groups [][]int
	for _, i := range indices {
		at := -1
		for k, group := range groups {
			equal, err := equalFiles(s.Sources[group[0]].Path, s.Sources[i].Path)
			if err != nil {
				return nil, &Error{s.Sources[i].Name, err}
			}
			if equal {
				at = k
				break
			}
		}
		if at < 0 {
			groups = append(groups, []int{i})
			continue
		}
		groups[at] = append(groups[at], i)
	}
	return slices.DeleteFunc(groups, func(group []int) bool { return len(group) < 2 }), nil
}

func equalFiles(one, other string) (equal bool, err error) {
	if one == other {
		return true, nil
	}
	var files [2]*os.File
	for i, path := range []string{one, other} {
		if files[i], err = os.Open(path); err != nil {
			return false, err
		}
		defer files[i].Close()
	}
	room := hashed.Get().(*[]byte)
	defer hashed.Put(room)
	left, right := (*room)[:len(*room)/2], (*room)[len(*room)/2:]
	for {
		n, errLeft := io.ReadFull(files[0], left)
		m, errRight := io.ReadFull(files[1], right)
		if !bytes.Equal(left[:n], right[:m]) {
			return false, nil
		}
		if errLeft != nil || errRight != nil {
			atEnd := func(err error) bool { return errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) }
			if atEnd(errLeft) && atEnd(errRight) {
				return true, nil
			}
			return false, errors.Join(errLeft, errRight)
		}
	}
}
