package show

import (
	"fmt"
	"io"
	"path/filepath"
	"strings"

	"lastblock/core/record"

	"github.com/klauspost/compress/gzip"
	"github.com/klauspost/compress/zstd"
)

// Format is one in which results are written.
type Format string

// The formats of results.
const (
	CSV      Format = "csv"
	TSV      Format = "tsv"
	JSON     Format = "json"
	JSONL    Format = "jsonl"
	Workbook Format = "xlsx"
	Parquet  Format = "parquet"
)

// formats are all formats, in the order in which they are told.
var formats = []Format{CSV, TSV, JSON, JSONL, Workbook, Parquet}

// FormatOf tells by the ending of a file in which format it is written, and
// which compression, "gz" or "zst", goes over it.
func FormatOf(flag, path string) (format Format, packed string, err error) {
	name := strings.ToLower(path)
	ending := filepath.Ext(name)
	if ending == ".gz" || ending == ".zst" {
		packed = ending[1:]
		ending = filepath.Ext(strings.TrimSuffix(name, ending))
	}
	for _, f := range formats {
		if ending != "."+string(f) {
			continue
		}
		if packed != "" && !f.IsText() {
			return "", "", fmt.Errorf("--%s %s: %s is packed already; write it without .%s", flag, path, ending, packed)
		}
		return f, packed, nil
	}
	var endings []string
	for _, f := range formats {
		endings = append(endings, "."+string(f))
	}
	return "", "", fmt.Errorf("--%s %s: the ending tells the format, and %q is none of %s; behind those that are "+
		"text may stand .gz or .zst", flag, path, ending, strings.Join(endings, ", "))
}

// IsText tells whether a format is text, which may be compressed.
func (f Format) IsText() bool { return f != Workbook && f != Parquet }

// IsTyped tells whether a format has numbers and dates beside texts.
func (f Format) IsTyped() bool { return f == Workbook || f == Parquet }

// Pack returns a writer that compresses into w; closing it does not close w.
// Where nothing is to be compressed it is w.
func Pack(w io.Writer, packed string) (io.WriteCloser, error) {
	switch packed {
	case "gz":
		return gzip.NewWriter(w), nil
	case "zst":
		return zstd.NewWriter(w)
	}
	return unpacked{w}, nil
}

// WritePacked has write write into what Pack returns.
func WritePacked(w io.Writer, packed string, write func(w io.Writer) error) error {
	out, err := Pack(w, packed)
	if err != nil {
		return err
	}
	if err := write(out); err != nil {
		return err
	}
	return out.Close()
}

type unpacked struct{ io.Writer }

func (unpacked) Close() error { return nil }

// Cells are a column of what is written: its name, and what is in it.
type Cells struct {
	Name  string
	Kind  record.Kind // Text for codes and all that is no amount, date or flag
	Scale int         // of amounts: the most digits behind the decimal mark
	Blank bool        // a blank text is told apart from one that is nil, and is none
}

// RecordWriter writes records in a typed format. A text is the plain form of
// its kind, and kinds say which cells are of their column's kind; another one
// is a text.
type RecordWriter interface {
	Write(texts [][]byte, kinds []record.Kind) error
	Close() error
}

// LetGo gives back what a writer holds beside memory. It does no harm after Close.
func LetGo(w RecordWriter) {
	if held, ok := w.(interface{ Abandon() error }); ok {
		held.Abandon() // temporary files, which the next run removes where this one cannot
	}
}

// NewRecordWriter starts a typed format.
func NewRecordWriter(w io.Writer, format Format, columns []Cells) (RecordWriter, error) {
	if format == Parquet {
		return newParquetWriter(w, columns)
	}
	return newWorkbookWriter(w, columns, sheetRows)
}
