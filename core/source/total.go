package source

import (
	"encoding/csv"
	"strings"

	"lastblock/core/amount"
	"lastblock/core/record"
)

// TotalLine is a last line that sums up the records above it and is none
// itself.
type TotalLine struct {
	Line   int
	Word   string            // by which it was known
	Totals map[string]string // what stands in it as an amount, by column
}

// totalWords begin a total line, in small letters.
var totalWords = map[string]bool{
	"total": true, "totals": true, "sum": true, "sums": true, "grand": true, "overall": true,
	"summe": true, "gesamt": true, "gesamtsumme": true, "somme": true, "totaal": true, "totale": true,
}

// takeTotalLine takes a total line off the end of a source's last batch: a
// record whose first text is such a word, and in which nothing but amounts
// follows. columns are those of the source.
func takeTotalLine(b *record.Batch, columns []string, delimiter byte) *TotalLine {
	lastRefused := len(b.Refused) - 1
	line, texts, refused := 0, []string(nil), false
	if b.Rows > 0 {
		line = b.Line(b.Rows - 1)
	}
	for i := range b.Refused {
		if b.Refused[i].Line > b.Refused[lastRefused].Line {
			lastRefused = i
		}
	}
	switch {
	case lastRefused >= 0 && b.Refused[lastRefused].Line > line:
		refusal := &b.Refused[lastRefused]
		if refusal.Reason != record.FieldCount || refusal.Fields > len(columns) || delimiter == 0 {
			return nil
		}
		line, refused = refusal.Line, true
		reader := csv.NewReader(strings.NewReader(string(refusal.Raw)))
		reader.Comma, reader.LazyQuotes = rune(delimiter), true
		texts, _ = reader.Read() // what cannot be read is no total line
	case b.Rows > 0:
		if !mayBeTotal(b) {
			return nil
		}
		var scratch []byte
		for column := range b.Width {
			texts = append(texts, string(b.Text(b.Rows-1, column, &scratch)))
		}
	}
	total := totalOf(texts, columns)
	if total == nil {
		return nil
	}
	total.Line = line
	if refused {
		b.Refused = append(b.Refused[:lastRefused], b.Refused[lastRefused+1:]...)
		return total
	}
	b.Rows--
	b.Bounds = b.Bounds[:b.Rows*(b.Width+1)]
	if len(b.Lines) > 0 {
		b.Lines = b.Lines[:b.Rows]
		b.KeepLines()
	}
	return total
}

// mayBeTotal tells quickly of most last records that they are no total line.
func mayBeTotal(b *record.Batch) bool {
	for column := range b.Width {
		if field := b.Field(b.Rows-1, column); len(field) > 0 {
			return field[0] > '9' || field[0] == ' ' || field[0] == '"'
		}
	}
	return false
}

// totalOf reads a record as a total line, nil where it is none.
func totalOf(texts, columns []string) *TotalLine {
	var total *TotalLine
	for i, text := range texts {
		text = strings.TrimSpace(text)
		switch {
		case text == "" || i >= len(columns):
		case total == nil:
			word, _, _ := strings.Cut(strings.ToLower(text), " ")
			if !totalWords[strings.Trim(word, ":=*")] {
				return nil
			}
			total = &TotalLine{Word: text, Totals: make(map[string]string)}
		default:
			if !isAmount([]byte(text)) {
				return nil
			}
			total.Totals[columns[i]] = text
		}
	}
	if total == nil || len(total.Totals) == 0 {
		return nil
	}
	return total
}

// isAmount tells whether a text is an amount with either decimal mark.
func isAmount(text []byte) bool {
	_, point := amount.Parse(text, '.')
	_, comma := amount.Parse(text, ',')
	return point == nil || comma == nil
}
