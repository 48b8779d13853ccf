package show

import (
	"encoding/binary"
	"io"
	"slices"

	"lastblock/core/format/delimited"
	"lastblock/core/record"
)

// RecordFormat is how records are written to a file: its format, and its columns.
type RecordFormat struct {
	Format  Format
	Packed  string
	Shield  bool // in delimited text
	Absent  bool // a text that is nil is told apart from one that is blank
	Columns []Cells

	// Sheets are those of a workbook, and SheetOf tells to which of them a record goes; nil for a
	// workbook of one sheet.
	Sheets  []Sheet
	SheetOf func(texts [][]byte) int
	First   func(*SheetWriter) error // is called before the records
}

// Encoder makes the records that Write puts together.
func (f *RecordFormat) Encoder() record.Encoder {
	switch f.Format {
	case JSON:
		return jsonListed(NamesOf(f.Columns), f.Absent)
	case JSONL:
		return jsonLine(NamesOf(f.Columns), f.Absent)
	case Workbook, Parquet:
		return appendFramed
	}
	if f.Absent {
		return delimitedPresent(f.Delimiter(), f.Shield)
	}
	return delimitedRecord(f.Delimiter(), f.Shield)
}

// Delimiter is that of delimited text, the comma for other formats.
func (f *RecordFormat) Delimiter() byte {
	if f.Format == TSV {
		return '\t'
	}
	return ','
}

// IsVerbatim tells whether texts are copied as they stand, by whoever makes the records.
func (f *RecordFormat) IsVerbatim() bool { return f.Format == CSV || f.Format == TSV }

// WriteVerbatim writes delimited text behind its header. fill writes it.
func (f *RecordFormat) WriteVerbatim(w io.Writer, header []byte, fill func(w io.Writer) error) error {
	out, err := Pack(w, f.Packed)
	if err != nil {
		return err
	}
	if _, err := out.Write(header); err != nil {
		return err
	}
	if err := fill(out); err != nil {
		return err
	}
	return out.Close()
}

// Write writes records in the format. fill writes them, as Encoder has made them.
func (f *RecordFormat) Write(w io.Writer, fill func(w io.Writer) error) error {
	out, err := Pack(w, f.Packed)
	if err != nil {
		return err
	}
	switch f.Format {
	case JSON:
		list := &jsonList{w: out}
		if err = fill(list); err == nil {
			err = list.close()
		}
	case JSONL:
		err = fill(out)
	case Workbook, Parquet:
		err = f.writeTyped(out, fill)
	default:
		var header [][]byte
		for _, c := range f.Columns {
			name := []byte(c.Name)
			if f.Shield {
				var room []byte
				name = delimited.Shield(name, &room)
			}
			header = append(header, name)
		}
		if _, err = out.Write(delimited.AppendRecord(nil, header, f.Delimiter())); err == nil {
			err = fill(out)
		}
	}
	if err != nil {
		return err
	}
	return out.Close()
}

// WriteRemark writes, behind the records, what a result says of itself, into its first column of
// texts; columns are their names. Blank writes nothing.
func (f *RecordFormat) WriteRemark(w io.Writer, columns []string, remark string) error {
	if remark == "" || len(columns) == 0 {
		return nil
	}
	texts, kinds := make([][]byte, len(columns)), make([]record.Kind, len(columns))
	for i := range kinds {
		kinds[i] = record.Text
	}
	texts[max(0, slices.IndexFunc(f.Columns, func(c Cells) bool { return c.Kind == record.Text }))] = []byte(remark)
	var out []byte
	if f.IsVerbatim() {
		out = delimited.AppendRecord(nil, texts, f.Delimiter())
	} else {
		out = f.Encoder()(nil, texts, kinds)
	}
	_, err := w.Write(out)
	return err
}

// delimitedRecord encodes a record as delimited text.
func delimitedRecord(delimiter byte, shield bool) record.Encoder {
	return func(dst []byte, texts [][]byte, _ []record.Kind) []byte {
		if shield {
			for i := range texts {
				var room []byte
				texts[i] = delimited.Shield(texts[i], &room)
			}
		}
		return delimited.AppendRecord(dst, texts, delimiter)
	}
}

// writeTyped writes records in a format that tells kinds apart. The goroutines
// that make them hand them over one behind another, each with the lengths and
// kinds of its texts before it.
func (f *RecordFormat) writeTyped(out io.Writer, fill func(w io.Writer) error) error {
	to := &framed{texts: make([][]byte, len(f.Columns)), kinds: make([]record.Kind, len(f.Columns))}
	var close func() error
	if f.Format == Workbook && f.Sheets != nil {
		sheets, err := NewSheetWriter(out, f.Sheets)
		if err != nil {
			return err
		}
		defer sheets.Abandon()
		if err := f.First(sheets); err != nil {
			return err
		}
		to.write = func(texts [][]byte, kinds []record.Kind) error {
			return sheets.Write(f.SheetOf(texts), texts,
				kinds)
		}
		close = sheets.Close
	} else {
		writer, err := NewRecordWriter(out, f.Format, f.Columns)
		if err != nil {
			return err
		}
		defer LetGo(writer)
		to.write, close = writer.Write, writer.Close
	}
	if err := fill(to); err != nil {
		return err
	}
	return close()
}

// delimitedPresent is delimitedRecord that writes blank texts in quotes, and nothing for
// those that are nil.
func delimitedPresent(delimiter byte, shield bool) record.Encoder {
	return func(dst []byte, texts [][]byte, _ []record.Kind) []byte {
		for i, text := range texts {
			if i > 0 {
				dst = append(dst, delimiter)
			}
			if text != nil && len(text) == 0 {
				dst = append(dst, '"', '"')
				continue
			}
			if shield {
				var room []byte
				text = delimited.Shield(text, &room)
			}
			dst = delimited.AppendField(dst, text, delimiter)
		}
		return append(dst, '\n')
	}
}

// noText is the kind that appendFramed writes of a text that is nil.
const noText = 0xff

// appendFramed appends a record so that framed can take it apart again.
func appendFramed(dst []byte, texts [][]byte, kinds []record.Kind) []byte {
	for i, text := range texts {
		if text == nil {
			dst = append(dst, noText)
			continue
		}
		dst = append(dst, byte(slices.Index(record.Kinds, kinds[i])+1))
		dst = binary.AppendUvarint(dst, uint64(len(text)))
		dst = append(dst, text...)
	}
	return dst
}

// framed passes records on to a writer. What is written to it are always whole
// records.
type framed struct {
	write func(texts [][]byte, kinds []record.Kind) error
	texts [][]byte
	kinds []record.Kind
}

func (f *framed) Write(p []byte) (int, error) {
	for rest := p; len(rest) > 0; {
		for i := range f.texts {
			f.kinds[i] = record.Text
			if rest[0] == noText {
				f.texts[i], rest = nil, rest[1:]
				continue
			}
			if kind := int(rest[0]); kind > 0 {
				f.kinds[i] = record.Kinds[kind-1]
			}
			length, size := binary.Uvarint(rest[1:])
			rest = rest[1+size:]
			f.texts[i], rest = rest[:length], rest[length:]
		}
		if err := f.write(f.texts, f.kinds); err != nil {
			return 0, err
		}
	}
	return len(p), nil
}

// NamesOf are the names of columns.
func NamesOf(columns []Cells) []string {
	var names []string
	for _, c := range columns {
		names = append(names, c.Name)
	}
	return names
}

// JSONRecord encodes a record as an object of texts, which keep their digits. absent
// says that a text that is nil is null.
func JSONRecord(columns []string, absent bool) record.Encoder {
	leads := make([][]byte, len(columns))  // what stands before the text of a column
	ends := make([]int, 1, len(columns)+1) // in blanks, where the members of columns end
	var blanks []byte                      // the members of all columns without a text: of thousands most have none
	nothing := `""`
	if absent {
		nothing = "null"
	}
	for i, name := range columns {
		leads[i] = append(appendText([]byte{','}, name), ':')
		blanks = append(append(blanks, leads[i]...), nothing...)
		ends = append(ends, len(blanks))
	}
	return func(dst []byte, texts [][]byte, _ []record.Kind) []byte {
		start := len(dst)
		dst = slices.Grow(dst, len(blanks)+1)
		for i := 0; i < len(texts); i++ {
			from := i
			for i < len(texts) && len(texts[i]) == 0 && (!absent || texts[i] == nil) {
				i++
			}
			if dst = append(dst, blanks[ends[from]:ends[i]]...); i < len(texts) {
				dst = appendText(append(dst, leads[i]...), texts[i])
			}
		}
		if len(dst) == start {
			return append(dst, "{}"...)
		}
		dst[start] = '{' // in place of the first comma
		return append(dst, '}')
	}
}

// jsonLine encodes a record as an object on a line of its own.
func jsonLine(columns []string, absent bool) record.Encoder {
	object := JSONRecord(columns, absent)
	return func(dst []byte, texts [][]byte, kinds []record.Kind) []byte {
		return append(object(dst, texts, kinds), '\n')
	}
}

// jsonListed encodes a record as an element of a list, the comma first.
func jsonListed(columns []string, absent bool) record.Encoder {
	object := JSONRecord(columns, absent)
	return func(dst []byte, texts [][]byte, kinds []record.Kind) []byte {
		return object(append(dst, ',', '\n'), texts, kinds)
	}
}

// jsonList makes a list of what is written to it, each part of which begins
// with the comma that only the first one must not have.
type jsonList struct {
	w       io.Writer
	started bool
}

func (l *jsonList) Write(p []byte) (int, error) {
	n := len(p)
	if !l.started && n > 0 {
		l.started = true
		if _, err := l.w.Write([]byte{'['}); err != nil {
			return 0, err
		}
		p = p[1:]
	}
	_, err := l.w.Write(p)
	return n, err
}

func (l *jsonList) close() error {
	end := "\n]\n"
	if !l.started {
		end = "[]\n"
	}
	_, err := io.WriteString(l.w, end)
	return err
}
