// Package separators finds where delimiters and line ends stand in delimited text, outside quotes, 64 bytes at a
// time. It knows nothing of records.
//
// It is sure of text whose quotes are regular: each opens where a field begins and, doubled ones aside, closes before
// a delimiter or a line end. Of any other it only tells that it is none, since what quotes then mean depends on the
// records before them.
//
// On amd64 with AVX2 this is assembly, which go generate writes (see avx2); elsewhere, and with GODEBUG=cpu.avx2=off,
// the same is done in Go. Which way it went makes no difference to what is found.
package separators

import (
	"bytes"
	"encoding/binary"
	"math/bits"
)

//go:generate go -C avx2 run . -out ../asm_amd64.s -stubs ../asm_amd64.go -pkg separators

// Rule says by which bytes fields and records are parted.
type Rule struct {
	Delimiter, LineEnd byte
	Quotes             bool // a delimiter or a line end between quotes is text
}

// state is what is carried from one stretch of text to the next. The assembly knows its layout.
type state struct {
	delimiter, quote, lineEnd, carriage byte

	quotes, returns uint64 // all ones, or 0 where such a byte is text like any other

	inside   uint64 // all ones within quotes, else 0
	begins   uint64 // 1 where a quote may open at the next byte
	closed   uint64 // 1 where a quote has closed with the last byte
	returned uint64 // 1 where the last byte was a carriage return behind a closed quote
	bad      uint64 // not 0 where a quote is not regular

	lines int // line ends outside quotes, told by Note
	last  int // where the last of them is, -1 without one; told by Cut

	returnsSeen uint64 // not 0 where there is a carriage return, told by the assembly alone

	unneeded uint64 // 1 where the last byte is within quotes that nothing has needed so far; not for Cut
	needless uint64 // not 0 where some have closed so
}

func (r Rule) start() *state {
	s := &state{delimiter: r.Delimiter, quote: '"', lineEnd: r.LineEnd, carriage: '\r', begins: 1, last: -1}
	if r.Quotes {
		s.quotes = ^uint64(0)
	}
	if r.Quotes && r.LineEnd == '\n' {
		s.returns = ^uint64(0)
	}
	return s
}

// Found tells what stands in a text.
type Found struct {
	Places  []uint32 // of the separators, in their order
	Lines   int      // how many of these are line ends
	Regular bool     // all quotes are; where they are not, places mean nothing
	Returns bool     // it holds carriage returns; one before a line end is left to the caller
	Needed  bool     // a delimiter or a line end stands within all quotes, so that they cannot be left out
}

// Note appends to places where each separator stands in data, which ends in a line end.
func (r Rule) Note(places []uint32, data []byte) Found {
	const stretch = 4096 // bytes between two looks at the room in places
	const ahead = 12     // places that are written whether they are there or not
	s := r.start()
	for from := 0; from < len(data); from += stretch {
		part := data[from:min(len(data), from+stretch)]
		n := len(places)
		if room := n + len(part) + ahead; room > cap(places) {
			places = append(make([]uint32, 0, 2*room), places...)
		}
		out := places[:cap(places)]
		whole := 0
		if hasAVX2 {
			whole = len(part) &^ (chunkSize - 1)
		}
		if whole > 0 {
			n += note(&part[0], whole/chunkSize, &out[n], uint32(from), &s.delimiter)
		}
		n += s.note(part[whole:], out[n:], from+whole)
		places = places[:n]
	}
	seen := s.returnsSeen != 0
	if tail := len(data) & (chunkSize - 1); !seen && hasAVX2 {
		seen = bytes.IndexByte(data[len(data)-tail:], s.carriage) >= 0
	} else if !seen {
		seen = bytes.IndexByte(data, s.carriage) >= 0
	}
	return Found{places, s.lines, s.isRegular(), seen, s.needless == 0}
}

// Cut tells where the last line ends in data that is not within quotes, 0 where none does, and whether all
// quotes in it are regular. One that is still open at its end does no harm.
func (r Rule) Cut(data []byte) (end int, regular bool) {
	s := r.start()
	whole := len(data) &^ (chunkSize - 1)
	from := 0
	if whole > 0 && hasAVX2 {
		cut(&data[0], whole/chunkSize, &s.delimiter)
		from = whole
	}
	s.cut(data[from:], from)
	return s.last + 1, s.bad == 0
}

// isRegular tells of a whole text whether its quotes are regular.
func (s *state) isRegular() bool { return s.bad|s.inside == 0 }

const (
	chunkSize = 64 // bytes that are looked at together
	wordSize  = 8
	everyByte = 0x0101010101010101
	low7Bits  = 0x7f7f7f7f7f7f7f7f
	gather    = 0x0102040810204080 // brings the lowest bits of eight bytes together, in the highest byte
)

// note is the assembly's note for data of any length; at is the place of its first byte.
func (s *state) note(data []byte, out []uint32, at int) (n int) {
	for len(data) > 0 {
		separators, ends := s.look(data)
		s.lines += bits.OnesCount64(ends)
		for ; separators != 0; separators &= separators - 1 {
			out[n] = uint32(at + bits.TrailingZeros64(separators))
			n++
		}
		size := min(chunkSize, len(data))
		data, at = data[size:], at+size
	}
	return n
}

// cut is the assembly's cut, likewise.
func (s *state) cut(data []byte, at int) {
	for len(data) > 0 {
		_, ends := s.look(data)
		if ends != 0 {
			s.last = at + bits.Len64(ends) - 1
		}
		size := min(chunkSize, len(data))
		data, at = data[size:], at+size
	}
}

// look looks at the first chunk of data, or at all of it where that is less.
func (s *state) look(data []byte) (separators, ends uint64) {
	there := ^uint64(0) // which bits stand for bytes that are there
	if len(data) < chunkSize {
		there = 1<<len(data) - 1
		var tail [chunkSize]byte
		copy(tail[:], data)
		data = tail[:]
	}
	chunk := (*[chunkSize]byte)(data)
	delimiters, lineEnds := mask(chunk, s.delimiter)&there, mask(chunk, s.lineEnd)&there
	if s.quotes == 0 {
		return delimiters | lineEnds, lineEnds
	}
	quotes, returns := uint64(0), uint64(0)
	if bytes.IndexByte(chunk[:], s.quote) >= 0 {
		quotes = mask(chunk, s.quote) & there
	}
	if quotes|s.inside|s.closed|s.returned == 0 { // as most of text is
		separators = delimiters | lineEnds
		s.begins = separators >> (chunkSize - 1)
		return separators, lineEnds
	}
	if s.returns != 0 && bytes.IndexByte(chunk[:], s.carriage) >= 0 {
		returns = mask(chunk, s.carriage) & there
	}
	return s.step(quotes, delimiters, lineEnds, returns, there)
}

// mask has a bit for each byte of a chunk that is c.
func mask(chunk *[chunkSize]byte, c byte) uint64 {
	wanted := everyByte * uint64(c)
	return eight(chunk[0:8], wanted) | eight(chunk[8:16], wanted)<<8 | eight(chunk[16:24], wanted)<<16 |
		eight(chunk[24:32], wanted)<<24 | eight(chunk[32:40], wanted)<<32 | eight(chunk[40:48], wanted)<<40 |
		eight(chunk[48:56], wanted)<<48 | eight(chunk[56:64], wanted)<<56
}

// eight has a bit for each of eight bytes that is the one of which wanted is full. By exclusive or they become zero
// where they are equal; the sum sets the high bit of every byte that is not zero, without a carry between bytes.
func eight(word []byte, wanted uint64) uint64 {
	x := binary.LittleEndian.Uint64(word) ^ wanted
	x = ^(x&low7Bits + low7Bits | x | low7Bits) >> (wordSize - 1)
	return x * gather >> (chunkSize - wordSize)
}

// step takes the words of a chunk into account.
func (s *state) step(quotes, delimiters, lineEnds, returns, there uint64) (separators, ends uint64) {
	inside := prefixXor(quotes) ^ s.inside
	s.inside = uint64(int64(inside) >> (chunkSize - 1))
	separators, ends = (delimiters|lineEnds)&^inside, lineEnds&^inside
	opens, closes := quotes&inside, quotes&^inside

	// What is within quotes and no separator is a run of ones from an opening quote on. One that is added there is
	// carried to the first byte that is none of it: to the closing quote, if no separator stands between.
	carried, first := bits.Add64(inside&^(delimiters|lineEnds), s.unneeded, 0)
	carried, second := bits.Add64(carried, opens, 0)
	s.needless |= carried & closes
	s.unneeded = first | second

	before := separators | closes
	s.bad |= opens &^ (before<<1 | s.begins)
	s.begins = before >> (chunkSize - 1)

	behind := (closes<<1 | s.closed) & there
	s.bad |= behind &^ (separators | opens | returns)
	s.closed = closes >> (chunkSize - 1)

	returned := behind & returns
	s.bad |= (returned<<1 | s.returned) & there &^ ends
	s.returned = returned >> (chunkSize - 1)
	return separators, ends
}

// prefixXor has in each bit the exclusive or of all bits up to it.
func prefixXor(x uint64) uint64 {
	for by := 1; by < chunkSize; by <<= 1 {
		x ^= x << by
	}
	return x
}
