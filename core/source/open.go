package source

import (
	"io"
	"os"
)

// openSource opens a source for reading only.
func openSource(path string) (io.ReadCloser, error) {
	if path == "-" {
		return io.NopCloser(os.Stdin), nil
	}
	return openFile(path)
}
