// Package delimited reads delimited text (RFC 4180, and more): it cuts a
// stream into blocks of whole records, scans blocks into record batches, and
// finds out by itself with which delimiter, and with which header, a source
// was written. It opens no files and keeps no counts.
//
// Beyond the standard: the delimiter may be any byte; lines end in LF, CR LF
// or CR; a quote within an unquoted field is text. A field is quoted where it
// begins with a quote, and its quote closes where a delimiter or a line end
// follows. Where something else follows, or nothing any more, the line on
// which the quote opened is refused, and reading goes on with the next line:
// one forgotten quote costs one record, never the rest of the file.
package delimited

import (
	"bytes"

	"lastblock/core/format/delimited/separators"
	"lastblock/core/record"
)

// Dialect is how a source separates its fields and lines.
type Dialect struct {
	Delimiter byte
	LineEnd   byte // '\n', before which one '\r' may stand, or '\r' alone
	NoQuotes  bool // a quote is text like any other
}

// rule is how the separators of a text are found; quotes says that there are some in it.
func (d Dialect) rule(quotes bool) separators.Rule {
	return separators.Rule{Delimiter: d.Delimiter, LineEnd: d.LineEnd, Quotes: quotes}
}

// fields appends to b.Bounds the end of each field of the record at start, and
// returns where the next record starts. ok is false where the record must be
// refused; end is then behind the line on which it starts. data must end in a
// line end.
func (d Dialect) fields(data []byte, start int, b *record.Batch) (end int, reason record.Reason, ok bool) {
	at := start
	for {
		field := at
		if data[at] == '"' && !d.NoQuotes {
			closing, state := d.closingQuote(data, at)
			if state != closed {
				return at + bytes.IndexByte(data[at:], d.LineEnd) + 1, state.reason(), false
			}
			at = closing + 1
			if data[at] == '\r' && d.LineEnd == '\n' {
				at++
			}
		} else {
			for data[at] != d.Delimiter && data[at] != d.LineEnd {
				at++
			}
		}
		if data[at] == d.LineEnd {
			if d.LineEnd == '\n' && at > field && data[at-1] == '\r' {
				b.Bounds = append(b.Bounds, uint32(at-1))
			} else {
				b.Bounds = append(b.Bounds, uint32(at))
			}
			return at + 1, 0, true
		}
		b.Bounds = append(b.Bounds, uint32(at))
		at++
	}
}

// quoteState says how a quoted field ends.
type quoteState uint8

const (
	closed     quoteState = iota
	unfinished            // not within the data
	stray                 // other text stands behind a quote, on the line where it opened
	straddled             // the same, on a later line
)

func (s quoteState) reason() record.Reason {
	if s == stray {
		return record.StrayQuote
	}
	return record.OpenQuote
}

// closingQuote finds the quote that closes the one at open.
func (d Dialect) closingQuote(data []byte, open int) (at int, state quoteState) {
	at = open + 1
	for {
		i := bytes.IndexByte(data[at:], '"')
		if i < 0 || at+i+1 == len(data) {
			return 0, unfinished
		}
		at += i
		switch next := data[at+1]; {
		case next == '"':
			at += 2
		case next == d.Delimiter, next == d.LineEnd:
			return at, closed
		case next == '\r' && d.LineEnd == '\n' && at+2 == len(data):
			return 0, unfinished
		case next == '\r' && d.LineEnd == '\n' && data[at+2] == '\n':
			return at, closed
		case bytes.IndexByte(data[open:at], d.LineEnd) >= 0:
			return 0, straddled
		default:
			return 0, stray
		}
	}
}
