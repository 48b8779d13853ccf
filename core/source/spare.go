package source

import (
	"errors"
	"io"

	"lastblock/core/format/delimited"
)

// spare is a stretch of a shared source that a goroutine has taken beside the one that it reads. With it, it goes on
// where it comes to take the next one while another goroutine does, and waits for nobody: measured on a roll-up of a
// journal by two goroutines, of which one in three stretches was waited for, that took a twentieth to a tenth longer.
type spare struct {
	isTaken bool
	batch   *Batch
	work    work
	err     error // why it could not be taken
}

// takeSpare takes a spare stretch for a goroutine that has the mutex, where that is little to hold.
func (f *feed) takeSpare(w *worker) {
	if f.shared == nil {
		return
	}
	reader, ok := f.shared.reader.(aheadReader)
	if !ok || !reader.isLittle(&w.batch.Stretch) {
		return
	}
	w.batch, w.spare.batch = w.spare.batch, w.batch
	w.spare.work, w.spare.err = f.stretch(w)
	w.batch, w.spare.batch = w.spare.batch, w.batch
	w.spare.isTaken = !errors.Is(w.spare.err, io.EOF)
}

// useSpare makes the spare stretch the one that is read.
func (w *worker) useSpare() (work, error) {
	w.batch, w.spare.batch, w.spare.isTaken = w.spare.batch, w.batch, false
	return w.spare.work, w.spare.err
}

// isLittle tells whether a stretch is no larger than most.
func (r *textReader) isLittle(s *Stretch) bool { return len(s.buffer) <= delimited.BlockSize }
