package matching

import (
	"bytes"
	"encoding/binary"

	"lastblock/core/large/texts"
	"lastblock/core/record"
	"lastblock/core/value/equality"
	"lastblock/core/value/spelling"

	"github.com/zeebo/xxh3"
)

// Key says by which columns records are brought together.
type Key struct {
	Columns []int
	Loose   []equality.Loose // what makes no difference, by column
	// Words are the words of names of sources that a column is, or is compared with, by column; "" for others. Their
	// values are the same in whatever spelling.
	Words []string

	room []byte
}

// Clone is a key of its own for another goroutine.
func (k *Key) Clone() *Key { return &Key{Columns: k.Columns, Loose: k.Loose, Words: k.Words} }

// Append appends the values of a key by what they mean, where there are several each
// with its length before it, and tells whether all of them are blank.
func (k *Key) Append(dst []byte, values [][]byte, decimals []byte) (key []byte, blank bool) {
	blank = true
	if len(k.Columns) == 1 && k.Loose[0] == (equality.Loose{}) && k.Words == nil { // as most are
		value := equality.Of(values[k.Columns[0]], decimals[k.Columns[0]], &k.room)
		return append(dst, value...), len(value) == 0
	}
	for i, column := range k.Columns {
		value := equality.Of(values[column], decimals[column], &k.room)
		blank = blank && len(value) == 0
		if k.Words != nil && k.Words[i] != "" {
			value = []byte(spelling.Of(k.Words[i], string(value)))
		}
		if loose := k.Loose[i]; loose != (equality.Loose{}) {
			from := len(dst)
			dst = loose.Append(append(dst, 0), value)
			dst = texts.Close(dst, from)
			continue
		}
		dst = texts.Append(dst, value)
	}
	return dst, blank
}

// Item is a record that was dealt: its place, the side that it is on, its key, and its
// texts: first the lengths of all, then one behind another with a byte between them, as
// they stand in most files. Those that were sent in quotes may be so here; the side then
// says that some are. The hash of its key is made again when it is needed, which
// takes less time than to keep it.
//
//	place  side  3 A17  3 5 4  A17,12.50,Pass
type Item []byte

const (
	placeAt = 0
	sideAt  = 8
	keyAt   = 9

	quotedBit = 0x80 // of the side
)

// Put deals the item of a record. One whose key is blank is by itself.
func (d *Dealer) Put(r *Record, key []byte, blank bool, side int) error {
	var place [keyAt]byte // and the side
	binary.LittleEndian.PutUint64(place[:], uint64(r.Place))
	place[sideAt] = byte(side)
	if blank {
		key = place[:]
	}
	size := keyAt + texts.Size(len(key)) + len(key)
	rest := r.Texts
	if r.raw != nil {
		if r.quoted {
			place[sideAt] |= quotedBit
		}
		size += len(r.raw) + 1 + r.sizes()
		rest = rest[len(r.bounds)-1:]
	}
	for _, text := range rest {
		size += texts.Size(len(text)) + len(text) + 1
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
			at += texts.Put(it[at:], int(end-r.bounds[k])-1)
		}
	}
	for _, text := range rest {
		at += texts.Put(it[at:], len(text))
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
		size += texts.Size(int(end-r.bounds[k]) - 1)
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
	return append(texts.Append(dst, key), it.data()...)[from:]
}

// Hash is that of the key.
func (it Item) Hash() uint64 { return xxh3.Hash(it.Key()) }

// Place is where the record stands.
func (it Item) Place() record.Place { return record.Place(binary.LittleEndian.Uint64(it[placeAt:])) }

// Side is the side that it was dealt for.
func (it Item) Side() int { return int(it[sideAt] &^ quotedBit) }

func (it Item) isQuoted() bool { return it[sideAt]&quotedBit != 0 }

// Key is the key, as Key.Append makes it.
func (it Item) Key() []byte {
	key, _ := texts.Take(it[keyAt:])
	return key
}

// IsAlike tells whether all texts are those of another item, to the byte. Of two that were sent with other quotes it
// tells that they are not.
func (it Item) IsAlike(o Item) bool {
	return it.isQuoted() == o.isQuoted() && bytes.Equal(it.data(), o.data())
}

// data are the texts with their lengths.
func (it Item) data() []byte {
	_, data := texts.Take(it[keyAt:])
	return data
}

// Texts puts the texts into a slice, which is as long as there are columns.
func (it Item) Texts(into [][]byte) {
	data := it.data()
	at := 0 // behind the lengths
	for range into {
		for data[at] >= 0x80 {
			at++
		}
		at++
	}
	body, quoted := data[at:], it.isQuoted()
	at = 0
	for i := range into {
		size := int(data[at])
		at++
		if size >= 0x80 {
			long, n := binary.Uvarint(data[at-1:])
			size, at = int(long), at-1+n
		}
		into[i] = within(body[:size:size], quoted)
		body = body[size+1:]
	}
}

// Text is the text of one of so many columns.
func (it Item) Text(column, columns int) []byte {
	data := it.data()
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
	return within(data[before:before+size:before+size], it.isQuoted())
}
