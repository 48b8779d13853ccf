package show

import (
	"errors"
	"os"
	"path/filepath"
	"strings"

	locking "lastblock/core/finding/lock"

	"github.com/xuri/excelize/v2"
)

// workroom is a folder for temporary files that need names. It is locked as long as it is
// in use; one that a killed run has left behind is removed by the next that needs one.
type workroom struct {
	path string
	lock *os.File
}

const (
	workroomName = "lastblock-workroom-"
	workroomLock = ".lock" // the ending of the file beside it
)

func newWorkroom() (*workroom, error) {
	sweepWorkrooms()
	for {
		lock, err := os.CreateTemp("", workroomName+"*"+workroomLock)
		if err != nil {
			return nil, err
		}
		r := &workroom{path: strings.TrimSuffix(lock.Name(), workroomLock), lock: lock}
		if err := locking.Try(lock); errors.Is(err, locking.ErrHeld) || !locking.IsThere(lock, lock.Name()) {
			lock.Close() // another run was quicker, and took it for one that was left behind
			continue
		}
		if err := os.Mkdir(r.path, 0o700); err != nil {
			return nil, errors.Join(err, r.close())
		}
		return r, nil
	}
}

// InWorkroom has all temporary files of the process lie in a folder of their own until leave is called, which takes
// them away, whoever still writes them. Where no folder can be made there, all stays as it is.
func InWorkroom() (leave func()) {
	room, err := newWorkroom()
	if err != nil {
		return func() {}
	}
	for _, name := range []string{"TMPDIR", "TMP", "TEMP"} { // whichever the system looks at
		os.Setenv(name, room.path)
	}
	return func() {
		const tries = 5 // while somebody still makes files there
		for range tries {
			if room.close() == nil {
				return
			}
		}
	}
}

// sweepWorkrooms removes the folders that nobody uses any more.
func sweepWorkrooms() {
	left, err := filepath.Glob(filepath.Join(os.TempDir(), workroomName+"*"+workroomLock))
	if err != nil {
		return
	}
	for _, name := range left {
		file, err := os.OpenFile(name, os.O_RDWR, 0)
		if err != nil {
			continue
		}
		if locking.Try(file) == nil && locking.IsThere(file, name) {
			(&workroom{path: strings.TrimSuffix(name, workroomLock), lock: file}).close()
		}
		file.Close()
	}
}

// close takes the folder away, and then its lock, so that whoever finds one that was left behind finds all of it.
func (r *workroom) close() error {
	if err := os.RemoveAll(r.path); err != nil {
		return err
	}
	os.Remove(r.lock.Name()) // which Windows does to a closed file alone
	err := r.lock.Close()
	os.Remove(r.lock.Name())
	return err
}

// NewBook is a workbook whose temporary files lie in a folder of their own, and done closes it and takes them away.
func NewBook() (book *excelize.File, done func() error, err error) {
	room, err := newWorkroom()
	if err != nil {
		return nil, nil, err
	}
	book = excelize.NewFile(excelize.Options{TmpDir: room.path})
	return book, func() error { return errors.Join(book.Close(), room.close()) }, nil
}
