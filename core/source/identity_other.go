//go:build !unix

package source

import (
	"os"
	"time"
)

// stateOf is the identity of what a path leads to, and when that was last written to. Files have no numbers here.
func stateOf(path string) (identity, time.Time, error) {
	info, err := os.Stat(path)
	if err != nil {
		return identity{}, time.Time{}, err
	}
	if !info.Mode().IsRegular() { // a pipe, say, of which nothing can be told
		return identity{}, info.ModTime(), nil
	}
	return identity{size: info.Size(), time: info.ModTime().UnixNano()}, info.ModTime(), nil
}
