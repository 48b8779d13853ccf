package overlay

import (
	"encoding/binary"
	"fmt"
	"os"

	"lastblock/core/large/spill"
	"lastblock/core/large/texts"
	"lastblock/core/value/amount"
)

// store keeps the values of forms, in memory or beyond a limit in a temporary file. A value is a byte with its state
// and, of a number, its scale, and behind it the coefficient; one that needs more room is a text.
type store struct {
	limit  int64
	pieces [][]byte // in memory, the last one not yet full; nil for one in the file
	held   int64    // bytes in them
	file   *os.File // nil while all is in memory
	places []int64  // of the pieces in the file
	size   int64    // of the file
}

// stored is where the values of a form are: in a piece, wherever that is.
type stored struct {
	store *store
	piece int
	at    int64 // in the piece
	size  int
}

const (
	stateBits = 3
	stateMask = 1<<stateBits - 1
	longScale = 1<<(8-stateBits) - 1 // stands for a number that is a text
	mostScale = longScale - 1
	pieceSize = 1 << 20
)

func (s *store) put(figures kept) (stored, error) {
	last, size := len(s.pieces)-1, figures.size()
	if last < 0 || s.pieces[last] == nil || len(s.pieces[last])+size > cap(s.pieces[last]) {
		if err := s.next(size); err != nil {
			return stored{}, err
		}
		last = len(s.pieces) - 1
	}
	at := stored{s, last, int64(len(s.pieces[last])), size}
	s.pieces[last] = figures.append(s.pieces[last])
	s.held += int64(size)
	return at, nil
}

// next begins another piece. Where memory is full those before go into the file.
func (s *store) next(least int) error {
	if s.held+pieceSize > max(s.limit, pieceSize) {
		if err := s.spill(); err != nil {
			return err
		}
	}
	s.pieces = append(s.pieces, make([]byte, 0, max(pieceSize, least)))
	return nil
}

// spill moves what is in memory to the file.
func (s *store) spill() (err error) {
	if s.file == nil {
		if s.file, err = spill.TempFile(); err != nil {
			return err
		}
	}
	for i, piece := range s.pieces {
		if piece == nil {
			continue
		}
		for len(s.places) <= i {
			s.places = append(s.places, 0)
		}
		if _, err := s.file.Write(piece); err != nil {
			return spill.PutAside(err)
		}
		s.places[i], s.pieces[i] = s.size, nil
		s.size += int64(len(piece))
	}
	s.held = 0
	return nil
}

func (s *store) close() {
	if s.file != nil {
		spill.Remove(s.file) // of which nothing is needed any more
		s.file = nil
	}
}

// read returns the encoded values of a form, perhaps in room.
func (v stored) read(room *[]byte) ([]byte, error) {
	s := v.store
	if piece := s.pieces[v.piece]; piece != nil {
		return piece[v.at : v.at+int64(v.size)], nil
	}
	if cap(*room) < v.size {
		*room = make([]byte, v.size)
	}
	*room = (*room)[:v.size]
	if _, err := s.file.ReadAt(*room, s.places[v.piece]+v.at); err != nil {
		return nil, fmt.Errorf("reading figures back: %w", err)
	}
	return *room, nil
}

// appendValue encodes a value.
func appendValue(dst []byte, v *value) []byte {
	if v.state != number && v.state != ratio {
		return append(dst, byte(v.state))
	}
	coefficient, scale, ok := v.amount.Plain()
	if !ok || scale < 0 || scale > mostScale {
		return texts.Append(append(dst, byte(v.state)|longScale<<stateBits), []byte(v.amount.String()))
	}
	return binary.AppendVarint(append(dst, byte(v.state)|byte(scale)<<stateBits), coefficient)
}

// takeValue decodes the first of some values.
func takeValue(data []byte) (v value, rest []byte, err error) {
	first := data[0]
	v.state, rest = state(first&stateMask), data[1:]
	if v.state != number && v.state != ratio {
		return v, rest, nil
	}
	if scale := first >> stateBits; scale != longScale {
		coefficient, n := binary.Varint(rest)
		v.amount = amount.New(coefficient, int(scale))
		return v, rest[n:], nil
	}
	text, rest := texts.Take(rest)
	if v.amount, err = amount.Parse(text, '.'); err != nil {
		err = fmt.Errorf("reading figures back: %w", err)
	}
	return v, rest, err
}
