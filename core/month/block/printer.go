package block

import (
	"strconv"

	"lastblock/core/format/delimited"
	"lastblock/core/large/prints"
	"lastblock/core/value/amount"
)

// Printer takes the fingerprint of what a source gave to a result: the sum of those of its lines, whatever their order.
// What is the same for a source in two blocks has the same fingerprint.
type Printer struct {
	Sum  prints.Sum
	line []byte
}

// Cell is what a source gave to a group of a result: what a line of OfWithin says.
type Cell struct {
	Group  [][]byte
	Rows   int
	Totals []amount.Amount
	Place  []byte
}

// Begin begins one, with the columns of groups and totals.
func (p *Printer) Begin(by, columns []string) {
	const comma = ','
	p.line = append(p.line[:0], "columns"...)
	for _, name := range by {
		p.line = delimited.AppendField(append(p.line, comma), []byte(name), comma)
	}
	p.line = append(p.line, ",rows"...)
	for _, name := range columns {
		p.line = delimited.AppendField(append(p.line, comma), []byte(name), comma)
	}
	p.Sum = prints.Of(append(p.line, ",place"...))
}

// Given adds what the line of OfGiven says.
func (p *Printer) Given(rows int, totals []string, place string) {
	const comma = ','
	p.line = strconv.AppendInt(append(append(p.line[:0], OfGiven...), comma), int64(rows), 10)
	for _, total := range totals {
		p.line = append(append(p.line, comma), total...)
	}
	p.line = append(append(p.line, comma), place...)
	p.Sum.Add(prints.Of(p.line))
}

// Cell adds what the source gave to a group.
func (p *Printer) Cell(c *Cell) {
	const comma = ','
	p.line = append(append(p.line[:0], OfWithin...), comma)
	for _, value := range c.Group {
		p.line = append(delimited.AppendField(p.line, value, comma), comma)
	}
	p.line = strconv.AppendInt(p.line, int64(c.Rows), 10)
	for i := range c.Totals {
		p.line = c.Totals[i].Append(append(p.line, comma))
	}
	p.line = append(append(p.line, comma), c.Place...)
	p.Sum.Add(prints.Of(p.line))
}
