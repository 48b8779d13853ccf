//go:build unix && !linux

package source

import "syscall"

// modified is when a file was last written to, in nanoseconds since 1970.
func modified(stat *syscall.Stat_t) int64 { return stat.Mtimespec.Nano() }

// statusChanged is when the state of a file last changed, likewise.
func statusChanged(stat *syscall.Stat_t) int64 { return stat.Ctimespec.Nano() }
