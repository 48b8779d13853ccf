package xlsx

import (
	"errors"
	"fmt"
	"io"
	"os"
	"sync"

	"lastblock/core/format/sheet"
)

// sharedStrings are the texts of a workbook, each of which is stored once. They
// lie one behind another in memory, or where that is too much in a file.
type sharedStrings struct {
	book *Book
	part string
	once sync.Once
	err  error

	texts []byte
	ends  []int64
	size  int64    // of all
	file  *os.File // nil while all are in memory
	lost  bool     // the file could not be removed at once
}

const leastInMemory = 1 << 20 // so that what is written to the file is worth a write

// richText follows which tokens of a part are text that is shown: the texts of
// runs, but not how they are pronounced.
type richText struct{ within, phonetic bool }

func (t *richText) start(element []byte) {
	switch string(element) {
	case "t":
		t.within = !t.phonetic
	case "rPh":
		t.phonetic = true
	}
}

func (t *richText) end(element []byte) {
	switch string(element) {
	case "t":
		t.within = false
	case "rPh":
		t.phonetic = false
	}
}

// read reads the texts, the first time it is called.
func (s *sharedStrings) read() error {
	s.once.Do(func() { s.err = s.readAll() })
	return s.err
}

func (s *sharedStrings) readAll() error {
	part, err := s.book.open(s.part)
	if err != nil {
		return err
	}
	defer part.Close()
	scanner := s.book.newScanner(part)
	var rich richText
	var text []byte
	for {
		if plain, n := quickText(scanner.Rest()); n > 0 {
			scanner.Skip(n)
			if err := s.add(plain); err != nil {
				return err
			}
			continue
		}
		kind, err := scanner.Next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		switch name := scanner.Name(); kind {
		case sheet.Start:
			if rich.start(name); string(name) == "si" {
				text = text[:0]
			}
		case sheet.Chars:
			if rich.within {
				text = append(text, scanner.Text()...)
				if err := scanner.Check(len(text)); err != nil {
					return err
				}
			}
		case sheet.End:
			if rich.end(name); string(name) != "si" {
				continue
			}
			if err := s.add(text); err != nil {
				return err
			}
		}
	}
}

// add adds a text as it is stored.
func (s *sharedStrings) add(text []byte) error {
	plain := unescape(text)
	s.texts = append(s.texts, plain...)
	s.size += int64(len(plain))
	s.ends = append(s.ends, s.size)
	if int64(len(s.texts)) <= max(leastInMemory, s.book.memory-8*int64(len(s.ends))) {
		return nil
	}
	return s.spill()
}

// spill moves the texts that are in memory to the file.
func (s *sharedStrings) spill() error {
	if s.file == nil {
		file, err := os.CreateTemp("", "lastblock-*.texts")
		if err != nil {
			return fmt.Errorf("keeping the texts of the workbook: %w", err)
		}
		s.file = file
		s.lost = os.Remove(file.Name()) != nil
	}
	if _, err := s.file.Write(s.texts); err != nil {
		return fmt.Errorf("keeping the texts of the workbook: %w", err)
	}
	s.texts = s.texts[:0]
	return nil
}

// append appends the text of a number. The last ones are still in memory, the
// ones before them may be in the file.
func (s *sharedStrings) append(dst []byte, n int) ([]byte, error) {
	if s == nil || n < 0 || n >= len(s.ends) {
		return dst, fmt.Errorf("a cell refers to text %d, which the workbook does not have; it is damaged, ask for "+
			"it again", n)
	}
	from, to := int64(0), s.ends[n]
	if n > 0 {
		from = s.ends[n-1]
	}
	kept := s.ends[len(s.ends)-1] - int64(len(s.texts))
	if from >= kept {
		return append(dst, s.texts[from-kept:to-kept]...), nil
	}
	start := len(dst)
	dst = append(dst, make([]byte, to-from)...)
	if _, err := s.file.ReadAt(dst[start:], from); err != nil {
		return dst, fmt.Errorf("reading the texts of the workbook back: %w", err)
	}
	return dst, nil
}

func (s *sharedStrings) close() {
	if s.file != nil {
		s.file.Close()
		if s.lost {
			os.Remove(s.file.Name())
		}
	}
}
