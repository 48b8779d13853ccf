package source

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/format/decode"
	"lastblock/core/format/delimited"
	"lastblock/core/option"
	"lastblock/core/source/shape"
)

// MannerRequest is how sources are written, and what form their records are to have, in the
// words of a plan or a command line. The zero value leaves all to be found out.
type MannerRequest struct {
	Name        string
	Delimiter   string
	Encoding    string
	Decimal     string
	SkipLines   int
	HeaderLines int
	NoHeader    bool
	Sheet       string
	Table       string
	At          string
	MemberName  string
	Trailer     string
	NoTotalLine bool
	NoQuotes    bool
	ShortRows   string
	Widths      string
	Cover       string
	Query       string
	Shape       shape.Words
}

// Options are those of a request. They hold for all sources, or for those of a plan's shape.
func (m *MannerRequest) Options() option.List {
	return append(option.List{
		{Word: "name", Value: &m.Name, Meaning: "what the files' names tell, e.g. '{entity}_{period}*'; each word " +
			"becomes a column"},
		{Word: "delimiter", Value: &m.Delimiter,
			Meaning: "what separates fields: a character, tab or blanks (found by itself)"},
		{Word: "encoding", Value: &m.Encoding,
			Meaning: "the encoding of text without a byte-order mark, e.g. windows-1252 (found by itself)"},
		{Word: "decimal", Value: &m.Decimal,
			Meaning: "the decimal mark of amounts, '.' or ',' (found by itself for each source)"},
		{Word: "skip-lines", Value: &m.SkipLines, Meaning: "how many lines are above the header (found by itself)"},
		{Word: "header-lines", Value: &m.HeaderLines,
			Meaning: "how many lines the header has, whose names are joined by a blank (one, or none if it looks " +
				"like a record)"},
		{Word: "no-header", Value: &m.NoHeader, Meaning: "the first line is a record; columns are called #1, #2, …"},
		{Word: "sheet", Value: &m.Sheet,
			Meaning: "which sheet of a workbook: its name, #2 for the second, '*' for all (the only one with data)"},
		{Word: "table", Value: &m.Table, Meaning: "which table, or area with a name, of a workbook"},
		{Word: "at", Value: &m.At, Meaning: "where the records are in JSON, as a JSON Pointer, e.g. /data/rows " +
			"(found by itself)"},
		{Word: "member-name", Value: &m.MemberName,
			Meaning: "of JSON: each member of the object is a record, and its name goes into this column"},
		{Word: "trailer", Value: &m.Trailer,
			Meaning: "the line with which sources end and declare what is in them, e.g. 'TOTAL {rows} {debit}'; it " +
				"is no record"},
		{Word: "no-total-line", Value: &m.NoTotalLine,
			Meaning: "a line that begins with Total, Sum or the like is a record"},
		{Word: "no-quotes", Value: &m.NoQuotes, Meaning: "a quote is text like any other"},
		{Word: "short-rows", Value: &m.ShortRows,
			Meaning: "records that end early: pad them with blank fields, or suspend them " +
				"(pad them unless a column that is needed is missing)"},
		{Word: "widths", Value: &m.Widths, Meaning: "how many characters each column of text has, e.g. 6,10,12 " +
			"(found by itself)"},
		{Word: "declared-sheet", Value: &m.Cover,
			Meaning: "the sheet on which a workbook declares what is in it; it is no source"},
		{Word: "query", Value: &m.Query, Meaning: "of a database, named as postgres://user@host/name, what is read: " +
			"a select"},
	}, m.Shape.Options()...)
}

// blanksDelimiter means runs of blanks between fields.
const blanksDelimiter = "blanks"

// Manner reads the request. prefix stands before the words of its options. The error is an
// *option.Error.
func (m *MannerRequest) Manner(prefix string) (*Manner, error) {
	r := &mannerReader{request: m, prefix: prefix, manner: &Manner{
		Encoding: m.Encoding, At: m.At, Member: m.MemberName, Query: m.Query, NoTotalLine: m.NoTotalLine,
		Choice: Choice{Sheet: m.Sheet, Table: m.Table, Cover: m.Cover}, ShortRows: ShortRows(m.ShortRows),
		Request: delimited.Request{NoHeader: m.NoHeader, NoQuotes: m.NoQuotes, SkipLines: m.SkipLines,
			HeaderLines: m.HeaderLines},
	}}
	for _, read := range []func() error{r.checkLines, r.checkPlaces, r.decimal, r.delimiter, r.widths, r.patterns} {
		if err := read(); err != nil {
			return nil, err
		}
	}
	var err error
	r.manner.Shape, err = m.Shape.Request(prefix)
	return r.manner, err
}

// mannerReader reads a request, one thing after another.
type mannerReader struct {
	request *MannerRequest
	prefix  string
	manner  *Manner
}

func (r *mannerReader) fail(word, format string, arguments ...any) error {
	return option.Errorf(r.prefix+word, format, arguments...)
}

// other writes another option in a message.
func (r *mannerReader) other(word string) string { return option.Mark(r.prefix + word) }

func (r *mannerReader) checkLines() error {
	switch m := r.request; {
	case m.HeaderLines > 0 && m.NoHeader:
		return r.fail("header-lines", "it does not go together with %s", r.other("no-header"))
	case !slices.Contains([]ShortRows{FindShort, PadShort, SuspendShort}, r.manner.ShortRows):
		return r.fail("short-rows", "short rows are padded or suspended, and %q is neither pad nor suspend",
			m.ShortRows)
	}
	return nil
}

// checkPlaces is about where in a workbook or a document the records are, and its encoding.
func (r *mannerReader) checkPlaces() error {
	switch m := r.request; {
	case m.Sheet != "" && m.Table != "":
		return r.fail("table", "it does not go together with %s, as a table stands on one sheet", r.other("sheet"))
	case m.At != "" && m.At[0] != '/':
		return r.fail("at", "a JSON Pointer begins with a slash, as /data/rows, and %q does not", m.At)
	case m.Encoding != "":
		if _, err := decode.Named(m.Encoding); err != nil {
			return r.fail("encoding", "%w", err)
		}
	}
	return nil
}

func (r *mannerReader) decimal() error {
	switch r.request.Decimal {
	case "", "found":
	case ".", "point":
		r.manner.Decimal = '.'
	case ",", "comma":
		r.manner.Decimal = ','
	default:
		return r.fail("decimal", "the decimal mark is '.' or ',', not %q", r.request.Decimal)
	}
	return nil
}

func (r *mannerReader) delimiter() (err error) {
	text := r.request.Delimiter
	if text == "" {
		return nil
	}
	if r.manner.Blanks = text == blanksDelimiter; r.manner.Blanks {
		r.manner.Request.Delimiter = '\t' // which reading makes of them
		return nil
	}
	if r.manner.Request.Delimiter, err = oneCharacter(text); err != nil {
		return r.fail("delimiter", "%w", err)
	}
	return nil
}

// oneCharacter reads a delimiter.
func oneCharacter(text string) (byte, error) {
	names := map[string]byte{"tab": '\t', `\t`: '\t', "comma": ',', "semicolon": ';', "pipe": '|'}
	if c, ok := names[strings.ToLower(text)]; ok {
		return c, nil
	}
	if len(text) == 1 && text != "\n" && text != "\r" && text != `"` {
		return text[0], nil
	}
	return 0, fmt.Errorf("one character is needed, such as ';' or tab, not %q", text)
}

func (r *mannerReader) widths() error {
	if r.request.Widths == "" {
		return nil
	}
	if r.request.Delimiter != "" {
		return r.fail("widths", "it does not go together with %s", r.other("delimiter"))
	}
	for text := range strings.SplitSeq(r.request.Widths, ",") {
		width, err := strconv.Atoi(strings.TrimSpace(text))
		if err != nil || width < 1 {
			return r.fail("widths", "the widths of columns are numbers of characters with commas between them, as "+
				"6,10,12, "+
				"and %q is none", text)
		}
		r.manner.Widths = append(r.manner.Widths, width)
	}
	r.manner.Request.Delimiter = '\t' // of which the columns are made
	return nil
}

// patterns are those of names and of last lines.
func (r *mannerReader) patterns() (err error) {
	if r.request.Name != "" {
		if r.manner.Name, err = ParseNamePattern(r.request.Name); err != nil {
			return r.fail("name", "%w", err)
		}
	}
	if r.request.Trailer != "" {
		if r.manner.Trailer, err = ParseTrailerPattern(r.request.Trailer); err != nil {
			return r.fail("trailer", "%w", err)
		}
	}
	return nil
}
