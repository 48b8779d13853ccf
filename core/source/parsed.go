package source

import "lastblock/core/value/amount"

// Parsed is a field read as an amount.
type Parsed struct {
	Value amount.Amount
	State ParsedState
}

// ParsedState says what a field was.
type ParsedState byte

// What a field was.
const (
	PlainAmount ParsedState = iota // digits with at most a sign and a decimal mark
	OtherAmount                    // an amount written in another way
	BlankAmount
	NoAmount
)

// ParseAmount reads a field of a batch as an amount.
func (b *Batch) ParseAmount(row, column int, decimal byte, scratch *[]byte) Parsed {
	from, to := b.Extent(row, column)
	if coef, scale, ok := amount.ParsePlainAt(b.Data, from, to, decimal); ok {
		return Parsed{amount.New(coef, int(scale)), PlainAmount}
	}
	switch value, err := amount.Parse(b.Text(row, column, scratch), decimal); err {
	case nil:
		return Parsed{value, OtherAmount}
	case amount.ErrBlank:
		return Parsed{State: BlankAmount}
	}
	return Parsed{State: NoAmount}
}

// Amounts are the amounts of a column, row by row, read once for all members of a scan; nil
// where there is one, who has nobody to share them with.
func (b *Batch) Amounts(column int) []Parsed {
	if b.parsed == nil {
		return nil
	}
	return b.parsed.of(b, column)
}

// Own makes the records of the batch its own, see record.Batch.Own. What others have read of
// them does not fit any more when some were taken out.
func (b *Batch) Own() {
	b.Batch.Own()
	b.parsed = nil
}

// parsed are the columns of a batch that were read as amounts.
type parsed struct {
	columns [][]Parsed // by column; of no length where nobody has asked
	scratch []byte
}

func (p *parsed) reset() {
	for i := range p.columns {
		p.columns[i] = p.columns[i][:0]
	}
}

func (p *parsed) of(b *Batch, column int) []Parsed {
	for len(p.columns) <= column {
		p.columns = append(p.columns, nil)
	}
	if values := p.columns[column]; len(values) == b.Batch.Rows {
		return values
	}
	values, decimal := p.columns[column][:0], b.DecimalOf(column)
	for row := range b.Batch.Rows {
		values = append(values, b.ParseAmount(row, column, decimal, &p.scratch))
	}
	p.columns[column] = values
	return values
}
