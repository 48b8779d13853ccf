package lock

import (
	"errors"
	"os"

	"golang.org/x/sys/windows"
)

// The byte that is locked lies far behind the end of any file, so that nobody who reads
// the file is kept from it.
const far = 1 << 30

func try(file *os.File) error {
	at := &windows.Overlapped{OffsetHigh: far}
	err := windows.LockFileEx(windows.Handle(file.Fd()),
		windows.LOCKFILE_EXCLUSIVE_LOCK|windows.LOCKFILE_FAIL_IMMEDIATELY, 0, 1, 0, at)
	if errors.Is(err, windows.ERROR_LOCK_VIOLATION) {
		return ErrHeld
	}
	return err
}
