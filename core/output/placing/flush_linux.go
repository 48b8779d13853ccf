package placing

import (
	"errors"
	"os"

	"golang.org/x/sys/unix"
)

// flushAll flushes a file system at once, which for thousands of files takes a twentieth of the time of flushing them
// one by one.
func flushAll(folder string) error {
	dir, err := os.Open(folder)
	if err != nil {
		return err
	}
	return errors.Join(unix.Syncfs(int(dir.Fd())), dir.Close())
}
