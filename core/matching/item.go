package matching

import (
	"encoding/binary"

	"lastblock/core/meaning"

	"github.com/zeebo/xxh3"
)

// Place is where a record stands: the number of its source in the set, and the
// line on which it starts.
type Place uint64

const lineBits = 40

func placeOf(index, line int) Place { return Place(index)<<lineBits | Place(line) }

// Source is the index of the source.
func (p Place) Source() int { return int(p >> lineBits) }

// Line is the line of the source.
func (p Place) Line() int { return int(p & (1<<lineBits - 1)) }

// Key says by which columns records are brought together.
type Key struct {
	Columns []int
	Loose   []meaning.Loose // what makes no difference, by column

	room []byte
}

// Clone is a key of its own for another goroutine.
func (k *Key) Clone() *Key { return &Key{Columns: k.Columns, Loose: k.Loose} }

// Append appends the values of a key by what they mean, where there are several each
// with its length before it, and tells whether all of them are blank.
func (k *Key) Append(dst []byte, texts [][]byte, decimals []byte) (key []byte, blank bool) {
	blank = true
	if len(k.Columns) == 1 && k.Loose[0] == (meaning.Loose{}) { // as most are
		value := meaning.Of(texts[k.Columns[0]], decimals[k.Columns[0]], &k.room)
		return append(dst, value...), len(value) == 0
	}
	for i, column := range k.Columns {
		value := meaning.Of(texts[column], decimals[column], &k.room)
		blank = blank && len(value) == 0
		if loose := k.Loose[i]; loose != (meaning.Loose{}) {
			from := len(dst)
			dst = loose.Append(append(dst, 0), value)
			dst = withLength(dst, from)
			continue
		}
		dst = AppendText(dst, value)
	}
	return dst, blank
}

// AppendText appends a text with its length before it.
func AppendText(dst, text []byte) []byte {
	if len(text) < 0x80 {
		dst = append(dst, byte(len(text)))
	} else {
		dst = binary.AppendUvarint(dst, uint64(len(text)))
	}
	return append(dst, text...)
}

// TakeText takes the first text off what AppendText has made.
func TakeText(data []byte) (text, rest []byte) {
	if size := int(data[0]); size < 0x80 {
		return data[1 : 1+size : 1+size], data[1+size:]
	}
	size, n := binary.Uvarint(data)
	end := n + int(size)
	return data[n:end:end], data[end:]
}

// withLength puts the length of the last text into the byte that was left for it
// at from, or, of a long one, into several.
func withLength(data []byte, from int) []byte {
	size := len(data) - from - 1
	if size < 0x80 {
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

// Item is a record that was dealt: its place, the side that it is on, its key, and its
// texts: first the lengths of all, then one behind another with a byte between them, as
// they stand in most files. The hash of its key is made again when it is needed, which
// takes less time than to keep it.
//
//	place  side  3 A17  3 5 4  A17,12.50,Pass
type Item []byte

const (
	placeAt = 0
	sideAt  = 8
	keyAt   = 9
)

// Put deals the item of a record. One whose key is blank is by itself.
func (d *Dealer) Put(r *Record, key []byte, blank bool, side int) error {
	var place [keyAt]byte // and the side
	binary.LittleEndian.PutUint64(place[:], uint64(r.Place))
	place[sideAt] = byte(side)
	if blank {
		key = place[:]
	}
	size := keyAt + sizeOf(len(key)) + len(key)
	rest := r.Texts
	if r.raw != nil {
		size += len(r.raw) + 1 + r.sizes()
		rest = rest[len(r.bounds)-1:]
	}
	for _, text := range rest {
		size += sizeOf(len(text)) + len(text) + 1
	}
	it, err := d.bins.Room(d.heapOf(xxh3.Hash(key)), size)
	if err != nil {
		return err
	}
	copy(it, place[:])
	at := keyAt + binary.PutUvarint(it[keyAt:], uint64(len(key)))
	at += copy(it[at:], key)
	if r.raw != nil {
		for k, end := range r.bounds[1:] {
			at += putSize(it[at:], int(end-r.bounds[k])-1)
		}
	}
	for _, text := range rest {
		at += putSize(it[at:], len(text))
	}
	if r.raw != nil {
		at += copy(it[at:], r.raw)
		it[at] = 0
		at++
	}
	for _, text := range rest {
		at += copy(it[at:], text)
		it[at] = 0
		at++
	}
	return nil
}

// sizes is how many bytes the lengths of the texts in raw take.
func (r *Record) sizes() int {
	if len(r.raw) < 0x80 {
		return len(r.bounds) - 1
	}
	size := 0
	for k, end := range r.bounds[1:] {
		size += sizeOf(int(end-r.bounds[k]) - 1)
	}
	return size
}

// putSize puts a length in its place, and returns how many bytes it takes.
func putSize(to []byte, n int) int {
	if n < 0x80 {
		to[0] = byte(n)
		return 1
	}
	return binary.PutUvarint(to, uint64(n))
}

// sizeOf is how many bytes a length takes.
func sizeOf(n int) int {
	size := 1
	for ; n >= 0x80; n >>= 7 {
		size++
	}
	return size
}

// Rekey appends the item once more with another key.
func (it Item) Rekey(dst []byte, key []byte, blank bool) Item {
	from := len(dst)
	dst = append(dst, it[:keyAt]...)
	if blank {
		key = it[placeAt:keyAt]
	}
	return append(AppendText(dst, key), it.Data()...)[from:]
}

// Hash is that of the key.
func (it Item) Hash() uint64 { return xxh3.Hash(it.Key()) }

// Place is where the record stands.
func (it Item) Place() Place { return Place(binary.LittleEndian.Uint64(it[placeAt:])) }

// Side is the side that it was dealt for.
func (it Item) Side() int { return int(it[sideAt]) }

// Key is the key, as Key.Append makes it.
func (it Item) Key() []byte {
	key, _ := TakeText(it[keyAt:])
	return key
}

// Data are the texts with their lengths, which are the same where all texts are.
func (it Item) Data() []byte {
	_, data := TakeText(it[keyAt:])
	return data
}

// Texts puts the texts into a slice, which is as long as there are columns.
func (it Item) Texts(texts [][]byte) {
	data := it.Data()
	at := 0 // behind the lengths
	for range texts {
		for data[at] >= 0x80 {
			at++
		}
		at++
	}
	body := data[at:]
	at = 0
	for i := range texts {
		size := int(data[at])
		at++
		if size >= 0x80 {
			long, n := binary.Uvarint(data[at-1:])
			size, at = int(long), at-1+n
		}
		texts[i] = body[:size:size]
		body = body[size+1:]
	}
}

// Text is the text of one of so many columns.
func (it Item) Text(column, columns int) []byte {
	data := it.Data()
	at, before, size := 0, 0, 0
	for i := range columns {
		n := int(data[at])
		at++
		if n >= 0x80 {
			long, bytes := binary.Uvarint(data[at-1:])
			n, at = int(long), at-1+bytes
		}
		switch {
		case i < column:
			before += n + 1
		case i == column:
			size = n
		}
	}
	before += at
	return data[before : before+size : before+size]
}
