package source

import (
	"context"
	"fmt"
	"sync/atomic"
)

// Member is one of several that read the same records in one scan: a tie-out and a summary,
// say. What a member asks of a record, and so what it sets aside, is its own.
type Member interface {
	// Visitor makes the visitor of one goroutine, as visit of Scan does.
	Visitor() Visitor
	// Read is how many records the member has counted. It is asked when all were visited.
	Read() int
}

// FannedError says that the members of one scan have not read the same: a fault of Lastblock.
type FannedError struct {
	Member int // by its place among the members, from 0
	Read   int
	Given  int
}

func (e *FannedError) Error() string {
	return fmt.Sprintf("internal error: %d records were given to part %d of the run, which counted %d", e.Given,
		e.Member+1, e.Read)
}

// ScanFor is Scan for several members, which are given each batch one after another. They must have
// been prepared with the same reading, and with the set or a narrowed one of it. The error is that of
// Scan, or a *FannedError.
func (s *Set) ScanFor(ctx context.Context, reading Reading, members ...Member) error {
	given := new(atomic.Int64)
	var narrowed []*Narrowed
	for _, member := range members {
		if m, ok := member.(*narrowedMember); ok {
			narrowed = append(narrowed, m.narrowed)
			m.narrowed.begin()
		}
	}
	err := s.Scan(ctx, reading, func() Visitor {
		fan := &fanVisitor{given: given}
		for _, member := range members {
			fan.visitors = append(fan.visitors, member.Visitor())
		}
		return fan
	})
	if err != nil {
		return err
	}
	for _, n := range narrowed {
		if reading.Partial {
			n.settle()
			continue
		}
		if err := s.addressed(n.end()); err != nil {
			return err
		}
	}
	for i, member := range members {
		if read := member.Read(); read != int(given.Load()) {
			return &FannedError{Member: i, Read: read, Given: int(given.Load())}
		}
	}
	return nil
}

// fanVisitor hands what one goroutine reads to a visitor of each member.
type fanVisitor struct {
	visitors []Visitor
	given    *atomic.Int64 // records, to all goroutines
	parsed   parsed
}

// Batch shows the batch to all. Each has a copy of its own, in which it may take records out;
// what the copies refer to is not changed by anybody, see record.Batch.Own.
func (f *fanVisitor) Batch(b *Batch) error {
	f.given.Add(int64(b.Arrived))
	if len(f.visitors) == 1 { // who shares nothing
		return f.visitors[0].Batch(b)
	}
	f.parsed.reset()
	b.parsed = &f.parsed
	defer func() { b.parsed = nil }()
	for i, visitor := range f.visitors {
		shown := b
		if i < len(f.visitors)-1 {
			shown = new(Batch)
			*shown = *b
		}
		if err := visitor.Batch(shown); err != nil {
			return err
		}
	}
	return nil
}

func (f *fanVisitor) Part(ctx context.Context, task int) error {
	for _, visitor := range f.visitors {
		if parter, ok := visitor.(Parter); ok {
			if err := parter.Part(ctx, task); err != nil {
				return err
			}
		}
	}
	return nil
}

func (f *fanVisitor) Flush(ctx context.Context, task int) error {
	for _, visitor := range f.visitors {
		if err := visitor.Flush(ctx, task); err != nil {
			return err
		}
	}
	return nil
}
