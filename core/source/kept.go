package source

import (
	"sync"
	"sync/atomic"

	"lastblock/core/large/offheap"
)

// kept are the texts of small sources that Look has read, for the Scan that follows. They lie one behind the other in
// pieces outside of what the collector looks after, and each piece is given back when all of its texts were read.
type kept struct {
	mutex  sync.Mutex
	pieces []*piece
}

// piece is memory that holds some texts.
type piece struct {
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

// room is where a text of a size may be written that is then put there. What is in it is lost with the next call.
func (s *shelf) room(size int) []byte {
	if s.piece == nil || size > len(s.piece.memory.Bytes())-s.piece.used {
		s.end()
		s.piece = &piece{memory: offheap.New(max(pieceSize, size))}
		s.piece.holds.Store(1)
		s.kept.mutex.Lock()
		s.kept.pieces = append(s.kept.pieces, s.piece)
		s.kept.mutex.Unlock()
	}
	return s.piece.memory.Bytes()[s.piece.used:][:size:size]
}

// put keeps a text for one source: the one that stands in the room that was given last, or a copy of another one.
func (s *shelf) put(text []byte) keptText {
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
	if s.kept == nil {
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
