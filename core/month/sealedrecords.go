package month

import (
	"slices"
	"strings"

	"lastblock/core/capability/trace"
	"lastblock/core/month/block"
	"lastblock/core/record"
	"lastblock/core/value/amount"
)

// sealedRecords are the records of a figure that a block has retained of sources which are not as they were.
type sealedRecords struct {
	sources map[string]bool // that have changed since, or are gone
	records []sealedRecord  // the largest amounts first
}

type sealedRecord struct {
	source string
	trace.Record
}

// takeRetained takes the records of the figure as they were sealed, of sources that are not as they were, where the
// block has retained them and they come to what it says of each source. ok is false where they do not.
func (t *tracer) takeRetained() (ok bool, err error) {
	sealed := &sealedRecords{sources: make(map[string]bool)}
	by := make(map[string][2]amount.Sum) // by source and decimal mark
	texts := make(map[string][]sealedRecord)
	for i := range t.compared.Sources {
		c := &t.compared.Sources[i]
		name := c.Source
		switch {
		case c.Change == Moved:
			continue
		case c.was >= 0:
			name = t.compared.sealed[c.was].Source
		}
		if t.gave.Unknown[name] {
			return false, nil
		}
		sealed.sources[name] = true
	}
	isWanted := func(source string) bool { return sealed.sources[source] }
	err = t.chain.Records(t.entry, isWanted, func(columns []string, r *block.Record) error {
		for _, w := range t.Words {
			if at := slices.Index(columns, w.Column); at < 0 || !w.IsSaid(r.Texts[at]) {
				return nil
			}
		}
		at := slices.Index(columns, t.sum)
		if at < 0 {
			return nil
		}
		sums := by[r.Source]
		for k, mark := range marks {
			if value, err := amount.Parse([]byte(r.Texts[at]), mark); err == nil {
				sums[k].Add(value)
			}
		}
		by[r.Source] = sums
		texts[r.Source] = append(texts[r.Source], t.sealedRecord(columns, r, at))
		return nil
	})
	if err != nil {
		return false, err
	}
	for name := range sealed.sources {
		sums, gave := by[name], t.gave.By[name]
		k := slices.IndexFunc(sums[:], func(s amount.Sum) bool { return s.Amount().Cmp(gave) == 0 })
		if k < 0 {
			return false, nil
		}
		for _, r := range texts[name] {
			value, err := amount.Parse(r.Raw, marks[k])
			r.Amount, r.HasAmount, r.Raw = value, err == nil, nil
			sealed.records = append(sealed.records, r)
		}
	}
	slices.SortStableFunc(sealed.records, func(a, b sealedRecord) int { return b.Amount.Abs().Cmp(a.Amount.Abs()) })
	t.retained = sealed
	return true, nil
}

// sealedRecord is a retained record with the columns of the trace; its amount stands in Raw, as it was sent.
func (t *tracer) sealedRecord(columns []string, r *block.Record, sum int) sealedRecord {
	s := sealedRecord{source: r.Source}
	s.State, s.Place, s.Raw = trace.Used, record.PlaceOf(0, r.Line), []byte(r.Texts[sum])
	for _, name := range t.Columns {
		text := ""
		if at := slices.Index(columns, name); at >= 0 {
			text = r.Texts[at]
		}
		s.Texts = append(s.Texts, []byte(strings.Clone(text)))
	}
	return s
}

// Visit calls visit for the records of the figure with the names of their sources, the largest amounts first: as they
// are, or where AsSealed says so as the block has sealed them.
func (t *Traced) Visit(visit func(source string, r *trace.Record) error) error {
	var rest []sealedRecord
	isSealed := func(string) bool { return false }
	if t.AsSealed {
		rest = t.retained.records
		isSealed = func(source string) bool { return t.retained.sources[source] }
	}
	before := func(value *amount.Amount) error {
		for len(rest) > 0 && (value == nil || rest[0].Amount.Abs().Cmp(value.Abs()) >= 0) {
			if err := visit(rest[0].source, &rest[0].Record); err != nil {
				return err
			}
			rest = rest[1:]
		}
		return nil
	}
	err := t.Each(func(r *trace.Record) error {
		source := t.Set.Sources[r.Place.Source()].Name
		if isSealed(source) {
			return nil
		}
		if err := before(&r.Amount); err != nil {
			return err
		}
		return visit(source, r)
	})
	if err == nil {
		err = before(nil)
	}
	return err
}

// Listed is how many records Visit visits where all are kept.
func (t *Traced) Listed() int {
	n := t.Records
	if !t.AsSealed {
		return n
	}
	for i := range t.Sources {
		if s := &t.Sources[i]; t.retained.sources[s.Source] {
			n -= s.Records
		}
	}
	return n + len(t.retained.records)
}
