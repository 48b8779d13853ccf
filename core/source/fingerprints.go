package source

import (
	"context"
	"sync/atomic"

	"lastblock/core/large/prints"
	"lastblock/core/record"
)

// Fingerprints take the fingerprint of the records of each source, as one of those that share a scan. It does
// not depend on the order of the records, and tells them as they were read: every field as it was sent,
// computed columns, and those that could not be read or were left out. Entries and sheets have one each, so that it
// tells which of them differs when their file does; what a database gives has no other mark.
type Fingerprints struct {
	visitors []*fingerprinter
}

// fingerprinter takes those of one goroutine.
type fingerprinter struct {
	sums map[int]*prints.Sum // by source
	read int
}

// TakeFingerprints has each Scan of the set take the fingerprints of what it reads.
func (s *Set) TakeFingerprints() { s.prints = new(Fingerprints) }

// Fingerprint is that of the records of a source in the last Scan, where they were taken.
func (s *Set) Fingerprint(index int) string { return s.prints.Of(index) }

// IsQueried tells whether a source is what a database gives.
func (s *Set) IsQueried(index int) bool { return IsQuery(s.Sources[index].Path) }

// Query is the query that a source is, of a database.
func (s *Set) Query(index int) string { return s.Sources[index].manner().Query }

// Visitor makes the visitor of one goroutine.
func (f *Fingerprints) Visitor() Visitor {
	v := &fingerprinter{sums: make(map[int]*prints.Sum)}
	f.visitors = append(f.visitors, v)
	return v
}

// Read is how many records were visited.
func (f *Fingerprints) Read() (n int) {
	for _, v := range f.visitors {
		n += v.read
	}
	return n
}

// Of is the fingerprint of the records of a source, 32 hexadecimal digits, when all were read.
func (f *Fingerprints) Of(index int) string {
	var sum prints.Sum
	for _, v := range f.visitors {
		if s := v.sums[index]; s != nil {
			sum.Add(*s)
		}
	}
	return sum.String()
}

// beside has visitors take fingerprints of what others are given, afresh.
func (f *Fingerprints) beside(visit func() Visitor) func() Visitor {
	f.visitors = nil
	return func() Visitor {
		return &fanVisitor{given: new(atomic.Int64), visitors: []Visitor{f.Visitor(), visit()}}
	}
}

func (v *fingerprinter) Batch(b *Batch) error {
	v.read += b.Arrived
	sum := v.sums[b.Index]
	if sum == nil {
		sum = new(prints.Sum)
		v.sums[b.Index] = sum
	}
	addRecords(sum, &b.Stretch.Batch)
	if b.Dropped != nil {
		addRecords(sum, b.Dropped)
	}
	for i := range b.Refused {
		add(sum, b.Refused[i].Raw)
	}
	return nil
}

func (v *fingerprinter) Flush(context.Context, int) error { return nil }

// addRecords adds the records of a batch, each with the marks between its fields.
func addRecords(sum *prints.Sum, b *record.Batch) {
	for row := range b.Rows {
		bounds := b.RecordBounds(row)
		if begin, end := bounds[0]+1, bounds[b.Width]; begin <= end {
			add(sum, b.Data[begin:end])
		}
	}
}

func add(sum *prints.Sum, record []byte) {
	sum.Add(prints.Of(record))
}
