package source

import (
	"io"
	"math"
	"slices"

	"lastblock/core/format/decode"
)

// start is where a stretch of a large source of text begins, from which reading
// can be taken up again.
type start struct {
	line   int
	offset int64 // in the file
}

// noteStart notes where a stretch begins, the first time that its source is read.
func (s *stream) noteStart(stretch *Stretch) {
	t, ok := s.reader.(skippingReader)
	if !ok || s.feed.reading.Wanted != nil || !s.feed.set.IsShared(s.index) || !t.isSeekable() {
		return
	}
	starts := s.feed.starts[s.index]
	if n := len(starts); n == 0 || starts[n-1].line < stretch.block.FirstLine {
		s.feed.starts[s.index] = append(starts, start{stretch.block.FirstLine, stretch.block.Offset})
	}
}

// skip goes on to the next stretch of which anything is wanted, or, where it is
// not known where that begins, nearer to it; false where nothing is.
func (s *stream) skip() bool {
	t, ok := s.reader.(skippingReader)
	if !ok || s.feed.reading.Wanted == nil {
		return true
	}
	line := t.line()
	from, _, ok := s.feed.reading.Wanted(s.index, line, math.MaxInt)
	if !ok {
		return false
	}
	if !t.isSeekable() || s.feed.set.starts == nil {
		return true
	}
	starts := s.feed.set.starts[s.index]
	at, found := slices.BinarySearchFunc(starts, from, func(s start, line int) int { return s.line - line })
	if !found {
		at--
	}
	if at >= 0 && starts[at].line > line {
		t.resume(starts[at])
	}
	return true
}

// isSeekable tells whether the text read so far stands in the file as it is, so
// that reading can be taken up within it.
func (r *textReader) isSeekable() bool {
	_, ok := r.file.(io.ReadSeeker)
	return ok && len(r.unwrap.layers) == 0 && r.unwrap.separate == nil && r.unwrap.guessed() == ""
}

func (r *textReader) line() int { return r.cutter.Line() }

func (r *textReader) narrow(s *Stretch, from, to int) {
	s.block.Narrow(from, to, r.cutter.Head().Dialect.LineEnd)
}

// resume goes on reading from a start.
func (r *textReader) resume(at start) {
	file := r.file.(io.ReadSeeker)
	if _, err := file.Seek(at.offset, io.SeekStart); err != nil {
		return // it goes on where it is, and reads what is not wanted, too
	}
	if r.unwrap.guess == nil {
		r.cutter.Resume(file, at.line, at.offset)
		return
	}
	r.unwrap.guess = decode.NewGuess(file)
	r.cutter.Resume(r.unwrap.guess, at.line, at.offset)
}
