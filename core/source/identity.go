package source

import (
	"errors"
)

// identity tells one state of a file from another: its size, when it was last written
// to, and on systems that number files which one it is.
type identity struct {
	size   int64
	time   int64 // in nanoseconds since 1970
	device uint64
	number uint64
}

// ErrChanged says that somebody wrote to a source while it was being read.
var ErrChanged = errors.New("the file has changed since this run began; wait until it is whole, and run again")

// Unchanged makes sure that a source's file is still the one that was found when the
// run began, so that all that was read of it belongs together. The error is an *Error
// with ErrChanged.
func (s *Source) Unchanged() error {
	if s.isUnknown() {
		return nil
	}
	if now, _, err := stateOf(s.Path); err != nil || now != s.identity {
		return &Error{s.Name, ErrChanged}
	}
	return nil
}

// isUnknown tells whether nothing can be told of the file: it is none, or a pipe.
func (s *Source) isUnknown() bool { return s.identity == identity{} }
