package show

import (
	"errors"
	"os"
	"path/filepath"

	"lastblock/core/finding/lock"

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
	workroomLock = "in-use"
)

func newWorkroom() (*workroom, error) {
	sweepWorkrooms()
	for {
		path, err := os.MkdirTemp("", workroomName+"*")
		if err != nil {
			return nil, err
		}
		r := &workroom{path: path}
		if r.lock, err = os.OpenFile(filepath.Join(path, workroomLock), os.O_CREATE|os.O_RDWR, 0o600); err != nil {
			return nil, errors.Join(err, r.close())
		}
		if err := lock.Try(r.lock); !errors.Is(err, lock.ErrHeld) && isThere(r.lock) {
			return r, nil
		}
		if err := r.close(); err != nil { // another run was quicker, and took it for one that was left behind
			return nil, err
		}
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

// sweepWorkrooms removes the folders that nobody uses any more. One that is being made
// has no lock yet, and is left alone.
func sweepWorkrooms() {
	left, err := filepath.Glob(filepath.Join(os.TempDir(), workroomName+"*", workroomLock))
	if err != nil {
		return
	}
	for _, name := range left {
		file, err := os.OpenFile(name, os.O_RDWR, 0)
		if err != nil {
			continue
		}
		if lock.Try(file) == nil && isThere(file) {
			os.RemoveAll(filepath.Dir(name))
		}
		file.Close()
	}
}

func (r *workroom) close() error {
	if r.lock != nil {
		r.lock.Close()
	}
	return os.RemoveAll(r.path)
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
