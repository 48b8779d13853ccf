package source

import "syscall"

// modified is when a file was last written to, in nanoseconds since 1970.
func modified(stat *syscall.Stat_t) int64 { return stat.Mtim.Nano() }
