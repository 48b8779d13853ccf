package source

import (
	"bufio"
	"errors"
	"io"
	"os"
)

// open opens what a source holds, for reading only.
func (s *Source) open() (io.ReadCloser, error) { return s.openIn(new(file)) }

// openIn is open in the room of a file that is closed.
func (s *Source) openIn(room *file) (io.ReadCloser, error) {
	switch {
	case s.Path == "-":
		return io.NopCloser(standardInput), nil
	case s.Entry() != "":
		return s.within.archive.open(s.within.entry)
	}
	if err := room.open(s.Path); err != nil {
		return nil, err
	}
	return room, nil
}

// openFile opens a file, for reading only.
func openFile(path string) (io.ReadCloser, error) {
	f := new(file)
	if err := f.open(path); err != nil {
		return nil, err
	}
	return f, nil
}

// openRandom is open for a source that is read out of order; a plain file is
// given as an *os.File.
func (s *Source) openRandom() (io.ReadCloser, error) {
	if s.Path != "-" && s.Entry() == "" {
		return os.Open(s.Path)
	}
	return s.open()
}

// standardInput is what "-" reads; it can be looked at before it is read.
var standardInput = bufio.NewReaderSize(os.Stdin, 64<<10)

// begin returns the first bytes of a source, which are not used up.
func (s *Source) begin() ([]byte, error) {
	if s.Path == "-" {
		sample, err := standardInput.Peek(sampleSize)
		if errors.Is(err, io.EOF) {
			err = nil
		}
		return sample, err
	}
	content, err := s.open()
	if err != nil {
		return nil, err
	}
	defer content.Close()
	sample := make([]byte, sampleSize)
	n, err := io.ReadFull(content, sample)
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		err = nil
	}
	return sample[:n], err
}
