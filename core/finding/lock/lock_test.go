package lock

import (
	"errors"
	"os"
	"path/filepath"
	"testing"
	"time"
)

// A lock is held by one open file at a time, until that is closed.
func TestALockIsHeldOnce(t *testing.T) {
	path := filepath.Join(t.TempDir(), "x")
	open := func() *os.File {
		file, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o600)
		if err != nil {
			t.Fatal(err)
		}
		return file
	}
	first, second := open(), open()
	defer second.Close()
	if err := Try(first); err != nil {
		t.Fatal(err)
	}
	if err := Try(second); !errors.Is(err, ErrHeld) {
		t.Errorf("a second one gets: %v", err)
	}
	if err := Take(second, 20*time.Millisecond); !errors.Is(err, ErrHeld) {
		t.Errorf("a second one that waits gets: %v", err)
	}
	go func() {
		time.Sleep(30 * time.Millisecond)
		first.Close()
	}()
	if err := Take(second, time.Minute); err != nil {
		t.Errorf("once it is free, one who waits gets: %v", err)
	}
}
