package block

import (
	"encoding/csv"
	"errors"
	"io"
	"strconv"
)

// WriteFigures writes rows and totals by source as CSV: file, source, entity, period and rows, and behind them a
// column for each total.
func (b *Block) WriteFigures(w io.Writer) error {
	out := csv.NewWriter(w)
	header := []string{"file", "source", "entity", "period", "rows"}
	for _, total := range b.Totals {
		header = append(header, total.Column)
	}
	err := out.Write(header)
	for i := range b.Sources {
		s := &b.Sources[i]
		cells := []string{s.Name, s.Source, s.Entity, s.Period, strconv.Itoa(s.Rows)}
		for _, total := range s.Totals {
			cells = append(cells, total.Amount)
		}
		err = errors.Join(err, out.Write(cells))
	}
	out.Flush()
	return errors.Join(err, out.Error())
}
