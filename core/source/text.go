package source

import (
	"io"

	"lastblock/core/format/delimited"
	"lastblock/core/record"
)

// textReader reads delimited text. Next cuts blocks of whole records, and the
// costly part, scanning them, is left to Parse.
type textReader struct {
	file    io.Closer // nil where all was read before
	plain   file      // room for it
	unwrap  unwrapper
	unwraps delimited.Unwrap // unwrap.unwrap
	cutter  delimited.Cutter
	feed    *feed
	source  *Source
}

// openText opens a source in the room of a reader that is not used any more.
func (f *feed) openText(r *textReader, s *Source, progress *Progress) error {
	file, err := s.openIn(&r.plain)
	if err != nil {
		return err
	}
	if plain, ok := file.(interface{ knowSize(size int64) }); ok && !s.isUnknown() {
		plain.knowSize(s.Size)
	}
	f.begin(r, s, file, progress)
	r.file = file
	return nil
}

// begin has a reader read a source from a file.
func (f *feed) begin(r *textReader, s *Source, file io.Reader, progress *Progress) {
	r.file, r.feed, r.source = nil, f, s
	r.unwrap = newUnwrapper(s, progress)
	r.unwrap.look = r.unwrap.separate == nil && s.manner().Request.Delimiter == 0
	if r.unwraps == nil {
		r.unwraps = r.unwrap.unwrap
	}
	r.cutter.Reset(file, f.limit, r.unwraps, f.finds[s.as])
}

func (r *textReader) Head() *record.Head {
	if head := r.cutter.Head(); head != nil {
		return &head.Head
	}
	return nil
}

func (r *textReader) Peek(size int) error { return r.cutter.Peek(size) }

// peekInto is Peek that reads into a buffer, as far as that reaches.
func (r *textReader) peekInto(buffer []byte, size int) error { return r.cutter.PeekInto(buffer, size) }

// peekText is Peek into a whole text, which may be changed.
func (r *textReader) peekText(text []byte, size int) error { return r.cutter.PeekText(text, size) }

func (r *textReader) Next(s *Stretch) (err error) {
	s.block, s.buffer, err = r.cutter.Next(s.buffer)
	return err
}

func (r *textReader) Parse(s *Stretch) {
	head := r.cutter.Head()
	scanner := delimited.Scanner{Dialect: head.Dialect, Width: len(head.Layout.Columns), Header: head.Header}
	if short := r.source.manner().ShortRows; short != SuspendShort {
		scanner.Least, scanner.Cut = func() int { return r.feed.leastFields(r.source, &head.Head) }, short == PadShort
	}
	scanner.Scan(s.block, &s.Batch)
	s.Last = s.block.Last
}

func (r *textReader) isPlain() {}

func (r *textReader) wrapping() wrapping {
	return wrapping{r.unwrap.layers, r.unwrap.guessed(), r.unwrap.separated()}
}

// taken is nothing of what is counted where it is unpacked.
func (r *textReader) taken(s *Stretch) int64 {
	if r.unwrap.isPacked() {
		return 0
	}
	return int64(len(s.block.Data))
}

func (r *textReader) peeked() []byte { return r.cutter.Peeked() }

// isBare tells whether what was peeked at is what stands in the source.
func (r *textReader) isBare() bool { return r.unwrap.isNothing() }

func (r *textReader) isWhole() bool { return r.cutter.Whole() }

// unchanged makes sure that the file that is open is the one that was found when the
// run began, which costs less than looking for it by its path once more. One that was
// let go was looked at then.
func (r *textReader) unchanged(s *Source) error {
	if r.file == nil {
		return nil
	}
	if plain, ok := r.file.(interface{ identity() (identity, error) }); ok {
		if now, err := plain.identity(); err != nil || s.identity != (identity{}) && !now.isOf(s.identity) {
			return &Error{s.Name, ErrChanged}
		}
		return nil
	}
	return s.Unchanged()
}

// letGo closes the file, all of which has been read.
func (r *textReader) letGo() {
	r.unwrap.close()
	if r.file != nil {
		r.file.Close()
		r.file = nil
	}
}

func (r *textReader) Close() {
	r.cutter.Forget()
	r.unwrap.close()
	if r.file != nil {
		r.file.Close()
	}
}
