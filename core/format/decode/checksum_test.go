package decode

import (
	"bytes"
	"compress/gzip"
	"io"
	"strings"
	"testing"

	"github.com/klauspost/compress/zstd"
)

// Packed text has a checksum, so that a byte that is another one is an error and never
// another figure.
func TestAFlippedByteIsNoOtherValue(t *testing.T) {
	text := strings.Repeat("document,debit\nD1,1234.50\nD2,99.00\n", 20)
	packers := map[Layer]func(w io.Writer) (io.WriteCloser, error){
		Gzip: func(w io.Writer) (io.WriteCloser, error) { return gzip.NewWriter(w), nil },
		Zstd: func(w io.Writer) (io.WriteCloser, error) { return zstd.NewWriter(w) },
	}
	for layer, pack := range packers {
		var packed bytes.Buffer
		w, err := pack(&packed)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := io.WriteString(w, text); err != nil {
			t.Fatal(err)
		}
		if err := w.Close(); err != nil {
			t.Fatal(err)
		}
		refused := 0
		for at := range packed.Bytes() {
			flipped := bytes.Clone(packed.Bytes())
			flipped[at] ^= 0x10
			r, err := NewReader(bytes.NewReader(flipped), layer, int64(len(flipped)))
			if err != nil {
				refused++
				continue
			}
			got, err := io.ReadAll(r)
			if err == nil && string(got) != text {
				t.Errorf("%s: with byte %d flipped, another text is read without an error", layer, at)
			}
			if err != nil {
				refused++
			}
		}
		if refused < packed.Len()/2 {
			t.Errorf("%s: only %d of %d flipped bytes were noticed", layer, refused, packed.Len())
		}
	}
}
