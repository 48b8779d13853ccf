package source

import (
	"errors"
	"io/fs"
	"os"
)

// identity tells one state of a file from another: its size, when it was last written
// to, and on systems that number files which one it is.
type identity struct {
	size   int64
	time   int64 // in nanoseconds since 1970
	device uint64
	number uint64
}

// identityOf is the identity of a regular file; the zero value stands for anything
// else, such as a pipe, of which nothing can be told.
func identityOf(info fs.FileInfo) identity {
	if !info.Mode().IsRegular() {
		return identity{}
	}
	id := identity{size: info.Size(), time: info.ModTime().UnixNano()}
	id.device, id.number = numberOf(info)
	return id
}

// ErrChanged says that somebody wrote to a source while it was being read.
var ErrChanged = errors.New("the file has changed since this run began; wait until it is whole, and run again")

// Unchanged makes sure that a source's file is still the one that was found when the
// run began, so that all that was read of it belongs together. The error is an *Error
// with ErrChanged.
func (s *Source) Unchanged() error {
	if s.identity == (identity{}) {
		return nil
	}
	info, err := os.Stat(s.Path)
	if err != nil || identityOf(info) != s.identity {
		return &Error{s.Name, ErrChanged}
	}
	return nil
}
