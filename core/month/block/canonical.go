package block

import (
	"bytes"
	"encoding/json"
	"maps"
	"runtime"
	"slices"

	"github.com/gowebpki/jcs"
	"golang.org/x/sync/errgroup"
)

// canonical is the canonical form of a value (RFC 8785).
func canonical(value any) ([]byte, error) {
	data, err := json.Marshal(value)
	if err != nil {
		return nil, err
	}
	return jcs.Transform(data)
}

// members are the canonical forms of those of an object, by their names, which are of ASCII.
type members map[string]json.RawMessage

// members are those of the block.
func (b *Block) members() (members, error) {
	rest := *b
	rest.Sources = []Source{}
	data, err := canonical(&rest)
	if err != nil {
		return nil, err
	}
	all := make(members)
	if err := json.Unmarshal(data, &all); err != nil {
		return nil, err
	}
	all["sources"], err = canonicalList(b.Sources)
	return all, err
}

// object is the canonical form of the object: its members by their names.
func (m members) object() []byte {
	var data bytes.Buffer
	for i, name := range slices.Sorted(maps.Keys(m)) {
		data.WriteByte("{,"[min(i, 1)])
		data.WriteByte('"')
		data.WriteString(name)
		data.WriteString(`":`)
		data.Write(m[name])
	}
	data.WriteByte('}')
	return data.Bytes()
}

// canonicalList is the canonical form of a list. That is those of its elements one after another, so they are written
// on all cores: of ten thousand sources, one would take as long as adding up half of what they hold.
func canonicalList[T any](list []T) ([]byte, error) {
	const together = 256
	parts := make([][]byte, (len(list)+together-1)/together)
	var group errgroup.Group
	group.SetLimit(runtime.GOMAXPROCS(0))
	for i := range parts {
		group.Go(func() (err error) {
			parts[i], err = canonical(list[i*together : min((i+1)*together, len(list))])
			return err
		})
	}
	if err := group.Wait(); err != nil {
		return nil, err
	}
	for i, part := range parts {
		parts[i] = part[1 : len(part)-1] // without its brackets
	}
	return slices.Concat([]byte("["), bytes.Join(parts, []byte(",")), []byte("]")), nil
}
