package source

import (
	"bytes"
	"errors"
	"io"

	"lastblock/core/decode"
)

// unwrapper takes off a source what is not text: compressions, and encodings
// other than UTF-8.
type unwrapper struct {
	encoding string // that was asked for; it holds where the bytes do not show another
	size     int64  // of the file, -1 where that is not known
	progress *Progress

	layers  []decode.Layer // that were taken off
	decoded bool
	open    []io.Closer
}

// unwrap returns a reader of what is within a source that begins with sample,
// or nil where that is text. What was read as sample is read again.
func (u *unwrapper) unwrap(sample []byte, rest io.Reader) (io.Reader, error) {
	if u.decoded {
		return nil, nil
	}
	layer := decode.Find(sample)
	named := layer == "" && u.encoding != "" && !bytes.HasPrefix(sample, []byte("\ufeff"))
	if layer == "" && !named {
		return nil, nil
	}
	if layer.Packed() && !u.isPacked() { // progress is that of the file, not of what it unpacks to
		u.progress.add(0, int64(len(sample)))
		rest = &counter{rest, u.progress}
	}
	u.decoded = !layer.Packed()
	again := io.MultiReader(bytes.NewReader(bytes.Clone(sample)), rest)
	var inner io.ReadCloser
	var err error
	if named {
		layer = decode.Layer(u.encoding)
		inner, err = decode.NewEncodingReader(again, u.encoding)
	} else {
		inner, err = decode.NewReader(again, layer, u.size)
	}
	if err != nil {
		return nil, err
	}
	u.layers = append(u.layers, layer)
	u.open = append(u.open, inner)
	return inner, nil
}

func (u *unwrapper) isPacked() bool { return len(u.layers) > 0 && u.layers[0].Packed() }

// close lets go of all layers, the inmost first.
func (u *unwrapper) close() error {
	var errs []error
	for i := len(u.open) - 1; i >= 0; i-- {
		errs = append(errs, u.open[i].Close())
	}
	u.open = nil
	return errors.Join(errs...)
}

// counter counts what is read of a file as progress.
type counter struct {
	io.Reader
	progress *Progress
}

func (c *counter) Read(p []byte) (int, error) {
	n, err := c.Reader.Read(p)
	c.progress.add(0, int64(n))
	return n, err
}
