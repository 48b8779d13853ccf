package placing

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"lastblock/core/finding/lock"
	"lastblock/core/source"
)

// journal is what is done in one folder for a set.
type journal struct {
	head
	folder   string
	moves    []move
	file     File  // its mark, locked
	headSize int64 // bytes of its first line
}

// head is the first line of a journal.
type head struct {
	Version int       `json:"version"`
	Set     string    `json:"set"`
	Journal int       `json:"journal"` // its number, from 1
	Of      int       `json:"of"`      // how many the set has
	Begun   time.Time `json:"begun"`
	Others  []other   `json:"others,omitempty"`
	Made    []string  `json:"made,omitempty"` // folders that the run has made in this one
}

// other is where another journal of the set is.
type other struct {
	Journal int    `json:"journal"`
	Near    string `json:"near,omitempty"` // its folder, from this one, with slashes
	Folder  string `json:"folder"`         // the same, absolute
}

const journalVersion = 1

// move is what is done to one file. Its names are of the folder of the journal.
type move struct {
	Part  string `json:"part,omitempty"`
	To    string `json:"to"`
	Size  int64  `json:"size"` // of the part, or of the lines
	Print string `json:"print,omitempty"`
	Was   *state `json:"was,omitempty"` // what stood there, nil for nothing

	Add    []byte `json:"add,omitempty"` // lines that are written behind the first Behind bytes of the file
	Behind int64  `json:"behind,omitempty"`
}

// journalEnd is the last line of a journal. Of one without it nothing was done.
const journalEnd = "\"end\"\n"

// mostJournal is how long a journal may be, in bytes: enough for a million files.
const mostJournal = 512 << 20

// write writes the journal into its mark, down to the disk.
func (j *journal) write() error {
	if _, err := j.file.Seek(0, io.SeekStart); err != nil {
		return err
	}
	w := &counter{w: bufio.NewWriter(j.file)}
	encoder := json.NewEncoder(w)
	err := encoder.Encode(&j.head)
	j.headSize = w.n
	for i := range j.moves {
		err = errors.Join(err, encoder.Encode(&j.moves[i]))
	}
	_, ending := io.WriteString(w, journalEnd)
	if err = errors.Join(err, ending, w.w.Flush()); err != nil {
		return err
	}
	return errors.Join(j.file.Truncate(w.n), j.file.Sync())
}

// unsettle leaves of a journal its first line, which says where the others are.
func (j *journal) unsettle() error {
	info, err := j.file.Stat()
	if err != nil || info.Size() <= j.headSize {
		return err
	}
	return j.file.Truncate(j.headSize)
}

// counter counts bytes that are written.
type counter struct {
	w *bufio.Writer
	n int64
}

func (c *counter) Write(p []byte) (int, error) {
	c.n += int64(len(p))
	return c.w.Write(p)
}

// UnreadableError is a journal that is not believed.
type UnreadableError struct{ Path, Reason string }

func (e *UnreadableError) Error() string {
	return fmt.Sprintf("%s is not a journal of this version: %s; nothing of it was done. Remove it, once you know "+
		"what it is", e.Path, e.Reason)
}

// errNotSettled is a mark whose set was not settled.
var errNotSettled = errors.New("the journal does not end")

// open opens the mark of a set in a folder and locks it. The error is lock.ErrHeld where its run is at work, or
// fs.ErrNotExist.
func (r *Run) open(folder, set string) (File, error) {
	path := filepath.Join(folder, source.MarkPrefix+set)
	file, err := r.openFile(path, os.O_RDWR)
	if errors.Is(err, errNoFile) {
		err = &UnreadableError{path, errNoFile.Error()}
	}
	if err != nil {
		return nil, err
	}
	err = r.disk.Lock(file)
	if errors.Is(err, errors.ErrUnsupported) {
		err = nil // a system without locks has nobody who looks at them
	}
	if err == nil && !r.isThere(file) {
		err = fs.ErrNotExist // who had it has ended in between
	}
	if err != nil {
		file.Close()
		return nil, err
	}
	return file, nil
}

// read reads the journal of an open mark. The error is errNotSettled, with where others may be, or an *UnreadableError.
func (r *Run) read(file File, folder, set string) (*journal, error) {
	refuse := func(format string, args ...any) (*journal, error) {
		return nil, &UnreadableError{file.Name(), fmt.Sprintf(format, args...)}
	}
	data, err := io.ReadAll(io.LimitReader(file, mostJournal+1))
	if err != nil {
		return nil, err
	}
	if len(data) > mostJournal {
		return refuse("it is longer than %d bytes", mostJournal)
	}
	text, ok := bytes.CutSuffix(data, []byte(journalEnd))
	j := &journal{folder: folder, file: file}
	if !ok { // its first line may say where others are
		line, _, _ := bytes.Cut(data, []byte("\n"))
		if json.Unmarshal(line, &j.head) != nil || j.Set != set {
			j.head = head{}
		}
		return j, errNotSettled
	}
	decode := func(line []byte, into any) error {
		d := json.NewDecoder(bytes.NewReader(line))
		d.DisallowUnknownFields()
		return d.Decode(into)
	}
	for n := 0; len(text) > 0; n++ {
		line, rest, _ := bytes.Cut(text, []byte("\n"))
		text = rest
		if n == 0 {
			if err := decode(line, &j.head); err != nil || j.Version != journalVersion || j.Set != set {
				return refuse("its first line is not that of the set %s", set)
			}
			continue
		}
		var m move
		if err := decode(line, &m); err != nil {
			return refuse("line %d cannot be read", n+1)
		}
		if reason := m.wrong(set); reason != "" {
			return refuse("line %d names %s", n+1, reason)
		}
		j.moves = append(j.moves, m)
	}
	if j.Journal < 1 || j.Journal > j.Of || len(j.Others) != j.Of-1 || len(j.moves) == 0 {
		return refuse("it is not one of a set")
	}
	return j, nil
}

// wrong says what a journal may not name, "" for nothing.
func (m *move) wrong(set string) string {
	switch {
	case !isName(m.To):
		return fmt.Sprintf("%q, which is no file of its folder", m.To)
	case m.isAdding() && (m.Part != "" || len(m.Add) == 0 || m.Behind < 0):
		return fmt.Sprintf("lines for %q that are none", m.To)
	case !m.isAdding() && !isPart(m.Part, set):
		return fmt.Sprintf("%q, which is no part of the set", m.Part)
	}
	return ""
}

func (m *move) isAdding() bool { return m.Part == "" }

func (j *journal) path(name string) string { return filepath.Join(j.folder, name) }

// old is what a file is called that is replaced, until all are in place.
func (j *journal) old(m *move) string { return j.path(hidden(m.To, j.Set, oldEnding)) }

// errAway is a folder that cannot be reached.
var errAway = errors.New("it cannot be reached")

// fellow opens another journal of the set. The error is fs.ErrNotExist where it is not in its folder, errNotSettled,
// errAway, lock.ErrHeld or an *UnreadableError.
func (r *Run) fellow(j *journal, o *other) (*journal, error) {
	away := true
	for _, folder := range []string{filepath.Join(j.folder, filepath.FromSlash(o.Near)), o.Folder} {
		if folder == "" || o.Near == "" && folder == j.folder {
			continue
		}
		real, err := r.disk.Real(folder)
		if err != nil {
			continue
		}
		away = false
		file, err := r.open(real, j.Set)
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err != nil {
			return nil, err
		}
		f, err := r.read(file, real, j.Set)
		if err == nil && (f.Journal != o.Journal || f.Of != j.Of) {
			err = &UnreadableError{file.Name(), "it is not the one that another journal of its set names"}
		}
		if err != nil {
			file.Close()
			if errors.Is(err, errNotSettled) {
				return &journal{folder: real}, err
			}
			return nil, err
		}
		return f, nil
	}
	if away {
		return nil, errAway
	}
	return nil, fs.ErrNotExist
}

// near is how one folder is reached from another, with slashes; "" where there is no such way.
func near(from, to string) string {
	way, err := filepath.Rel(from, to)
	if err != nil {
		return ""
	}
	return filepath.ToSlash(way)
}

// isHeld tells whether a run is at work.
func isHeld(err error) bool { return errors.Is(err, lock.ErrHeld) }

// setOf is the number of the set in the name of a mark.
func setOf(name string) (set string, ok bool) { return strings.CutPrefix(name, source.MarkPrefix) }
