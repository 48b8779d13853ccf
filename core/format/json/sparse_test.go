package json

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"testing"

	"lastblock/core/format/delimited"
)

// Of many columns of which a record has few, in whatever order its keys stand, the line is the one that comes of
// writing field by field.
func TestSparseRecords(t *testing.T) {
	random := rand.New(rand.NewPCG(7, 2031))
	for range 500 {
		width := 1 + random.IntN(12)
		p := &parser{root: newNode(""), values: make([]value, width)}
		for i := range width {
			kid := newNode(fmt.Sprint("k", i))
			kid.column = i
			p.root.kids = append(p.root.kids, kid)
			p.root.byKey[kid.key] = kid
		}
		for range 3 { // one parser reads several records
			texts := make([]string, width)
			var object bytes.Buffer
			for n, i := range random.Perm(width)[:random.IntN(width+1)] {
				texts[i] = []string{"", "x", "a,b", "he said \"no\"", "12.50"}[random.IntN(5)]
				fmt.Fprintf(&object, "%s%q:%q", map[bool]string{true: ",", false: ""}[n > 0], fmt.Sprint("k", i),
					texts[i])
			}
			data := []byte("{" + object.String() + "}")
			if end, ok := p.object(data, 0); !ok || end != len(data) {
				t.Fatalf("%s is not read", data)
			}
			line, bounds, plain := p.appendRecord([]byte("before\n"), nil)
			var want []byte
			isPlain := true
			for i, text := range texts {
				if i > 0 {
					want = append(want, ',')
				}
				field := delimited.AppendField(nil, []byte(text), ',')
				isPlain = isPlain && len(field) == len(text)
				if got := string(line[bounds[i]+1 : bounds[i+1]]); got != string(field) {
					t.Errorf("%s: field %d is %q", data, i, got)
				}
				want = append(want, field...)
			}
			if string(line) != "before\n"+string(want)+"\n" || len(bounds) != width+1 || plain != isPlain {
				t.Errorf("%s: the line is %q, plain: %t", data, line, plain)
			}
		}
	}
}
