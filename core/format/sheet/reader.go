package sheet

import (
	"bytes"
	"errors"
	"io"
	"slices"
	"strings"

	"lastblock/core/format/delimited"
	"lastblock/core/format/header"
	"lastblock/core/record"
)

// Request is what the user has said about how the sheet is laid out.
type Request struct {
	SkipRows    int // above the header, or above the first record
	HeaderLines int // 0 to find out
	NoHeader    bool
	Area        Area // what of the sheet is read
}

const (
	sampleRows = 50
	manyRows   = 1000 // with those that hold no more than one cell each, as of a long preamble
	batchRows  = 2000
	batchBytes = 256 << 10
	batchCells = 1 << 20 // of wide rows there are fewer in a batch
)

// Reader makes records of the rows of a sheet.
type Reader struct {
	rows    Rows
	request Request
	head    *record.Head
	names   []string // the header, to know its repetitions
	first   int      // column in which the table begins, from 0
	width   int

	sample []Row // read to find the head, and not yet handed out
	next   Row   // read ahead
	ahead  bool
	ended  bool
	given  bool
	last   int // the number of the last row that was handed out, 0 for none
}

// NewReader makes a reader of rows.
func NewReader(rows Rows, request Request) *Reader { return &Reader{rows: rows, request: request} }

// Head tells how the sheet is laid out, once Peek has been called.
func (r *Reader) Head() *record.Head { return r.head }

// Peek finds the head.
func (r *Reader) Peek(format string) error {
	if r.head != nil {
		return nil
	}
	r.head = &record.Head{Format: format, Line: 1, Layout: record.NewLayout(nil)}
	narrow := 0 // rows of one cell at the top, behind which as many rows are looked at as usual
	for len(r.sample) < min(narrow+sampleRows, manyRows) {
		var row Row
		err := r.read(&row)
		if errors.Is(err, io.EOF) {
			r.ended = true
			break
		}
		if err != nil {
			return err
		}
		r.sample = append(r.sample, clone(row))
		if len(row.Cells) <= 1 && narrow == len(r.sample)-1 {
			narrow++
		}
	}
	r.head.Hidden = r.rows.Hidden()
	if len(r.sample) == 0 {
		r.head.Empty = true
		return nil
	}
	return r.findHeader()
}

// read reads the next row of the area.
func (r *Reader) read(row *Row) error {
	area := r.request.Area
	for {
		if err := r.rows.Next(row); err != nil {
			return err
		}
		if row.Number <= r.request.SkipRows || row.Number < area.FirstRow {
			continue
		}
		if area.LastRow > 0 && row.Number > area.LastRow {
			return io.EOF
		}
		if area.LastColumn > 0 && len(row.Cells) > area.LastColumn {
			row.Cells = row.Cells[:area.LastColumn]
		}
		if area.FirstColumn > 1 {
			row.Cells = row.Cells[min(len(row.Cells), area.FirstColumn-1):]
		}
		for len(row.Cells) > 0 && isBlank(row.Cells[len(row.Cells)-1].Text) {
			row.Cells = row.Cells[:len(row.Cells)-1]
		}
		if len(row.Cells) > 0 {
			return nil
		}
	}
}

func isBlank(text []byte) bool { return len(bytes.TrimSpace(text)) == 0 }

func clone(row Row) Row {
	row.Cells = slices.Clone(row.Cells)
	for i := range row.Cells {
		row.Cells[i].Text = bytes.Clone(row.Cells[i].Text)
	}
	return row
}

// findHeader takes the header out of the sample.
func (r *Reader) findHeader() error {
	texts := make([][]string, len(r.sample))
	for i, row := range r.sample {
		for _, cell := range row.Cells {
			texts[i] = append(texts[i], string(cell.Text))
		}
	}
	at, lines := 0, 0
	if !r.request.NoHeader {
		at, lines = header.Find(texts, r.request.HeaderLines)
	}
	r.first = firstColumn(texts[at:])
	for _, row := range texts[at:] {
		r.width = max(r.width, len(row)-r.first)
	}
	r.head.Line = r.sample[at].Number
	if lines == 0 {
		r.head.Layout = record.Positions(r.width)
		return nil
	}
	r.head.Above = at
	if err := r.spread(texts, at, lines); err != nil {
		return err
	}
	joined := header.Join(texts[at : at+lines])[r.first:]
	for len(joined) < r.width {
		joined = append(joined, "")
	}
	r.names = joined
	for i := range texts {
		texts[i] = texts[i][min(len(texts[i]), r.first):]
	}
	if header.IsNumbering(joined, texts[at+lines:]) {
		r.head.Index = 1
	}
	r.head.Unproven = r.request.HeaderLines == 0 && !header.IsProven(texts[at:])
	r.head.Continues = r.request.HeaderLines == 0 && header.Continues(texts[at+lines:])
	r.head.NameColumns(joined)
	r.head.Header = []byte(strings.Join(joined, ","))
	r.last = r.sample[at+lines-1].Number
	r.sample = r.sample[at+lines:]
	return nil
}

// firstColumn returns the first column in which any row has something.
func firstColumn(rows [][]string) int {
	first := MostColumns
	for _, row := range rows {
		for i, text := range row[:min(len(row), first)] {
			if strings.TrimSpace(text) != "" {
				first = i
				break
			}
		}
	}
	return first
}

// spread puts merged headings into all columns that they span.
func (r *Reader) spread(texts [][]string, at, lines int) error {
	if !mayBeMerged(texts[at:at+lines], r.first+r.width) {
		return nil
	}
	last := r.sample[at+lines-1].Number
	merges, err := r.rows.Merges(last)
	if err != nil {
		return err
	}
	offset := max(0, r.request.Area.FirstColumn-1)
	for _, merge := range merges {
		for i := at; i < at+lines; i++ {
			if r.sample[i].Number != merge.Row {
				continue
			}
			from, to := merge.From-1-offset, min(merge.To-offset, r.first+r.width)
			if from < 0 || from >= len(texts[i]) {
				continue
			}
			for column := from + 1; column < to; column++ {
				for len(texts[i]) <= column {
					texts[i] = append(texts[i], "")
				}
				if strings.TrimSpace(texts[i][column]) == "" {
					texts[i][column] = texts[i][from]
				}
			}
		}
	}
	return nil
}

// mayBeMerged tells whether a heading has a blank behind it.
func mayBeMerged(rows [][]string, width int) bool {
	for _, row := range rows {
		if len(row) < width {
			return true
		}
		for i := 1; i < len(row); i++ {
			if strings.TrimSpace(row[i]) == "" && strings.TrimSpace(row[i-1]) != "" {
				return true
			}
		}
	}
	return false
}

// take returns the next row, nil behind the last one.
func (r *Reader) take() (*Row, error) {
	if len(r.sample) > 0 {
		row := &r.sample[0]
		r.sample = r.sample[1:]
		return row, nil
	}
	if r.ended {
		return nil, nil
	}
	err := r.read(&r.next)
	if errors.Is(err, io.EOF) {
		r.ended = true
		return nil, nil
	}
	return &r.next, err
}

// Next makes a batch of the next rows, in a buffer that is used again and
// returned; the error is io.EOF behind the last batch. Peek must have been
// called.
func (r *Reader) Next(b *record.Batch, data []byte) ([]byte, error) {
	if r.given && r.ended && !r.ahead {
		return data, io.EOF
	}
	r.given = true
	data = data[:0]
	b.Reset(r.width)
	b.Quoted = true
	for b.Rows+len(b.Refused) < max(1, min(batchRows, batchCells/max(1, r.width))) && len(data) < batchBytes {
		row := &r.next
		if !r.ahead {
			var err error
			if row, err = r.take(); err != nil {
				return data, err
			}
			if row == nil {
				break
			}
		}
		r.ahead = false
		data = r.add(b, data, row)
	}
	b.Data = data
	if !r.ended || len(r.sample) > 0 { // to know which batch is the last one
		row, err := r.take()
		if err != nil {
			return data, err
		}
		if row != nil {
			if row != &r.next {
				r.next = *row
			}
			r.ahead = true
		}
	}
	b.Last = r.ended && !r.ahead
	return data, nil
}

// add appends a row to a batch: as a record, or as what it is instead.
func (r *Reader) add(b *record.Batch, data []byte, row *Row) []byte {
	if r.last > 0 && row.Number > r.last+1 {
		b.Blank += row.Number - r.last - 1
	}
	r.last = row.Number
	if row.Hidden {
		b.Hidden++
	}
	cells := row.Cells[min(len(row.Cells), r.first):]
	if r.isHeader(cells) {
		b.Repeated = append(b.Repeated, row.Number)
		return data
	}
	start := len(data)
	bounds := len(b.Bounds)
	b.Bounds = append(b.Bounds, uint32(start)-1)
	bad := -1
	for i := range max(len(cells), r.width) {
		if i > 0 {
			data = append(data, ',')
		}
		if i < len(cells) {
			data = delimited.AppendField(data, cells[i].Text, ',')
			if cells[i].Error && bad < 0 {
				bad = i
			}
		}
		b.Bounds = append(b.Bounds, uint32(len(data)))
	}
	if len(cells) <= r.width && bad < 0 {
		b.Lines = append(b.Lines, row.Number)
		b.Rows++
		return append(data, '\n')
	}
	refusal := record.Refusal{Reason: record.FieldCount, Line: row.Number, Fields: len(cells),
		Raw: bytes.Clone(data[start:])}
	if len(cells) <= r.width {
		refusal.Reason, refusal.Column, refusal.Found = record.BadValue, r.head.Layout.Columns[bad],
			bytes.Clone(cells[bad].Text)
		if string(refusal.Found) == NoResult {
			refusal.Reason = record.NoResult
		}
	}
	b.Refused = append(b.Refused, refusal)
	b.Bounds = b.Bounds[:bounds]
	return data[:start]
}

func (r *Reader) isHeader(cells []Cell) bool {
	if len(r.names) == 0 || len(cells) > len(r.names) {
		return false
	}
	for i, name := range r.names {
		text := ""
		if i < len(cells) {
			text = strings.TrimSpace(string(cells[i].Text))
		}
		if text != name {
			return false
		}
	}
	return true
}

// Close closes the rows.
func (r *Reader) Close() { r.rows.Close() }
