package show

import (
	"errors"
	"os"

	"golang.org/x/sys/unix"
)

var errNotExchanged = errors.New("there are no two files")

// exchange has two files change their names, so that there is no moment without either. It is an error where the second
// is no file, or the file system cannot.
func exchange(one, other string) error {
	if info, err := os.Lstat(other); err != nil || !info.Mode().IsRegular() {
		return errNotExchanged
	}
	return unix.Renameat2(unix.AT_FDCWD, one, unix.AT_FDCWD, other, unix.RENAME_EXCHANGE)
}
