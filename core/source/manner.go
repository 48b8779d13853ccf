package source

import (
	"lastblock/core/format/delimited"
	"lastblock/core/source/shape"
)

// Manner is how sources are written, as far as the user has said it, and what
// form their records are to have. The zero value leaves all to be found out.
type Manner struct {
	Name     *NamePattern // what files' names tell; nil for nothing
	Request  delimited.Request
	Blanks   bool   // runs of blanks stand between fields
	Widths   []int  // how many characters each column has; nil where a delimiter parts them
	Encoding string // of text without a byte-order mark, as decode.Named knows it
	Decimal  byte   // of amounts in text: '.' or ',', 0 to find out
	At       string // a JSON Pointer to the records
	// of JSON: the members of an object are the records, and their names go into this column
	Member      string
	Choice      Choice          // what is read of workbooks
	Query       string          // what is read of a database
	Trailer     *TrailerPattern // the line with which sources end and declare what is in them; nil for none
	ShortRows   ShortRows
	NoTotalLine bool // a line that begins like a total line is a record
	Parts       bool // several files for one entity and period are parts of one filing
	Shape       *shape.Request

	// Lined says that a last column has the lines on which records start.
	Lined bool
}
