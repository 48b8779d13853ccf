package source

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"

	"lastblock/core/format/decode"
	"lastblock/core/format/delimited"
)

// unwrapper takes off a source what is not text: compressions, and encodings
// other than UTF-8.
type unwrapper struct {
	separate *separation // of fields that no character parts; nil where one does
	look     bool        // find it out
	parted   bool        // it was seen to
	decoded  bool
	encoding string // that was asked for; it holds where the bytes do not show another
	size     int64  // of the file, -1 where that is not known
	promised string // the ending of a compression that the file's name has, "" for none
	progress *Progress

	layers []decode.Layer // that were taken off
	guess  *decode.Guess  // nil where the encoding was known
	open   []io.Closer
}

func newUnwrapper(s *Source, progress *Progress) unwrapper {
	manner := s.manner()
	u := unwrapper{encoding: manner.Encoding, size: s.Size, progress: progress, promised: s.promised()}
	if manner.Blanks || manner.Widths != nil {
		u.separate = &separation{blanks: manner.Blanks, widths: manner.Widths}
	}
	return u
}

// unwrap returns a reader of what is within a source that begins with sample,
// or nil where that is text. What was read as sample is read again.
func (u *unwrapper) unwrap(sample []byte, rest io.Reader, whole bool) (io.Reader, error) {
	if !u.decoded {
		inner, err := u.takeOff(sample, rest, whole)
		if inner != nil || err != nil {
			return inner, err
		}
	}
	if u.parted {
		return nil, nil
	}
	u.parted = true
	if u.look && !isDelimited(sample) {
		u.separate = findSeparation(sample, whole)
	}
	switch {
	case u.separate == nil:
		return nil, nil
	case u.separate.blanks:
		return decode.NewBlanks(again(sample, rest)), nil
	}
	return decode.NewWidths(again(sample, rest), u.separate.widths, u.separate.found, delimited.MaxRecord), nil
}

// isNothing tells whether nothing was taken off.
func (u *unwrapper) isNothing() bool {
	return len(u.layers) == 0 && u.guess == nil && u.separate == nil
}

// separated says how fields are parted that no character parts, "" where one does.
func (u *unwrapper) separated() string {
	if u.separate == nil {
		return ""
	}
	return u.separate.String()
}

// again reads once more what was read as sample, and then the rest.
func again(sample []byte, rest io.Reader) io.Reader {
	return io.MultiReader(bytes.NewReader(bytes.Clone(sample)), rest)
}

// promised is the ending of a compression that the name of a source's file, or of its entry, has; "" for none.
func (s *Source) promised() string {
	name := s.Path
	if entry := s.Entry(); entry != "" {
		name = entry
	}
	return strings.ToLower(strings.TrimPrefix(name, unpackedName(name)))
}

// broken is the error of a file whose name promises a compression and which does not begin like one: it is damaged, and
// no text. An empty file is told as such.
func broken(promised string, layer decode.Layer, sample []byte) error {
	if promised == "" || layer.Packed() || len(sample) == 0 {
		return nil
	}
	return fmt.Errorf("its name ends in %s, and it does not begin as such a file does; it is damaged, ask for it "+
		"again, or take the ending off its name if it was never packed", promised)
}

// takeOff takes off one compression, or the encoding.
func (u *unwrapper) takeOff(sample []byte, rest io.Reader, whole bool) (io.Reader, error) {
	layer := decode.Find(sample)
	u.decoded = !layer.Packed()
	if err := broken(u.promised, layer, sample); err != nil && len(u.layers) == 0 {
		return nil, err
	}
	if layer == "" && u.encoding == "" {
		if err := decode.Binary(sample); err != nil {
			return nil, err
		}
	}
	if layer.Packed() && !u.isPacked() { // progress is that of the file, not of what it unpacks to
		u.progress.add(0, int64(len(sample)))
		rest = &counter{rest, u.progress}
	}
	var inner io.ReadCloser
	var err error
	switch {
	case layer != "":
		inner, err = decode.NewReader(again(sample, rest), layer, u.size)
	case bytes.HasPrefix(sample, []byte("\ufeff")):
		return nil, nil
	case u.encoding != "":
		layer = decode.Layer(u.encoding)
		inner, err = decode.NewEncodingReader(again(sample, rest), u.encoding)
	case whole && decode.IsUTF8(sample):
		return nil, nil
	default:
		u.guess = decode.NewGuess(again(sample, rest))
		return u.guess, nil
	}
	if err != nil {
		return nil, err
	}
	u.layers = append(u.layers, layer)
	u.open = append(u.open, inner)
	return inner, nil
}

// guessed is the encoding that the text was taken for, "" where it was known.
func (u *unwrapper) guessed() string {
	if u.guess != nil && u.guess.Made() {
		return decode.Guessed
	}
	return ""
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
