package placing

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"time"

	"github.com/zeebo/xxh3"
)

// Item is one file of a set that is to be placed.
type Item struct {
	To    string // its place
	Part  string // the file that Begin has made, closed; "" where lines are added
	Size  int64  // of the part, in bytes
	Print string // of the bytes of the part, see source.Fingerprint
	// Mode are the permissions that it gets, 0 for those it has.
	Mode fs.FileMode
	// Add are lines that are added to a file of Behind bytes, which the caller has locked.
	Add    []byte
	Behind int64
	// Note is a line that the ledger of the folder gets, see source.LedgerName; "" for none.
	Note string
}

// many is how many parts it takes to flush all of a file system, rather than each.
const many = 64

// Place puts items in place, all or none. Their parts stay where it is an error.
func (r *Run) Place(items []Item) error {
	set := make([]*journal, 0, 1)
	for i := range items {
		if err := r.take(&set, &items[i]); err != nil {
			return err
		}
	}
	if len(set) == 0 {
		return nil
	}
	if err := r.flushParts(items); err != nil {
		return err
	}
	if err := r.note(items); err != nil {
		return err
	}
	if err := r.flushMade(); err != nil {
		return err
	}
	if len(items) == 1 && items[0].Part != "" {
		return r.placeOne(set, &items[0])
	}
	if err := r.settle(set); err != nil {
		return r.unsettle(set, err)
	}
	if err := r.finish(set); err != nil {
		if failed := r.undo(set, new(Recovery)); failed != nil {
			for _, j := range set { // whoever comes next tries once more
				err = errors.Join(err, j.file.Close())
				delete(r.marks, j.folder)
				r.marked = slices.DeleteFunc(r.marked, func(f string) bool { return f == j.folder })
			}
			r.left = make(map[string]bool)
			for i := range items {
				r.left[items[i].Part] = true
			}
			err = fmt.Errorf("%w; nor could it be taken back: %w. The next command in this folder settles it", err,
				failed)
		}
		return err
	}
	r.stuck = !r.removeOld(set) || r.stuck
	r.over(set)
	return nil
}

// over takes the journals of a set away that is in place, the first one last, which says where the others are. Where
// the run has more parts in a folder, its mark stays; and so do all journals where something could not be taken away.
func (r *Run) over(set []*journal) {
	for k, j := range slices.Backward(set) {
		for i := range j.moves {
			if !j.moves[i].isAdding() {
				r.begun[j.folder]--
			}
		}
		switch {
		case r.stuck:
			j.file.Close()
			delete(r.marks, j.folder)
			r.marked = slices.DeleteFunc(r.marked, func(f string) bool { return f == j.folder })
		case r.begun[j.folder] > 0 || k == 0:
			j.unsettle()
		default:
			r.unmark(j.folder)
		}
	}
	r.sayWhere()
}

// placeOne places a set of one file, which takes no journal.
func (r *Run) placeOne(set []*journal, item *Item) error {
	if err := r.disk.Rename(item.Part, item.To); err != nil {
		return fmt.Errorf("writing %s: %w", item.To, err)
	}
	err := r.flushFolders(set) // what it has replaced is gone, so that nothing can be put back where this fails
	r.over(set)
	if err != nil {
		err = fmt.Errorf("%s is written, but a power cut may still cost it: %w", item.To, err)
	}
	return err
}

// flushMade brings the names of folders to the disk that were made.
func (r *Run) flushMade() error {
	for _, folder := range r.folders {
		if err := r.disk.Flush(filepath.Dir(folder)); err != nil {
			return fmt.Errorf("making %s: %w", folder, err)
		}
	}
	return nil
}

// take puts an item into the journal of its folder.
func (r *Run) take(set *[]*journal, item *Item) error {
	folder, err := r.mark(filepath.Dir(item.To))
	if err != nil {
		return err
	}
	m := move{To: filepath.Base(item.To), Size: item.Size, Print: item.Print, Add: item.Add, Behind: item.Behind}
	if !isName(m.To) {
		return fmt.Errorf("%s is no name for a file", item.To)
	}
	if item.Part != "" {
		m.Part = filepath.Base(item.Part)
	} else {
		m.Size = int64(len(item.Add))
	}
	at := slices.IndexFunc(*set, func(j *journal) bool { return j.folder == folder })
	if at < 0 {
		at = len(*set)
		*set = append(*set, &journal{folder: folder, file: r.marks[folder]})
	}
	(*set)[at].moves = append((*set)[at].moves, m)
	return nil
}

// flushParts brings the bytes of all parts to the disk.
func (r *Run) flushParts(items []Item) error {
	parts := slices.DeleteFunc(slices.Clone(items), func(i Item) bool { return i.Part == "" })
	byFolder := make(map[string]int)
	for i := range parts {
		byFolder[filepath.Dir(parts[i].Part)]++
	}
	flushed := make(map[string]bool)
	for folder, n := range byFolder {
		if n <= many {
			continue
		}
		switch err := r.disk.FlushAll(folder); {
		case err == nil:
			flushed[folder] = true
		case !errors.Is(err, errors.ErrUnsupported):
			return fmt.Errorf("writing to %s: %w", folder, err)
		}
	}
	for i := range parts {
		item := &parts[i]
		if flushed[filepath.Dir(item.Part)] && item.Mode == 0 {
			continue
		}
		if err := r.flush(item); err != nil {
			return fmt.Errorf("writing %s: %w", item.To, err)
		}
	}
	return nil
}

func (r *Run) flush(item *Item) error {
	file, err := r.disk.OpenFile(item.Part, os.O_RDWR, 0)
	if err != nil {
		return err
	}
	if item.Mode != 0 {
		err = file.Chmod(item.Mode)
	}
	return errors.Join(err, file.Sync(), file.Close())
}

// settle writes the journals, and brings all names to the disk. From then on the set is finished, whatever happens.
func (r *Run) settle(set []*journal) error {
	for i, j := range set {
		j.head = head{Version: journalVersion, Set: r.set, Journal: i + 1, Of: len(set),
			Begun: r.clock.Now().UTC().Truncate(time.Second), Made: r.made[j.folder]}
		for k, o := range set {
			if k != i {
				j.Others = append(j.Others, other{k + 1, near(j.folder, o.folder), o.folder})
			}
		}
		for m := range j.moves {
			was, err := r.stateOf(j.path(j.moves[m].To))
			if err != nil {
				return err
			}
			j.moves[m].Was = was
		}
	}
	for _, j := range set {
		if err := j.write(); err != nil {
			return fmt.Errorf("putting results into %s: %w", j.folder, err)
		}
	}
	return r.flushFolders(set)
}

// unsettle makes the marks of a set what they were before, of which nothing was renamed.
func (r *Run) unsettle(set []*journal, err error) error {
	for _, j := range set {
		err = errors.Join(err, j.unsettle())
	}
	return err
}

func (r *Run) flushFolders(set []*journal) error {
	for _, j := range set {
		if err := r.disk.Flush(j.folder); err != nil {
			return fmt.Errorf("putting results into %s: %w", j.folder, err)
		}
	}
	return nil
}

// finish makes all moves of a settled set that are still to be made, and brings them to the disk. What is replaced is
// kept until all is in place.
func (r *Run) finish(set []*journal) error {
	kept := false
	for _, j := range set {
		for i := range j.moves {
			k, err := r.keepOld(j, &j.moves[i])
			if err != nil {
				return fmt.Errorf("writing %s: %w", j.path(j.moves[i].To), err)
			}
			kept = kept || k
		}
	}
	if kept {
		if err := r.flushFolders(set); err != nil {
			return err
		}
	}
	for _, j := range set {
		for i := range j.moves {
			if err := r.make(j, &j.moves[i]); err != nil {
				return fmt.Errorf("writing %s: %w", j.path(j.moves[i].To), err)
			}
		}
	}
	return r.flushFolders(set)
}

// keepOld gives what a move replaces another name.
func (r *Run) keepOld(j *journal, m *move) (kept bool, err error) {
	if m.isAdding() || m.Was == nil || !r.has(j.path(m.Part)) {
		return false, nil
	}
	to, old := j.path(m.To), j.old(m)
	if !r.has(to) || r.has(old) {
		return false, nil
	}
	if r.disk.Link(to, old) == nil {
		return true, nil
	}
	return true, r.disk.Rename(to, old) // a file system without links
}

func (r *Run) has(name string) bool {
	_, err := r.disk.Lstat(name)
	return err == nil
}

// make makes a move that was not made yet.
func (r *Run) make(j *journal, m *move) error {
	if m.isAdding() {
		return r.add(j.path(m.To), m)
	}
	if !r.has(j.path(m.Part)) {
		return nil
	}
	return r.disk.Rename(j.path(m.Part), j.path(m.To))
}

// add writes lines at the end of a file, down to the disk. Where that fails the file is as long as before.
func (r *Run) add(path string, m *move) (err error) {
	file, err := r.openFile(path, os.O_RDWR)
	if errors.Is(err, fs.ErrNotExist) {
		file, err = r.disk.OpenFile(path, os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o666)
	}
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, file.Close()) }()
	_, err = file.Seek(m.Behind, io.SeekStart)
	if err == nil {
		_, err = file.Write(m.Add)
	}
	if err == nil {
		err = file.Sync()
	}
	if err != nil {
		err = errors.Join(err, file.Truncate(m.Behind))
	}
	return err // takeOff removes what was made by it
}

// removeOld takes away what was replaced, once all is in place, and tells whether all of it is gone.
func (r *Run) removeOld(set []*journal) bool {
	gone := true
	for _, j := range set {
		for i := range j.moves {
			if m := &j.moves[i]; m.Was != nil && !m.isAdding() {
				err := r.disk.Remove(j.old(m))
				gone = gone && (err == nil || errors.Is(err, fs.ErrNotExist))
			}
		}
	}
	return gone
}

// undo has all places of a set be as they were before, and says on told what it could not put back. The parts are gone
// where there was anything to put back.
func (r *Run) undo(set []*journal, told *Recovery) error {
	var errs []error
	each := func(visit func(j *journal, m *move) error) {
		for _, j := range set {
			for i := range j.moves {
				errs = append(errs, visit(j, &j.moves[i]))
			}
		}
	}
	each(func(j *journal, m *move) error { // what came where nothing was goes back, so that all of it is still there
		if m.isAdding() {
			return r.takeOff(j, m)
		}
		if m.Was != nil || r.has(j.path(m.Part)) || !r.isPlaced(j, m) {
			return nil
		}
		return r.disk.Rename(j.path(m.To), j.path(m.Part))
	})
	each(func(j *journal, m *move) error { return r.putBack(j, m, told) })
	errs = append(errs, r.flushFolders(set))
	return errors.Join(errs...)
}

// isPlaced tells whether a part is in its place.
func (r *Run) isPlaced(j *journal, m *move) bool {
	info, err := r.disk.Lstat(j.path(m.To))
	return err == nil && info.Mode().IsRegular() && info.Size() == m.Size && (m.Print == "" || r.prints(j.path(m.To),
		info, m))
}

func (r *Run) prints(path string, info fs.FileInfo, m *move) bool {
	print, err := r.printOf(path, info)
	return err == nil && print == m.Print
}

// takeOff takes lines off the end of a file that were added.
func (r *Run) takeOff(j *journal, m *move) error {
	path := j.path(m.To)
	n, ends := r.added(path, m)
	if !ends || !r.has(path) || n == 0 && m.Was != nil {
		return nil
	}
	if m.Was == nil || m.Was.Size == 0 { // it was made so as to be locked
		return r.disk.Remove(path)
	}
	file, err := r.openFile(path, os.O_RDWR)
	if err != nil {
		return err
	}
	return errors.Join(file.Truncate(m.Behind), file.Sync(), file.Close())
}

// added tells how many bytes of the lines a file has, and whether it ends with them.
func (r *Run) added(path string, m *move) (n int, ends bool) {
	file, err := r.openFile(path, os.O_RDONLY)
	if err != nil {
		return 0, m.Behind == 0 && errors.Is(err, fs.ErrNotExist)
	}
	defer file.Close()
	info, err := file.Stat()
	if err != nil || info.Size() < m.Behind {
		return 0, false
	}
	if _, err := file.Seek(m.Behind, io.SeekStart); err != nil {
		return 0, false
	}
	tail, err := io.ReadAll(io.LimitReader(file, int64(len(m.Add))))
	if err != nil {
		return 0, false
	}
	for n < len(tail) && tail[n] == m.Add[n] {
		n++
	}
	return n, info.Size() == m.Behind+int64(n)
}

// putBack puts what was replaced into its place again.
func (r *Run) putBack(j *journal, m *move, told *Recovery) error {
	old, to := j.old(m), j.path(m.To)
	before, err := r.disk.Lstat(old)
	if err != nil || m.isAdding() {
		return nil
	}
	now, err := r.disk.Lstat(to)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return r.disk.Rename(old, to)
	case err != nil:
		return err
	case r.disk.SameFile(before, now):
		return r.disk.Remove(old) // renaming a file to another name of its own would do nothing
	case r.isPlaced(j, m):
		return r.disk.Rename(old, to)
	}
	return r.beside(old, to, "old", told) // somebody has changed what was placed
}

// beside puts a file beside a place that has a hand's work.
func (r *Run) beside(file, place, ending string, told *Recovery) error {
	for n := 1; ; n++ {
		free := fmt.Sprintf("%s.%d.%s", place, n, ending)
		if r.has(free) {
			continue
		}
		told.Kept = append(told.Kept, Kept{place, free})
		return r.disk.Rename(file, free)
	}
}

// copyBuffer is io.CopyBuffer through the buffer, whatever both sides can do.
func copyBuffer(hash *xxh3.Hasher, from io.Reader, buffer []byte) (n int64, err error) {
	for {
		got, err := from.Read(buffer)
		hash.Write(buffer[:got])
		n += int64(got)
		if err == io.EOF {
			return n, nil
		}
		if err != nil {
			return n, err
		}
	}
}
