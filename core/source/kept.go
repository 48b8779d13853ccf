package source

import (
	"sync"
	"sync/atomic"

	"lastblock/core/large/offheap"
)

// kept are the texts of small sources that Find or Look has read, for the Scan that follows. They lie one behind the
// other in pieces outside of what the collector looks after, and each piece is given back when all of its texts were
// read.
type kept struct {
	owner  *Set // a copy of which has nothing kept
	mutex  sync.Mutex
	pieces []*piece
	bytes  atomic.Int64 // of all texts
}

// mayTake tells whether a text of a size may be kept.
func (k *kept) mayTake(size, memory int64) bool { return k.bytes.Add(size) <= min(memory/8, mostKept) }

// takeEarly gives the text of a source that Find has read, once; none where it has not, or for another set.
func (k *kept) takeEarly(s *Source) keptText {
	if s.early == nil || s.early.piece == nil || s.early.piece.of != k {
		return keptText{}
	}
	text := *s.early
	*s.early = keptText{} // also for copies of the source
	s.early = nil
	return text
}

// piece is memory that holds some texts.
type piece struct {
	of     *kept
	memory *offheap.Memory
	used   int
	holds  atomic.Int32 // sources that have yet to be read of it, and one for who fills it
}

const pieceSize = 4 << 20 // of texts that are kept; a multiple of what one of them may take

// shelf is where one goroutine keeps texts. The zero value keeps them in no set; see kept.shelf.
type shelf struct {
	kept  *kept
	piece *piece // that is being filled
}

func (k *kept) shelf() *shelf { return &shelf{kept: k} }

// keeper keeps texts.
type keeper interface {
	keep(text []byte) keptText
}

// room is where a text of a size may be written that is then kept there. What is in it is lost with the next call.
func (s *shelf) room(size int) []byte {
	if s.piece == nil || size > len(s.piece.memory.Bytes())-s.piece.used {
		s.end()
		s.piece = &piece{of: s.kept, memory: offheap.New(max(pieceSize, size))}
		s.piece.holds.Store(1)
		s.kept.mutex.Lock()
		s.kept.pieces = append(s.kept.pieces, s.piece)
		s.kept.mutex.Unlock()
	}
	return s.piece.memory.Bytes()[s.piece.used:][:size:size]
}

// keep keeps a text for one source: the one that stands in the room that was given last, or a copy of another one.
func (s *shelf) keep(text []byte) keptText {
	at := s.room(len(text))
	if len(text) > 0 && &text[0] != &at[0] {
		copy(at, text)
	}
	s.piece.used += len(text)
	s.piece.holds.Add(1)
	return keptText{at, s.piece}
}

// end says that nothing more is put there.
func (s *shelf) end() {
	if s.piece != nil {
		s.piece.release()
		s.piece = nil
	}
}

// release is called by each who has no more use for the piece.
func (p *piece) release() {
	if p.holds.Add(-1) == 0 {
		p.memory.Free()
	}
}

// letGo gives back what was kept and nobody has read. Nothing of it may be in use.
func (s *Set) letGo() {
	if !s.isKeeping() {
		return
	}
	for i := range s.looked {
		s.looked[i].text = keptText{}
	}
	for _, p := range s.kept.pieces {
		p.memory.Free()
	}
	s.kept = nil
}

// isKeeping tells whether texts are kept for the set.
func (s *Set) isKeeping() bool { return s.kept != nil && s.kept.owner == s }

// keptText is the whole text of a source, nil for none; it is good until it is released.
type keptText struct {
	text  []byte
	piece *piece // nil where it lies elsewhere
}

// again is the same text for one more source.
func (t keptText) again() keptText {
	if t.piece != nil {
		t.piece.holds.Add(1)
	}
	return t
}

func (t keptText) release() {
	if t.piece != nil {
		t.piece.release()
	}
}
