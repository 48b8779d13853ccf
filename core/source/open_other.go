//go:build !unix

package source

import (
	"io"
	"os"
)

func openFile(path string) (io.ReadCloser, error) { return os.Open(path) }
