package equality

import (
	"github.com/zeebo/xxh3"
)

// Print is the fingerprint of a record by what its values mean: by the names of
// its columns, in whatever order, and without those that are blank, so that it
// is the same whichever other sources are read beside it. The zero value is that
// of a record with nothing in it.
type Print struct {
	sum  uint64
	room []byte
}

// Add takes a value in. The column is called by its name.
func (p *Print) Add(column string, text []byte, decimal byte) {
	p.room = append(append(p.room[:0], column...), 0)
	from := len(p.room)
	if p.room = Append(p.room, text, decimal); len(p.room) > from {
		p.sum += xxh3.Hash(p.room)
	}
}

// Sum is the fingerprint of what was added, and begins with another record.
func (p *Print) Sum() uint64 {
	sum := p.sum
	p.sum = 0
	return sum
}
