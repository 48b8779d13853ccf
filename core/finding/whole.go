package finding

import (
	"encoding/binary"
	"encoding/json"
	"errors"
	"math"

	"lastblock/core/large/spill"
)

// wholeHeld is how many bytes of findings one list holds before it puts them
// into a file.
const wholeHeld = 8 << 20

// whole keeps every finding, however many there are; nil keeps none.
type whole struct {
	sorters []*spill.Sorter
	err     error
}

// stored is a finding with all that its JSON leaves out.
type stored struct {
	Finding
	Order  int
	Rest   bool
	Record uint64
}

// KeepAll makes the list keep every finding, for Each. It must be called before
// any is added. Close gives back what is then held.
func (l *List) KeepAll() {
	l.whole = &whole{sorters: []*spill.Sorter{spill.New(wholeHeld)}}
}

// Keeps tells whether the list keeps every finding.
func (l *List) Keeps() bool { return l.whole != nil }

func (w *whole) add(f *Finding) {
	if w == nil || w.err != nil {
		return
	}
	item := binary.BigEndian.AppendUint64(nil, uint64(f.Order))
	item = binary.BigEndian.AppendUint64(item, uint64(f.Line))
	for _, text := range []string{string(f.Kind), f.Column, f.Source, f.Key, f.Message} {
		item = append(append(item, text...), 0)
	}
	head := len(item)
	data, err := json.Marshal(stored{*f, f.Order, f.Rest, f.Record})
	if err != nil {
		w.err = err
		return
	}
	item = append(item, data...)
	item = binary.BigEndian.AppendUint32(item, uint32(head))
	w.err = w.sorters[0].Add(item)
}

func (w *whole) merge(o *whole) {
	if w == nil || o == nil {
		return
	}
	w.sorters = append(w.sorters, o.sorters...)
	w.err = errors.Join(w.err, o.err)
}

// Each calls visit for every finding in the order of sources and lines. KeepAll
// must have been called. The error is that of visit, or one of the temporary
// files.
func (l *List) Each(visit func(f *Finding) error) error {
	if l.whole.err != nil {
		return l.whole.err
	}
	var identifier identifier
	return spill.Merge(l.whole.sorters, func(item []byte) error {
		const tail = 4
		head := binary.BigEndian.Uint32(item[len(item)-tail:])
		var s stored
		if err := json.Unmarshal(item[head:len(item)-tail], &s); err != nil {
			return err
		}
		f := s.Finding
		f.Order, f.Rest, f.Record = s.Order, s.Rest, s.Record
		identifier.identify(&f)
		if f.Line == math.MaxInt {
			f.Line = 0
		}
		return visit(&f)
	})
}

// Close gives back the temporary files of a list that keeps every finding.
func (l *List) Close() error {
	if l == nil || l.whole == nil {
		return nil
	}
	var errs []error
	for _, s := range l.whole.sorters {
		errs = append(errs, s.Close())
	}
	return errors.Join(errs...)
}
