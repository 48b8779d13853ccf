package block

import (
	"bytes"
	"encoding/hex"
)

// A block is read without its sources and bridges, which are nearly all of it: its head. That the bytes are those that
// were sealed is known without reading them as JSON.

// bodyBegin and bodyEnd are around the body of a block, which is the second member of the canonical
// form.
var (
	bodyBegin = []byte(`,"body":"`)
	bodyEnd   = []byte(`"`)
)

// hasItsBody tells whether the bytes of a block are those that it was written with.
func hasItsBody(data []byte) bool {
	before, rest, ok := bytes.Cut(data, bodyBegin)
	if !ok {
		return false
	}
	body, after, ok := bytes.Cut(rest, bodyEnd)
	if !ok || len(body) != hex.EncodedLen(32) {
		return false
	}
	bare := make([]byte, 0, len(data))
	bare = append(append(bare, before...), after...)
	return SealOf(bare) == string(body)
}

// cut is a list in a block that is not read with the others: by what stands before it and behind it. Within a text a
// quote has a backslash before it, so that these stand in a block where the list begins and ends, and nowhere else.
type cut struct{ begin, end []byte }

var (
	sourcesCut = cut{[]byte(`,"sources":[`), []byte(`],"time":"`)}
	bridgesCut = cut{[]byte(`,"bridges":[`), []byte(`],"decisions":{`)}
)

// take takes the list out of a block: head is the block without its items, list a JSON array.
func (c *cut) take(data []byte) (head, list []byte, ok bool) {
	begin := bytes.Index(data, c.begin)
	if begin < 0 {
		return data, nil, false
	}
	begin += len(c.begin)
	end := bytes.Index(data[begin-1:], c.end)
	if end < 0 {
		return data, nil, false
	}
	end += begin - 1
	head = append(bytes.Clone(data[:begin]), data[end:]...)
	return head, data[begin-1 : end+1], true
}
