// Package texts puts texts one behind another, each with its length before it, so that
// no text can be taken for the end of one and the start of the next.
//
//	3 A17  5 12.50  0
package texts

import (
	"cmp"
	"encoding/binary"

	"lastblock/core/value/natural"
)

// Append appends a text.
func Append(dst, text []byte) []byte {
	if len(text) < oneByte {
		dst = append(dst, byte(len(text)))
	} else {
		dst = binary.AppendUvarint(dst, uint64(len(text)))
	}
	return append(dst, text...)
}

// oneByte is from which length on that takes more than one byte.
const oneByte = 0x80

// Take takes the first text off some. It must be what Append has made.
func Take(data []byte) (text, rest []byte) {
	if size := int(data[0]); size < oneByte {
		return data[1 : 1+size : 1+size], data[1+size:]
	}
	size, n := binary.Uvarint(data)
	end := n + int(size)
	return data[n:end:end], data[end:]
}

// Nth is the n-th text, from 0.
func Nth(data []byte, n int) []byte {
	for range n {
		_, data = Take(data)
	}
	text, _ := Take(data)
	return text
}

// Close makes a text of what was appended behind a byte that was left for its length at
// from. A long one moves, since its length takes more than that.
func Close(data []byte, from int) []byte {
	size := len(data) - from - 1
	if size < oneByte {
		data[from] = byte(size)
		return data
	}
	var length [binary.MaxVarintLen64]byte
	n := binary.PutUvarint(length[:], uint64(size))
	data = append(data, length[1:n]...)
	copy(data[from+n:], data[from+1:len(data)-n+1])
	copy(data[from:], length[:n])
	return data
}

// Size is how many bytes a length takes, and Put puts it in its place and returns the
// same.
func Size(length int) int {
	n := 1
	for ; length >= oneByte; length >>= 7 {
		n++
	}
	return n
}

// Put puts a length in its place, and returns how many bytes it takes.
func Put(to []byte, length int) int {
	if length < oneByte {
		to[0] = byte(length)
		return 1
	}
	return binary.PutUvarint(to, uint64(length))
}

// First are the first n texts together, and all that stands behind them.
func First(data []byte, n int) (first, rest []byte) {
	rest = data
	for range n {
		_, rest = Take(rest)
	}
	return data[:len(data)-len(rest)], rest
}

// Split takes all texts apart.
func Split(data []byte) []string {
	var all []string
	for len(data) > 0 {
		var text []byte
		text, data = Take(data)
		all = append(all, string(text))
	}
	return all
}

// Compare compares text by text in natural order; only equal texts are equal.
func Compare(a, b []byte) int {
	for len(a) > 0 && len(b) > 0 {
		var x, y []byte
		x, a = Take(a)
		y, b = Take(b)
		if c := natural.Compare(x, y); c != 0 {
			return c
		}
	}
	return cmp.Compare(len(a), len(b))
}

// Prefix settles most comparisons: it is greater of texts that come later by Compare, and equal
// where it does not tell.
func Prefix(data []byte) uint64 {
	first, _ := Take(data)
	return natural.Prefix(first)
}
