package placing

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"time"

	"lastblock/core/finding/lock"
)

// Disk is what placing asks of a file system. Names and errors are those of package os.
type Disk interface {
	// OpenFile opens a file, as os.OpenFile.
	OpenFile(name string, flag int, perm fs.FileMode) (File, error)
	// Lstat says what has a name; a link is not followed.
	Lstat(name string) (fs.FileInfo, error)
	// Readlink is where a link leads.
	Readlink(name string) (string, error)
	// Names are those of a folder, in any order.
	Names(folder string) ([]string, error)
	// Link gives a file one more name.
	Link(name, more string) error
	// Rename gives a file another name, in place of the file that has it.
	Rename(from, to string) error
	Remove(name string) error
	// Mkdir makes a folder, in one that is there.
	Mkdir(folder string) error
	// Flush brings the names of a folder to the disk, as far as the system can.
	Flush(folder string) error
	// FlushAll brings everything to the disk that was written to the file system of a folder; the error is
	// errors.ErrUnsupported where only single files can be flushed.
	FlushAll(folder string) error
	// SameFile tells whether two names are of one file.
	SameFile(a, b fs.FileInfo) bool
	// Lock takes the lock of an open file; the error is lock.ErrHeld where another process has it.
	Lock(file File) error
	// Real is a folder without links in its path, and absolute.
	Real(folder string) (string, error)
}

// File is an open file.
type File interface {
	io.Reader
	io.Writer
	io.Seeker
	io.Closer
	Name() string
	Stat() (fs.FileInfo, error)
	Sync() error
	Truncate(size int64) error
	Chmod(mode fs.FileMode) error
}

// Clock tells the time, and waits.
type Clock interface {
	Now() time.Time
	Sleep(d time.Duration)
}

// Machine is the disk and the clock of this machine.
type Machine struct{}

// Now is the time.
func (Machine) Now() time.Time { return time.Now() }

// Sleep waits.
func (Machine) Sleep(d time.Duration) { time.Sleep(d) }

// OpenFile opens a file.
func (Machine) OpenFile(name string, flag int, perm fs.FileMode) (File, error) {
	file, err := os.OpenFile(name, flag, perm)
	if err != nil {
		return nil, err // and no File that holds a nil
	}
	return file, nil
}

// Lstat says what has a name.
func (Machine) Lstat(name string) (fs.FileInfo, error) { return os.Lstat(name) }

// Readlink is where a link leads.
func (Machine) Readlink(name string) (string, error) { return os.Readlink(name) }

// Names are those of a folder.
func (Machine) Names(folder string) ([]string, error) {
	dir, err := os.Open(folder)
	if err != nil {
		return nil, err
	}
	names, err := dir.Readdirnames(-1)
	return names, errors.Join(err, dir.Close())
}

// Link gives a file one more name.
func (Machine) Link(name, more string) error { return os.Link(name, more) }

// Rename gives a file another name.
func (Machine) Rename(from, to string) error { return os.Rename(from, to) }

// Remove takes a name away.
func (Machine) Remove(name string) error { return os.Remove(name) }

// Mkdir makes a folder.
func (Machine) Mkdir(folder string) error { return os.Mkdir(folder, 0o777) }

// Flush brings the names of a folder to the disk. Some systems have no way to do so, and some folders cannot be read.
func (Machine) Flush(folder string) error {
	dir, err := os.Open(folder)
	if errors.Is(err, fs.ErrPermission) || err != nil && runtime.GOOS == "windows" {
		return nil
	}
	if err != nil {
		return err
	}
	err = dir.Sync()
	if runtime.GOOS == "windows" || isRefused(err) {
		err = nil
	}
	return errors.Join(err, dir.Close())
}

// FlushAll brings everything of a file system to the disk.
func (Machine) FlushAll(folder string) error { return flushAll(folder) }

// SameFile tells whether two names are of one file.
func (Machine) SameFile(a, b fs.FileInfo) bool { return os.SameFile(a, b) }

// Lock takes the lock of a file.
func (Machine) Lock(file File) error {
	if open, ok := file.(*os.File); ok {
		return lock.Try(open)
	}
	return errors.ErrUnsupported
}

// Real is a folder without links in its path.
func (Machine) Real(folder string) (string, error) {
	folder, err := filepath.Abs(folder)
	if err != nil {
		return "", err
	}
	return filepath.EvalSymlinks(folder)
}
