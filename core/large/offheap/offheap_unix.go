//go:build unix && !linux

package offheap

import "syscall"

func take(size int) ([]byte, bool) {
	bytes, err := syscall.Mmap(-1, 0, size, syscall.PROT_READ|syscall.PROT_WRITE, syscall.MAP_ANON|syscall.MAP_PRIVATE)
	return bytes, err == nil
}

func grow([]byte, int) ([]byte, bool) { return nil, false }

// give fails only of what was not taken.
func give(bytes []byte) { _ = syscall.Munmap(bytes) }
