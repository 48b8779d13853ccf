package placing

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"lastblock/core/source"
)

// note writes the notes of items into the ledgers of their folders, so that outputs are known again from the moment
// they are there.
func (r *Run) note(items []Item) error {
	notes := make(map[string][]string)
	var folders []string // in their order
	for i := range items {
		if items[i].Note == "" {
			continue
		}
		folder := filepath.Dir(items[i].To)
		if notes[folder] == nil {
			folders = append(folders, folder)
		}
		notes[folder] = append(notes[folder], items[i].Note)
	}
	for _, folder := range folders {
		if err := r.noteIn(folder, notes[folder]); err != nil {
			return fmt.Errorf("%s does not take the note of what is written there: %w", folder, err)
		}
	}
	return nil
}

// patience is how long a run waits for another one to have noted what it writes.
const patience = 10 * time.Second

// noteIn adds notes to the ledger of a folder, down to the disk, under a lock, so that several runs into one folder
// lose none. Those on files that are no longer there stay, since these may have been renamed.
func (r *Run) noteIn(folder string, notes []string) (err error) {
	file, err := r.disk.OpenFile(filepath.Join(folder, source.LedgerName), os.O_RDWR|os.O_CREATE, 0o644)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, file.Close()) }()
	if err := r.waitFor(file); err != nil {
		return err
	}
	have, err := io.ReadAll(file)
	if err != nil {
		return err
	}
	known := make(map[string]bool)
	for line := range bytes.Lines(have) {
		known[string(bytes.TrimSuffix(line, []byte("\n")))] = true
	}
	var out bytes.Buffer
	if len(have) > 0 && have[len(have)-1] != '\n' {
		out.WriteByte('\n') // the one before is torn
	}
	for _, note := range notes {
		if !known[note] {
			known[note] = true
			out.WriteString(note + "\n")
		}
	}
	if out.Len() == 0 {
		return nil
	}
	_, err = file.Write(out.Bytes())
	if err == nil {
		err = file.Sync()
	}
	if err == nil {
		return nil
	}
	err = errors.Join(err, file.Truncate(int64(len(have))))
	if len(have) == 0 {
		r.disk.Remove(file.Name())
	}
	return err
}

// waitFor takes the lock of a file as soon as nobody else has it.
func (r *Run) waitFor(file File) error {
	const pause = 10 * time.Millisecond
	for begun := r.clock.Now(); ; r.clock.Sleep(pause) {
		err := r.disk.Lock(file)
		if errors.Is(err, errors.ErrUnsupported) {
			return nil
		}
		if !isHeld(err) || r.clock.Now().Sub(begun) >= patience {
			return err
		}
	}
}
