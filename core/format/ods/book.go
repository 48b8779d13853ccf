// Package ods reads spreadsheets of ISO/IEC 26300 (OpenDocument, .ods)
// as streams of rows. Repeated rows and cells are counted, never multiplied in
// memory.
package ods

import (
	"archive/zip"
	"errors"
	"fmt"
	"io"
	"iter"
	"strings"
	"sync"

	"lastblock/core/format/decode"
	"lastblock/core/format/sheet"
)

const (
	contentPart = "content.xml"
	stylesPart  = "styles.xml"
)

// Book is an open spreadsheet document.
type Book struct {
	limit   int // bytes of a cell or a row
	content *zip.File
	styles  *zip.File // nil without them
	survey  survey

	mutex  sync.Mutex // guards what follows
	seen   []string   // sheets, in their order, as far as any rows were read
	parked []*rows    // that were closed, and go on to sheets behind theirs
}

// mimeType stands in the part "mimetype" of a spreadsheet, or of a template of
// one.
const mimeType = "application/vnd.oasis.opendocument.spreadsheet"

// Is tells whether an archive with these files is an OpenDocument file.
func Is(archive *zip.Reader) bool {
	for _, f := range archive.File {
		if f.Name == contentPart {
			return true
		}
	}
	return false
}

// ErrTruncated is a document whose end is missing.
var ErrTruncated = errors.New("this OpenDocument file is damaged or was cut off on its way; ask for it again")

// Open opens a document. No cell and no row may be longer than limit bytes.
func Open(file io.ReaderAt, size int64, limit int) (*Book, error) {
	archive, err := decode.OpenArchive(file, size, decode.MostParts)
	if err != nil {
		return nil, ErrTruncated
	}
	if err := decode.CheckArchive(archive.File, size); err != nil {
		return nil, err
	}
	b := &Book{limit: limit}
	for _, f := range archive.File {
		switch f.Name {
		case contentPart:
			b.content = f
		case stylesPart:
			b.styles = f
		case "META-INF/manifest.xml":
			if text, err := readSmall(f); err == nil && strings.Contains(text, "encryption-data") {
				return nil, &sheet.LockedError{What: "OpenDocument file"}
			}
		case "mimetype":
			if text, err := readSmall(f); err == nil && !strings.HasPrefix(text, mimeType) {
				return nil, fmt.Errorf("this OpenDocument file is no spreadsheet but %s", strings.TrimSpace(text))
			}
		}
	}
	if b.content == nil {
		return nil, ErrTruncated
	}
	return b, nil
}

func readSmall(f *zip.File) (string, error) {
	r, err := f.Open()
	if err != nil {
		return "", err
	}
	defer r.Close()
	text, err := io.ReadAll(io.LimitReader(r, 1<<20))
	return string(text), err
}

// Close gives back what the document holds.
func (b *Book) Close() {
	b.survey.close()
	b.mutex.Lock()
	defer b.mutex.Unlock()
	for _, r := range b.parked {
		r.part.Close()
	}
	b.parked = nil
}

// Sheets goes through the names of the sheets in their order, and reads no further than to the next of them.
func (b *Book) Sheets() iter.Seq2[string, error] {
	return func(yield func(string, error) bool) {
		s := &b.survey
		for i := 0; ; i++ {
			if err := b.look(func() bool { return len(s.names) > i }); err != nil {
				yield("", err)
				return
			}
			if i == len(s.names) || !yield(s.names[i], nil) {
				return
			}
		}
	}
}

// HoldsData tells whether any cell of a sheet that Sheets has named holds something. It reads no further than to such a
// cell, or to the next sheet.
func (b *Book) HoldsData(name string) (bool, error) {
	s := &b.survey
	err := b.look(func() bool { return s.filled[name] || s.names[len(s.names)-1] != name })
	return s.filled[name], err
}

// InOnePart is true: all sheets lie in the content.
func (b *Book) InOnePart() bool { return true }

// openContent opens the part in which all sheets lie.
func (b *Book) openContent() (io.ReadCloser, error) {
	return openPart(b.content)
}

func openPart(f *zip.File) (io.ReadCloser, error) {
	r, err := f.Open()
	if err != nil {
		return nil, ErrTruncated
	}
	return decode.Limit(decode.Part(r, f), decode.Zip, int64(f.CompressedSize64)), nil
}

// Tables are the named ranges and the database ranges.
func (b *Book) Tables() ([]sheet.Table, error) {
	err := b.look(toTheEnd)
	return b.survey.tables, err
}
