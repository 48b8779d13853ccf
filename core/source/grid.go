package source

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"

	"lastblock/core/format/sheet"
	"lastblock/core/value/amount"
)

// Grid is a small sheet, or a small text, by its cells: a covering sheet, on
// which figures stand beside what they are called.
type Grid struct {
	Name    string
	Lines   []int
	Cells   [][]string
	Decimal byte // the decimal mark of its figures, 0 where they do not tell
}

// mostGrid is how large a text may be that is read as a grid, and how many rows
// of a sheet are.
const (
	mostGrid     = 1 << 20
	mostGridRows = 10_000
)

// ReadCover reads the covering sheet of the workbook that a source lies in. ok is
// false where it is not to have one, or has none.
func (s *Set) ReadCover(index int, memory int64) (grid *Grid, ok bool, err error) {
	src := &s.Sources[index]
	name := s.CoverName(index)
	if name == "" || src.format == nil || src.format.book == nil {
		return nil, false, nil
	}
	fail := func(err error) (*Grid, bool, error) { return nil, false, &Error{src.Name, err} }
	d, err := openDocumentOf(src)
	if err != nil {
		return fail(err)
	}
	defer d.Close()
	book, err := src.format.book(d, memory, recordLimit(memory))
	if err != nil {
		return fail(err)
	}
	defer book.Close()
	for have, err := range book.Sheets() {
		if err != nil {
			return fail(err)
		}
		if !isCover(have, name) {
			continue
		}
		rows, err := book.Rows(have)
		if err != nil {
			return fail(err)
		}
		defer rows.Close()
		grid, err := gridOf(rows)
		if err != nil {
			return fail(err)
		}
		grid.Name = src.inner().file + ", sheet " + have
		return grid, true, nil
	}
	return nil, false, nil
}

// gridOf reads the rows of a sheet, whose numbers have a point.
func gridOf(rows sheet.Rows) (*Grid, error) {
	grid := &Grid{Decimal: '.'}
	for range mostGridRows {
		var row sheet.Row
		err := rows.Next(&row)
		if errors.Is(err, io.EOF) {
			return grid, nil
		}
		if err != nil {
			return nil, err
		}
		texts := make([]string, len(row.Cells))
		for i, cell := range row.Cells {
			texts[i] = string(cell.Text)
		}
		grid.Lines, grid.Cells = append(grid.Lines, row.Number), append(grid.Cells, texts)
	}
	return grid, nil
}

// CoverName is what the covering sheet of a source's workbook is called, "" for
// none.
func (s *Set) CoverName(index int) string { return s.Sources[index].manner().Choice.Cover }

// ReadGrid reads a small text by its cells, which stand between semicolons,
// tabs, bars or commas, or as "name = figure" or "name: figure" on a line.
func ReadGrid(path string) (*Grid, error) {
	src := Source{Name: path, Path: path, below: path}
	file, err := src.open()
	if err != nil {
		return nil, &Error{path, err}
	}
	defer file.Close()
	unwrap := newUnwrapper(&src, nil)
	defer unwrap.close()
	var content io.Reader = file
	for unpacked := false; !unpacked; {
		sample := make([]byte, 4096)
		n, err := io.ReadFull(content, sample)
		if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF) {
			return nil, &Error{path, err}
		}
		inner, err := unwrap.unwrap(sample[:n], content, n < len(sample))
		if err != nil {
			return nil, &Error{path, err}
		}
		unpacked = inner == nil
		if unpacked {
			inner = again(sample[:n], content)
		}
		content = inner
	}
	data, err := io.ReadAll(io.LimitReader(content, mostGrid+1))
	if err != nil {
		return nil, &Error{path, err}
	}
	if len(data) > mostGrid {
		return nil, &Error{path, fmt.Errorf("it is larger than %d MB, which what a branch declares never is",
			mostGrid>>20)}
	}
	grid := &Grid{Name: path}
	lines := strings.Split(strings.ReplaceAll(strings.TrimPrefix(string(data), "\ufeff"), "\r\n", "\n"), "\n")
	delimiter := gridDelimiter(lines)
	var marks amount.Marks
	for i, line := range lines {
		if strings.TrimSpace(line) == "" {
			continue
		}
		cells := splitGridLine(line, delimiter)
		for _, cell := range cells {
			marks.Add([]byte(cell))
		}
		grid.Lines, grid.Cells = append(grid.Lines, i+1), append(grid.Cells, cells)
	}
	if mark, proven := marks.Decimal(); proven {
		grid.Decimal = mark
	}
	return grid, nil
}

// gridDelimiter is what stands on most of the lines.
func gridDelimiter(lines []string) rune {
	best, most := rune(0), 0
	for _, delimiter := range ";\t|=:," {
		count := 0
		for _, line := range lines {
			if strings.ContainsRune(line, delimiter) {
				count++
			}
		}
		if count > most {
			best, most = delimiter, count
		}
	}
	return best
}

func splitGridLine(line string, delimiter rune) []string {
	if delimiter == '=' || delimiter == ':' {
		if name, figure, ok := strings.Cut(line, string(delimiter)); ok {
			return []string{name, figure}
		}
	}
	if delimiter == 0 || !strings.ContainsRune(line, delimiter) {
		fields := strings.Fields(line)
		last := fields[len(fields)-1]
		if _, err := amount.Parse([]byte(last), '.'); err == nil && len(fields) > 1 {
			return []string{strings.TrimSuffix(strings.TrimSpace(line), last), last}
		}
		return []string{line}
	}
	reader := csv.NewReader(strings.NewReader(line))
	reader.Comma, reader.LazyQuotes = delimiter, true
	if cells, err := reader.Read(); err == nil {
		return cells
	}
	return strings.Split(line, string(delimiter))
}
