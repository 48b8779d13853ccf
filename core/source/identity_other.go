//go:build !unix

package source

import (
	"os"
)

// stateOf is the identity of what a path leads to, and when that was last written to, in nanoseconds since 1970. Files
// have no numbers here.
func stateOf(path string) (state identity, changed int64, err error) {
	info, err := os.Stat(path)
	if err != nil {
		return identity{}, unknownTime, err
	}
	if !info.Mode().IsRegular() { // a pipe, say, of which nothing can be told
		return identity{}, timeOf(info.ModTime()), nil
	}
	return identity{size: info.Size(), time: info.ModTime().UnixNano()}, timeOf(info.ModTime()), nil
}
