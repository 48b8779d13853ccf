package delimited

import (
	"bytes"

	"lastblock/core/record"
)

// Scanner turns blocks of a delimited source into batches.
type Scanner struct {
	Dialect Dialect
	Width   int    // how many fields a record has
	Header  []byte // the header as it was sent, to know its repetitions; may be nil

	// Least tells how many fields a record must have at the least to be filled up with
	// blank ones at its end where it has fewer than Width; 0 where none is filled up. Nil
	// is the same as 0. Cut tells that this also holds for a last line without a line end,
	// which may have been cut off.
	Least func() int
	Cut   bool
}

// Scan makes a batch of a block. The batch keeps block.Data; its refusals and
// boundaries refer into it.
//
// There are two ways through a block. In nearly every block all separators are found
// at once, without looking at what they separate; a cheap second look tells whether
// they form a rectangle of Width fields a line. Where they do not, or where a quote
// stands where RFC 4180 has none, the block is read record by record.
func (s *Scanner) Scan(block Block, b *record.Batch) {
	b.Reset(s.Width)
	b.Data = block.Data
	b.FirstLine = block.FirstLine
	if len(block.Data) == 0 || s.scanRectangle(block, b) {
		return
	}
	b.Bounds, b.Lines, b.Chained = b.Bounds[:0], b.Lines[:0], false
	s.scanRecords(block, b)
}

// scanRectangle reads a block of which all lines are records, and reports false where one
// is none.
func (s *Scanner) scanRectangle(block Block, b *record.Batch) bool {
	data, width := block.Data, s.Width
	found := s.Dialect.rule(block.quotes).Note(append(b.Bounds[:0], before), data)
	b.Bounds = found.Places
	rows := found.Lines
	if !found.Regular || width == 0 || len(b.Bounds) != rows*width+1 {
		return false
	}
	returns := 0
	start := b.Bounds[0] + 1
	for i := width; i < len(b.Bounds); i += width {
		end := b.Bounds[i]
		if data[end] != s.Dialect.LineEnd {
			return false // the line ends before or behind its Width fields
		}
		next := end + 1
		if found.Returns && end > start && data[end-1] == '\r' {
			end--
			returns++
		}
		if length := int(end - start); length == 0 || length == len(s.Header) &&
			bytes.Equal(data[start:end], s.Header) {
			return false // a blank line, or the header once more
		}
		start = next
	}
	b.Rows, b.Chained = rows, true
	b.Quoted = block.quotes
	b.Regular = !found.Returns || bytes.Count(data, carriageReturn) == returns
	if s.Dialect.NoQuotes && bytes.IndexByte(data, '"') >= 0 {
		b.Regular = false
	}
	b.Plain = b.Regular && !block.quotes
	b.Needed = b.Regular && found.Needed
	if rows < block.lines { // others are within quotes
		noteLines(b, s.Dialect.LineEnd)
	}
	if returns > 0 {
		trimReturns(b)
	}
	return true
}

// before is the byte before 0, in wrapping arithmetic.
const before = ^uint32(0)

var carriageReturn = []byte{'\r'}

// noteLines notes on which line each record starts, where some take several.
func noteLines(b *record.Batch, lineEnd byte) {
	line := b.FirstLine
	for row := range b.Rows {
		b.Lines = append(b.Lines, line)
		bounds := b.RecordBounds(row)
		line += lineBreaks(b.Data[bounds[0]+1:bounds[b.Width]+1], lineEnd)
	}
}

// trimReturns takes the carriage returns that belong to line ends out of the records.
func trimReturns(b *record.Batch) {
	b.Unchain()
	for i := b.Width; i < len(b.Bounds); i += b.Width + 1 {
		if end := b.Bounds[i]; end > b.Bounds[i-b.Width]+1 && b.Data[end-1] == '\r' {
			b.Bounds[i]--
		}
	}
}

// scanRecords reads a block record by record: quotes, blank lines, repeated
// headers, and lines with another number of fields than the header.
func (s *Scanner) scanRecords(block Block, b *record.Batch) {
	data := block.Data
	line := block.FirstLine
	b.Quoted = block.quotes
	least, asked := 0, false
	for start := 0; start < len(data); {
		first := len(b.Bounds)
		b.Bounds = append(b.Bounds, uint32(start)-1)
		end, reason, ok := s.Dialect.fields(data, start, b)
		fields := len(b.Bounds) - first - 1
		raw := trimLineEnd(data[start:end])
		keep := false
		switch {
		case !ok:
			opened := line + bytes.Count(raw, []byte{s.Dialect.LineEnd})
			b.Refused = append(b.Refused, record.Refusal{Reason: reason, Line: opened, Raw: raw})
		case len(raw) == 0:
			b.Blank++
		case s.isHeader(raw):
			b.Repeated = append(b.Repeated, line)
		case fields < s.Width && s.Least != nil && (s.Cut || !block.cutOff || end < len(data)):
			if !asked {
				least, asked = s.Least(), true
			}
			if keep = 0 < least && least <= fields; keep {
				s.fillUp(b, first, raw, line)
				break
			}
			fallthrough
		case fields != s.Width:
			b.Refused = append(b.Refused, record.Refusal{Reason: record.FieldCount, Line: line, Fields: fields,
				Raw: raw})
		default:
			keep = true
		}
		if keep {
			b.Lines = append(b.Lines, line)
			b.Rows++
		} else {
			b.Bounds = b.Bounds[:first]
		}
		line += lineBreaks(data[start:end], s.Dialect.LineEnd)
		start = end
	}
}

// fillUp puts a record of too few fields, whose bounds begin at first, behind the data once
// more, with blank fields at its end.
func (s *Scanner) fillUp(b *record.Batch, first int, raw []byte, line int) {
	fields := len(b.Bounds) - first - 1
	if len(b.Padded) == 0 {
		b.Data = bytes.Clone(b.Data) // which is also what follows in the source's buffer
	}
	moved := uint32(len(b.Data)) - (b.Bounds[first] + 1) // in wrapping arithmetic
	b.Data = append(b.Data, raw...)
	for i := first; i < len(b.Bounds); i++ {
		b.Bounds[i] += moved
	}
	for range s.Width - fields {
		b.Data = append(b.Data, s.Dialect.Delimiter)
		b.Bounds = append(b.Bounds, uint32(len(b.Data)))
	}
	b.Data = append(b.Data, s.Dialect.LineEnd)
	b.Padded = append(b.Padded, record.Padded{Fields: fields, Line: line})
}

// lineBreaks counts the line ends of one record, nearly always one.
func lineBreaks(record []byte, lineEnd byte) int {
	if i := bytes.IndexByte(record, lineEnd); i == len(record)-1 {
		return 1
	}
	return bytes.Count(record, []byte{lineEnd})
}

func (s *Scanner) isHeader(raw []byte) bool {
	return len(s.Header) > 0 && len(raw) == len(s.Header) && bytes.Equal(raw, s.Header)
}
