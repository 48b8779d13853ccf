//go:build unix

package lock

import (
	"errors"
	"os"
	"syscall"
)

func try(file *os.File) error {
	for {
		err := syscall.Flock(int(file.Fd()), syscall.LOCK_EX|syscall.LOCK_NB)
		switch {
		case errors.Is(err, syscall.EINTR):
		case errors.Is(err, syscall.EWOULDBLOCK):
			return ErrHeld
		default:
			return err
		}
	}
}
