//go:build unix

package placing

import (
	"errors"

	"golang.org/x/sys/unix"
)

// isRefused tells whether a system does not flush folders of this kind at all.
func isRefused(err error) bool { return errors.Is(err, unix.EINVAL) || errors.Is(err, unix.ENOTSUP) }
