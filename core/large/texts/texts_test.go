package texts

import (
	"bytes"
	"testing"
)

// What was put one behind another comes apart again, by whichever way it was put there.
func FuzzTexts(f *testing.F) {
	f.Add([]byte("A17"), []byte(""), []byte("12.50"))
	f.Add(bytes.Repeat([]byte("x"), 127), bytes.Repeat([]byte("y"), 128), bytes.Repeat([]byte("z"), 20_000))
	f.Fuzz(func(t *testing.T, a, b, c []byte) {
		data := Append(nil, a)
		from := len(data)
		data = Close(append(append(data, 0), b...), from)
		data = Append(data, c)
		if want := Append(Append(Append(nil, a), b), c); !bytes.Equal(data, want) {
			t.Fatalf("left open and closed it is %q, and appended %q", data, want)
		}
		rest := data
		for i, want := range [][]byte{a, b, c} {
			var text []byte
			if text, rest = Take(rest); !bytes.Equal(text, want) || !bytes.Equal(Nth(data, i), want) {
				t.Errorf("text %d is %q and %q, want %q", i, text, Nth(data, i), want)
			}
			room := make([]byte, 10)
			if n := Put(room, len(want)); n != Size(len(want)) ||
				!bytes.Equal(append(room[:n:n], want...), Append(nil, want)) {
				t.Errorf("its length takes %d bytes, and %d", n, Size(len(want)))
			}
		}
		if len(rest) > 0 {
			t.Errorf("%q is left", rest)
		}
	})
}
