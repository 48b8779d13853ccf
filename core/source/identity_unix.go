//go:build unix

package source

import (
	"io/fs"
	"syscall"
)

// stateOf is the identity of what a path leads to, and when that was last written to, in nanoseconds since 1970.
func stateOf(path string) (state identity, changed int64, err error) {
	for {
		var stat syscall.Stat_t
		switch err := syscall.Stat(path, &stat); err {
		case nil:
			return identityOf(&stat), modified(&stat), nil
		case syscall.EINTR:
		default:
			return identity{}, unknownTime, &fs.PathError{Op: "stat", Path: path, Err: err}
		}
	}
}

// identityOf is the identity of a regular file; the zero value stands for anything
// else, such as a pipe, of which nothing can be told.
func identityOf(stat *syscall.Stat_t) identity {
	if stat.Mode&syscall.S_IFMT != syscall.S_IFREG {
		return identity{}
	}
	return identity{size: stat.Size, time: modified(stat), device: uint64(stat.Dev), number: stat.Ino,
		status: statusChanged(stat)}
}
