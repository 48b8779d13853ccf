package decode

import (
	"bytes"
	"compress/gzip"
	"encoding/hex"
	"errors"
	"io"
	"strings"
	"testing"
	"testing/iotest"
	"unicode/utf16"

	"github.com/klauspost/compress/zstd"
)

const text = "document,debit\nC1,1.50\n"

// bzipped is the text above, packed by the bzip2 program, since there is no
// writer among the packages.
const bzipped = "425a6839314159265359792feb52000006dd8000100005620008001e238600200031434d3000507a35068f48835ece5c9e2" +
	"188f4490a67e2ee48a70a120f25fd6a40"

// pack packs with the writers of other packages than the readers under test,
// where there are any.
func pack(t testing.TB, layer Layer, content []byte) []byte {
	t.Helper()
	var out bytes.Buffer
	switch layer {
	case Gzip:
		w := gzip.NewWriter(&out)
		w.Write(content)
		w.Close()
	case Zstd:
		w, err := zstd.NewWriter(&out)
		if err != nil {
			t.Fatal(err)
		}
		w.Write(content)
		w.Close()
	case Bzip2:
		packed, err := hex.DecodeString(bzipped)
		if err != nil || string(content) != text {
			t.Fatal("only one text is packed with bzip2")
		}
		return packed
	default:
		for _, unit := range utf16.Encode([]rune(string(content))) {
			if layer == UTF16LE {
				out.Write([]byte{byte(unit), byte(unit >> 8)})
			} else {
				out.Write([]byte{byte(unit >> 8), byte(unit)})
			}
		}
	}
	return out.Bytes()
}

func TestLayers(t *testing.T) {
	for _, c := range []struct {
		rule   string
		layer  Layer
		packed []byte
	}{
		{"gzip", Gzip, pack(t, Gzip, []byte(text))},
		{"zstd", Zstd, pack(t, Zstd, []byte(text))},
		{"bzip2", Bzip2, pack(t, Bzip2, []byte(text))},
		{"UTF-16 with the low byte first", UTF16LE, pack(t, UTF16LE, []byte("\ufeff"+text))},
		{"UTF-16 with the high byte first", UTF16BE, pack(t, UTF16BE, []byte("\ufeff"+text))},
		{"UTF-16 without a mark", UTF16LE, pack(t, UTF16LE, []byte(text))},
		{"UTF-16 without a mark, the high byte first", UTF16BE, pack(t, UTF16BE, []byte(text))},
	} {
		t.Run(c.rule, func(t *testing.T) {
			if got := Find(c.packed); got != c.layer {
				t.Fatalf("layer is %q, want %q", got, c.layer)
			}
			r, err := NewReader(iotest.OneByteReader(bytes.NewReader(c.packed)), c.layer, int64(len(c.packed)))
			if err != nil {
				t.Fatal(err)
			}
			got, err := io.ReadAll(r)
			if err != nil || strings.TrimPrefix(string(got), "\ufeff") != text {
				t.Errorf("text is %q, %v", got, err)
			}
			if err := r.Close(); err != nil {
				t.Error(err)
			}
		})
	}
}

func TestTextHasNoLayer(t *testing.T) {
	for _, sample := range []string{"", "a", text, "\ufeff" + text, "a,\x00\n", "\x00\x00\x00\x00", "BZh,amount\n",
		"caf\xe9,1\n"} {
		if layer := Find([]byte(sample)); layer != "" {
			t.Errorf("%q has layer %q", sample, layer)
		}
	}
}

func TestNamedEncodings(t *testing.T) {
	r, err := NewEncodingReader(strings.NewReader("caf\xe9 \x80 5"), "windows-1252")
	if err != nil {
		t.Fatal(err)
	}
	if got, err := io.ReadAll(r); err != nil || string(got) != "café € 5" {
		t.Errorf("text is %q, %v", got, err)
	}
	if _, err := Named("windows-9999"); err == nil {
		t.Error("an encoding that does not exist is known")
	}
}

func TestDamageIsAnError(t *testing.T) {
	for _, layer := range []Layer{Gzip, Zstd, Bzip2} {
		packed := pack(t, layer, []byte(text))
		r, err := NewReader(bytes.NewReader(packed[:len(packed)-3]), layer, int64(len(packed)))
		if err == nil {
			_, err = io.ReadAll(r)
		}
		if err == nil || !strings.Contains(err.Error(), "unpacking") {
			t.Errorf("%s without its end: %v", layer, err)
		}
	}
}

// A file that unpacks without end is refused before it has cost much.
func TestABombIsRefused(t *testing.T) {
	bomb := pack(t, Zstd, make([]byte, smallUnpacked+1<<20))
	r, err := NewReader(bytes.NewReader(bomb), Zstd, int64(len(bomb)))
	if err != nil {
		t.Fatal(err)
	}
	n, err := io.Copy(io.Discard, r)
	var refused *BombError
	if !errors.As(err, &refused) || n > smallUnpacked {
		t.Errorf("%d bytes of %d, error %v", n, len(bomb), err)
	}
}
