//go:build unix

package source

import (
	"io/fs"
	"syscall"
)

// numberOf is the number of a file, and of the device it is on.
func numberOf(info fs.FileInfo) (device, number uint64) {
	if stat, ok := info.Sys().(*syscall.Stat_t); ok {
		return uint64(stat.Dev), uint64(stat.Ino)
	}
	return 0, 0
}
