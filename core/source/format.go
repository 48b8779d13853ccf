package source

import (
	"context"
	"path"
	"strings"

	"lastblock/core/format/decode"
	"lastblock/core/format/delimited"
	"lastblock/core/format/json"
	"lastblock/core/format/parquet"
	"lastblock/core/record"
)

// Reader reads one source of some format, stretch by stretch.
type Reader interface {
	// Head tells how the source is laid out. It is known once Peek or Next has
	// returned without an error.
	Head() *record.Head
	// Peek finds the head without handing anything out.
	Peek(size int) error
	// Next takes the next stretch; the error is io.EOF behind the last one. The
	// first call always gives one, be it empty. Only one goroutine calls it at
	// a time, so what can be left to Parse should be.
	Next(s *Stretch) error
	// Parse makes the batch of a stretch that Next took. It may be called by
	// several goroutines at once, each with a stretch of its own.
	Parse(s *Stretch)
	// Close lets go of what the reader holds. The source was only read, so
	// there is nothing that a failure to close could lose.
	Close()
}

// What some readers can do beyond that. A reader of another format goes without.
type (
	// columnsReader reads formats of columns. parseColumns is Parse for a visitor that can do without records, which it
	// may be given or not.
	columnsReader interface {
		parseColumns(s *Stretch)
	}
	// wrappedReader reads what lies in a compression or another encoding, or has no delimiter of
	// its own.
	wrappedReader interface {
		wrapping() wrapping
	}
	// countingReader tells how many bytes of the source a stretch stands for; the size of a source
	// of any other reader is counted once it is closed.
	countingReader interface {
		taken(s *Stretch) int64
	}
	// guardingReader makes sure that what it has open is what was found when the run began, which
	// costs less than looking for it by its path once more.
	guardingReader interface {
		unchanged(s *Source) error
	}
	// holdingReader may hold all of a small source once its head was looked for, and then needs
	// no file any more.
	holdingReader interface {
		peeked() []byte // what the head was found in
		isWhole() bool  // peeked is all of the source
		letGo()         // closes the file, all of which was read
	}
	// aheadReader may be asked for a stretch before one is parsed that was taken before.
	aheadReader interface {
		isLittle(s *Stretch) bool // another one beside it takes little memory
	}
	// plainReader reads texts, whose kinds only their values tell.
	plainReader interface {
		isPlain()
	}
	// skippingReader can leave out what is not wanted, see Reading.Wanted.
	skippingReader interface {
		isSeekable() bool // reading can be taken up elsewhere
		line() int        // that comes next
		resume(at start)
		narrow(s *Stretch, from, to int) // a stretch to some lines
	}
)

// wrapping is what was around the records of a source.
type wrapping struct {
	layers    []decode.Layer // outermost first
	guessed   string         // the encoding it was taken for, "" where it says so itself
	separated string         // what parts its fields, "" where a delimiter does
}

// Stretch is what a Reader hands out: some records on their way to a batch.
type Stretch struct {
	record.Batch
	buffer  []byte          // of the goroutine; holds what Next read
	block   delimited.Block // of delimited text
	objects json.Block      // of JSON
	rows    parquet.Rows    // of Parquet
	text    []byte          // that was made of it
}

// Format is a kind of file that sources come in.
type Format struct {
	Name    string
	Endings []string // by which a file of this format is known in a folder
	// begins tells by its first bytes a file whose ending says nothing; nil: never
	begins func(sample []byte) bool
	// parts lists which parts of a document are sources of their own; nil where
	// a file is one source
	parts func(d *document, want Choice) ([]Part, error)
	// open reads a document, or one part of it; nil for text, which is read as
	// a stream
	open func(d *document, part Part, manner *Manner, memory int64) (Reader, error)
	// connect opens a source that is no file; nil for files
	connect func(ctx context.Context, s *Source) (Reader, error)
	book    openBook // how it is opened as a workbook; nil where it is none
}

// Choice says which parts of a workbook are read.
type Choice struct {
	Sheet string // a sheet's name, "#2" for the second one, "*" for all, "" for the only one
	Table string // a table or a defined name, "" for none
	Cover string // the sheet that declares what is in the workbook, and is no source
}

// Part is what is read of a document: a sheet, or an area of it.
type Part struct {
	Sheet string
	Table string
	// Unseen tells that of what stands behind the sheet nothing was known when it was chosen, see checkBehind.
	Unseen bool
}

// formats are all that there are; a new one is one more file and one more line
// here.
var formats = []*Format{text, workbookFormat, openDocument, jsonDocument, parquetFile, postgresql}

// text is delimited text, and what is taken for it.
var text = &Format{
	Name:    "delimited",
	Endings: []string{".csv", ".tsv", ".tab", ".psv", ".txt", ".dat", ".asc"},
}

// byEnding finds a format by an ending in small letters.
var byEnding = make(map[string]*Format)

func init() {
	for _, f := range formats {
		for _, ending := range f.Endings {
			byEnding[ending] = f
		}
	}
}

// formatOf returns the format by a file's ending, nil where that says nothing.
func formatOf(name string) *Format {
	if f := byEnding[path.Ext(name)]; f != nil {
		return f
	}
	return byEnding[strings.ToLower(path.Ext(unpackedName(name)))]
}

// formatByContent returns the format of a file that begins with sample.
func formatByContent(sample []byte) *Format {
	for _, f := range formats {
		if f.begins != nil && f.begins(sample) {
			return f
		}
	}
	return text
}

const archiveEnding = ".zip"

func isArchive(name string) bool {
	n := len(name) - len(archiveEnding)
	return n >= 0 && strings.EqualFold(name[n:], archiveEnding)
}
