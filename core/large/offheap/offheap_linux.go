package offheap

import "golang.org/x/sys/unix"

func take(size int) ([]byte, bool) {
	bytes, err := unix.Mmap(-1, 0, size, unix.PROT_READ|unix.PROT_WRITE, unix.MAP_ANON|unix.MAP_PRIVATE)
	if err != nil {
		return nil, false
	}
	const many = 2 << 20
	if size >= many {
		_ = unix.Madvise(bytes, unix.MADV_HUGEPAGE) // which is no more than advice
	}
	return bytes, true
}

// give fails only of what was not taken.
func give(bytes []byte) { _ = unix.Munmap(bytes) }
