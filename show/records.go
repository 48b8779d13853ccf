package show

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
)

// shownRecords is how many records a terminal is given.
const shownRecords = 20

// FirstRecords prints the first records of a CSV as a table, and says how many
// more there are.
func FirstRecords(s *Screen, records io.Reader) error {
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
	t.Print(s)
	if more > 0 {
		_, err = fmt.Fprintf(s, "%s\n", s.Faint(fmt.Sprintf("… %s more records; --out writes them all", Number(more))))
	}
	return err
}

// JSONText writes a text as a JSON string; bytes that are no UTF-8 become the
// replacement character, since JSON has no other way.
func JSONText(s string) []byte {
	text, err := appendJSON(nil, s)
	if err != nil { // a string can always be written
		return []byte(`""`)
	}
	return text
}

// DocumentWith prints a document whose last member is read from list, which
// may be larger than memory.
func DocumentWith(w io.Writer, document Object, name string, list io.Reader) error {
	var buffer bytes.Buffer
	encoder := json.NewEncoder(&buffer)
	encoder.SetEscapeHTML(false)
	encoder.SetIndent("", "  ")
	if err := encoder.Encode(document); err != nil {
		return err
	}
	front := bytes.TrimSuffix(buffer.Bytes(), []byte("\n}\n"))
	if _, err := fmt.Fprintf(w, "%s,\n  %s: ", front, JSONText(name)); err != nil {
		return err
	}
	if _, err := io.Copy(w, list); err != nil {
		return err
	}
	_, err := io.WriteString(w, "}\n")
	return err
}
