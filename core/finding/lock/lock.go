// Package lock keeps two processes from changing one file at the same time. A lock is
// held on an open file, and by the operating system: it goes with the process, however
// that ends, and leaves nothing behind.
package lock

import (
	"errors"
	"os"
	"time"
)

// ErrHeld says that another process holds the lock.
var ErrHeld = errors.New("another process holds it")

const pause = 10 * time.Millisecond

// Take takes the lock of a file, waiting for it as long as patience lasts. The error is
// ErrHeld where that was not long enough. Closing the file gives the lock back.
func Take(file *os.File, patience time.Duration) error {
	for begun := time.Now(); ; time.Sleep(pause) {
		err := try(file)
		if !errors.Is(err, ErrHeld) || time.Since(begun) >= patience {
			return err
		}
	}
}

// Try takes the lock of a file if nobody holds it.
func Try(file *os.File) error { return try(file) }

// IsThere tells whether an open file still has a name: who takes its lock may have waited for somebody who took it
// away.
func IsThere(file *os.File, name string) bool {
	open, err := file.Stat()
	if err != nil {
		return false
	}
	named, err := os.Lstat(name)
	return err == nil && os.SameFile(open, named)
}
