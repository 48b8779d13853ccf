package doubles

import (
	"cmp"
	"context"
	"errors"
	"slices"

	"lastblock/core/large/intern"
	"lastblock/core/source"
	"lastblock/core/tally"
)

const (
	sampleSources = 8     // whose first records are looked at
	sampleRecords = 2_000 // of each
	leastTelling  = 3     // columns, where there are as many
	longTimes     = 4     // as many values a column of long texts is to have, since these cost more
)

// errSampled ends a scan that has seen enough.
var errSampled = errors.New("enough was sampled")

// chooseTelling finds out from some records which columns tell records apart.
// Records that are the same agree in these, too, so that it is enough to take
// fingerprints of them; whether records that agree in these are the same is seen
// when they are read once more. Measured, this takes a quarter less time where
// half of the columns have few values.
func (s *search) chooseTelling(ctx context.Context) error {
	s.telling = slices.Clone(s.whole.columns)
	if len(s.telling) <= leastTelling {
		return nil
	}
	var indices []int
	step := max(1, len(s.sources)/sampleSources)
	for i := 0; i < len(s.sources) && len(indices) < sampleSources; i += step {
		indices = append(indices, i)
	}
	reading := s.reading
	reading.Progress, reading.OwnOutputs, reading.Partial, reading.Jobs = nil, true, true, 1
	sample := &sampler{search: s, values: make([]map[uint64]bool, len(s.columns)), bytes: make([]int, len(s.columns))}
	for i := range sample.values {
		sample.values[i] = make(map[uint64]bool)
	}
	for _, index := range indices {
		subset := s.set.Subset([]int{index})
		sample.bound = tally.NewBinding(subset, tally.DataColumns(s.columns)) // in which each is the first source
		sample.tally, sample.left = tally.New(subset, tally.Options{}).Visitor(), sampleRecords
		if err := subset.Scan(ctx, reading, func() source.Visitor { return sample }); err != nil &&
			!errors.Is(err, errSampled) {
			return err
		}
	}
	s.telling = sample.telling()
	return nil
}

// sampler looks at some records.
type sampler struct {
	search  *search
	tally   *tally.Visitor
	left    int
	bound   *tally.Binding
	scratch []byte
	fields  fields
	values  []map[uint64]bool // by column
	bytes   []int             // of all values, by column
	records [][]uint64        // the values of each record
}

func (s *sampler) Batch(b *source.Batch) error {
	if err := s.tally.Batch(b); err != nil {
		return err
	}
	s.bound.To(b)
	for i := range s.tally.Usable(b) {
		if s.left == 0 {
			return errSampled
		}
		s.left--
		s.fields.read(s.bound, b, s.tally.Row(i), &s.scratch)
		record := make([]uint64, len(s.values))
		for column := range s.values {
			record[column] = printOf(s.fields.value(column)) * timesOf(column)
			s.values[column][record[column]] = true
			s.bytes[column] += len(s.fields.value(column))
		}
		s.records = append(s.records, record)
	}
	return nil
}

func (s *sampler) Flush(context.Context, int) error { return nil }

// telling are the columns with the most values, as many of them as are needed to
// tell the records of the sample apart as well as all columns do.
func (s *sampler) telling() []int {
	columns := slices.Clone(s.search.whole.columns)
	worth := func(column int) int {
		if s.bytes[column] > intern.MostHeld*len(s.records) {
			return len(s.values[column])
		}
		return longTimes * len(s.values[column])
	}
	slices.SortStableFunc(columns, func(a, b int) int { return cmp.Compare(worth(b), worth(a)) })
	all := s.different(columns)
	for n := leastTelling; n < len(columns); n++ {
		if s.different(columns[:n]) == all {
			columns = columns[:n]
			break
		}
	}
	slices.Sort(columns)
	return columns
}

// different counts the records that differ in some columns.
func (s *sampler) different(columns []int) int {
	seen := make(map[uint64]bool)
	for _, record := range s.records {
		print := uint64(0)
		for _, column := range columns {
			print += record[column]
		}
		seen[print] = true
	}
	return len(seen)
}
