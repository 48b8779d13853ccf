package show

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"sync"

	"lastblock/core/source"

	"github.com/zeebo/xxh3"
)

// Outputs are the files that one run writes. Each is written under another
// name beside its place and renamed at the end, so that it appears whole or
// not at all.
type Outputs struct {
	mutex sync.Mutex
	open  []*Output
}

// Output is one file that is being written.
type Output struct {
	path string // where it will be
	file *os.File
	hash *xxh3.Hasher
	size int64

	resting bool // the file is closed until more is written
}

// ExistsError is an output that is there already.
type ExistsError struct{ Path string }

func (e *ExistsError) Error() string {
	return fmt.Sprintf("%s is there already; --replace writes over it", e.Path)
}

// Create starts an output.
func (o *Outputs) Create(path string, replace bool) (*Output, error) {
	var mode fs.FileMode // of the file that is written over; 0 for what the user's settings give
	if info, err := os.Stat(path); err == nil {
		mode = info.Mode().Perm()
		if info.IsDir() {
			return nil, fmt.Errorf("%s is a folder; name a file in it", path)
		}
		if !replace {
			return nil, &ExistsError{path}
		}
	}
	for _, other := range o.open {
		if filepath.Clean(other.path) == filepath.Clean(path) {
			return nil, fmt.Errorf("two outputs cannot both be written to %s", path)
		}
	}
	folder, name := filepath.Split(path)
	file, err := createBeside(folder, name)
	if err == nil && mode != 0 {
		err = file.Chmod(mode)
	}
	if err != nil {
		if errors.Is(err, fs.ErrNotExist) {
			return nil, fmt.Errorf("%s: there is no folder %s; make it first", path, filepath.Clean(folder))
		}
		return nil, fmt.Errorf("writing %s: %w", path, err)
	}
	output := &Output{path: path, file: file, hash: xxh3.New()}
	o.mutex.Lock()
	defer o.mutex.Unlock()
	o.open = append(o.open, output)
	return output, nil
}

// Spool starts a file in the folder for temporary files, which keeps a result
// until its proof holds and never gets a place of its own.
func (o *Outputs) Spool() (*Output, error) {
	file, err := os.CreateTemp("", "lastblock-*.part")
	if err != nil {
		return nil, fmt.Errorf("keeping the result until it is proven: %w", err)
	}
	output := &Output{path: file.Name(), file: file, hash: xxh3.New()}
	o.mutex.Lock()
	defer o.mutex.Unlock()
	o.open = append(o.open, output)
	return output, nil
}

// Reader reads what was written, from its start.
func (o *Output) Reader() (io.Reader, error) {
	_, err := o.file.Seek(0, io.SeekStart)
	return o.file, err
}

// createBeside creates a file under a hidden name beside the one it will have.
// It is not a temporary file to the system, which would make it readable for
// its owner alone, but one with the permissions that the user's settings give.
func createBeside(folder, name string) (*os.File, error) {
	for {
		hidden := filepath.Join(folder, fmt.Sprintf(".%s.%08x.part", name, rand.Uint32()))
		file, err := os.OpenFile(hidden, os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o666)
		if !errors.Is(err, fs.ErrExist) {
			return file, err
		}
	}
}

// Rest closes the file until more is written, so that any number of outputs can
// be under way.
func (o *Output) Rest() error {
	if o.resting {
		return nil
	}
	o.resting = true
	if err := o.file.Close(); err != nil {
		return fmt.Errorf("writing %s: %w", o.path, err)
	}
	return nil
}

// Write writes the next bytes.
func (o *Output) Write(p []byte) (int, error) {
	if o.resting {
		file, err := os.OpenFile(o.file.Name(), os.O_RDWR|os.O_APPEND, 0)
		if err != nil {
			return 0, fmt.Errorf("writing %s: %w", o.path, err)
		}
		o.file, o.resting = file, false
	}
	n, err := o.file.Write(p)
	o.size += int64(n)
	o.hash.Write(p[:n]) // a hash takes everything
	if err != nil {
		return n, fmt.Errorf("writing %s: %w", o.path, err)
	}
	return n, nil
}

// Commit puts an output in its place and notes it in the folder's ledger.
func (o *Outputs) Commit(output *Output) error {
	if err := o.Place(output, output.path); err != nil {
		return err
	}
	if err := source.NoteOutput(output.path, output.size, source.Fingerprint(output.hash)); err != nil {
		return fmt.Errorf("%s is written, but its folder does not take the note of it: %w", output.path, err)
	}
	return nil
}

// Place puts an output in a place, which may be another one than it was created
// for, without a note: it is to be read as a source.
func (o *Outputs) Place(output *Output, path string) error {
	if err := output.Rest(); err != nil {
		return err
	}
	if err := os.Rename(output.file.Name(), path); err != nil {
		return fmt.Errorf("writing %s: %w", path, err)
	}
	o.mutex.Lock()
	defer o.mutex.Unlock()
	o.forget(output)
	return nil
}

// Discard drops every output that was not committed.
func (o *Outputs) Discard() {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	for _, output := range o.open {
		output.file.Close()
		os.Remove(output.file.Name())
	}
	o.open = nil
}

func (o *Outputs) forget(output *Output) {
	for i := range o.open {
		if o.open[i] == output {
			o.open = append(o.open[:i], o.open[i+1:]...)
			return
		}
	}
}
