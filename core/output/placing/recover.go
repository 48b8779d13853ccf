package placing

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"lastblock/core/source"
	"lastblock/core/value/words"
)

// Recovery is what became of a set whose run had ended before all of it was in place.
type Recovery struct {
	Begun  time.Time
	Folder string   // in which it was found
	Files  []string // the places of the set
	Undone bool     // all is as it was before; else all is in place
	Kept   []Kept   // where a hand's work stays
	Waits  string   // a folder of the set that cannot be reached; nothing was done
	Err    error    // that kept it from being finished, or an *UnreadableError
}

// Kept is a place that somebody has changed since, and what lies beside it.
type Kept struct{ Place, Beside string }

// String says what became of the set.
func (r *Recovery) String() string {
	if len(r.Files) == 0 {
		return r.Err.Error()
	}
	when := r.Begun.Local().Format("2006-01-02 15:04")
	var files []string
	for _, file := range r.Files {
		if way, err := filepath.Rel(r.Folder, file); err == nil && len(way) < len(file) {
			file = way
		}
		files = append(files, file)
	}
	const most = 4
	if more := len(files) - most; more > 0 {
		files = append(files[:most:most], fmt.Sprintf("%d more", more))
	}
	text := fmt.Sprintf("a run of %s was ended while it put %s in place", when, words.And(files...))
	switch {
	case r.Waits != "":
		return fmt.Sprintf("%s; this waits for %s, which cannot be reached. To give the set up, remove the files "+
			"that begin with %s from %s", text, r.Waits, source.MarkPrefix, r.Folder)
	case r.Err != nil:
		return fmt.Sprintf("%s, and this could not be finished: %v", text, r.Err)
	case r.Undone:
		text += "; they are as they were before: run it again"
	default:
		text += "; they are in place now"
	}
	for _, kept := range r.Kept {
		text += fmt.Sprintf(". %s was changed since, and stays; what was to replace it is %s", kept.Place,
			filepath.Base(kept.Beside))
	}
	return text
}

// Recover settles what runs that have ended left in a folder, and takes away what nobody needs. Files of runs that are
// at work stay. The folder need not be there.
func (r *Run) Recover(folder string) (done []Recovery) {
	real, err := r.disk.Real(folder)
	if err != nil {
		return nil
	}
	names, err := r.disk.Names(real)
	if err != nil {
		return nil
	}
	slices.Sort(names)
	taken := map[string]bool{r.set: true} // sets whose files stay
	unreadable := false
	for _, name := range names {
		set, ok := setOf(name)
		if !ok || set == r.set {
			continue
		}
		recovery, over := r.settleLeft(real, set, make(map[string]bool))
		taken[set] = !over
		if recovery != nil {
			recovery.Folder = real
			done = append(done, *recovery)
			unreadable = unreadable || len(recovery.Files) == 0
		}
	}
	const earlier = 8 // digits of the names of an earlier version, which do not tell the set
	for _, name := range names {
		if m := hiddenForm.FindStringSubmatch(name); m != nil && !taken[m[2]] && !(unreadable && len(m[2]) == earlier) {
			r.tidy(filepath.Join(real, name), filepath.Join(real, m[1]), m[3] == oldEnding)
		}
	}
	if slices.Contains(names, source.LedgerName) {
		r.RemoveEmpty(filepath.Join(real, source.LedgerName))
	}
	return done
}

// tidy takes away a part that no journal names, or puts back what was replaced where nothing replaces it.
func (r *Run) tidy(path, place string, isOld bool) {
	info, err := r.disk.Lstat(path)
	switch {
	case err != nil || !info.Mode().IsRegular():
	case isOld && r.has(place):
		r.disk.Remove(path)
	case isOld:
		if !strings.Contains(filepath.Base(place), "~") { // else its name may have been shortened
			r.disk.Rename(path, place)
		}
	default:
		file, err := r.openFile(path, os.O_RDWR)
		if err != nil {
			return
		}
		if isHeld(r.disk.Lock(file)) { // by a run of an earlier version
			file.Close()
			return
		}
		r.removeOpen(file)
	}
}

// settleLeft settles a set that has a mark in a folder; over says that its files in this folder are needed no more.
// been are folders in which it was looked for already.
func (r *Run) settleLeft(folder, set string, been map[string]bool) (told *Recovery, over bool) {
	been[folder] = true
	file, err := r.open(folder, set)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, true
	}
	if unreadable := new(UnreadableError); errors.As(err, &unreadable) {
		return &Recovery{Err: err}, false
	}
	if err != nil {
		return nil, false // its run is at work, or we may not look at it
	}
	j, err := r.read(file, folder, set)
	if errors.Is(err, errNotSettled) { // nothing was renamed
		r.tidySet(folder, set)
		file.Close()
		r.disk.Remove(file.Name())
		for i := range j.Others {
			if other := r.folderOf(j, &j.Others[i]); other != "" && !been[other] {
				if t, _ := r.settleLeft(other, set, been); t != nil {
					told = t
				}
			}
		}
		r.removeMade(j)
		return told, true
	}
	if err != nil {
		file.Close()
		return &Recovery{Err: err}, false
	}
	whole := []*journal{j}
	defer func() {
		for _, j := range whole {
			j.file.Close()
		}
	}()
	told = &Recovery{Begun: j.Begun}
	var missing []*journal
	for i := range j.Others {
		f, err := r.fellow(j, &j.Others[i])
		switch {
		case err == nil:
			whole = append(whole, f)
		case isHeld(err):
			return nil, false // somebody else is settling it
		case errors.Is(err, errNotSettled):
			missing = append(missing, f)
		case errors.Is(err, fs.ErrNotExist):
			missing = append(missing, nil)
		case errors.Is(err, errAway):
			told.Waits = j.Others[i].Folder
		default:
			told.Err = err
		}
	}
	slices.SortFunc(whole, func(a, b *journal) int { return a.Journal - b.Journal })
	for _, j := range whole {
		for i := range j.moves {
			told.Files = append(told.Files, j.path(j.moves[i].To))
		}
	}
	if told.Waits != "" || told.Err != nil {
		return told, false
	}
	held, err := r.holdLines(whole)
	defer func() {
		for _, file := range held {
			file.Close()
		}
	}()
	if told.Err = err; err != nil {
		return told, false
	}
	seen := r.survey(whole)
	if len(missing) > 0 && seen.placed > 0 && seen.waiting+seen.untouched+seen.damaged == 0 {
		told = nil // it had ended, but for taking its journals away
	} else {
		told.Undone = seen.untouched > 0 || seen.damaged > 0 ||
			seen.placed == 0 && (len(missing) > 0 || seen.gone > 0 && seen.waiting > 0)
		if told.Err = r.carryOut(whole, told); told.Err != nil {
			return told, false
		}
		if seen.waiting+seen.untouched+seen.damaged == 0 {
			told = nil // all was in place already
		}
	}
	for _, f := range missing {
		if f != nil {
			r.tidySet(f.folder, set)
			r.disk.Remove(filepath.Join(f.folder, source.MarkPrefix+set))
		}
	}
	if !r.removeOld(whole) {
		return told, false
	}
	for _, j := range slices.Backward(whole) {
		j.file.Close()
		r.disk.Remove(j.file.Name())
	}
	for _, j := range slices.Backward(whole) {
		r.removeMade(j)
	}
	return told, true
}

// removeMade takes the folders away that a run has made, and in which nothing is.
func (r *Run) removeMade(j *journal) {
	for _, name := range slices.Backward(j.Made) {
		if info, err := r.disk.Lstat(j.path(name)); isName(name) && err == nil && info.IsDir() {
			r.removeFolder(j.path(name))
		}
	}
}

// folderOf is the folder of another mark of a set that is not settled, "" where there is none.
func (r *Run) folderOf(j *journal, o *other) string {
	for _, folder := range []string{filepath.Join(j.folder, filepath.FromSlash(o.Near)), o.Folder} {
		real, err := r.disk.Real(folder)
		if err == nil && real != j.folder && r.has(filepath.Join(real, source.MarkPrefix+j.Set)) {
			return real
		}
	}
	return ""
}

// holdLines takes the locks of the files to which lines of a set are added, so that nobody else adds to them meanwhile.
func (r *Run) holdLines(set []*journal) (held []File, err error) {
	for _, j := range set {
		for i := range j.moves {
			if !j.moves[i].isAdding() {
				continue
			}
			file, err := r.openFile(j.path(j.moves[i].To), os.O_RDWR)
			if errors.Is(err, fs.ErrNotExist) || errors.Is(err, errNoFile) {
				continue // what is no file is not added to
			}
			if err == nil {
				held = append(held, file)
				err = r.waitFor(file)
			}
			if err != nil {
				return held, fmt.Errorf("%s: %w", j.path(j.moves[i].To), err)
			}
		}
	}
	return held, nil
}

// tidySet takes the parts of a set in a folder away, of which nothing was renamed.
func (r *Run) tidySet(folder, set string) {
	names, err := r.disk.Names(folder)
	if err != nil {
		return
	}
	for _, name := range names {
		if isPart(name, set) {
			r.disk.Remove(filepath.Join(folder, name))
		}
	}
}

// survey counts how far the moves of a set have come.
type survey struct {
	waiting   int // the part is there, as it was
	damaged   int // the part is there, and is not as it was
	placed    int // the part is in its place
	untouched int // the part is gone, and the place is as it was before
	gone      int // the part is gone, and nothing is in its place, where nothing was
	changed   int // the part is gone, and its place has something else by now
}

func (r *Run) survey(set []*journal) (s survey) {
	for _, j := range set {
		for i := range j.moves {
			*r.stageOf(j, &j.moves[i], &s)++
		}
	}
	return s
}

// stageOf is the counter of a move.
func (r *Run) stageOf(j *journal, m *move, s *survey) *int {
	if m.isAdding() {
		switch n, ends := r.added(j.path(m.To), m); {
		case n == len(m.Add):
			return &s.placed
		case ends:
			return &s.waiting
		}
		return &s.changed
	}
	part, err := r.disk.Lstat(j.path(m.Part))
	if err == nil {
		if part.Mode().IsRegular() && part.Size() == m.Size && (m.Print == "" || r.prints(j.path(m.Part), part, m)) {
			return &s.waiting
		}
		return &s.damaged
	}
	to, err := r.disk.Lstat(j.path(m.To))
	switch {
	case err != nil && m.Was == nil:
		return &s.gone
	case err != nil && r.has(j.old(m)):
		return &s.untouched // it is about to be put back
	case err != nil:
		return &s.changed
	case r.isPlaced(j, m):
		return &s.placed
	case r.is(j.path(m.To), to, m.Was):
		return &s.untouched
	}
	return &s.changed
}

// carryOut finishes a set, or undoes it.
func (r *Run) carryOut(set []*journal, told *Recovery) error {
	for _, j := range set { // a run that was killed may not have come to flush what it had written
		if err := j.file.Sync(); err != nil {
			return err
		}
	}
	if err := r.flushFolders(set); err != nil {
		return err
	}
	if told.Undone {
		err := r.undo(set, told)
		for _, j := range set {
			for i := range j.moves {
				if m := &j.moves[i]; !m.isAdding() && r.has(j.path(m.Part)) {
					err = errors.Join(err, r.disk.Remove(j.path(m.Part)))
				}
			}
		}
		return err
	}
	for _, j := range set {
		for i := range j.moves {
			if err := r.spare(j, &j.moves[i], told); err != nil {
				return err
			}
		}
	}
	return r.finish(set)
}

// spare puts beside a place what was to come there, where somebody has put something else into the place since.
func (r *Run) spare(j *journal, m *move, told *Recovery) error {
	to := j.path(m.To)
	if m.isAdding() {
		if n, ends := r.added(to, m); ends || n == len(m.Add) {
			return nil
		}
		return r.addBeside(j, m, told)
	}
	now, err := r.disk.Lstat(to)
	if err != nil || !r.has(j.path(m.Part)) || r.is(to, now, m.Was) {
		return nil
	}
	return r.beside(j.path(m.Part), to, "new", told)
}

// addBeside writes the lines beside a file that has others by now.
func (r *Run) addBeside(j *journal, m *move, told *Recovery) error {
	to := j.path(m.To)
	part := j.path(hidden(m.To, j.Set, partEnding))
	file, err := r.disk.OpenFile(part, os.O_RDWR|os.O_CREATE|os.O_TRUNC, 0o666)
	if err != nil {
		return err
	}
	_, err = file.Write(m.Add)
	if err = errors.Join(err, file.Sync(), file.Close()); err != nil {
		return err
	}
	*m = move{Part: filepath.Base(part), To: m.To} // it is not added any more
	return r.beside(part, to, "new", told)
}
