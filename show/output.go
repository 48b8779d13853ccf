package show

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"sync"

	"lastblock/core/output/placing"
	"lastblock/core/source"

	"github.com/zeebo/xxh3"
)

// Outputs are the files that one run writes. Each is written under a hidden name beside
// its place, and at the end all that are ready are put in place together: so every one
// of them appears whole or not at all, and so do they as a set.
type Outputs struct {
	// Disk is what is written to, nil for the disk of this machine.
	Disk placing.Disk
	// Home is the folder in which whoever comes next looks first for what the run has left; "" for none.
	Home string
	// Tell is told what became of sets whose runs were ended, see Tidy; nil for nobody.
	Tell func(text string)
	// Nowhere says that none of the outputs which are begun will be placed: they are written among temporary files, so
	// that their places may be where nobody can write.
	Nowhere bool

	mutex  sync.Mutex
	run    *placing.Run
	open   []*Output
	added  []placing.Item  // lines for files that are there
	inputs []string        // files that the run reads, and that are no output of it
	tidied map[string]bool // folders in which nothing of an earlier run is left
	placed []string        // outputs that are in place
	closed bool            // nothing is placed any more
}

func (o *Outputs) disk() placing.Disk {
	if o.Disk == nil {
		o.Disk = placing.Machine{}
	}
	return o.Disk
}

// placing is the run that places them. The caller has the mutex.
func (o *Outputs) placing() *placing.Run {
	if o.run == nil {
		o.run = placing.New(o.disk(), placing.Machine{})
	}
	return o.run
}

// atHome marks the home of the run, before it makes anything below it.
func (o *Outputs) atHome(folder string) {
	if way, err := filepath.Rel(o.Home, folder); o.Home != "" && err == nil && filepath.IsLocal(way) {
		_ = o.placing().At(o.Home) // where nobody can write, nobody finds anything either
	}
}

var errEnded = errors.New("the run was ended before its results were put in place")

// Output is one file that is being written.
type Output struct {
	path    string // where it will be
	disk    placing.Disk
	file    placing.File
	mode    fs.FileMode // that it gets; 0 for what the user's settings give
	hash    *xxh3.Hasher
	sealing *sealing // nil where its SHA-256 is not taken while it is written
	sha256  string   // "" while it is not known
	size    int64
	replace bool

	spool   bool // it never gets a place of its own
	inPlace bool // its place is a device or a pipe, which is written to as it is
	noted   bool // it is known again as an output
	isPart  bool // it is known again as what was written to be read
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
	if o.closed {
		return nil, errEnded
	}
	if err := o.isInput(path); err != nil {
		return nil, err
	}
	output := &Output{path: path, disk: o.disk(), replace: replace, hash: xxh3.New(), noted: true}
	if info, err := os.Stat(path); err == nil {
		switch {
		case info.IsDir():
			return nil, fmt.Errorf("%s is a folder; name a file in it", path)
		case !info.Mode().IsRegular():
			output.inPlace = true
		case !replace:
			return nil, &ExistsError{path}
		}
		output.mode = info.Mode().Perm()
	}
	for _, other := range o.open {
		if !other.spool && source.Resolved(other.path) == source.Resolved(path) {
			return nil, fmt.Errorf("two outputs cannot both be written to %s", path)
		}
	}
	if err := o.begin(output); err != nil {
		return nil, fmt.Errorf("writing %s: %w", path, err)
	}
	o.open = append(o.open, output)
	return output, nil
}

// begin opens the file that holds an output until it gets its place.
func (o *Outputs) begin(output *Output) (err error) {
	if output.inPlace || o.Nowhere {
		output.file, err = o.temporary(output.inPlace)
		return err
	}
	folder, name := filepath.Split(output.path)
	folder = filepath.Clean(folder)
	o.atHome(folder)
	if err := o.placing().MakeFolder(folder); err != nil {
		return err
	}
	o.tidy(folder)
	if output.file, err = o.placing().Begin(folder, name); err != nil || output.mode == 0 {
		return err
	}
	// nobody reads it who may not read what it replaces
	if err = output.file.Chmod(output.mode | ownerReadsAndWrites); err != nil {
		output.file.Close()
		o.placing().Drop(output.file.Name())
	}
	return err
}

const ownerReadsAndWrites = 0o600

// temporary makes a file in the folder for temporary files. Where it is read through its open file alone, it has no
// name any more, as far as the system lets an open file go without one.
func (o *Outputs) temporary(unnamed bool) (placing.File, error) {
	for {
		name := filepath.Join(os.TempDir(), fmt.Sprintf("lastblock-%016x.part", rand.Uint64()))
		file, err := o.disk().OpenFile(name, os.O_RDWR|os.O_CREATE|os.O_EXCL, ownerReadsAndWrites)
		if errors.Is(err, fs.ErrExist) {
			continue
		}
		if err == nil && unnamed {
			os.Remove(name)
		}
		return file, err
	}
}

// Spool starts a file in the folder for temporary files, which keeps a result
// until its proof holds and never gets a place of its own.
func (o *Outputs) Spool() (*Output, error) {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	file, err := o.temporary(true)
	if err != nil {
		return nil, fmt.Errorf("keeping the result until it is proven: %w", err)
	}
	output := &Output{path: file.Name(), disk: o.disk(), file: file, hash: xxh3.New(), spool: true}
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
	var err error
	o.sha256, err = o.hashFile()
	return o.sha256, err
}

func (o *Output) hashFile() (string, error) {
	content, err := o.disk.OpenFile(o.file.Name(), os.O_RDONLY, 0)
	if err != nil {
		return "", err
	}
	defer content.Close()
	sum := sha256.New()
	if _, err := io.Copy(sum, content); err != nil {
		return "", err
	}
	return hex.EncodeToString(sum.Sum(nil)), nil
}

// ReadBack brings the output to the disk, reads it from there, and makes sure that it is what was written. Nothing
// more is written after it.
func (o *Output) ReadBack() error {
	want, err := o.SHA256()
	if err != nil {
		return err
	}
	if err := errors.Join(o.file.Sync(), o.Rest()); err != nil {
		return err
	}
	got, err := o.hashFile()
	if err == nil && got != want {
		err = fmt.Errorf("writing %s: the disk does not give back what was written to it", o.path)
	}
	return err
}

// Path is where the output will be.
func (o *Output) Path() string { return o.path }

// Tidy settles what an earlier run left in a folder, see placing.Run.Recover, and tells it.
func (o *Outputs) Tidy(folder string) {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	o.tidy(folder)
}

func (o *Outputs) tidy(folder string) {
	if o.tidied[folder] {
		return
	}
	if o.tidied == nil {
		o.tidied = make(map[string]bool)
	}
	o.tidied[folder] = true
	for _, r := range o.placing().Recover(folder) {
		if o.Tell != nil {
			o.Tell(r.String())
		}
	}
}

// RemoveEmpty takes a file of decisions away in which a run that was ended has written nothing.
func (o *Outputs) RemoveEmpty(path string) {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	o.placing().RemoveEmpty(path)
}

// Rest closes the file until more is written, so that any number of outputs can
// be under way.
func (o *Output) Rest() error {
	if o.resting {
		return nil
	}
	o.resting = true
	const worthIt = 1 << 20 // bytes
	if disk, ok := o.disk.(interface{ Start(placing.File) }); ok && o.size >= worthIt && !o.ready {
		disk.Start(o.file)
	}
	if err := o.file.Close(); err != nil {
		return fmt.Errorf("writing %s: %w", o.path, err)
	}
	return nil
}

// Write writes the next bytes.
func (o *Output) Write(p []byte) (int, error) {
	if o.resting {
		file, err := o.disk.OpenFile(o.file.Name(), os.O_RDWR|os.O_APPEND, 0)
		if err != nil {
			return 0, fmt.Errorf("writing %s: %w", o.path, err)
		}
		o.file, o.resting = file, false
	}
	n, err := o.file.Write(p)
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
func (o *Output) MoveTo(path string) { o.path, o.noted, o.isPart = path, false, true }

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
		return errEnded
	}
	var ready, rest []*Output
	for _, output := range o.open {
		if output.ready {
			ready = append(ready, output)
		} else {
			rest = append(rest, output)
		}
	}
	if len(ready) == 0 && len(o.added) == 0 {
		return nil
	}
	if err := o.check(ready); err != nil {
		return err
	}
	items := o.added
	for _, output := range ready {
		if output.inPlace {
			if err := output.copyInPlace(); err != nil {
				return err
			}
			continue
		}
		item, err := output.item()
		if err != nil {
			return err
		}
		items = append(items, item)
	}
	if err := o.placing().Place(items); err != nil {
		return err
	}
	for i := range o.added {
		o.placed = append(o.placed, o.added[i].To)
	}
	o.added = nil
	o.open = rest // folders in which nothing was put go with Discard
	for _, output := range ready {
		o.placed = append(o.placed, output.path)
	}
	return nil
}

// item is what the output is to its set. Its file is closed.
func (o *Output) item() (item placing.Item, err error) {
	if err = o.Rest(); err != nil {
		return item, err
	}
	item = placing.Item{To: o.path, Part: o.file.Name(), Size: o.size, Print: source.Fingerprint(o.hash)}
	if o.mode&ownerReadsAndWrites != ownerReadsAndWrites {
		item.Mode = o.mode
	}
	switch {
	case o.noted:
		item.Note = source.Note(o.path, o.size, item.Print)
	case o.isPart:
		item.Note = source.NoteSource(o.path, o.size, item.Print)
	}
	return item, nil
}

// copyInPlace writes the output to a device or a pipe, which cannot be renamed.
func (o *Output) copyInPlace() error {
	content, err := o.Reader()
	if err != nil {
		return err
	}
	to, err := os.OpenFile(o.path, os.O_WRONLY, 0)
	if err != nil {
		return err
	}
	_, err = io.Copy(to, content)
	return errors.Join(err, to.Close())
}

// Append has lines be added to a file of some size, which the caller has locked, together with all outputs that are
// placed next.
func (o *Outputs) Append(path string, size int64, lines []byte) {
	o.mutex.Lock()
	defer o.mutex.Unlock()
	o.added = append(o.added, placing.Item{To: path, Add: lines, Behind: size})
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
		o.placing().Drop(output.file.Name()) // which is gone already where it had no name
	}
	if o.run != nil {
		o.run.End()
	}
	o.open, o.added = nil, nil
}
