package record

import (
	"bytes"
	"slices"
)

// Batch is a run of records of one source. The fields of all of them lie in
// one buffer, and their boundaries in one flat slice, so that a batch of ten
// thousand records costs no allocation per record or field:
//
//	Data    d o c , d e b i t \n A 1 , 5 . 0 0 \n A 2 , 7 . 5 0 \n
//	Bounds                    9     12        17 17    20       25 25
//
// Each record takes Width+1 bounds: the byte before its first field, then the
// byte behind each of its fields. Where the batch is Chained, each record begins
// behind the line end of the one before, so that the last bound of that is the first
// of this one, and is there once. Records that do not have Width fields are
// not among Rows; they are Refused.
//
// A batch is only good until the visitor that was given it returns; its
// buffers are used again.
type Batch struct {
	Data   []byte
	Bounds []uint32
	Width  int
	Rows   int

	// Stored are the columns as the format stores them, by column; see CodesOf and TextsOf. Nil for none.
	Stored []Stored
	// Columnar says that this is all that there is of the records: neither Data nor Bounds were made. Only visitors
	// that ask for it are given such batches.
	Columnar bool

	// Chained says that records share bounds.
	Chained bool

	// Quoted says that a field which begins with a quote is quoted as in RFC
	// 4180. Without it every field is its own text.
	Quoted bool
	// Plain says that no field holds a delimiter, a quote or a line break, so
	// that the bytes of a record can be written as they stand.
	Plain bool
	// Regular says that each field that holds one of these is in quotes, as RFC 4180 has it,
	// and that a field which begins with a quote is.
	Regular bool
	// Needed says that the batch is Regular, and a delimiter or a line break stands in each field in quotes.
	Needed bool

	// FirstLine is the line on which the first record starts; record i starts
	// on FirstLine+i, unless Lines is set and says otherwise.
	FirstLine int
	Lines     []int

	// Ranks says which row of another batch each record was, where this batch was made of that one and
	// some records were taken out; nil where nobody asks. See KeepRanks.
	Ranks []int

	// Refused are lines of this stretch of the source that could not be read
	// as records.
	Refused []Refusal
	// Blank and Repeated count lines that are no records: blank lines, and
	// repetitions of the header with the lines they stand on.
	Blank    int
	Repeated []int

	// Padded are records that had fewer fields than there are columns, and were filled up
	// with blank ones.
	Padded []Padded

	// Dropped are the records that a condition left out, nil for none. They
	// share Data with the others.
	Dropped *Batch

	// Missed are columns that the source lacks and that an expression asked for all the
	// same, and Blanked those that could not be computed since a date was blank.
	Missed, Blanked []Told

	// Fractions is how many cells are numbers with digits behind the point, in formats
	// that tell numbers from texts.
	Fractions int

	Last   bool // nothing follows in this source
	Hidden int  // rows of a sheet that its sender does not see
}

// Told is something that is to be told of a column: of how many records, and of which
// line the first one.
type Told struct {
	Column  string
	Records int
	Line    int
}

// Padded is a record that ended early: how many fields it had, and its line.
type Padded struct{ Fields, Line int }

// AppendTold adds what is told of a column, which may have been told before.
func AppendTold(told []Told, t Told) []Told {
	for i := range told {
		if told[i].Column == t.Column {
			told[i].Records += t.Records
			told[i].Line = min(told[i].Line, t.Line)
			return told
		}
	}
	return append(told, t)
}

// Reason says why a line was refused.
type Reason uint8

// The reasons a reader has.
const (
	FieldCount Reason = iota // more or fewer fields than the header
	OpenQuote                // a quote that is never closed
	StrayQuote               // text behind a closing quote
	BadValue                 // a value that is not what its column holds
	NoResult                 // a formula whose result the file does not hold
)

// Refusal is a record that a reader set aside.
type Refusal struct {
	Reason Reason
	Line   int
	Fields int    // how many fields it has, for FieldCount
	Raw    []byte // the record as it was sent

	Column string // in which a BadValue stands
	Found  []byte // the BadValue
	Wanted string // what was expected in its place, "" for any value

	// Rank says which row of another batch the record was, from 1, where Ranks are kept and the record was
	// refused since; 0 for a record that no batch holds.
	Rank int
}

// Reset empties b for the next stretch, keeping its buffers.
func (b *Batch) Reset(width int) {
	*b = Batch{
		Bounds: b.Bounds[:0], Width: width,
		Stored: b.Stored[:0], Lines: b.Lines[:0], Refused: b.Refused[:0], Repeated: b.Repeated[:0],
	}
}

// RecordBounds are the Width+1 bounds of one record.
func (b *Batch) RecordBounds(row int) []uint32 {
	i := row * b.Stride()
	return b.Bounds[i : i+b.Width+1]
}

// Stride is how far the bounds of a record are from those of the next.
func (b *Batch) Stride() int {
	if b.Chained {
		return b.Width
	}
	return b.Width + 1
}

// Unchain gives each record bounds of its own, so that some can be taken out.
func (b *Batch) Unchain() {
	if !b.Chained {
		return
	}
	n := len(b.Bounds)
	b.Bounds = slices.Grow(b.Bounds, b.Rows)[:b.Rows*(b.Width+1)]
	for row := b.Rows - 1; row > 0; row-- { // from the end, where there is room
		copy(b.Bounds[row*(b.Width+1):(row+1)*(b.Width+1)], b.Bounds[row*b.Width:min(n, (row+1)*b.Width+1)])
	}
	b.Chained = false
}

// KeepLines makes sure that Lines tells where each record starts, so that
// records can be taken out.
func (b *Batch) KeepLines() {
	if len(b.Lines) == 0 {
		for row := range b.Rows {
			b.Lines = append(b.Lines, b.FirstLine+row)
		}
	}
}

// KeepRanks has Ranks say which row each record is now, from here on.
func (b *Batch) KeepRanks() {
	b.Ranks = make([]int, b.Rows)
	for row := range b.Ranks {
		b.Ranks[row] = row
	}
}

// Rank is which row of the other batch a record was.
func (b *Batch) Rank(row int) int {
	if b.Ranks == nil {
		return row
	}
	return b.Ranks[row]
}

// KeepRank moves the rank of a record that becomes another row.
func (b *Batch) KeepRank(to, from int) {
	if b.Ranks != nil {
		b.Ranks[to] = b.Ranks[from]
	}
}

// CutRanks forgets the ranks of rows that are no more.
func (b *Batch) CutRanks() {
	if b.Ranks != nil {
		b.Ranks = b.Ranks[:b.Rows]
	}
}

// Own makes the records of the batch its own, so that taking some out changes nothing for
// others that were given the same batch.
func (b *Batch) Own() {
	b.Bounds, b.Lines, b.Ranks = slices.Clone(b.Bounds), slices.Clone(b.Lines), slices.Clone(b.Ranks)
	if b.Dropped != nil {
		dropped := *b.Dropped
		dropped.Bounds, dropped.Lines = slices.Clone(dropped.Bounds), slices.Clone(dropped.Lines)
		b.Dropped = &dropped
	}
}

// Split keeps the rows of which keep is true, and moves the others to Dropped,
// behind those that are there.
func (b *Batch) Split(keep []bool) {
	b.Stored = nil
	b.KeepLines()
	b.Unchain()
	dropped := b.Dropped
	if dropped == nil {
		dropped = &Batch{Data: b.Data, Width: b.Width, Quoted: b.Quoted, Plain: b.Plain, Regular: b.Regular,
			Needed: b.Needed}
	}
	kept := 0
	for row := range b.Rows {
		if !keep[row] {
			dropped.Bounds = append(dropped.Bounds, b.RecordBounds(row)...)
			dropped.Lines = append(dropped.Lines, b.Lines[row])
			dropped.Rows++
			continue
		}
		copy(b.Bounds[kept*(b.Width+1):], b.RecordBounds(row))
		b.Lines[kept] = b.Lines[row]
		b.KeepRank(kept, row)
		kept++
	}
	b.Bounds, b.Lines, b.Rows = b.Bounds[:kept*(b.Width+1)], b.Lines[:kept], kept
	b.CutRanks()
	if dropped.Rows > 0 {
		b.Dropped = dropped
	}
}

// Keep keeps the rows of which keep is true; the others are records no more.
func (b *Batch) Keep(keep []bool) {
	b.Stored = nil
	b.KeepLines()
	b.Unchain()
	kept := 0
	for row := range b.Rows {
		if !keep[row] {
			continue
		}
		copy(b.Bounds[kept*(b.Width+1):], b.RecordBounds(row))
		b.Lines[kept] = b.Lines[row]
		b.KeepRank(kept, row)
		kept++
	}
	b.Bounds, b.Lines, b.Rows = b.Bounds[:kept*(b.Width+1)], b.Lines[:kept], kept
	b.CutRanks()
}

// Without takes a record out of the batch.
func (b *Batch) Without(row int) {
	b.Stored = nil
	b.Unchain()
	stride := b.Width + 1
	if row < b.Rows-1 {
		b.KeepLines()
	}
	copy(b.Bounds[row*stride:], b.Bounds[(row+1)*stride:])
	if b.Ranks != nil {
		b.Ranks = slices.Delete(b.Ranks, row, row+1)
	}
	b.Rows--
	b.Bounds = b.Bounds[:b.Rows*stride]
	if len(b.Lines) > 0 {
		copy(b.Lines[row:], b.Lines[row+1:])
		b.Lines = b.Lines[:b.Rows]
	}
}

// Field returns the bytes of a field as they were sent, quotes included.
func (b *Batch) Field(row, column int) []byte {
	i := row*b.Stride() + column
	return b.Data[b.Bounds[i]+1 : b.Bounds[i+1]]
}

// Extent tells where a field as it was sent stands in Data.
func (b *Batch) Extent(row, column int) (from, to int) {
	i := row*b.Stride() + column
	return int(b.Bounds[i] + 1), int(b.Bounds[i+1]) // in wrapping arithmetic
}

// Text returns what a field says: without its quotes, and with doubled quotes
// made single. A text that needs no change is not copied; the others are put
// into *scratch.
func (b *Batch) Text(row, column int, scratch *[]byte) []byte {
	field := b.Field(row, column)
	if !b.Quoted || len(field) == 0 || field[0] != '"' {
		return field
	}
	return Unquoted(field, scratch)
}

// Unquoted is Text for a field that is in quotes.
func Unquoted(field []byte, scratch *[]byte) []byte {
	field = field[1 : len(field)-1]
	if bytes.IndexByte(field, '"') < 0 {
		return field
	}
	*scratch = unquote((*scratch)[:0], field)
	return *scratch
}

// unquote appends text to dst with doubled quotes made single.
func unquote(dst, text []byte) []byte {
	for {
		i := bytes.IndexByte(text, '"')
		if i < 0 {
			return append(dst, text...)
		}
		dst = append(dst, text[:i+1]...)
		text = text[i+2:]
	}
}

// Raw returns a record as it was sent, without its line end.
func (b *Batch) Raw(row int) []byte {
	i := row * b.Stride()
	return b.Data[b.Bounds[i]+1 : b.Bounds[i+b.Width]]
}

// Line returns the line of the source on which a record starts.
func (b *Batch) Line(row int) int {
	if len(b.Lines) > 0 {
		return b.Lines[row]
	}
	return b.FirstLine + row
}

// Read is how many records the stretch holds, the refused and the dropped ones
// included.
func (b *Batch) Read() int {
	n := b.Rows + len(b.Refused)
	if b.Dropped != nil {
		n += b.Dropped.Rows
	}
	return n
}

// Encoder appends a record in some format. kinds say of what kind each text is, in its
// plain form then. It is called by several goroutines.
type Encoder func(dst []byte, texts [][]byte, kinds []Kind) []byte
