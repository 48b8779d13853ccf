package block

import (
	"bytes"
	"encoding/hex"
)

// A block is read without its sources, which are nearly all of it: its head. That the bytes are those that
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

// Within a text a quote has a backslash before it, so that these stand in a block where its sources
// begin and end, and nowhere else.
var (
	sourcesBegin = []byte(`,"sources":[`)
	sourcesEnd   = []byte(`],"time":"`)
)

// cutSources takes the sources out of a block: head is the block without them, sources a JSON array.
func cutSources(data []byte) (head, sources []byte, ok bool) {
	begin := bytes.Index(data, sourcesBegin)
	if begin < 0 {
		return nil, nil, false
	}
	begin += len(sourcesBegin)
	end := bytes.Index(data[begin-1:], sourcesEnd)
	if end < 0 {
		return nil, nil, false
	}
	end += begin - 1
	head = append(bytes.Clone(data[:begin]), data[end:]...)
	return head, data[begin-1 : end+1], true
}
