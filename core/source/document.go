package source

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"

	"lastblock/core/format/decode"
)

// document is a file that has to be read out of order: all of it in memory, or
// on disk.
type document struct {
	io.ReaderAt
	Size int64

	file      io.Closer
	temporary string // the file to remove, "" where it has no name any more
}

// Close lets go of the document.
func (d *document) Close() {
	if d.file != nil {
		d.file.Close()
	}
	if d.temporary != "" {
		os.Remove(d.temporary)
	}
}

// reader reads the document from its start.
func (d *document) reader() *io.SectionReader { return io.NewSectionReader(d, 0, d.Size) }

// inMemory is up to which size a document is held in memory, where it does not
// lie in a file of its own.
const inMemory = 8 << 20

// openDocumentOf opens what a source holds as a document. A compression and an
// encoding are taken off first.
func openDocumentOf(s *Source) (*document, error) {
	content, err := s.openRandom()
	if err != nil {
		return nil, err
	}
	d, err := newDocument(content, s)
	if err != nil {
		content.Close()
	}
	return d, err
}

func newDocument(content io.ReadCloser, s *Source) (*document, error) {
	buffered := bufio.NewReaderSize(content, 4<<10)
	sample, err := buffered.Peek(1 << 10)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	if file, ok := content.(*os.File); ok && s.Size >= 0 && decode.Find(sample) == "" && s.promised() == "" {
		return &document{ReaderAt: file, Size: s.Size, file: file}, nil
	}
	if err := broken(s.promised(), decode.Find(sample), sample); err != nil {
		return nil, err
	}
	inner := buffered
	for size := s.Size; ; size = -1 {
		layer := decode.Find(sample)
		if layer == "" {
			break
		}
		within, err := decode.NewReader(inner, layer, size)
		if err != nil {
			return nil, err
		}
		defer within.Close()
		inner = bufio.NewReaderSize(within, 4<<10)
		if sample, err = inner.Peek(1 << 10); err != nil && !errors.Is(err, io.EOF) {
			return nil, err
		}
	}
	return spool(inner, content)
}

// spool holds what r gives in memory, or where it is large in a temporary file.
func spool(r io.Reader, content io.Closer) (*document, error) {
	var small bytes.Buffer
	if _, err := io.CopyN(&small, r, inMemory); err != nil {
		if !errors.Is(err, io.EOF) {
			return nil, err
		}
		content.Close()
		return &document{ReaderAt: bytes.NewReader(small.Bytes()), Size: int64(small.Len())}, nil
	}
	file, err := os.CreateTemp("", "lastblock-*.document")
	if err != nil {
		return nil, fmt.Errorf("keeping the file while it is read: %w", err)
	}
	d := &document{ReaderAt: file, file: file}
	if os.Remove(file.Name()) != nil { // not every system lets go of the name of an open file
		d.temporary = file.Name()
	}
	if d.Size, err = io.Copy(file, io.MultiReader(&small, r)); err != nil {
		d.Close()
		return nil, fmt.Errorf("keeping the file while it is read: %w", err)
	}
	content.Close()
	return d, nil
}
