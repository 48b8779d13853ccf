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
	return identityOf(info), timeOf(info.ModTime()), nil
}

// identityOf is the identity of a regular file; the zero value stands for anything
// else, such as a pipe, of which nothing can be told.
func identityOf(info os.FileInfo) identity {
	if !info.Mode().IsRegular() {
		return identity{}
	}
	return identity{size: info.Size(), time: info.ModTime().UnixNano()}
}
