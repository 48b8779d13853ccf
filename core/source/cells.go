package source

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"sync/atomic"

	"lastblock/core/format/decode"
	"lastblock/core/format/delimited"
	"lastblock/core/format/sheet"
	"lastblock/core/value/amount"
	"lastblock/core/value/equality"
	"lastblock/core/value/kind"

	"golang.org/x/sync/errgroup"
)

// Cells is a source by its cells, as somebody sees it who has it open: nothing of it is a header, and nothing is left
// out. In delimited text a line is a row, that on which a record of several lines starts.
type Cells struct {
	Index  int         // of the source in the set
	Rows   []sheet.Row // those that hold something, from top to bottom
	Merged []sheet.Area
	Hidden string // columns, or the sheet, that are hidden; "" for nothing
	Locked bool   // the file is protected by a password, so that nothing was read
	Binary string // what the file holds, where it is called like text and is none; nothing was read then

	// Text is a source of delimited text, as UTF-8; nil of a sheet. Its Rows are there once Parse was called.
	Text []byte

	Plain   bool   // it is text, in which numbers are texts like any other
	Decimal byte   // the decimal mark of its amounts
	Unclear string // an amount that can be read with either mark, where none proves one; "" for none
	Guessed string // the encoding that the text was taken for, "" where it is known

	marks    int // amounts that were looked at for the decimal mark
	manner   *Manner
	most     int // cells that it may have
	scanner  delimited.Cells
	buffer   []byte // holds a text
	texts    []byte // holds the texts of cells
	rowRoom  []sheet.Row
	cellRoom []sheet.Cell
}

// NoCellsError says that a source has records, and no cells.
type NoCellsError struct{ Format string }

func (e *NoCellsError) Error() string {
	return fmt.Sprintf("%s has no cells; forms are workbooks, OpenDocument sheets or delimited text", e.Format)
}

// TooManyCellsError says that a source is too large for a form.
type TooManyCellsError struct{ Most int }

func (e *TooManyCellsError) Error() string {
	return fmt.Sprintf("more than %d cells, which no form has; sum up records with rollup, or raise ⟨memory⟩", e.Most)
}

// ReadCells reads the sources whole by their cells, on all cores. visitor makes what is shown them by one goroutine;
// what it is given is good until it returns, and of text it calls Parse where it needs the rows. The error is an
// *Error, or what a visitor returned.
func (s *Set) ReadCells(ctx context.Context, reading Reading, visitor func() func(*Cells) error) error {
	jobs := max(1, min(reading.Jobs, len(s.Sources)))
	reader := &cellReader{set: s, reading: reading, most: max(1<<20, int(reading.Memory/int64(jobs)/cellBytes)),
		library: library{idle: jobs}}
	defer reader.library.close()
	var next atomic.Int64
	group, ctx := errgroup.WithContext(ctx)
	for range jobs {
		visit := visitor()
		group.Go(func() error {
			cells := new(Cells)
			for {
				index := int(next.Add(1)) - 1
				if index >= len(s.Sources) {
					return nil
				}
				if err := ctx.Err(); err != nil {
					return err
				}
				if err := reader.read(index, cells); err != nil {
					return s.addressed(&Error{s.Sources[index].Name, err})
				}
				if err := visit(cells); err != nil {
					return err
				}
			}
		})
	}
	return group.Wait()
}

// cellBytes is roughly what a cell takes.
const cellBytes = 96

// cellReader reads sources by their cells.
type cellReader struct {
	set     *Set
	reading Reading
	most    int // cells of a source
	library library
}

func (r *cellReader) read(index int, c *Cells) error {
	s := &r.set.Sources[index]
	*c = Cells{Index: index, Decimal: '.', most: r.most, scanner: c.scanner, buffer: c.buffer, texts: c.texts[:0],
		rowRoom: c.rowRoom[:0], cellRoom: c.cellRoom[:0]}
	var err error
	switch {
	case s.locked:
		c.Locked = true
	case s.format != nil && s.format.book != nil:
		err = r.readSheet(s, c)
	case s.format != nil && (s.format.open != nil || s.format.connect != nil):
		err = &NoCellsError{s.format.Name}
	default:
		err = r.readText(s, c)
	}
	var binary *decode.BinaryError
	if errors.As(err, &binary) && !r.set.isNamed(index) {
		c.Binary, err = binary.What(), nil
	}
	if err != nil {
		return err
	}
	r.reading.Progress.add(1, max(0, s.Size))
	return nil
}

// readSheet reads a sheet of a workbook.
func (r *cellReader) readSheet(s *Source, c *Cells) error {
	book, err := r.openBook(s)
	if err != nil {
		return err
	}
	defer book.Close()
	part := s.inner().part
	var area sheet.Area
	if part.Table != "" {
		table, err := findTable(book, part.Table)
		if err != nil {
			return err
		}
		area = table.Area
	}
	rows, err := book.Rows(part.Sheet)
	if err != nil {
		return err
	}
	defer rows.Close()
	var row sheet.Row
	for {
		err := rows.Next(&row)
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return err
		}
		if row.Number < area.FirstRow || area.LastRow > 0 && row.Number > area.LastRow {
			continue
		}
		if err := c.add(&row, r.most); err != nil {
			return err
		}
	}
	if err := part.checkBehind(rows, s.manner().Choice); err != nil {
		return err
	}
	c.finish()
	c.Hidden = rows.Hidden()
	if c.Merged, err = rows.Merged(); err != nil {
		return err
	}
	return s.Unchanged()
}

// openBook opens the workbook that a source is in.
func (r *cellReader) openBook(s *Source) (sheet.Book, error) {
	if s.sharesBook() {
		return r.library.lend(s, r.reading.Memory)
	}
	return openBookOf(s, r.reading.Memory)
}

// add takes a row in, whose texts are good until the next one is read.
func (c *Cells) add(row *sheet.Row, most int) error {
	if len(c.cellRoom)+len(row.Cells) > most {
		return &TooManyCellsError{most}
	}
	for i := range row.Cells {
		cell := row.Cells[i]
		c.texts = append(c.texts, cell.Text...)
		c.cellRoom = append(c.cellRoom, cell)
	}
	c.rowRoom = append(c.rowRoom, *row)
	return nil
}

// finish has the cells that were added point to their texts, which may have moved since.
func (c *Cells) finish() {
	at, cell := 0, 0
	for i := range c.rowRoom {
		n := len(c.rowRoom[i].Cells)
		c.rowRoom[i].Cells = c.cellRoom[cell : cell+n : cell+n]
		for k := range c.rowRoom[i].Cells {
			of := &c.rowRoom[i].Cells[k]
			end := at + len(of.Text)
			of.Text, at = c.texts[at:end:end], end
		}
		cell += n
	}
	c.Rows = c.rowRoom
}

// readText reads delimited text.
func (r *cellReader) readText(s *Source, c *Cells) error {
	data, err := r.wholeText(s, c)
	if err != nil {
		return err
	}
	c.Plain, c.Text, c.manner = true, data, s.as
	if s.as == nil {
		c.manner = unsaid
	}
	return nil
}

// Delimiter is the character between fields of a text that was parsed, and LineEnd the one that its lines end in.
func (c *Cells) Delimiter() (delimiter, lineEnd byte) {
	return c.scanner.Dialect.Delimiter, c.scanner.Dialect.LineEnd
}

// CheckArea makes sure that an area of so many rows and columns is no larger than a form may be, as it is where one
// cell stands far away from all others. The error is a *TooManyCellsError.
func (c *Cells) CheckArea(rows, columns int) error {
	if rows > c.most/max(1, columns) {
		return &TooManyCellsError{c.most}
	}
	return nil
}

// Manner is how the source was said to be written; of those of which nothing was said it is the same.
func (c *Cells) Manner() *Manner { return c.manner }

// unsaid is the manner of a source of which nothing was said.
var unsaid = new(Manner)

// Parse reads the rows of a text; of a sheet they are there already. The error is a *TooManyCellsError.
func (c *Cells) Parse() (err error) {
	if !c.Plain {
		return nil
	}
	manner := c.manner
	c.Decimal = manner.Decimal
	c.scanner.Start(c.Text, manner.Request)
	var marks amount.Marks
	var row sheet.Row
	c.scanner.Each(c.Text, func(line int, fields [][]byte) {
		if err != nil {
			return
		}
		row.Number, row.Cells = line, row.Cells[:0]
		for _, field := range fields {
			row.Cells = append(row.Cells, sheet.Cell{Text: field})
			if manner.Decimal == 0 {
				c.lookForMark(field, &marks)
			}
		}
		err = c.add(&row, c.most)
	})
	if err != nil {
		return err
	}
	c.finish()
	if manner.Decimal == 0 {
		mark, proven := marks.Decimal()
		if c.Decimal = mark; proven {
			c.Unclear = ""
		}
	}
	return nil
}

// lookForMark takes an amount into account for the decimal mark, until enough of them have proven one.
func (c *Cells) lookForMark(field []byte, marks *amount.Marks) {
	if c.marks >= sampleRecords && marks.Point != marks.Comma || !hasMark(field) || !kind.MayBeAmount(field) {
		return
	}
	c.marks++
	unclear := marks.Unclear
	if marks.Add(field); marks.Unclear > unclear && c.Unclear == "" {
		c.Unclear = string(field)
	}
}

// wholeText reads all of a source as UTF-8. It lies in the buffer of c, or in memory of its own.
func (r *cellReader) wholeText(s *Source, c *Cells) ([]byte, error) {
	file, err := s.open()
	if err != nil {
		return nil, err
	}
	defer file.Close()
	limit := r.most * cellBytes
	c.buffer, err = readUpTo(file, c.buffer[:0], int(min(s.Size, int64(limit))), limit)
	if err != nil {
		return nil, err
	}
	if plain, ok := file.(interface{ identity() (identity, error) }); ok {
		if now, err := plain.identity(); err != nil || s.identity != (identity{}) && !now.isOf(s.identity) {
			return nil, ErrChanged
		}
	}
	data := c.buffer
	manner := s.manner()
	isPlain := manner.Encoding == "" && s.promised() == "" && manner.Widths == nil && !manner.Blanks &&
		decode.Find(data) == "" &&
		(manner.Request.Delimiter != 0 || isDelimited(data) || bytes.ContainsAny(data, "\t;|,"))
	if isPlain && decode.Binary(data[:min(len(data), sampleSize)]) == nil && decode.IsUTF8(data) {
		return bytes.TrimPrefix(data, []byte("\ufeff")), nil
	}
	unwrap := newUnwrapper(s, nil)
	defer unwrap.close()
	unwrap.look = unwrap.separate == nil && manner.Request.Delimiter == 0
	var content io.Reader = bytes.NewReader(data)
	for {
		sample := make([]byte, sampleSize)
		n, err := io.ReadFull(content, sample)
		if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF) {
			return nil, err
		}
		sample = sample[:n]
		inner, err := unwrap.unwrap(sample, content, n < sampleSize)
		if err != nil {
			return nil, err
		}
		if inner == nil {
			content = again(sample, content)
			break
		}
		content = inner
	}
	data, err = readUpTo(content, nil, -1, limit)
	c.Guessed = unwrap.guessed()
	return bytes.TrimPrefix(data, []byte("\ufeff")), err
}

// readUpTo reads all that there is into a buffer: size bytes, or where that is below 0 whatever there is. What is
// longer than limit is an error.
func readUpTo(r io.Reader, buffer []byte, size, limit int) ([]byte, error) {
	const usual = 64 << 10
	if room := max(size, usual) + 1; cap(buffer) < room {
		buffer = make([]byte, 0, room)
	}
	for {
		if len(buffer) == cap(buffer) {
			buffer = append(buffer, 0)[:len(buffer)]
		}
		n, err := r.Read(buffer[len(buffer):cap(buffer)])
		buffer = buffer[:len(buffer)+n]
		switch {
		case len(buffer) == size && size > 0 && err == nil:
			return buffer, nil // whoever has opened it looks whether it has grown
		case errors.Is(err, io.EOF):
			return buffer, nil
		case err != nil:
			return nil, err
		case len(buffer) > limit:
			return nil, &TooManyCellsError{limit / cellBytes}
		}
	}
}

// IsBlank tells whether nothing but blanks stands in a cell.
func IsBlank(cell *sheet.Cell) bool {
	return len(cell.Text) == 0 || len(bytes.TrimSpace(cell.Text)) == 0
}

// Amount is the amount in a cell; ok is false of a cell that holds something else. ratio tells of one that is shown as
// a percentage or a fraction. Of text, digits with a leading zero are a code.
func (c *Cells) Amount(cell *sheet.Cell) (value amount.Amount, ratio, ok bool) {
	if !c.Plain {
		if cell.Kind != sheet.NumberCell || cell.Error {
			return value, false, false
		}
		if coefficient, scale, ok := amount.ParsePlain(cell.Text, '.'); ok {
			return amount.New(coefficient, int(scale)), cell.Ratio, true
		}
		value, err := amount.Parse(cell.Text, '.')
		return value, cell.Ratio, err == nil
	}
	text := cell.Text
	if len(text) > 0 && text[0] != '0' && text[0] != '-' {
		if coefficient, scale, ok := amount.ParsePlain(text, c.Decimal); ok {
			return amount.New(coefficient, int(scale)), false, true
		}
	}
	if text = bytes.TrimSpace(text); len(text) == 0 || !kind.MayBeAmount(text) && !amount.IsDash(text) {
		return value, false, false
	}
	if text[len(text)-1] == '%' {
		ratio, text = true, bytes.TrimSpace(text[:len(text)-1])
	}
	if equality.IsCode(text) {
		return value, false, false
	}
	value, err := amount.Parse(text, c.Decimal)
	return value, ratio, err == nil
}
