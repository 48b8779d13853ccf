//go:build unix

package lock

import (
	"errors"
	"io"
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

func hold(file *os.File) io.Closer {
	descriptor, err := syscall.Dup(int(file.Fd())) // which shares the lock
	if err != nil {
		return nothing{}
	}
	syscall.CloseOnExec(descriptor)
	return os.NewFile(uintptr(descriptor), file.Name())
}
