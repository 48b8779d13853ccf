package placing

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"time"

	"lastblock/core/finding/lock"
	"lastblock/core/source"

	"github.com/zeebo/xxh3"
)

// Run places what one run writes.
type Run struct {
	disk    Disk
	clock   Clock
	set     string              // its number, in the names of all that it makes
	marks   map[string]File     // by folder, as Disk.Real has it
	marked  []string            // these folders, in the order of their marks
	begun   map[string]int      // parts in a folder that are neither placed nor dropped
	real    map[string]string   // such folders, by how they were named
	folders []string            // that were made, in their order
	made    map[string][]string // their names, by the folder in which they are, as Disk.Real has it
	left    map[string]bool     // parts that whoever comes next needs
	stuck   bool                // something could not be taken away
}

// New begins a run. It makes nothing.
func New(disk Disk, clock Clock) *Run {
	return &Run{disk: disk, clock: clock, set: fmt.Sprintf("%016x", rand.Uint64()), marks: make(map[string]File),
		begun: make(map[string]int), real: make(map[string]string), made: make(map[string][]string)}
}

const (
	partEnding = "part"
	oldEnding  = "old"
)

// hiddenForm is how parts and links to what they replace are called: the name of the place, the number of the set, and
// which of both it is.
var hiddenForm = regexp.MustCompile(`^\.(.+)\.([0-9a-f]{8}|[0-9a-f]{16})\.(part|old)$`)

// hidden is such a name. A system takes 255 bytes; of a longer one the end gives way to a fingerprint.
func hidden(name, set, ending string) string {
	const most = 200
	if len(name) > most {
		name = fmt.Sprintf("%s~%016x", strings.ToValidUTF8(name[:most-20], ""), xxh3.HashString(name))
	}
	return "." + name + "." + set + "." + ending
}

// isName tells whether a journal may have a place of this name: that of a file in its own folder.
func isName(name string) bool {
	return name != "" && name != "." && name != ".." && !strings.ContainsAny(name, "/\x00") &&
		filepath.Base(name) == name && filepath.IsLocal(name) && !hiddenForm.MatchString(name) &&
		!strings.HasPrefix(name, source.MarkPrefix)
}

// isPart tells whether a name is that of a part of a set.
func isPart(name, set string) bool {
	m := hiddenForm.FindStringSubmatch(name)
	return m != nil && m[2] == set && m[3] == partEnding && isName(m[1])
}

// At says where whoever comes next will look first. What the run leaves is found from there.
func (r *Run) At(folder string) error {
	_, err := r.mark(folder)
	return err
}

// Begin makes a part beside a place, which the caller writes, closes, and hands to Place.
func (r *Run) Begin(folder, name string) (File, error) {
	real, err := r.mark(folder)
	if err != nil {
		return nil, err
	}
	for n := 0; ; n++ {
		part := name
		if n > 0 { // a run may begin one place twice, and rename only one of the parts
			part = fmt.Sprintf("%s-%d", name, n)
		}
		file, err := r.disk.OpenFile(filepath.Join(folder, hidden(part, r.set, partEnding)),
			os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o666)
		if errors.Is(err, fs.ErrExist) {
			continue
		}
		if err == nil {
			r.begun[real]++
		}
		return file, err
	}
}

// mark makes the mark of the run in a folder, unless it is there, and returns the folder as Disk.Real has it.
func (r *Run) mark(folder string) (string, error) {
	real, ok := r.real[folder]
	if !ok {
		var err error
		if real, err = r.disk.Real(folder); err != nil {
			return "", err
		}
		r.real[folder] = real
	}
	if r.marks[real] != nil {
		return real, nil
	}
	r.marked = append(r.marked, real)
	r.sayWhere()
	for r.marks[real] == nil {
		file, err := r.disk.OpenFile(filepath.Join(real, source.MarkPrefix+r.set), os.O_RDWR|os.O_CREATE|os.O_EXCL,
			0o600)
		if err != nil {
			r.marked = r.marked[:len(r.marked)-1]
			return "", err
		}
		if !errors.Is(r.disk.Lock(file), lock.ErrHeld) && r.isThere(file) {
			r.marks[real] = file
			break
		}
		file.Close() // another run was quicker, and took it for one that was left behind
		r.disk.Remove(file.Name())
	}
	r.sayWhere()
	return real, nil
}

// sayWhere writes into each mark where the others are, so that whoever finds one finds them all, and which folders were
// made there. Nothing depends on its being written: each mark is found in its own folder as well.
func (r *Run) sayWhere() {
	for _, folder := range r.marked {
		h := head{Version: journalVersion, Set: r.set, Begun: r.clock.Now().UTC().Truncate(time.Second),
			Made: r.made[folder]}
		for i, o := range r.marked {
			if o != folder {
				h.Others = append(h.Others, other{i + 1, near(folder, o), o})
			}
		}
		file := r.marks[folder]
		if file == nil || len(h.Others)+len(h.Made) == 0 {
			continue
		}
		line, err := json.Marshal(h)
		if err != nil {
			continue
		}
		line = append(line, '\n')
		if _, err := file.Seek(0, io.SeekStart); err == nil {
			if _, err := file.Write(line); err == nil {
				file.Truncate(int64(len(line))) // what was behind it says nothing
			}
		}
	}
}

// unmark takes the mark of a folder away.
func (r *Run) unmark(folder string) {
	r.marks[folder].Close()
	err := r.disk.Remove(filepath.Join(folder, source.MarkPrefix+r.set))
	delete(r.marks, folder)
	r.marked = slices.DeleteFunc(r.marked, func(f string) bool { return f == folder })
	r.stuck = r.stuck || err != nil && !errors.Is(err, fs.ErrNotExist)
}

// isThere tells whether a file that is open still has its name.
func (r *Run) isThere(file File) bool {
	open, err := file.Stat()
	if err != nil {
		return false
	}
	named, err := r.disk.Lstat(file.Name())
	return err == nil && r.disk.SameFile(open, named)
}

// MakeFolder makes a folder, and those above it that are missing.
func (r *Run) MakeFolder(folder string) error {
	if _, err := r.disk.Lstat(folder); !errors.Is(err, fs.ErrNotExist) {
		return err // what is there is a folder, or nothing can be made in it
	}
	if parent := filepath.Dir(folder); parent != folder {
		if err := r.MakeFolder(parent); err != nil {
			return err
		}
	}
	in, err := r.mark(filepath.Dir(folder))
	if err != nil {
		return err
	}
	r.made[in] = append(r.made[in], filepath.Base(folder))
	r.sayWhere()
	switch err := r.disk.Mkdir(folder); {
	case err == nil:
		r.folders = append(r.folders, folder)
	case !errors.Is(err, fs.ErrExist):
		return err
	}
	return nil
}

// Drop takes a part away that Begin has made, unless a set that could not be undone needs it.
func (r *Run) Drop(part string) {
	if r.left[part] {
		return
	}
	r.disk.Remove(part)
	if real, ok := r.real[filepath.Dir(part)]; ok {
		r.begun[real]--
	}
}

// End takes away what the run has made and does not need: its marks, and folders in which nothing is. Parts that are
// not in place were dropped before.
func (r *Run) End() {
	marked := slices.Clone(r.marked)
	for _, folder := range slices.Backward(r.folders) {
		if real, err := r.disk.Real(folder); err == nil && r.marks[real] != nil {
			r.unmark(real)
		}
		r.removeFolder(folder)
	}
	for i, folder := range slices.Backward(marked) {
		if r.marks[folder] == nil {
			continue
		}
		if i > 0 || !r.stuck {
			r.unmark(folder)
		} else {
			r.marks[folder].Close() // it says where the others are that could not be taken away
		}
	}
	clear(r.marks)
	clear(r.made)
	r.marked = nil
	clear(r.real)
	clear(r.begun)
	r.folders = nil
}

// removeFolder takes a folder away that a run has made, unless something is in it that is worth more than a word.
func (r *Run) removeFolder(folder string) {
	if names, err := r.disk.Names(folder); err == nil && len(names) == 1 && names[0] == source.LedgerName {
		r.disk.Remove(filepath.Join(folder, source.LedgerName))
	}
	r.disk.Remove(folder) // which fails where something is in it
}

// state is what a file was when it was noted.
type state struct {
	Size  int64     `json:"size"`
	Time  time.Time `json:"time"`
	Print string    `json:"print"` // of its bytes, or of where a link leads
}

// openFile opens a file that is there, and no link to one.
func (r *Run) openFile(path string, flag int) (File, error) {
	info, err := r.disk.Lstat(path)
	if err != nil {
		return nil, err
	}
	if !info.Mode().IsRegular() {
		return nil, fmt.Errorf("%s: %w", path, errNoFile)
	}
	file, err := r.disk.OpenFile(path, flag, 0)
	if err != nil {
		return nil, err
	}
	if open, err := file.Stat(); err != nil || !r.disk.SameFile(info, open) {
		file.Close()
		return nil, fmt.Errorf("%s: %w", path, errNoFile)
	}
	return file, nil
}

// RemoveEmpty takes a file away that has no bytes and that nobody has locked: one that was made to be written, by a run
// that was ended before it did.
func (r *Run) RemoveEmpty(path string) {
	info, err := r.disk.Lstat(path)
	if err != nil || info.Size() > 0 {
		return
	}
	file, err := r.openFile(path, os.O_RDWR)
	if err != nil {
		return
	}
	if isHeld(r.disk.Lock(file)) { // by somebody who is about to write into it
		file.Close()
		return
	}
	if now, err := file.Stat(); err != nil || now.Size() > 0 {
		file.Close()
		return
	}
	r.removeOpen(file)
}

// removeOpen removes a file that is open, and closes it. Not every system removes one that is still open.
func (r *Run) removeOpen(file File) {
	err := r.disk.Remove(file.Name())
	if file.Close(); err != nil {
		r.disk.Remove(file.Name())
	}
}

// stateOf notes what has a name; nil for nothing, or for what is neither a file nor a link.
func (r *Run) stateOf(name string) (*state, error) {
	info, err := r.disk.Lstat(name)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	s := &state{Size: info.Size(), Time: info.ModTime().UTC()}
	s.Print, err = r.printOf(name, info)
	return s, err
}

// errNoFile is what has a name and is not a file.
var errNoFile = errors.New("it is not a file")

func (r *Run) printOf(name string, info fs.FileInfo) (string, error) {
	hash := xxh3.New()
	switch {
	case info.Mode()&fs.ModeSymlink != 0:
		leads, err := r.disk.Readlink(name)
		hash.WriteString(leads)
		return source.Fingerprint(hash), err
	case !info.Mode().IsRegular():
		return "", fmt.Errorf("%s: %w", name, errNoFile)
	}
	file, err := r.disk.OpenFile(name, os.O_RDONLY, 0)
	if err != nil {
		return "", err
	}
	buffer := make([]byte, min(printedBytes, info.Size()+1))
	_, err = copyBuffer(hash, file, buffer)
	return source.Fingerprint(hash), errors.Join(err, file.Close())
}

const printedBytes = 256 << 10 // that are read at a time

// is tells whether a file is as it was noted.
func (r *Run) is(name string, info fs.FileInfo, s *state) bool {
	if s == nil || info.Size() != s.Size {
		return false
	}
	if info.ModTime().Equal(s.Time) {
		return true
	}
	print, err := r.printOf(name, info)
	return err == nil && print == s.Print
}
