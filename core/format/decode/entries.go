package decode

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
)

// EntriesError is an archive of more entries than there is memory for.
type EntriesError struct{ Count, Most int64 }

func (e *EntriesError) Error() string {
	if e.Most == MostParts {
		return fmt.Sprintf("this file has %d parts, and no workbook has more than %d; have it saved again", e.Count,
			e.Most)
	}
	return fmt.Sprintf("this zip file has %d entries, and there is memory for %d of them; unpack it first, or allow "+
		"more with ⟨memory⟩", e.Count, e.Most)
}

// MostParts is how many entries a file may have that is one source, such as a workbook.
const MostParts = 100_000

// countEntries counts the entries in the directory of an archive, whatever its end says of their number (APPNOTE
// 4.3.12, 4.3.14 and 4.3.16), without keeping any. What cannot be read has none: opening the archive tells.
func countEntries(r io.ReaderAt, size int64) int64 {
	const (
		endSize     = 22
		comment     = 1<<16 - 1 // that may stand behind the end
		locatorSize = 20
		wideEnd     = 56 // bytes of the end of a large archive
	)
	tail := make([]byte, min(size, endSize+comment+locatorSize))
	if _, err := r.ReadAt(tail, size-int64(len(tail))); err != nil && err != io.EOF {
		return 0
	}
	at := bytes.LastIndex(tail, []byte("PK\x05\x06"))
	if at < 0 || at+endSize > len(tail) {
		return 0
	}
	end := size - int64(len(tail)) + int64(at)
	length := uint64(binary.LittleEndian.Uint32(tail[at+12:]))
	offset := uint64(binary.LittleEndian.Uint32(tail[at+16:]))
	if locator := at - locatorSize; locator >= 0 && bytes.HasPrefix(tail[locator:], []byte("PK\x06\x07")) {
		wide, where := make([]byte, wideEnd), binary.LittleEndian.Uint64(tail[locator+8:])
		if where < uint64(size) {
			if _, err := r.ReadAt(wide, int64(where)); err == nil && bytes.HasPrefix(wide, []byte("PK\x06\x06")) {
				length, offset = binary.LittleEndian.Uint64(wide[40:]), binary.LittleEndian.Uint64(wide[48:])
				end = int64(where)
			}
		}
	}
	most := int64(0) // something may stand in front of the archive, so that it is not where it says
	for _, from := range []int64{int64(min(offset, uint64(size))), end - int64(min(length, uint64(end)))} {
		most = max(most, countFrom(r, from, size))
	}
	return most
}

// countFrom counts the entries of a directory that begins somewhere.
func countFrom(r io.ReaderAt, from, size int64) (n int64) {
	const headerSize = 46
	buffered := bufio.NewReaderSize(io.NewSectionReader(r, from, size-from), 1<<16)
	for {
		header, err := buffered.Peek(headerSize)
		if err != nil || !bytes.HasPrefix(header, []byte("PK\x01\x02")) {
			return n
		}
		length := headerSize
		for _, at := range []int{28, 30, 32} { // of the name, what belongs to it, and its comment
			length += int(binary.LittleEndian.Uint16(header[at:]))
		}
		if _, err := buffered.Discard(length); err != nil {
			return n
		}
		n++
	}
}
