// Package decode makes UTF-8 text of what a file holds: it unpacks and changes
// encodings. Which it is, is found out from the first bytes; names of files do
// not matter. It knows nothing of records.
package decode

import (
	"bufio"
	"bytes"
	"compress/bzip2"
	"fmt"
	"io"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/htmlindex"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// Layer is one thing that was taken off.
type Layer string

// The layers that are known by their first bytes.
const (
	Gzip    Layer = "gzip"
	Zstd    Layer = "zstd"
	Bzip2   Layer = "bzip2"
	Zip     Layer = "zip" // known by the directory of an archive
	UTF16LE Layer = "utf-16le"
	UTF16BE Layer = "utf-16be"
)

// Find tells which layer a file that begins with sample has, "" for none.
//
// UTF-16 is known by its mark or, without one, by its zeros: in text of a
// Latin script every other byte is one, on the same side of each pair.
func Find(sample []byte) Layer {
	switch {
	case bytes.HasPrefix(sample, []byte("\x1f\x8b\x08")):
		return Gzip
	case bytes.HasPrefix(sample, []byte("\x28\xb5\x2f\xfd")):
		return Zstd
	case bytes.HasPrefix(sample, []byte("BZh")) && len(sample) > 9 && string(sample[4:10]) == "1AY&SY":
		return Bzip2
	case bytes.HasPrefix(sample, []byte("\xff\xfe")):
		return UTF16LE
	case bytes.HasPrefix(sample, []byte("\xfe\xff")):
		return UTF16BE
	}
	return findUTF16(sample)
}

func findUTF16(sample []byte) Layer {
	const enough = 1 << 10
	sample = sample[:min(len(sample), enough)&^1]
	if bytes.IndexByte(sample, 0) < 0 {
		return ""
	}
	var zeros [2]int // at even and at odd positions
	for i, c := range sample {
		if c == 0 {
			zeros[i&1]++
		}
	}
	pairs := len(sample) / 2
	switch {
	case pairs < 2:
		return ""
	case 5*zeros[1] >= 4*pairs && zeros[0] == 0:
		return UTF16LE
	case 5*zeros[0] >= 4*pairs && zeros[1] == 0:
		return UTF16BE
	}
	return ""
}

// Packed tells whether a layer is a compression.
func (l Layer) Packed() bool { return l == Gzip || l == Zstd || l == Bzip2 }

// NewReader takes a layer off. packed is the size of the file, or -1; it bounds
// what a compression may unpack to. Close the result to let go of what
// unpacking holds; it does not close r.
func NewReader(r io.Reader, layer Layer, packed int64) (io.ReadCloser, error) {
	switch layer {
	case Gzip:
		unpacked, err := gzip.NewReader(bufio.NewReaderSize(r, 1<<16))
		if err != nil {
			return nil, fmt.Errorf("unpacking: %w", err)
		}
		return Limit(unpacked, layer, packed), nil
	case Zstd:
		unpacked, err := zstd.NewReader(r, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxWindow(256<<20))
		if err != nil {
			return nil, fmt.Errorf("unpacking: %w", err)
		}
		return Limit(unpacked.IOReadCloser(), layer, packed), nil
	case Bzip2:
		return Limit(io.NopCloser(bzip2.NewReader(bufio.NewReaderSize(r, 1<<16))), layer, packed), nil
	case UTF16LE:
		return decoded(r, unicode.UTF16(unicode.LittleEndian, unicode.UseBOM)), nil
	case UTF16BE:
		return decoded(r, unicode.UTF16(unicode.BigEndian, unicode.UseBOM)), nil
	}
	return nil, fmt.Errorf("there is no layer %q", layer)
}

// NewEncodingReader reads text in an encoding that was named, such as
// windows-1252, as UTF-8.
func NewEncodingReader(r io.Reader, name string) (io.ReadCloser, error) {
	e, err := Named(name)
	if err != nil {
		return nil, err
	}
	return decoded(r, e), nil
}

// Named returns the encoding of a name, by the names of the WHATWG Encoding
// Standard.
func Named(name string) (encoding.Encoding, error) {
	e, err := htmlindex.Get(name)
	if err != nil {
		return nil, fmt.Errorf("there is no encoding %q; write for example windows-1252, iso-8859-2, utf-16le", name)
	}
	return e, nil
}

func decoded(r io.Reader, e encoding.Encoding) io.ReadCloser {
	return io.NopCloser(transform.NewReader(r, e.NewDecoder()))
}

const (
	smallUnpacked = 256 << 20 // no file is refused that unpacks to less
	mostTimes     = 1000      // its own size
)

// BombError is a file that unpacks to more than any honest one does.
type BombError struct {
	Layer    Layer
	Unpacked int64
}

func (e *BombError) Error() string {
	return fmt.Sprintf("this %s file unpacks to more than %d MB, over %d times its own size; it is damaged, or no data",
		e.Layer, e.Unpacked>>20, mostTimes)
}

// limited counts what is unpacked.
type limited struct {
	io.ReadCloser
	layer    Layer
	unpacked int64
	most     int64
}

// Limit bounds what r, a reader of what a layer of packed bytes unpacks to, may
// give; beyond, its error is a *BombError. With -1 there is no bound.
func Limit(r io.ReadCloser, layer Layer, packed int64) io.ReadCloser {
	if packed < 0 {
		return r
	}
	return &limited{ReadCloser: r, layer: layer, most: max(smallUnpacked, mostTimes*packed)}
}

func (l *limited) Read(p []byte) (int, error) {
	n, err := l.ReadCloser.Read(p)
	if l.unpacked += int64(n); l.unpacked > l.most {
		return 0, &BombError{l.layer, l.most}
	}
	if err != nil && err != io.EOF {
		err = fmt.Errorf("unpacking: %w", err)
	}
	return n, err
}
