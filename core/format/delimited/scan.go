package delimited

import (
	"bytes"
	"encoding/binary"
	"math/bits"

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
// There are two ways through a block. Nearly every block holds no quote, and
// then all separators are found eight bytes at a time without looking at what
// they separate; a cheap second look tells whether they form a rectangle of
// Width fields a line. Where they do not, or where there are quotes, the block
// is read record by record.
func (s *Scanner) Scan(block Block, b *record.Batch) {
	b.Reset(s.Width)
	b.Data = block.Data
	b.FirstLine = block.FirstLine
	if len(block.Data) == 0 {
		return
	}
	if !block.quotes && s.scanRectangle(block, b) {
		return
	}
	b.Bounds = b.Bounds[:0]
	s.scanRecords(block, b)
}

// scanRectangle reads a block without quotes, and reports false where it is
// not a rectangle of records and nothing else.
func (s *Scanner) scanRectangle(block Block, b *record.Batch) bool {
	data := block.Data
	b.Bounds = separators(b.Bounds[:0], data, s.Dialect)
	stride := s.Width + 1
	if len(b.Bounds) != block.lines*stride+1 {
		return false
	}
	bounds := b.Bounds
	carriage := s.Dialect.LineEnd == '\n' && bytes.IndexByte(data, '\r') >= 0
	carriages := 0
	for i := s.Width; i < len(bounds); i += stride {
		end := bounds[i]
		if bounds[i+1] != end {
			return false // the line ends before or behind its Width fields
		}
		start := bounds[i-s.Width] + 1
		if carriage && end > start && data[end-1] == '\r' {
			end--
			bounds[i] = end
			carriages++
		}
		if length := int(end - start); length == 0 || length == len(s.Header) &&
			bytes.Equal(data[start:end], s.Header) {
			return false // a blank line, or the header once more
		}
	}
	b.Rows = block.lines
	b.Plain = (!carriage || bytes.Count(data, carriageReturn) == carriages) &&
		(!s.Dialect.NoQuotes || bytes.IndexByte(data, '"') < 0)
	return true
}

var carriageReturn = []byte{'\r'}

const (
	everyByte = 0x0101010101010101
	low7Bits  = 0x7f7f7f7f7f7f7f7f
)

// separators appends the byte before the first record, then the position of
// each delimiter once and of each line end twice: as the end of its record and
// as the byte before the next one. data must end in a line end.
//
// A word of eight bytes is compared with a separator by exclusive or, which
// leaves a zero where they are equal; the sum below sets the high bit of
// every byte that is not zero, exactly, without a carry between bytes.
func separators(bounds []uint32, data []byte, d Dialect) []uint32 {
	const stretch = 4096 // bytes between two looks at the capacity of bounds
	delimiters := everyByte * uint64(d.Delimiter)
	lineEnds := everyByte * uint64(d.LineEnd)
	bounds = append(bounds, ^uint32(0)) // the byte before 0, in wrapping arithmetic
	for from := 0; from < len(data); from += stretch {
		to := min(from+stretch, len(data))
		n := len(bounds)
		if room := n + 2*(to-from) + 2; room > cap(bounds) {
			grown := make([]uint32, n, 2*room)
			copy(grown, bounds)
			bounds = grown
		}
		out := bounds[:cap(bounds)]
		i := from
		for ; i+8 <= to; i += 8 {
			word := binary.LittleEndian.Uint64(data[i:])
			x := word ^ delimiters
			x |= x&low7Bits + low7Bits
			y := word ^ lineEnds
			y |= y&low7Bits + low7Bits
			for m := ^(x & y) &^ low7Bits; m != 0; m &= m - 1 {
				bit := bits.TrailingZeros64(m)
				at := uint32(i + bit>>3)
				out[n] = at
				out[n+1] = at
				n += 2 - int(y>>bit&1)
			}
		}
		for ; i < to; i++ {
			switch data[i] {
			case d.Delimiter:
				out[n] = uint32(i)
				n++
			case d.LineEnd:
				out[n], out[n+1] = uint32(i), uint32(i)
				n += 2
			}
		}
		bounds = out[:n]
	}
	return bounds
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
