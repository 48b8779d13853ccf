package gauge

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"math"
	"slices"

	"lastblock/core/large/spill"
	"lastblock/core/value/amount"
	"lastblock/core/value/radix"
	"lastblock/core/value/statistic"
)

// numbers are amounts and how often each comes, given back from the smallest to the largest. As long as 64 bits hold
// them at one scale, and memory all of them, they are whole numbers; which is sorted in a fifth of the time of keys.
type numbers struct {
	held    []number
	settled int        // so many of those are in their order, each once
	runs    [][]number // those of others, likewise
	scale   int        // of all these
	limit   int64      // bytes that may be held
	sorter  *spill.Sorter
	item    []byte
}

type number = statistic.Number

const numberSize = 16

func compareNumbers(a, b number) int { return cmp.Compare(a.Coefficient, b.Coefficient) }

func newNumbers(limit int64) *numbers { return &numbers{limit: limit} }

func (s *numbers) close() error { return s.sorter.Close() }

// add takes in a value that comes n times.
func (s *numbers) add(value amount.Amount, n int) error {
	if s.sorter == nil && s.size() < s.limit && s.hold(value, n) {
		return nil
	}
	if s.sorter == nil {
		if err := s.spill(); err != nil {
			return err
		}
	}
	s.item = value.AppendKey(s.item[:0])
	s.item = binary.BigEndian.AppendUint64(s.item, uint64(n))
	return s.sorter.Add(s.item)
}

// settle sorts what is held and puts together what is the same.
func (s *numbers) settle() {
	if s.settled == len(s.held) {
		return
	}
	if !slices.IsSortedFunc(s.held, compareNumbers) {
		radix.Sort(s.held, make([]number, len(s.held)), func(n *number) uint64 { return radix.Signed(n.Coefficient) })
	}
	n := 0
	for _, of := range s.held[1:] {
		if of.Coefficient == s.held[n].Coefficient {
			s.held[n].N += of.N
			continue
		}
		n++
		s.held[n] = of
	}
	s.held = s.held[:n+1]
	s.settled = len(s.held)
}

// merge takes in the values of others, which are then gone, and the memory that they may use.
func (s *numbers) merge(o *numbers) error {
	s.limit += o.limit
	if o.sorter != nil {
		return o.each(s.add)
	}
	for s.sorter == nil && s.scale < o.scale && s.rescale() {
	}
	for s.sorter == nil && o.scale < s.scale && o.rescale() {
	}
	if s.sorter == nil && s.scale == o.scale && s.size()+o.size() <= s.limit {
		o.settle()
		s.runs = append(append(s.runs, o.runs...), o.held)
		return nil
	}
	return o.each(s.add)
}

// size is how many bytes they take.
func (s *numbers) size() int64 {
	n := len(s.held)
	for _, run := range s.runs {
		n += len(run)
	}
	return numberSize * int64(n)
}

// hold holds a value where 64 bits do.
func (s *numbers) hold(value amount.Amount, n int) bool {
	coefficient, scale, ok := value.Plain()
	if !ok {
		return false
	}
	for s.scale < int(scale) {
		if !s.rescale() {
			return false
		}
	}
	for at := int(scale); at < s.scale; at++ {
		if !fitsTenfold(coefficient) {
			return false
		}
		coefficient *= 10
	}
	s.held = append(s.held, number{Coefficient: coefficient, N: int64(n)})
	return true
}

// rescale gives all one more digit behind the decimal mark.
func (s *numbers) rescale() bool {
	all := append(s.runs[:len(s.runs):len(s.runs)], s.held)
	for _, run := range all {
		for i := range run {
			if !fitsTenfold(run[i].Coefficient) {
				return false
			}
		}
	}
	for _, run := range all {
		for i := range run {
			run[i].Coefficient *= 10
		}
	}
	s.scale++
	return true
}

func fitsTenfold(coefficient int64) bool {
	return -math.MaxInt64/10 <= coefficient && coefficient <= math.MaxInt64/10
}

// spill gives what is held to a sorter.
func (s *numbers) spill() error {
	s.sorter = spill.New(s.limit)
	held := append(s.runs, s.held)
	s.held, s.settled, s.runs = nil, 0, nil
	for _, run := range held {
		for _, of := range run {
			if err := s.add(amount.New(of.Coefficient, s.scale), int(of.N)); err != nil {
				return err
			}
		}
	}
	return nil
}

// each gives every value once, with how often it came. Nothing may be added any more.
func (s *numbers) each(visit func(value amount.Amount, n int) error) error {
	if s.sorter != nil {
		return s.eachSpilled(visit)
	}
	s.settle()
	runs := append(s.runs, s.held)
	for {
		first, second := -1, -1 // the runs with the smallest value and the next one
		for i, run := range runs {
			switch {
			case len(run) == 0:
			case first < 0 || run[0].Coefficient < runs[first][0].Coefficient:
				first, second = i, first
			case second < 0 || run[0].Coefficient < runs[second][0].Coefficient:
				second = i
			}
		}
		if first < 0 {
			return nil
		}
		of := runs[first][0]
		if second >= 0 && runs[second][0].Coefficient == of.Coefficient {
			of.N = 0
			for i, run := range runs {
				if len(run) > 0 && run[0].Coefficient == of.Coefficient {
					of.N += run[0].N
					runs[i] = run[1:]
				}
			}
			if err := visit(amount.New(of.Coefficient, s.scale), int(of.N)); err != nil {
				return err
			}
			continue
		}
		run := runs[first]
		for len(run) > 0 && (second < 0 || run[0].Coefficient < runs[second][0].Coefficient) {
			if err := visit(amount.New(run[0].Coefficient, s.scale), int(run[0].N)); err != nil {
				return err
			}
			run = run[1:]
		}
		runs[first] = run
	}
}

func (s *numbers) eachSpilled(visit func(value amount.Amount, n int) error) error {
	var key []byte
	n := 0
	flush := func() error {
		if n == 0 {
			return nil
		}
		value, err := amount.FromKey(key)
		if err != nil {
			return err
		}
		of := n
		n = 0
		return visit(value, of)
	}
	err := spill.Merge([]*spill.Sorter{s.sorter}, func(item []byte) error {
		tail := len(item) - itemTail
		if !bytes.Equal(item[:tail], key) {
			if err := flush(); err != nil {
				return err
			}
			key = append(key[:0], item[:tail]...)
		}
		n += int(binary.BigEndian.Uint64(item[tail:]))
		return nil
	})
	if err != nil {
		return err
	}
	return flush()
}
