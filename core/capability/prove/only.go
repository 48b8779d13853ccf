package prove

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"slices"

	"lastblock/core/large/spill"
	"lastblock/core/record"
)

// findOnly goes through the fingerprints of both sides in order. Of those that
// one side has more often, so many records are its own; which of equal records
// they are is nobody's to say, so it is the last ones.
func (c *comparison) findOnly() error {
	var sorters []*spill.Sorter
	for _, s := range c.sides {
		for _, v := range s.visitors {
			sorters = append(sorters, v.places)
		}
	}
	const printSize = 16
	var print []byte
	var group [2]equals
	end := func() {
		for i, s := range c.sides {
			more := group[i].count - group[1-i].count
			if more > 0 {
				s.only += more
				s.keepFirst(group[i].last(more), c.options.First)
			}
		}
		group = [2]equals{}
	}
	err := spill.Merge(sorters, func(item []byte) error {
		if !bytes.Equal(item[:printSize], print) {
			end()
			print = append(print[:0], item[:printSize]...)
		}
		rest := item[printSize:]
		place := record.Place(binary.BigEndian.Uint64(rest[1:]))
		group[rest[0]].add(Record{Index: place.Source(), Line: place.Line()}, c.options.First)
		return nil
	})
	end()
	return err
}

// equals are the records of one side with one fingerprint: their number, and the
// last ones.
type equals struct {
	count   int
	records []Record
}

func (e *equals) add(r Record, keep int) {
	e.count++
	if e.records = append(e.records, r); len(e.records) > 2*keep+1 {
		e.records = slices.Delete(e.records, 0, len(e.records)-keep)
	}
}

// last returns the last n of the records, or as many as are kept.
func (e *equals) last(n int) []Record { return e.records[max(0, len(e.records)-n):] }

// keepFirst keeps the first records in the order of sources and lines.
func (s *side) keepFirst(records []Record, most int) {
	order := func(a, b Record) int { return cmp.Or(cmp.Compare(a.Index, b.Index), cmp.Compare(a.Line, b.Line)) }
	for _, r := range records {
		at, _ := slices.BinarySearchFunc(s.first, r, order)
		if at < most {
			s.first = slices.Insert(s.first, at, r)
			s.first = s.first[:min(len(s.first), most)]
		}
	}
}
