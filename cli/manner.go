package cli

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"lastblock/core/format/decode"
	"lastblock/core/format/delimited"
	"lastblock/core/record"
	"lastblock/core/source"
	"lastblock/core/source/shape"
	"lastblock/core/value/date"
	"lastblock/core/value/expression"
	"lastblock/core/value/nearest"

	"github.com/spf13/pflag"
)

// manner are the flags that say how sources are written, and what form their
// records are to have. A plan has the same words, for all sources or for some.
type manner struct {
	name      string
	delimiter string
	encoding  string
	decimal   string
	skipLines int
	headers   int
	noHeader  bool
	sheet     string
	table     string
	at        string
	member    string
	trailer   string
	noTotal   bool
	noQuotes  bool
	shortRows string
	widths    string
	cover     string
	query     string

	rename []string
	as     []string
	drop   []string
	makes  []string
	where  string
}

func (m *manner) addTo(f *pflag.FlagSet) { m.addAs(f, "") }

// addAs adds the flags with a prefix before their names.
func (m *manner) addAs(f *pflag.FlagSet, prefix string) {
	f.StringVar(&m.name, prefix+"name", "", "what the files' names tell, e.g. '{entity}_{period}*'; each word becomes a column")
	f.StringVar(&m.delimiter, prefix+"delimiter", "", "what separates fields: a character, tab or blanks (found by itself)")
	f.StringVar(&m.encoding, prefix+"encoding", "", "the encoding of text without a byte-order mark, e.g. windows-1252 (found by itself)")
	f.StringVar(&m.decimal, prefix+"decimal", "", "the decimal mark of amounts, '.' or ',' (found by itself for each source)")
	f.IntVar(&m.skipLines, prefix+"skip-lines", 0, "how many lines are above the header (found by itself)")
	f.IntVar(&m.headers, prefix+"header-lines", 0, "how many lines the header has, whose names are joined by a blank (one, or none if it looks like a record)")
	f.BoolVar(&m.noHeader, prefix+"no-header", false, "the first line is a record; columns are called #1, #2, …")
	f.StringVar(&m.sheet, prefix+"sheet", "", "which sheet of a workbook: its name, #2 for the second, '*' for all (the only one with data)")
	f.StringVar(&m.table, prefix+"table", "", "which table, or area with a name, of a workbook")
	f.StringVar(&m.at, prefix+"at", "", "where the records are in JSON, as a JSON Pointer, e.g. /data/rows (found by itself)")
	f.StringVar(&m.member, prefix+"member-name", "", "of JSON: each member of the object is a record, and its name goes into this column")
	f.StringVar(&m.trailer, prefix+"trailer", "", "the line with which sources end and declare what is in them, e.g. 'TOTAL {rows} {debit}'; it is no record")
	f.BoolVar(&m.noTotal, prefix+"no-total-line", false, "a line that begins with Total, Sum or the like is a record")
	f.BoolVar(&m.noQuotes, prefix+"no-quotes", false, "a quote is text like any other")
	f.StringVar(&m.shortRows, prefix+"short-rows", "", "records that end early: pad them with blank fields, or suspend them (pad them unless a column that is needed is missing)")
	f.StringVar(&m.widths, prefix+"widths", "", "how many characters each column of text has, e.g. 6,10,12 (found by itself)")
	f.StringVar(&m.cover, prefix+"declared-sheet", "", "the sheet on which a workbook declares what is in it; it is no source")
	f.StringVar(&m.query, prefix+"query", "", "of a database, named as postgres://user@host/name, what is read: a select")
	f.StringSliceVar(&m.rename, prefix+"rename", nil, "give columns other names, e.g. 'Konto=account,Acct No=account'")
	f.StringSliceVar(&m.as, prefix+"as", nil, "read columns as a kind, e.g. 'account=text,posted=date:dmy'; amounts and dates are then written plainly")
	f.StringSliceVar(&m.drop, prefix+"drop", nil, "leave out columns")
	f.StringArrayVar(&m.makes, prefix+"make", nil, "compute a column, e.g. 'net=debit-credit'")
	f.StringVar(&m.where, prefix+"where", "", "read only records for which this holds, e.g. 'account == \"4000\" && debit > 100'")
}

// blanksDelimiter means runs of blanks between fields.
const blanksDelimiter = "blanks"

// manner reads the flags. flag writes a flag's name as its user knows it.
func (m *manner) manner(flag func(name string) string) (*source.Manner, error) {
	fail := func(name, format string, arguments ...any) error {
		return fmt.Errorf("%s: %w", flag(name), fmt.Errorf(format, arguments...))
	}
	result := &source.Manner{Encoding: m.encoding, At: m.at, Member: m.member, Query: m.query, NoTotalLine: m.noTotal, Choice: source.Choice{Sheet: m.sheet, Table: m.table, Cover: m.cover}}
	switch m.decimal {
	case "", "found":
	case ".", "point":
		result.Decimal = '.'
	case ",", "comma":
		result.Decimal = ','
	default:
		return nil, fail("decimal", "the decimal mark is '.' or ',', not %q", m.decimal)
	}
	switch {
	case m.skipLines < 0:
		return nil, fail("skip-lines", "a number of lines is needed, not %d", m.skipLines)
	case m.headers < 0:
		return nil, fail("header-lines", "a number of lines is needed, not %d", m.headers)
	case m.headers > 0 && m.noHeader:
		return nil, fail("header-lines", "it does not go together with %s", flag("no-header"))
	case m.sheet != "" && m.table != "":
		return nil, fail("table", "it does not go together with %s, as a table stands on one sheet", flag("sheet"))
	case m.at != "" && m.at[0] != '/':
		return nil, fail("at", "a JSON Pointer begins with a slash, as /data/rows, and %q does not", m.at)
	}
	switch result.ShortRows = source.ShortRows(m.shortRows); result.ShortRows {
	case source.FindShort, source.PadShort, source.SuspendShort:
	default:
		return nil, fail("short-rows", "short rows are padded or suspended, and %q is neither pad nor suspend", m.shortRows)
	}
	result.Request = delimited.Request{NoHeader: m.noHeader, NoQuotes: m.noQuotes, SkipLines: m.skipLines, HeaderLines: m.headers}
	if m.delimiter != "" {
		var err error
		if result.Blanks = m.delimiter == blanksDelimiter; result.Blanks {
			result.Request.Delimiter = '\t'
		} else if result.Request.Delimiter, err = oneCharacter(m.delimiter); err != nil {
			return nil, fail("delimiter", "%w", err)
		}
	}
	if m.widths != "" {
		if m.delimiter != "" {
			return nil, fail("widths", "it does not go together with %s", flag("delimiter"))
		}
		for text := range strings.SplitSeq(m.widths, ",") {
			width, err := strconv.Atoi(strings.TrimSpace(text))
			if err != nil || width < 1 {
				return nil, fail("widths", "the widths of columns are numbers of characters with commas between them, as 6,10,12, and %q is none", text)
			}
			result.Widths = append(result.Widths, width)
		}
		result.Request.Delimiter = '\t' // of which the columns are made
	}
	if m.encoding != "" {
		if _, err := decode.Named(m.encoding); err != nil {
			return nil, fail("encoding", "%w", err)
		}
	}
	var err error
	if m.name != "" {
		if result.Name, err = source.ParseNamePattern(m.name); err != nil {
			return nil, fail("name", "%w", err)
		}
	}
	if m.trailer != "" {
		if result.Trailer, err = source.ParseTrailerPattern(m.trailer); err != nil {
			return nil, fail("trailer", "%w", err)
		}
	}
	result.Shape, err = m.shape(fail)
	return result, err
}

// shape reads the flags about the form of records; nil where none was given.
func (m *manner) shape(fail func(name, format string, arguments ...any) error) (*shape.Request, error) {
	if m.rename == nil && m.as == nil && m.drop == nil && m.makes == nil && m.where == "" {
		return nil, nil
	}
	r := &shape.Request{Drop: m.drop}
	var err error
	if r.Rename, err = renames(m.rename); err != nil {
		return nil, fail("rename", "%w", err)
	}
	for _, text := range m.as {
		as, err := parseAs(text)
		if err != nil {
			return nil, fail("as", "%w", err)
		}
		r.As = append(r.As, as)
	}
	for _, text := range m.makes {
		name, formula, ok := strings.Cut(text, "=")
		name = strings.TrimSpace(name)
		if !ok || name == "" {
			return nil, fail("make", "%q is not of the form 'name=expression'", text)
		}
		x, err := expression.Parse(formula)
		if err != nil {
			return nil, fail("make", "%w", err)
		}
		if slices.ContainsFunc(r.Make, func(made shape.Make) bool { return made.Name == name }) {
			return nil, fail("make", "%q is computed twice", name)
		}
		r.Make = append(r.Make, shape.Make{Name: name, Expression: x})
	}
	if m.where != "" {
		x, err := expression.Parse(m.where)
		if err != nil {
			return nil, fail("where", "%w", err)
		}
		if !x.IsCondition() {
			return nil, fail("where", "%q is neither true nor false; write for example 'debit > 100'", m.where)
		}
		r.Where = x
	}
	return r, nil
}

// renames reads 'old name=new name'.
func renames(texts []string) (all []shape.Rename, err error) {
	for _, text := range texts {
		from, to, ok := strings.Cut(text, "=")
		from, to = strings.TrimSpace(from), strings.TrimSpace(to)
		if !ok || from == "" || to == "" {
			return nil, fmt.Errorf("%q is not of the form 'old name=new name'", text)
		}
		all = append(all, shape.Rename{From: from, To: to})
	}
	return all, nil
}

// dateOrders are the orders of a date's parts by their initials.
var dateOrders = map[string]date.Order{"dmy": date.DayMonthYear, "mdy": date.MonthDayYear, "ymd": date.YearMonthDay}

// parseAs reads column=kind, with the order behind a date.
func parseAs(text string) (shape.As, error) {
	i := strings.LastIndexByte(text, '=')
	if i <= 0 {
		return shape.As{}, fmt.Errorf("%q is not of the form 'column=kind'", text)
	}
	kind, order, ordered := strings.Cut(strings.TrimSpace(text[i+1:]), ":")
	as := shape.As{Column: strings.TrimSpace(text[:i]), Kind: record.Kind(kind), Order: date.Unclear}
	if !slices.Contains(record.Kinds, as.Kind) {
		var kinds []string
		for _, k := range record.Kinds {
			kinds = append(kinds, string(k))
		}
		message := fmt.Sprintf("there is no kind %q", kind)
		if near, ok := nearest.To(kind, kinds); ok {
			message += fmt.Sprintf("; did you mean %s?", near)
		}
		return as, fmt.Errorf("%s\nthere is: %s", message, strings.Join(kinds, ", "))
	}
	if !ordered {
		return as, nil
	}
	known := false
	if as.Order, known = dateOrders[order]; !known || as.Kind != record.Date {
		return as, fmt.Errorf("%q: behind a date stands dmy, mdy or ymd, and behind other kinds nothing", text)
	}
	return as, nil
}
