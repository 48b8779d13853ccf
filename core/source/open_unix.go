//go:build unix

package source

import (
	"io"
	"io/fs"
	"syscall"
)

// file reads straight through system calls. os.File registers every file it
// opens with the poller, which a file on a disk refuses; over a hundred
// thousand small files that was a third of all time.
type file struct {
	descriptor int
	path       string
	left       int64 // of the size that it is known to have; below 0 where none is
}

// open makes f the file at a path. What it was before must be closed.
func (f *file) open(path string) error {
	for {
		descriptor, err := syscall.Open(path, syscall.O_RDONLY|syscall.O_CLOEXEC, 0)
		switch err {
		case nil:
			*f = file{descriptor, path, -1}
			return nil
		case syscall.EINTR:
		default:
			return &fs.PathError{Op: "open", Path: path, Err: err}
		}
	}
}

func (f *file) Read(p []byte) (int, error) {
	for {
		n, err := syscall.Read(f.descriptor, p)
		switch {
		case err == syscall.EINTR:
		case err != nil:
			return 0, &fs.PathError{Op: "read", Path: f.path, Err: err}
		case n == 0 && len(p) > 0:
			return 0, io.EOF
		case f.left < 0:
			return n, nil
		case int64(n) < f.left:
			f.left -= int64(n)
			return n, nil
		default:
			f.left = 0
			return n, io.EOF
		}
	}
}

// knowSize says how large the file is: behind so many bytes it ends, without a read that finds nothing. Whether it
// still is so large is for identity to tell.
func (f *file) knowSize(size int64) {
	if size > 0 {
		f.left = size
	}
}

func (f *file) Close() error { return syscall.Close(f.descriptor) }

// Seek is that of io.Seeker.
func (f *file) Seek(offset int64, whence int) (int64, error) {
	at, err := syscall.Seek(f.descriptor, offset, whence)
	if err != nil {
		return 0, &fs.PathError{Op: "seek", Path: f.path, Err: err}
	}
	f.left = -1
	return at, nil
}

// identity is that of the file that is open.
func (f *file) identity() (identity, error) {
	var stat syscall.Stat_t
	if err := syscall.Fstat(f.descriptor, &stat); err != nil {
		return identity{}, &fs.PathError{Op: "stat", Path: f.path, Err: err}
	}
	return identityOf(&stat), nil
}
