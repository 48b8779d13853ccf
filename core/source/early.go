package source

import (
	"cmp"
	"errors"
	"io"
	"sync"
	"time"
)

// earlyReaders are those of all goroutines, used again by those that follow.
type earlyReaders struct {
	mutex sync.Mutex
	idle  []*earlyReader
	spent time.Duration // on files that were read together
	times int           // that some were
	slow  bool          // texts are left to Look, whose progress can be seen
}

// earlyPatience is how long files that are read together may take on average, when ten times of it was spent. Those in
// memory, and on a quick disk, take a tenth of it.
const earlyPatience = 25 * time.Millisecond

// earlyReader reads the texts of small files when these are found.
type earlyReader struct {
	kept   *kept
	shelf  *shelf
	memory int64 // of the run
	began  time.Time
	file   file
}

// earlyReader gives a reader of texts, nil where nobody wants any early, or where that is slow.
func (f *finder) earlyReader() *earlyReader {
	if f.set.kept == nil {
		return nil
	}
	f.early.mutex.Lock()
	defer f.early.mutex.Unlock()
	if f.early.slow {
		return nil
	}
	e := &earlyReader{kept: f.set.kept, shelf: f.set.kept.shelf(), memory: f.search.Early}
	if n := len(f.early.idle); n > 0 {
		e, f.early.idle = f.early.idle[n-1], f.early.idle[:n-1]
	}
	e.began = time.Now()
	return e
}

// giveBack gives a reader back.
func (f *finder) giveBack(e *earlyReader) {
	if e == nil {
		return
	}
	f.early.mutex.Lock()
	defer f.early.mutex.Unlock()
	f.early.idle = append(f.early.idle, e)
	f.early.spent += time.Since(e.began)
	f.early.times++
	const least = 10
	patience := cmp.Or(f.search.patience, earlyPatience)
	f.early.slow = f.early.spent > patience*time.Duration(max(least, f.early.times))
}

// endEarly says that no more texts are read early.
func (f *finder) endEarly() {
	for _, e := range f.early.idle {
		e.shelf.end()
	}
}

// read finds out the state of a source's file, and reads it into s.early where it is a small text that has not
// changed meanwhile. What goes wrong is met again by who asks for the state, or reads.
func (e *earlyReader) read(s *Source) {
	if formatOf(s.Name) != text || e.file.open(s.Path) != nil {
		return
	}
	defer e.file.Close()
	state, err := e.file.identity()
	if err != nil || state == (identity{}) {
		return
	}
	s.is(state)
	if state.size == 0 || state.size > keptFileSize || !e.kept.mayTake(state.size, e.memory) {
		return
	}
	e.file.knowSize(state.size)
	size := int(state.size)
	room, n := e.shelf.room(size+1), 0
	for n <= size {
		k, err := e.file.Read(room[n:])
		n += k
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return
		}
	}
	if now, err := e.file.identity(); n == size && err == nil && now == state {
		*s.early = e.shelf.keep(room[:size])
	}
}
