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
	status int64 // when its state last changed (POSIX st_ctim), which nobody can put back; 0 where the system has none
}

// isOf tells whether two identities are those of one file in one state, as far as reading it goes: a link to it, or
// other permissions, change nothing of that.
func (id identity) isOf(o identity) bool {
	id.status, o.status = 0, 0
	return id == o
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
	if now, _, err := stateOf(s.Path); err != nil || !now.isOf(s.identity) {
		return &Error{s.Name, ErrChanged}
	}
	return nil
}

// untouched is Unchanged, and wants that nobody has touched the file at all: it may have been written to, with its time
// put back.
func (s *Source) untouched() error {
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
