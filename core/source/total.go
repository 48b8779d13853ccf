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
	at := lastLine(b)
	switch {
	case at.refused >= 0:
		refusal := &b.Refused[at.refused]
		if refusal.Reason != record.FieldCount || refusal.Fields > len(columns) || delimiter == 0 {
			return nil
		}
	case b.Rows == 0 || !mayBeTotal(b):
		return nil
	}
	total := totalOf(at.texts(b, delimiter), columns)
	if total == nil {
		return nil
	}
	total.Line = at.line
	at.take(b)
	return total
}

// ending is the last line of a batch: its last record, or a line behind it that
// was refused.
type ending struct {
	line    int
	refused int // index among Refused, -1 for the last record
}

func lastLine(b *record.Batch) ending {
	last := ending{refused: -1}
	if b.Rows > 0 {
		last.line = b.Line(b.Rows - 1)
	}
	for i := range b.Refused {
		if b.Refused[i].Line > last.line {
			last = ending{b.Refused[i].Line, i}
		}
	}
	return last
}

// texts are the fields of the line.
func (at ending) texts(b *record.Batch, delimiter byte) []string {
	var texts []string
	if at.refused >= 0 {
		reader := csv.NewReader(strings.NewReader(string(b.Refused[at.refused].Raw)))
		reader.Comma, reader.LazyQuotes = rune(delimiter), true
		texts, _ = reader.Read() // what cannot be read is nothing that anybody looks for
		return texts
	}
	var scratch []byte
	for column := range b.Width {
		texts = append(texts, string(b.Text(b.Rows-1, column, &scratch)))
	}
	return texts
}

// take takes the line out of the batch.
func (at ending) take(b *record.Batch) {
	if at.refused >= 0 {
		b.Refused = append(b.Refused[:at.refused], b.Refused[at.refused+1:]...)
		return
	}
	b.Rows--
	b.Bounds = b.Bounds[:b.Rows*(b.Width+1)]
	if len(b.Lines) > 0 {
		b.Lines = b.Lines[:b.Rows]
		b.KeepLines()
	}
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
