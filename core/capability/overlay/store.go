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
	limit int64
	data  []byte
	file  *os.File // nil while all is in memory
	size  int64    // of the file
}

// stored is where the values of a form are.
type stored struct {
	store *store
	at    int64
	size  int
}

const (
	stateBits  = 3
	stateMask  = 1<<stateBits - 1
	longScale  = 1<<(8-stateBits) - 1 // stands for a number that is a text
	mostScale  = longScale - 1
	leastStore = 1 << 20
)

func (s *store) put(encoded []byte) (stored, error) {
	if int64(len(s.data)+len(encoded)) > max(s.limit, leastStore) {
		if err := s.spill(); err != nil {
			return stored{}, err
		}
	}
	at := stored{s, s.size + int64(len(s.data)), len(encoded)}
	s.data = append(s.data, encoded...)
	return at, nil
}

// spill moves what is in memory to the file.
func (s *store) spill() (err error) {
	if s.file == nil {
		if s.file, err = spill.TempFile(); err != nil {
			return err
		}
	}
	if _, err := s.file.Write(s.data); err != nil {
		return spill.PutAside(err)
	}
	s.size += int64(len(s.data))
	s.data = s.data[:0]
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
	if v.at >= s.size {
		at := v.at - s.size
		return s.data[at : at+int64(v.size)], nil
	}
	if cap(*room) < v.size {
		*room = make([]byte, v.size)
	}
	*room = (*room)[:v.size]
	if _, err := s.file.ReadAt(*room, v.at); err != nil {
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
