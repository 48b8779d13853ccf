package offheap

import "golang.org/x/sys/unix"

func take(size int) ([]byte, bool) {
	bytes, err := unix.Mmap(-1, 0, size, unix.PROT_READ|unix.PROT_WRITE, unix.MAP_ANON|unix.MAP_PRIVATE)
	if err != nil {
		return nil, false
	}
	advise(bytes)
	return bytes, true
}

func grow(bytes []byte, size int) ([]byte, bool) {
	bytes, err := unix.Mremap(bytes, size, unix.MREMAP_MAYMOVE)
	if err != nil {
		return nil, false
	}
	advise(bytes)
	return bytes, true
}

// advise asks for large pages, which is no more than advice.
func advise(bytes []byte) {
	const many = 2 << 20
	if len(bytes) >= many {
		_ = unix.Madvise(bytes, unix.MADV_HUGEPAGE)
	}
}

// give fails only of what was not taken.
func give(bytes []byte) { _ = unix.Munmap(bytes) }
