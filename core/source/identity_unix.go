//go:build unix

package source

import (
	"io/fs"
	"syscall"
	"time"
)

// stateOf is the identity of what a path leads to, and when that was last written to.
func stateOf(path string) (identity, time.Time, error) {
	for {
		var stat syscall.Stat_t
		switch err := syscall.Stat(path, &stat); err {
		case nil:
			return identityOf(&stat), time.Unix(0, modified(&stat)), nil
		case syscall.EINTR:
		default:
			return identity{}, time.Time{}, &fs.PathError{Op: "stat", Path: path, Err: err}
		}
	}
}

// identityOf is the identity of a regular file; the zero value stands for anything
// else, such as a pipe, of which nothing can be told.
func identityOf(stat *syscall.Stat_t) identity {
	if stat.Mode&syscall.S_IFMT != syscall.S_IFREG {
		return identity{}
	}
	return identity{size: stat.Size, time: modified(stat), device: uint64(stat.Dev), number: stat.Ino}
}
