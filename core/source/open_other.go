//go:build !unix

package source

import "os"

type file struct{ *os.File }

// open makes f the file at a path. What it was before must be closed.
func (f *file) open(path string) (err error) {
	f.File, err = os.Open(path)
	return err
}
