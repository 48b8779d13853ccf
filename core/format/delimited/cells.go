package delimited

import (
	"bytes"

	"lastblock/core/record"
)

// Cells goes through a whole text field by field, as somebody sees it who has it open: no line is a header, and
// those that are blank, or shorter than others, count. It is for forms, which are small.
type Cells struct {
	Dialect Dialect

	batch  record.Batch
	fields [][]byte
	room   [][]byte // of fields with quotes in them
}

// cellLines are the lines by which the delimiter of a form is found.
const cellLines = 200

// Start finds out how the text is written, as far as request does not say so. A delimiter is the character that
// most lines have as often as one another; of two that are equal, the comma counts last, as it may be a decimal mark.
func (c *Cells) Start(data []byte, request Request) {
	c.Dialect = Dialect{Delimiter: request.Delimiter, NoQuotes: request.NoQuotes}
	c.Dialect.LineEnd, _ = lineEndOf(data)
	if c.Dialect.Delimiter == 0 {
		c.Dialect.Delimiter = c.delimiter(data)
	}
}

func (c *Cells) delimiter(data []byte) byte {
	const mostFields = 1 << 10
	best, most := byte(','), 0
	for _, delimiter := range delimiters {
		var lines [mostFields]int // by how often it stands in them
		agree, rest := 0, data
		for n := 0; n < cellLines && len(rest) > 0; n++ {
			end := bytes.IndexByte(rest, c.Dialect.LineEnd) + 1
			if end == 0 {
				end = len(rest)
			}
			if count := bytes.Count(rest[:end], []byte{delimiter}); 0 < count && count < mostFields {
				lines[count]++
				agree = max(agree, lines[count])
			}
			rest = rest[end:]
		}
		if agree > most {
			best, most = delimiter, agree
		}
	}
	return best
}

// Each calls visit for each line that is not blank with its number, that on which a record of several lines starts,
// and its fields, which are good until visit returns. A line with a quote that is never closed has its fields with
// the quotes as they stand.
func (c *Cells) Each(data []byte, visit func(line int, fields [][]byte)) {
	if n := len(data); n > 0 && data[n-1] != c.Dialect.LineEnd {
		data = append(bytes.Clone(data), c.Dialect.LineEnd)
	}
	line, b := 1, &c.batch
	for start := 0; start < len(data); {
		b.Reset(0)
		b.Data, b.Quoted = data, !c.Dialect.NoQuotes
		b.Bounds = append(b.Bounds, uint32(start)-1)
		end, _, ok := c.Dialect.fields(data, start, b)
		if !ok {
			plain := Dialect{Delimiter: c.Dialect.Delimiter, LineEnd: c.Dialect.LineEnd, NoQuotes: true}
			b.Reset(0)
			b.Data = data
			b.Bounds = append(b.Bounds, uint32(start)-1)
			end, _, _ = plain.fields(data, start, b)
		}
		if len(trimLineEnd(data[start:end])) > 0 {
			visit(line, c.texts())
		}
		line += lineBreaks(data[start:end], c.Dialect.LineEnd)
		start = end
	}
}

// texts are the fields of the record in the batch, without their quotes.
func (c *Cells) texts() [][]byte {
	b := &c.batch
	b.Width, b.Rows = len(b.Bounds)-1, 1
	for len(c.room) < b.Width {
		c.room = append(c.room, nil)
	}
	c.fields = c.fields[:0]
	for i := range b.Width {
		c.fields = append(c.fields, b.Text(0, i, &c.room[i]))
	}
	return c.fields
}
