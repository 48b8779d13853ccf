package source

import (
	"bytes"
	"io"
	"lastblock/core/large/offheap"
	"math/bits"
	"sync"

	"github.com/zeebo/xxh3"
)

// sames finds small texts that are the same bytes while their files are read anyway. Of each content the first one that
// is met is kept, if another file has its size, up to a bound; what does not fit is read once more where one like it
// comes.
type sames struct {
	set   *Set
	sizes map[int64]int // how many sources have a size

	mutex  sync.Mutex
	slots  []met           // by hash; a free one is followed by none that is sought
	memory *offheap.Memory // of the slots
	held   int64           // bytes of texts that are kept only for this
	most   int64
}

// met is the first source of some content.
type met struct {
	hash  uint64
	index int32 // plus one; 0 is free
}

func newSames(set *Set, most int64) *sames {
	s := &sames{set: set, sizes: make(map[int64]int), most: most}
	for i := range set.Sources {
		s.sizes[set.Sources[i].Size]++
	}
	several := 0
	for size, n := range s.sizes {
		if n > 1 && size <= keptFileSize {
			several += n
		}
	}
	s.slots, s.memory = offheap.Slice[met](1 << bits.Len(uint(several+several/2)))
	return s
}

// end says that no more texts are met.
func (s *sames) end() { s.memory.Free() }

// meet takes the whole text of a source in. It returns the source of the same content that came first, which may be
// this one, and its text that stays, or none where none is kept: keeper keeps it, and is nil where none is to be.
func (s *sames) meet(index int, text []byte, keeper keeper) (first int, kept keptText, err error) {
	size := int64(len(text))
	if s.sizes[size] < 2 || s.set.Sources[index].Size != size {
		if keeper != nil {
			kept = keeper.keep(text)
		}
		return index, kept, nil
	}
	hash := xxh3.Hash(text)
	s.mutex.Lock()
	defer s.mutex.Unlock()
	mask := uint64(len(s.slots) - 1)
	at := hash & mask
	for ; s.slots[at].index != 0; at = (at + 1) & mask {
		before := int(s.slots[at].index - 1)
		if s.slots[at].hash != hash || s.set.Sources[before].Size != size {
			continue
		}
		was := s.set.looked[before].text
		content := was.text
		if content == nil {
			if content, err = s.set.Sources[before].content(); err != nil {
				return 0, keptText{}, err
			}
		}
		if bytes.Equal(content, text) {
			return before, was.again(), nil
		}
	}
	s.slots[at] = met{hash, int32(index + 1)}
	switch {
	case keeper != nil:
		kept = keeper.keep(text)
	case s.held+size <= s.most:
		kept.text = bytes.Clone(text)
		s.held += size
	}
	s.set.looked[index].text = kept // where it is found again
	return index, kept, nil
}

// content reads the whole file of a source.
func (s *Source) content() ([]byte, error) {
	file, err := openFile(s.Path)
	if err != nil {
		return nil, &Error{s.Name, err}
	}
	defer file.Close()
	text, err := io.ReadAll(file)
	if err != nil {
		return nil, &Error{s.Name, err}
	}
	return text, s.Unchanged()
}
