package source

import (
	"cmp"
	"errors"
	"io"

	"lastblock/core/format/decode"
	"lastblock/core/source/shape"
)

// stream is an open source.
type stream struct {
	feed    *feed
	index   int
	reader  Reader
	started bool
	counted bool // its progress was counted when it was looked at
	text    keptText

	// Known once the first stretch was taken:
	shape     *shape.Shape
	written   *Written
	constants map[string][]byte
}

// room is what it takes to read a source, used again for the next one.
type room struct {
	stream stream
	text   textReader
}

// open opens a source in a room, whose last source is not used any more.
func (f *feed) open(index int, in *room) (*stream, error) {
	source := &f.set.Sources[index]
	in.stream = stream{feed: f, index: index}
	if f.set.looked != nil && !f.looking {
		looked := &f.set.looked[index]
		if kept := looked.kept; kept != nil {
			looked.kept = nil
			kept.feed = f
			return kept, nil
		}
		if text := looked.text; text.text != nil {
			looked.text = keptText{}
			f.begin(&in.text, source, nil, nil)
			in.text.cutter.Give(text.text, looked.begin)
			in.stream.reader, in.stream.counted, in.stream.text = &in.text, true, text
			return &in.stream, nil
		}
	}
	var err error
	if in.stream.reader, err = f.openReader(source, f.reading.Progress, in); err != nil {
		return nil, &Error{source.Name, err}
	}
	return &in.stream, nil
}

// openReader opens a source in a room; progress is that of unpacking, nil to count none.
func (f *feed) openReader(s *Source, progress *Progress, in *room) (Reader, error) {
	if s.format != nil && s.format.connect != nil {
		return s.format.connect(f.ctx, s)
	}
	if s.format == nil || s.format.open == nil {
		return &in.text, f.openText(&in.text, s, progress)
	}
	if s.sharesBook() {
		return f.library.openLent(s, f.reading.Memory)
	}
	d, err := openDocumentOf(s)
	if err != nil {
		return nil, err
	}
	reader, err := s.format.open(d, s.inner().part, s.manner(), f.reading.Memory)
	if err != nil {
		defer d.Close()
		sample := make([]byte, sampleSize)
		n, _ := io.ReadFull(d.reader(), sample) // what cannot be read bears no signature
		err = cmp.Or(decode.Signed(sample[:n]), err)
	}
	return reader, err
}

// next takes the next stretch, into the buffers of the goroutine that asks for
// it.
func (s *stream) next(w *worker) error {
	first := !s.started
	s.started = true
	if !first && !s.skip() {
		return s.end()
	}
	if err := s.reader.Next(&w.batch.Stretch); err != nil {
		if changed := s.end(); !errors.Is(changed, io.EOF) {
			return changed // which is why it cannot be read, if it cannot
		}
		if errors.Is(err, io.EOF) {
			return err
		}
		if first && s.feed.isNoText(s.index, err) {
			return io.EOF
		}
		return &Error{s.feed.set.Sources[s.index].Name, err}
	}
	var around wrapping
	if wrapped, ok := s.reader.(wrappedReader); ok {
		around = wrapped.wrapping()
	}
	w.batch.Layers, w.batch.Guessed, w.batch.Separated = around.layers, around.guessed, around.separated
	if first {
		if err := w.begin(s); err != nil {
			return err
		}
	}
	s.noteStart(&w.batch.Stretch)
	if !s.counted {
		s.feed.reading.Progress.add(0, s.taken(&w.batch.Stretch))
	}
	return nil
}

// end is io.EOF, unless the file has changed while it was read.
func (s *stream) end() error {
	if err := s.unchanged(); err != nil {
		return err
	}
	return io.EOF
}

// unchanged makes sure that the source is the one that was found when the run began.
func (s *stream) unchanged() error {
	source := &s.feed.set.Sources[s.index]
	if guarding, ok := s.reader.(guardingReader); ok {
		return guarding.unchanged(source)
	}
	return source.Unchanged()
}

// taken is how many bytes of the source a stretch stands for, as far as that is
// not counted where it is unpacked.
func (s *stream) taken(stretch *Stretch) int64 {
	if counting, ok := s.reader.(countingReader); ok {
		return counting.taken(stretch)
	}
	return 0
}

func (s *stream) close() {
	s.reader.Close()
	s.text.release()
	s.text = keptText{}
	if s.counted {
		return
	}
	progress := s.feed.reading.Progress
	progress.add(1, 0)
	if _, ok := s.reader.(countingReader); !ok {
		progress.add(0, max(0, s.feed.set.Sources[s.index].Size))
	}
}
