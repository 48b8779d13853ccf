package record

import "strings"

// Head tells how a source is laid out: which columns it has, and where its
// records begin.
type Head struct {
	Layout    *Layout
	Format    string // by its name, as "delimited"
	Delimiter byte   // of delimited text
	Header    []byte // the header as it was sent, nil without one
	Line      int    // on which the header starts, or the first record
	Above     int    // lines above it that hold something and are no records
	Mark      bool   // a byte-order mark stands in front
	Empty     bool   // nothing is in it, or nothing but blank lines
	Alone     byte   // of a header of one column: another delimiter that stands in it, 0 for none
	Several   bool   // the records of a text of one column consist of several parts
	Keyed     bool   // the only record of a JSON text holds objects that look like records
	Continues bool   // the first record looks like a second row of the header
	Unproven  bool   // nothing tells whether the header is one, or a record

	// Twice are names that stood in the header before, under the names that
	// were given to them; Unnamed are the columns without a name.
	Twice   []Renamed
	Unnamed []int

	// Index is the column, counted from 1, that only numbers the records; 0 for
	// none.
	Index int
	// Kinds are those that were asked for, by column; a column of a kind other
	// than text is then written in its plain form. Nil where none was.
	Kinds []Kind
	// Computed says of which columns the texts are not those that the source wrote, so
	// that an amount in them has a decimal point whatever the source's mark. Nil where
	// none was computed.
	Computed []bool

	// Hidden says what of a sheet its sender does not see, "" for nothing.
	Hidden string
}

// Renamed is a column that could not keep its name.
type Renamed struct{ Name, As string }

// HasHeader tells whether the source names its columns.
func (h *Head) HasHeader() bool { return h.Header != nil }

// NameColumns takes the names of a header. A name that stood before, and a
// column without one, get the next free form.
func (h *Head) NameColumns(header []string) {
	var names Names
	columns := make([]string, len(header))
	for i, name := range header {
		name = strings.TrimSpace(name)
		if name == "" {
			name = PositionName(i + 1)
			if i+1 != h.Index {
				h.Unnamed = append(h.Unnamed, i+1)
			}
		}
		free := names.Free(name)
		if free != name {
			h.Twice = append(h.Twice, Renamed{Name: name, As: free})
		}
		columns[i] = free
	}
	h.Layout = NewLayout(columns)
}

// Kind returns the kind that was asked for, "" for none.
func (h *Head) Kind(column int) Kind {
	if column < len(h.Kinds) {
		return h.Kinds[column]
	}
	return ""
}

// IsPlain tells whether amounts in a column have a decimal point, whatever the
// source's mark: they were read as such, or computed.
func (h *Head) IsPlain(column int) bool {
	return h.Kind(column) == Amount || h.IsComputed(column)
}

// IsComputed tells whether the texts of a column are not those that the source wrote.
func (h *Head) IsComputed(column int) bool { return column < len(h.Computed) && h.Computed[column] }

// Positions names n columns by where they stand.
func Positions(n int) *Layout {
	columns := make([]string, n)
	for i := range columns {
		columns[i] = PositionName(i + 1)
	}
	return NewLayout(columns)
}
