package source

import (
	"context"
	"io"
	"slices"
	"sync/atomic"

	"lastblock/core/format/delimited"
	"lastblock/core/large/fresh"

	"github.com/zeebo/xxh3"
	"golang.org/x/sync/errgroup"
)

// look is what Look found out about one source.
type look struct {
	head  *Head
	kept  *stream         // open, or read whole; Scan goes on with it
	text  keptText        // all of a small text, for Scan
	begin *delimited.Head // of that

	same  int    // is that of all sources with the same bytes, and of no other; 0 where that is not known
	start uint64 // fingerprint of the start of a text of which same is not known; 0 where there is none
}

const (
	lookSize     = 64 << 10 // of a source whose content is not kept
	keptFileSize = 64 << 10 // a larger file is read again; opening it costs little beside reading it
	mostKept     = 80 << 20 // of all small files; to open the others once more costs less than more would take
	mostCompared = 4 << 20  // of contents beside these, to which those that follow are compared
)

// Look reads the heads of all sources, for a capability that has to know all
// columns before it can write the first record. Of small files, where opening
// is what costs, it keeps the content for the Scan that follows, up to an
// eighth of the memory and mostKept, and finds out which are the same bytes. Own
// outputs are taken out of the set.
func (s *Set) Look(ctx context.Context, reading Reading) error {
	if s.looked != nil {
		return nil // somebody has looked before, in the same run
	}
	return s.addressed(s.look(ctx, reading))
}

func (s *Set) look(ctx context.Context, reading Reading) error {
	f := newFeed(ctx, s, reading)
	f.looking = true
	defer f.library.close()
	if s.looked = fresh.Make[look](len(s.Sources)); !s.isKeeping() {
		s.kept = &kept{owner: s}
	}
	sames := newSames(s, min(reading.Memory/32, mostCompared))
	defer sames.end()
	var next atomic.Int64
	group, ctx := errgroup.WithContext(ctx)
	for range max(1, min(reading.Jobs, len(s.Sources))) {
		group.Go(func() error {
			w := &looker{feed: f, sames: sames, room: new(room), shelf: s.kept.shelf()}
			defer w.shelf.end()
			for {
				index := int(next.Add(1)) - 1
				if index >= len(s.Sources) {
					return nil
				}
				if err := ctx.Err(); err != nil {
					return err
				}
				if err := w.look(index); err != nil {
					return err
				}
			}
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	if err := f.checkNames(); err != nil {
		return err
	}
	return s.dropAside(f.aside)
}

// looker is one goroutine that looks at sources.
type looker struct {
	*feed
	sames *sames
	room  *room
	shelf *shelf
	early keptText // the text of the source that is looked at, as Find has read it; none where it has not
}

func (w *looker) look(index int) error {
	source := &w.set.Sources[index]
	w.early = w.set.kept.takeEarly(source)
	defer func() { w.early.release() }() // unless it was handed on
	stream, err := w.begin(index)
	if w.isNoText(index, err) {
		return nil
	}
	if err != nil {
		return err
	}
	size := lookSize
	small := source.Size >= 0 && source.Size <= keptFileSize
	if small {
		size = int(source.Size) + 1
	}
	switch text, ok := stream.reader.(*textReader); {
	case w.early.text != nil:
		err = text.peekText(w.early.text, size)
	case ok && small:
		err = text.peekInto(w.shelf.room(size+1), size)
	default:
		err = stream.reader.Peek(size)
	}
	if err != nil {
		stream.close()
		if w.isNoText(index, err) {
			return nil
		}
		return &Error{source.Name, err}
	}
	head := w.shape(index, stream.reader.Head()).Head
	looked := &w.set.looked[index]
	holding, holds := stream.reader.(holdingReader)
	looked.head = head
	w.aside.own[index] = !w.reading.OwnOutputs && isOwnOutput(head.Layout.Columns)
	switch {
	case source.Size < 0: // a pipe can be read once
		w.keepOpen(looked, stream)
	case holds && holding.isWhole() && small:
		return w.takeWhole(index, stream, holding)
	default:
		if holds {
			looked.start = xxh3.Hash(holding.peeked())
		}
		stream.reader.Close()
	}
	return nil
}

// begin opens a source, unless its text is there.
func (w *looker) begin(index int) (*stream, error) {
	if w.early.text == nil {
		return w.open(index, w.room)
	}
	w.room.stream = stream{feed: w.feed, index: index, reader: &w.room.text}
	w.feed.begin(&w.room.text, &w.set.Sources[index], nothing{}, w.reading.Progress)
	return &w.room.stream, nil
}

// nothing is a reader that has ended.
type nothing struct{}

func (nothing) Read([]byte) (int, error) { return 0, io.EOF }

// takeWhole keeps what was read of a small source, which is all of it, for the Scan, as far as there is room.
func (w *looker) takeWhole(index int, stream *stream, holding holdingReader) error {
	source, looked := &w.set.Sources[index], &w.set.looked[index]
	if err := stream.unchanged(); err != nil {
		stream.close()
		return err
	}
	keep := w.early.text != nil || w.set.kept.mayTake(source.Size, w.reading.Memory)
	text, isText := stream.reader.(*textReader)
	if !isText || !text.isBare() {
		looked.start = xxh3.Hash(holding.peeked())
		if !keep {
			stream.reader.Close()
			return nil
		}
		if isText {
			text.cutter.Own()
		}
		holding.letGo()
		w.reading.Progress.add(1, source.Size)
		stream.counted = true
		w.keepOpen(looked, stream)
		return nil
	}
	defer stream.reader.Close()
	var keeper keeper
	if keep {
		keeper = w
	}
	if source.Entry() != "" {
		looked.start = xxh3.Hash(text.peeked())
		if keep {
			looked.text = keeper.keep(text.peeked())
		}
	} else {
		first, kept, err := w.sames.meet(index, text.peeked(), keeper)
		if err != nil {
			return err
		}
		if looked.same = first + 1; looked.text.text == nil {
			looked.text = kept
		}
		if first == index {
			w.early = keptText{} // which is kept
		}
	}
	if looked.text.text != nil {
		looked.begin = text.cutter.Head()
		w.reading.Progress.add(1, source.Size)
	}
	return nil
}

// keep keeps the text that is looked at, where Find has put it, or on a shelf.
func (w *looker) keep(text []byte) keptText {
	if w.early.text != nil {
		return w.early
	}
	return w.shelf.keep(text)
}

// keepOpen keeps a stream, and with it the room that it is in.
func (w *looker) keepOpen(looked *look, stream *stream) {
	looked.kept = stream
	w.room = new(room)
}

// dropAside takes out the sources that turned out to be no data. Own outputs stay where
// nothing else is left: then somebody means them.
func (s *Set) dropAside(found *aside) error {
	if err := found.check(s); err != nil {
		return err
	}
	if found.isNone() {
		return nil
	}
	var sources []Source
	var looked []look
	onlyOwn := found.nothingElse()
	for i, source := range s.Sources {
		if found.binary[i] != "" || found.own[i] && !onlyOwn {
			s.passOver(found.passedOver(s, i))
			continue
		}
		sources = append(sources, source)
		looked = append(looked, s.looked[i])
		if kept := looked[len(looked)-1].kept; kept != nil {
			kept.index = len(sources) - 1
		}
	}
	s.Sources, s.looked, s.totals = sources, looked, nil // totals go by where a source stands
	return nil
}

// Head returns what Look found out about a source.
func (s *Set) Head(index int) *Head { return s.looked[index].head }

// Columns returns every column that any source has, in the order in which the
// sources, taken one after another, bring them; with SharedColumns only those
// that all have in which something is. Look must have been called.
func (s *Set) Columns() []string {
	var columns []string
	seen := make(map[string]bool)
	var last *Head
	for i := range s.looked {
		head := s.looked[i].head
		if head == last {
			continue
		}
		last = head
		for _, name := range head.Layout.Columns {
			if !seen[name] {
				seen[name] = true
				columns = append(columns, name)
			}
		}
	}
	if s.Mode != SharedColumns {
		return columns
	}
	return slices.DeleteFunc(columns, func(name string) bool {
		return slices.ContainsFunc(s.looked, func(l look) bool { return !l.head.Empty && !l.head.Layout.Has(name) })
	})
}
