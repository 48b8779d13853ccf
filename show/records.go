package show

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"

	"lastblock/core/value/amount"
)

// shownRecords is how many records a terminal is given.
const shownRecords = 20

// isFigures tells whether a column holds amounts, or whole numbers where those
// are no codes.
func isFigures(t *Table, column int, whole bool) bool {
	filled := 0
	for _, row := range t.Rows {
		text := row.Cells[min(column, len(row.Cells)-1)]
		if text == "" {
			continue
		}
		_, scale, ok := amount.ParsePlain([]byte(text), '.')
		if !ok {
			return false
		}
		filled++
		whole = whole || scale > 0
	}
	return whole && filled > 0
}

// FirstRecords prints the first records of a CSV as a table, and says how many
// more there are. Its last keys columns say where a record is from.
func FirstRecords(s *Screen, records io.Reader, keys int) error {
	reader := csv.NewReader(bufio.NewReader(records))
	reader.ReuseRecord = true
	reader.FieldsPerRecord = -1
	header, err := reader.Read()
	if err != nil {
		return err
	}
	var t Table
	for _, name := range header {
		t.Columns = append(t.Columns, Column{Name: strings.Clone(name)})
	}
	for i := len(header) - keys; i < len(header); i++ {
		t.Columns[i].Key = true
	}
	more := 0
	for {
		record, err := reader.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return err
		}
		if len(t.Rows) == shownRecords {
			more++
			continue
		}
		cells := make([]string, len(record))
		for i, cell := range record {
			cells[i] = strings.Clone(cell)
		}
		t.Add(cells...)
	}
	for i := range t.Columns {
		t.Columns[i].Right = isFigures(&t, i, i == len(t.Columns)-1 && keys > 0)
	}
	t.Print(s)
	if more > 0 {
		_, err = fmt.Fprintf(s, "%s\n", s.Faint(fmt.Sprintf("… %s more records; --out writes them all", Number(more))))
	}
	return err
}
