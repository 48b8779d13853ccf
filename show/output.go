package show

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"sync"

	"lastblock/core/source"
	"lastblock/internal/fault"

	"github.com/zeebo/xxh3"
)

// Outputs are the files that one run writes. Each is written under a hidden name beside
// its place, and at the end all that are ready are put in place together: so every one
// of them appears whole or not at all, and so do they as a set.
type Outputs struct {
	// Journal is the folder in which the journal of a set lies that is brought down to the disk before
	// and after it gets its places; "" for a set that has its journal beside its first output.
	Journal string
	// Nowhere says that none of the outputs which are begun will be placed: they are written among temporary files, so
	// that their places may be where nobody can write.
	Nowhere bool

	mutex   sync.Mutex
	open    []*Output
	inputs  []string        // files that the run reads, and that are no output of it
	folders []string        // that were made for outputs
	tidied  map[string]bool // folders in which nothing of an earlier run is left
	placed  []string        // outputs that are in place
	closed  bool            // nothing is placed any more
}

// Output is one file that is being written.
type Output struct {
	path    string // where it will be
	file    *os.File
	hash    *xxh3.Hasher
	sealing *sealing // nil where its SHA-256 is not taken while it is written
	sha256  string   // "" while it is not known
	size    int64
	replace bool

	spool   bool // it never gets a place of its own
	inPlace bool // its place is a device or a pipe, which is written to as it is
	noted   bool // it is known again as an output
	resting bool // the file is closed until more is written
	ready   bool
	origin  *Origin // nil where nothing is said of it
}

// ExistsError is an output that is there already.
type ExistsError struct{ Path string }

func (e *ExistsError) Error() string {
	return fmt.Sprintf("%s already exists; --replace overwrites it", e.Path)
}

// InputError is an output that the run reads.
type InputError struct{ Path, Input string }

func (e *InputError) Error() string {
	if e.Path == e.Input {
		return fmt.Sprintf("%s is read by this run, and what is read is never written over; choose another file",
			e.Path)
	}
	return fmt.Sprintf("%s is the same file as %s, which is read by this run, and what is read is never written "+
		"over; choose another file", e.Path, e.Input)
}

// Protect says that files are read by the run, so that none of them becomes an output,
// under whatever path.
func (o *Outputs) Protect(paths ...string) {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	for _, path := range paths {
		if path != "" && path != "-" {
			o.inputs = append(o.inputs, path)
		}
	}
}

// Rewrite says that a file which was read is to be written anew.
func (o *Outputs) Rewrite(path string) {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	o.inputs = slices.DeleteFunc(o.inputs, func(input string) bool {
		return source.Resolved(input) == source.Resolved(path)
	})
}

// isInput finds the file that is read and that an output would be.
func (o *Outputs) isInput(path string) error {
	info, statErr := os.Stat(path)
	for _, input := range o.inputs {
		if other, err := os.Stat(input); statErr == nil && err == nil && info.Mode().IsRegular() &&
			os.SameFile(info, other) {
			return &InputError{path, input}
		}
		if source.Resolved(path) == source.Resolved(input) {
			return &InputError{path, input}
		}
	}
	return nil
}

// Create starts an output. Folders that it needs are made.
func (o *Outputs) Create(path string, replace bool) (*Output, error) {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	if err := o.isInput(path); err != nil {
		return nil, err
	}
	output := &Output{path: path, replace: replace, hash: xxh3.New(), noted: true}
	var mode fs.FileMode // of the file that is written over; 0 for what the user's settings give
	if info, err := os.Stat(path); err == nil {
		switch {
		case info.IsDir():
			return nil, fmt.Errorf("%s is a folder; name a file in it", path)
		case !info.Mode().IsRegular():
			output.inPlace = true
		case !replace:
			return nil, &ExistsError{path}
		}
		mode = info.Mode().Perm()
	}
	for _, other := range o.open {
		if !other.spool && source.Resolved(other.path) == source.Resolved(path) {
			return nil, fmt.Errorf("two outputs cannot both be written to %s", path)
		}
	}
	if err := o.begin(output, mode); err != nil {
		return nil, fmt.Errorf("writing %s: %w", path, err)
	}
	o.open = append(o.open, output)
	return output, nil
}

// begin opens the file that holds an output until it gets its place.
func (o *Outputs) begin(output *Output, mode fs.FileMode) (err error) {
	if output.inPlace {
		output.file, err = unnamed(os.TempDir())
		return err
	}
	if o.Nowhere {
		output.file, err = os.CreateTemp("", "lastblock-rehearsed-*")
		return err
	}
	folder, name := filepath.Split(output.path)
	if folder == "" {
		folder = "."
	}
	if err := o.makeFolder(filepath.Clean(folder)); err != nil {
		return err
	}
	o.tidy(folder)
	if output.file, err = createBeside(folder, name); err == nil && mode != 0 {
		err = output.file.Chmod(mode)
	}
	return err
}

// makeFolder makes a folder, and notes which ones it had to make.
func (o *Outputs) makeFolder(folder string) error {
	if _, err := os.Stat(folder); err == nil || !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if parent := filepath.Dir(folder); parent != folder {
		if err := o.makeFolder(parent); err != nil {
			return err
		}
	}
	if err := os.Mkdir(folder, 0o777); err != nil && !errors.Is(err, fs.ErrExist) {
		return err
	}
	o.folders = append(o.folders, folder)
	return nil
}

// Spool starts a file in the folder for temporary files, which keeps a result
// until its proof holds and never gets a place of its own.
func (o *Outputs) Spool() (*Output, error) {
	file, err := unnamed(os.TempDir())
	if err != nil {
		return nil, fmt.Errorf("keeping the result until it is proven: %w", err)
	}
	output := &Output{path: file.Name(), file: file, hash: xxh3.New(), spool: true}
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

// Seal has the SHA-256 taken while the output is written, of which nothing was written yet.
func (o *Output) Seal() { o.sealing = beginSealing() }

// SHA256 is that of what was written (FIPS 180-4), in hexadecimal digits. Nothing more is written
// after it was asked for.
func (o *Output) SHA256() (string, error) {
	if o.sha256 != "" {
		return o.sha256, nil
	}
	if o.sealing != nil {
		o.sha256, o.sealing = o.sealing.end(), nil
		return o.sha256, nil
	}
	content, err := os.Open(o.file.Name())
	if err != nil {
		return "", err
	}
	defer content.Close()
	sum := sha256.New()
	if _, err := io.Copy(sum, content); err != nil {
		return "", err
	}
	o.sha256 = hex.EncodeToString(sum.Sum(nil))
	return o.sha256, nil
}

// Path is where the output will be.
func (o *Output) Path() string { return o.path }

// Tidy finishes what an earlier run left in a folder, see placing.
func (o *Outputs) Tidy(folder string) {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	o.tidy(folder)
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
	n, err := 0, fault.Write()
	if err == nil {
		n, err = o.file.Write(p)
	}
	o.size += int64(n)
	o.hash.Write(p[:n]) // a hash takes everything
	if o.sealing != nil {
		o.sealing.write(p[:n])
	}
	if err != nil {
		return n, fmt.Errorf("writing %s: %w", o.path, err)
	}
	return n, nil
}

// NotNoted says that the file is not known again as an output: it is to be read, or is no result.
func (o *Output) NotNoted() { o.noted = false }

// MoveTo gives an output another place than it was created for. It is not known again
// as an output, but is to be read as a source.
func (o *Output) MoveTo(path string) { o.path, o.noted = path, false }

// Ready says that an output holds all that it is to hold, so that Place puts it in its
// place.
func (o *Outputs) Ready(output *Output) {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	output.ready = true
}

// Commit puts the outputs in place that are not nil, and all that are ready, together.
func (o *Outputs) Commit(outputs ...*Output) error {
	for _, output := range outputs {
		if output != nil {
			o.Ready(output)
		}
	}
	return o.Place()
}

// Placed are the outputs that are in place.
func (o *Outputs) Placed() []string {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	return o.placed
}

// Place puts all outputs in place that are ready, together: where one of them cannot be
// put, none is. From its begin on the run cannot be interrupted any more.
func (o *Outputs) Place() error {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	if o.closed {
		return errors.New("the run was ended before its results were put in place")
	}
	var ready, rest []*Output
	for _, output := range o.open {
		if output.ready {
			ready = append(ready, output)
		} else {
			rest = append(rest, output)
		}
	}
	if len(ready) == 0 {
		return nil
	}
	if err := o.check(ready); err != nil {
		return err
	}
	s := &placing{outputs: ready, journalIn: o.Journal}
	if err := s.place(); err != nil {
		return err
	}
	o.open = rest // folders in which nothing was put go with Discard
	for _, output := range ready {
		o.placed = append(o.placed, output.path)
	}
	return nil
}

// check makes sure that the places are still free.
func (o *Outputs) check(ready []*Output) error {
	for _, output := range ready {
		if err := o.isInput(output.path); err != nil {
			return err
		}
		info, err := os.Stat(output.path)
		switch {
		case err != nil || output.inPlace:
		case info.IsDir():
			return fmt.Errorf("%s is a folder by now; name another file", output.path)
		case !output.replace:
			return &ExistsError{output.path}
		}
	}
	return nil
}

// End drops every output that is not in place, and sees to it that none is put there any
// more. It waits for those that are being put in place.
func (o *Outputs) End() {
	o.Discard()
	o.mutex.Lock()
	defer o.mutex.Unlock()
	o.closed = true
}

// Discard drops every output that is not in place, and the folders that were made for
// them.
func (o *Outputs) Discard() {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	for _, output := range o.open {
		if output.sealing != nil {
			close(output.sealing.stop)
		}
		output.file.Close()
		os.Remove(output.file.Name()) // which is gone already where it had no name
	}
	for i := len(o.folders) - 1; i >= 0; i-- {
		os.Remove(o.folders[i]) // which fails where something is in it
	}
	o.open, o.folders = nil, nil
}

// noteAll notes outputs in the ledgers of their folders, so that they are known again
// from the moment they are there.
func noteAll(outputs []*Output) error {
	for _, output := range outputs {
		if !output.noted || output.inPlace {
			continue
		}
		if err := source.NoteOutput(output.path, output.size, source.Fingerprint(output.hash)); err != nil {
			return fmt.Errorf("%s is not written, since its folder does not take the note of it: %w", output.path, err)
		}
	}
	return nil
}
