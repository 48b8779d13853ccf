package show

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"strings"

	"lastblock/core/finding/lock"
	"lastblock/internal/fault"
)

// A set of outputs is put in place by renaming. Before the first one a journal is written
// beside it, which says what goes where; a run that is killed in between is finished by
// the next one that writes into that folder:
//
//	.lastblock-placing.5f3a01c2     {"from": ".all.csv.09ab33f1.part", "to": "all.csv", "old": …}
//
// A file that is written over is kept under another name until all are in place, so that
// it can be put back.
type placing struct {
	outputs []*Output
	// the folder of the journal, where the set is brought down to the disk; "" for the usual one
	journalIn string
	moves     []move
	held      []io.Closer // locks of files that are closed already
	journal   *os.File
}

// move is what is done with one output. Its names are absolute.
type move struct {
	From string `json:"from"`
	To   string `json:"to"`
	Old  string `json:"old,omitempty"` // what stood there, under another name

	done bool
}

const journalPrefix = ".lastblock-placing."

// hiddenForm is how files are called that wait for their place.
var hiddenForm = regexp.MustCompile(`^\..+\.[0-9a-f]{8}\.part$`)

func hiddenName(name, ending string) string {
	return fmt.Sprintf(".%s.%08x.%s", name, rand.Uint32(), ending)
}

// createBeside creates a file under a hidden name beside the one it will have, locked, so
// that no other run takes it for one that was left behind. It is not a temporary file to
// the system, which would make it readable for its owner alone, but one with the
// permissions that the user's settings give.
func createBeside(folder, name string) (*os.File, error) {
	if err := fault.Write(); err != nil {
		return nil, err
	}
	for {
		file, err := os.OpenFile(filepath.Join(folder, hiddenName(name, "part")), os.O_RDWR|os.O_CREATE|os.O_EXCL,
			0o666)
		if errors.Is(err, fs.ErrExist) {
			continue
		}
		if err != nil {
			return nil, err
		}
		if err := lock.Try(file); err == nil && isThere(file) || err != nil && !errors.Is(err, lock.ErrHeld) {
			return file, nil // a system without locks has nobody who looks at them
		}
		file.Close() // another run was quicker, and took it for one that was left behind
		os.Remove(file.Name())
	}
}

// isThere tells whether a file that is open still has its name.
func isThere(file *os.File) bool {
	open, err := file.Stat()
	if err != nil {
		return false
	}
	named, err := os.Lstat(file.Name())
	return err == nil && os.SameFile(open, named)
}

// unnamed makes a temporary file that has no name any more, where the system lets an
// open file go without one.
func unnamed(folder string) (*os.File, error) {
	file, err := os.CreateTemp(folder, "lastblock-*.part")
	if err == nil {
		os.Remove(file.Name())
	}
	return file, err
}

// place puts the outputs in place.
func (s *placing) place() error {
	defer func() {
		for _, held := range s.held {
			held.Close() // nothing was written by it
		}
	}()
	for _, output := range s.outputs {
		if err := s.prepare(output); err != nil {
			return err
		}
	}
	if err := noteAll(s.outputs); err != nil {
		return err
	}
	if err := s.writeJournal(); err != nil {
		return err
	}
	for i := range s.moves {
		if err := s.moves[i].make(len(s.moves) > 1); err != nil {
			return errors.Join(fmt.Errorf("writing %s: %w", s.moves[i].To, err), s.undo())
		}
	}
	if s.journalIn != "" {
		s.syncFolders()
	}
	s.end()
	return nil
}

// syncFolders brings the names of the folders to the disk, on systems that can.
func (s *placing) syncFolders() {
	done := make(map[string]bool)
	for i := range s.moves {
		folder := filepath.Dir(s.moves[i].To)
		if done[folder] {
			continue
		}
		done[folder] = true
		if dir, err := os.Open(folder); err == nil {
			_ = dir.Sync() // which some systems refuse for folders
			dir.Close()
		}
	}
}

// prepare closes an output's file. What goes to a device or a pipe is written there, since
// that cannot be renamed.
func (s *placing) prepare(output *Output) error {
	if output.inPlace {
		return output.copyInPlace()
	}
	s.held = append(s.held, lock.Hold(output.file))
	if s.journalIn != "" && !output.resting {
		if err := errors.Join(fault.Write(), output.file.Sync()); err != nil {
			return fmt.Errorf("writing %s: %w", output.path, err)
		}
	}
	if err := output.Rest(); err != nil {
		return err
	}
	from, err := filepath.Abs(output.file.Name())
	if err != nil {
		return err
	}
	to, err := filepath.Abs(output.path)
	if err != nil {
		return err
	}
	m := move{From: from, To: to}
	if _, err := os.Lstat(to); err == nil && len(s.outputs) > 1 {
		m.Old = filepath.Join(filepath.Dir(to), hiddenName(filepath.Base(to), "old"))
	}
	s.moves = append(s.moves, m)
	return nil
}

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

// writeJournal writes down what is to be done, where it is more than one thing.
func (s *placing) writeJournal() error {
	if len(s.moves) < 2 {
		return nil
	}
	folder := filepath.Dir(s.moves[0].To)
	if s.journalIn != "" {
		folder = s.journalIn
	}
	file, err := os.OpenFile(filepath.Join(folder, fmt.Sprintf("%s%08x", journalPrefix, rand.Uint32())),
		os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return fmt.Errorf("putting results into %s: %w", folder, err)
	}
	s.journal = file
	err = errors.Join(fault.Write(), lock.Try(file))
	w := bufio.NewWriter(file)
	encoder := json.NewEncoder(w)
	for i := range s.moves {
		err = errors.Join(err, encoder.Encode(&s.moves[i]))
	}
	_, ending := w.WriteString(journalEnd)
	if err = errors.Join(err, ending, w.Flush(), file.Sync()); err != nil {
		file.Close()
		os.Remove(file.Name())
		return fmt.Errorf("putting results into %s: %w", folder, err)
	}
	return nil
}

// journalEnd is the last line of a journal; one without it was not finished, and nothing
// of it was done.
const journalEnd = "\"end\"\n"

// make renames the output, and first what it replaces, if that is to be kept.
func (m *move) make(keep bool) error {
	if err := fault.Write(); err != nil {
		return err
	}
	if keep && m.Old != "" {
		if err := os.Link(m.To, m.Old); err != nil {
			if err := os.Rename(m.To, m.Old); err != nil {
				return err
			}
		}
	}
	// A system may bring all of a file down to the disk before it lets it replace another one, which on a slow disk
	// takes longer than all else. Two files can change names without that. What has to outlast a power cut was flushed
	// before it came here, see prepare.
	if !keep && exchange(m.From, m.To) == nil {
		os.Remove(m.From) // what was replaced; if it stays, it is tidied away
		m.done = true
		return nil
	}
	if err := os.Rename(m.From, m.To); err != nil {
		return err
	}
	m.done = true
	return nil
}

// undo puts everything back as it was.
func (s *placing) undo() error {
	var errs []error
	for i := len(s.moves) - 1; i >= 0; i-- {
		m := &s.moves[i]
		if m.done {
			errs = append(errs, os.Rename(m.To, m.From))
		}
		if m.Old == "" {
			continue
		}
		if _, err := os.Lstat(m.Old); err == nil {
			errs = append(errs, os.Rename(m.Old, m.To))
		}
	}
	if s.journal != nil {
		errs = append(errs, s.journal.Close(), os.Remove(s.journal.Name()))
	}
	return errors.Join(errs...)
}

// end takes away what is not needed once all outputs are in place.
func (s *placing) end() {
	for i := range s.moves {
		if old := s.moves[i].Old; old != "" {
			os.Remove(old)
		}
	}
	if s.journal != nil {
		s.journal.Close()
		os.Remove(s.journal.Name())
	}
}

// tidy finishes what an earlier run left in a folder: a set of outputs that was being put
// in place goes there, and files that waited for their place are removed, unless a run
// that is still under way has any of them.
func (o *Outputs) tidy(folder string) {
	if o.tidied[folder] {
		return
	}
	if o.tidied == nil {
		o.tidied = make(map[string]bool)
	}
	o.tidied[folder] = true
	entries, err := os.ReadDir(folder)
	if err != nil {
		return
	}
	var left []*os.File
	defer func() {
		for _, file := range left {
			file.Close()
		}
	}()
	for _, entry := range entries {
		path := filepath.Join(folder, entry.Name())
		switch {
		case strings.HasPrefix(entry.Name(), journalPrefix):
			finish(path)
		case hiddenForm.MatchString(entry.Name()) && entry.Type().IsRegular():
			file, err := os.OpenFile(path, os.O_RDWR, 0)
			if err != nil {
				continue
			}
			left = append(left, file)
			if lock.Try(file) != nil {
				return // a run is under way, and some of its files may be closed for a while
			}
		}
	}
	for _, file := range left {
		os.Remove(file.Name())
	}
}

// finish does what a journal says and was not done.
func finish(path string) {
	file, err := os.OpenFile(path, os.O_RDWR, 0)
	if err != nil {
		return
	}
	defer file.Close()
	if lock.Try(file) != nil {
		return // who wrote it is at work
	}
	data, err := io.ReadAll(file)
	if err != nil {
		return
	}
	if text, ok := strings.CutSuffix(string(data), journalEnd); ok {
		for line := range strings.Lines(text) {
			var m move
			if json.Unmarshal([]byte(line), &m) != nil || !hiddenForm.MatchString(filepath.Base(m.From)) {
				return
			}
			if _, err := os.Lstat(m.From); err == nil && os.Rename(m.From, m.To) != nil {
				return
			}
			if m.Old != "" {
				os.Remove(m.Old)
			}
		}
	}
	os.Remove(path)
}
