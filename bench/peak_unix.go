//go:build unix

package main

import (
	"os"
	"runtime"
	"syscall"
)

// peakMB is the largest resident set of a finished process; Linux counts it in
// kilobytes, macOS in bytes.
func peakMB(state *os.ProcessState) int {
	usage, ok := state.SysUsage().(*syscall.Rusage)
	if !ok {
		return 0
	}
	if runtime.GOOS == "darwin" {
		return int(usage.Maxrss >> 20)
	}
	return int(usage.Maxrss >> 10)
}
