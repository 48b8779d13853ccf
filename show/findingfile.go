package show

import (
	"cmp"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"

	"lastblock/core/finding"
	"lastblock/core/format/delimited"
	"lastblock/core/record"
)

// findingColumns are the columns of a file of findings.
var findingColumns = []string{"id", "severity", "kind", "source", "sheet", "line", "column", "key", "expected", "found",
	"difference", "amount", "count", "accepted", "lapsed", "message", "state", "places"}

func findingCells(f *finding.Finding) []string {
	return []string{
		f.ID, string(f.Severity), string(f.Kind), f.Source, f.Sheet, orNothing(f.Line), f.Column, f.Key, f.Expected,
		f.Found, f.Difference, f.Amount,
		orNothing(f.Count), f.Accepted, f.Lapsed, f.Message, f.State, placesCell(f),
	}
}

// placesCell holds the places of a finding, as in JSON; "" for none.
func placesCell(f *finding.Finding) string {
	if len(f.Places) == 0 {
		return ""
	}
	return string(marshal(f.Places))
}

func orNothing(n int) string {
	if n == 0 {
		return ""
	}
	return strconv.Itoa(n)
}

// EachFinding gives findings one by one.
type EachFinding func(visit func(*finding.Finding) error) error

// Each gives findings one after another.
func Each(findings []finding.Finding) EachFinding {
	return func(visit func(*finding.Finding) error) error {
		for i := range findings {
			if err := visit(&findings[i]); err != nil {
				return err
			}
		}
		return nil
	}
}

// WriteFindings writes every finding in a format. shield has texts shielded, in delimited
// text, that a spreadsheet would run as formulas.
func WriteFindings(w io.Writer, format Format, packed string, shield bool, each EachFinding) error {
	out, err := Pack(w, packed)
	if err != nil {
		return err
	}
	switch format {
	case JSON:
		d := StartDocument(out, NewDocument("findings"))
		if err = d.Findings(each); err == nil {
			err = d.Close()
		}
	case JSONL:
		encoder := json.NewEncoder(out)
		encoder.SetEscapeHTML(false)
		err = each(func(f *finding.Finding) error { return encoder.Encode(f) })
	case Workbook, Parquet:
		err = writeTypedFindings(out, format, each)
	default:
		lines := csv.NewWriter(out)
		if format == TSV {
			lines.Comma = '\t'
		}
		if err = lines.Write(findingColumns); err == nil {
			err = each(func(f *finding.Finding) error { return lines.Write(shielded(findingCells(f), shield)) })
		}
		if lines.Flush(); err == nil {
			err = lines.Error()
		}
	}
	if err != nil {
		return err
	}
	return out.Close()
}

// shielded shields texts, if that is asked for.
func shielded(cells []string, shield bool) []string {
	if !shield {
		return cells
	}
	var room []byte
	for i := range cells {
		cells[i] = string(delimited.Shield([]byte(cells[i]), &room))
	}
	return cells
}

func writeTypedFindings(w io.Writer, format Format, each EachFinding) error {
	columns := make([]Cells, len(findingColumns))
	for i, name := range findingColumns {
		columns[i] = Cells{Name: name, Kind: record.Text}
		if name == "line" || name == "count" {
			columns[i].Kind = record.Amount
		}
	}
	writer, err := NewRecordWriter(w, format, columns)
	if err != nil {
		return err
	}
	defer LetGo(writer)
	texts, kinds := make([][]byte, len(columns)), make([]record.Kind, len(columns))
	err = each(func(f *finding.Finding) error {
		for i, cell := range findingCells(f) {
			texts[i], kinds[i] = []byte(cell), columns[i].Kind
		}
		return writer.Write(texts, kinds)
	})
	if err != nil {
		return err
	}
	return writer.Close()
}

// writtenFinding is a finding in JSON, in which its severity was called weight in version 1.
type writtenFinding struct {
	finding.Finding
	Weight finding.Severity `json:"weight"`
}

func (f *writtenFinding) finding() finding.Finding {
	f.Severity = cmp.Or(f.Severity, f.Weight)
	return f.Finding
}

// ReadFindings reads a file that WriteFindings wrote as CSV, TSV, JSON or JSON
// lines.
func ReadFindings(r io.Reader, format Format) ([]finding.Finding, error) {
	switch format {
	case JSON:
		var document struct{ Findings []writtenFinding }
		err := json.NewDecoder(r).Decode(&document)
		var all []finding.Finding
		for _, f := range document.Findings {
			all = append(all, f.finding())
		}
		return all, err
	case JSONL:
		var all []finding.Finding
		for decoder := json.NewDecoder(r); ; {
			var f writtenFinding
			if err := decoder.Decode(&f); errors.Is(err, io.EOF) {
				return all, nil
			} else if err != nil {
				return nil, err
			}
			all = append(all, f.finding())
		}
	case CSV, TSV:
		return readFindingLines(r, format)
	}
	return nil, fmt.Errorf("findings cannot be read from .%s; write them as .csv or .json", format)
}

func readFindingLines(r io.Reader, format Format) ([]finding.Finding, error) {
	lines := csv.NewReader(r)
	if format == TSV {
		lines.Comma = '\t'
	}
	header, err := lines.Read()
	if at := slices.Index(header, "weight"); at >= 0 {
		header[at] = "severity" // as it was called in version 1
	}
	if err != nil || !slices.Equal(header, findingColumns) {
		return nil, errors.New("this is no file of findings, such as tieout --findings writes")
	}
	var all []finding.Finding
	for {
		cells, err := lines.Read()
		if errors.Is(err, io.EOF) {
			return all, nil
		}
		if err != nil {
			return nil, err
		}
		value := func(column string) string { return delimited.Unshield(cells[slices.Index(findingColumns, column)]) }
		number := func(column string) int {
			n, _ := strconv.Atoi(value(column)) // blank is zero
			return n
		}
		var places []finding.Place
		if text := value("places"); text != "" {
			if err := json.Unmarshal([]byte(text), &places); err != nil {
				return nil, fmt.Errorf("the places of %s: %w", value("id"), err)
			}
		}
		all = append(all, finding.Finding{
			Places: places,
			ID:     value("id"), Severity: finding.Severity(value("severity")), Kind: finding.Kind(value("kind")),
			Source: value("source"), Sheet: value("sheet"),
			Line: number("line"), Column: value("column"), Key: value("key"), Expected: value("expected"),
			Found:      value("found"),
			Difference: value("difference"), Amount: value("amount"), Count: number("count"),
			Accepted: value("accepted"), Lapsed: value("lapsed"),
			Message: value("message"), State: value("state"),
		})
	}
}
