package cli

import (
	"context"
	"encoding/binary"
	"io"
	"slices"

	"lastblock/core/capability/collate"
	"lastblock/core/capability/intake"
	"lastblock/core/format/delimited"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/show"
)

// writeCollation writes the records in a format, compressed if that is asked
// for.
func writeCollation(ctx context.Context, in *input, options collate.Options, format show.Format, packed string, f *collateFlags, w io.Writer) (*collate.Result, error) {
	kinds := make(map[string]show.Cells)
	if format.IsTyped() {
		var err error
		if kinds, err = kindsOf(ctx, in, &options); err != nil {
			return nil, err
		}
	}
	plan, err := collate.Prepare(ctx, in.set, in.reading, options)
	if err != nil {
		return nil, err
	}
	var result *collate.Result
	if format == show.CSV || format == show.TSV { // texts are then copied as they stand
		out, err := show.Pack(w, packed)
		if err != nil {
			return nil, err
		}
		if _, err := out.Write(plan.Header()); err != nil {
			return nil, err
		}
		if result, err = plan.Write(ctx, out); err != nil {
			return nil, err
		}
		return result, out.Close()
	}
	for _, c := range f.added {
		kinds[c.Name] = c
	}
	as := &recordFormat{format: format, packed: packed, columns: columnsOf(plan, kinds)}
	plan.Encode(as.encoder())
	err = as.write(w, func(w io.Writer) (err error) {
		result, err = plan.Write(ctx, w)
		return err
	})
	return result, err
}

// columnsOf are the columns of a collation as a typed format has them.
func columnsOf(plan *collate.Plan, kinds map[string]show.Cells) []show.Cells {
	columns := make([]show.Cells, len(plan.Columns))
	for i, name := range plan.Columns {
		columns[i] = show.Cells{Name: name, Kind: record.Text}
		if c, ok := kinds[name]; ok {
			columns[i] = c
		}
	}
	if n := len(columns); n > 0 && plan.HasLine() {
		columns[n-1].Kind = record.Amount // the line
	}
	return columns
}

// recordFormat says how records are written.
type recordFormat struct {
	format  show.Format
	packed  string
	shield  bool // in delimited text
	absent  bool // a text that is nil is told apart from one that is blank
	columns []show.Cells

	// sheets are those of a workbook, and sheetOf tells to which of them a record
	// goes; nil for a workbook of one sheet.
	sheets  []show.Sheet
	sheetOf func(texts [][]byte) int
	first   func(*show.SheetWriter) error // is called before the records
}

// encoder makes the records that write puts together.
func (f *recordFormat) encoder() record.Encoder {
	switch f.format {
	case show.JSON:
		return jsonListed(namesOf(f.columns), f.absent)
	case show.JSONL:
		return jsonLine(namesOf(f.columns), f.absent)
	case show.Workbook, show.Parquet:
		return appendFramed
	}
	if f.absent {
		return delimitedPresent(f.delimiter(), f.shield)
	}
	return delimitedRecord(f.delimiter(), f.shield)
}

// delimiter is that of delimited text.
func (f *recordFormat) delimiter() byte {
	if f.format == show.TSV {
		return '\t'
	}
	return ','
}

// write writes records in the format. fill writes them, as encoder has made them.
func (f *recordFormat) write(w io.Writer, fill func(w io.Writer) error) error {
	out, err := show.Pack(w, f.packed)
	if err != nil {
		return err
	}
	switch f.format {
	case show.JSON:
		list := &jsonList{w: out}
		if err = fill(list); err == nil {
			err = list.close()
		}
	case show.JSONL:
		err = fill(out)
	case show.Workbook, show.Parquet:
		err = f.writeTyped(out, fill)
	default:
		var header [][]byte
		for _, c := range f.columns {
			name := []byte(c.Name)
			if f.shield {
				var room []byte
				name = delimited.Shield(name, &room)
			}
			header = append(header, name)
		}
		if _, err = out.Write(delimited.AppendRecord(nil, header, f.delimiter())); err == nil {
			err = fill(out)
		}
	}
	if err != nil {
		return err
	}
	return out.Close()
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

// kindsOf finds out of what kinds the columns are: as was asked for, and else
// by reading all values. What comes from a pipe cannot be read twice, and its
// columns are texts.
func kindsOf(ctx context.Context, in *input, options *collate.Options) (map[string]show.Cells, error) {
	kinds := make(map[string]show.Cells)
	options.Kinds = make(map[string]record.Kind)
	if !slices.ContainsFunc(in.set.Sources, func(s source.Source) bool { return s.Size < 0 }) {
		look, reading := *in.set, in.reading
		look.Sources, look.PassedOver = slices.Clone(in.set.Sources), nil
		reading.Progress = nil
		found, err := intake.Run(ctx, &look, reading, intake.Options{})
		if err != nil {
			return nil, err
		}
		for _, c := range found.Columns {
			if c.Others == 0 {
				kinds[c.Name] = show.Cells{Name: c.Name, Kind: c.Kind, Scale: c.Scale}
				options.Kinds[c.Name] = c.Kind
			}
		}
	}
	return kinds, nil
}

// writeTyped writes records in a format that tells kinds apart. The goroutines
// that make them hand them over one behind another, each with the lengths and
// kinds of its texts before it.
func (f *recordFormat) writeTyped(out io.Writer, fill func(w io.Writer) error) error {
	to := &framed{texts: make([][]byte, len(f.columns)), kinds: make([]record.Kind, len(f.columns))}
	var close func() error
	if f.format == show.Workbook && f.sheets != nil {
		sheets, err := show.NewSheetWriter(out, f.sheets)
		if err != nil {
			return err
		}
		defer sheets.Abandon()
		if err := f.first(sheets); err != nil {
			return err
		}
		to.write = func(texts [][]byte, kinds []record.Kind) error { return sheets.Write(f.sheetOf(texts), texts, kinds) }
		close = sheets.Close
	} else {
		writer, err := show.NewRecordWriter(out, f.format, f.columns)
		if err != nil {
			return err
		}
		defer show.LetGo(writer)
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

func namesOf(columns []show.Cells) []string {
	var names []string
	for _, c := range columns {
		names = append(names, c.Name)
	}
	return names
}

// jsonRecord encodes a record as an object of texts, which keep their digits. absent
// says that a text that is nil is null.
func jsonRecord(columns []string, absent bool) record.Encoder {
	names := make([][]byte, len(columns))
	for i, name := range columns {
		names[i] = show.JSONText(name)
	}
	return func(dst []byte, texts [][]byte, _ []record.Kind) []byte {
		dst = append(dst, '{')
		for i, text := range texts {
			if i > 0 {
				dst = append(dst, ',')
			}
			dst = append(append(dst, names[i]...), ':')
			if absent && text == nil {
				dst = append(dst, "null"...)
				continue
			}
			dst = append(dst, show.JSONText(string(text))...)
		}
		return append(dst, '}')
	}
}

// jsonLine encodes a record as an object on a line of its own.
func jsonLine(columns []string, absent bool) record.Encoder {
	object := jsonRecord(columns, absent)
	return func(dst []byte, texts [][]byte, kinds []record.Kind) []byte {
		return append(object(dst, texts, kinds), '\n')
	}
}

// jsonListed encodes a record as an element of a list, the comma first.
func jsonListed(columns []string, absent bool) record.Encoder {
	object := jsonRecord(columns, absent)
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
