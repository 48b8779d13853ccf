package source

import (
	"bytes"

	"lastblock/core/format/parquet"
	"lastblock/core/record"
)

// parquetFile is Apache Parquet.
var parquetFile = &Format{
	Name:    "parquet",
	Endings: []string{".parquet"},
	begins:  func(sample []byte) bool { return bytes.HasPrefix(sample, []byte("PAR1")) },
	open: func(d *document, _ Part, _ *Manner, _ int64) (Reader, error) {
		r, err := parquet.Open(d, d.Size)
		if err != nil {
			return nil, err
		}
		return &columnarReader{r, d}, nil
	},
}

// columnarReader reads rows of columns.
type columnarReader struct {
	*parquet.Reader
	document *document
}

func (r *columnarReader) Peek(int) error { return nil }

func (r *columnarReader) Next(s *Stretch) error {
	return r.Reader.Next(&s.Batch, &s.rows)
}

func (r *columnarReader) Parse(s *Stretch) {
	s.rows.Store(&s.Batch)
	s.rows.Compose(&s.Batch)
}

func (r *columnarReader) parseColumns(s *Stretch) {
	if s.rows.Store(&s.Batch) && !mayHoldTotals(&s.Batch) {
		s.Columnar = true
		return
	}
	s.rows.Compose(&s.Batch)
}

// mayHoldTotals tells quickly of nearly all batches of columns that no record is a total line: none of their first
// texts begins like one.
func mayHoldTotals(b *record.Batch) bool {
	for row := range b.Rows {
		for i := range b.Stored {
			column := &b.Stored[i]
			if column.Form != nil {
				if !column.IsNull(row) {
					break // a number
				}
			} else if text := column.Text(row); len(text) > 0 {
				if mayBegin[text[0]] {
					return true
				}
				break
			}
		}
	}
	return false
}

func (r *columnarReader) Close() {
	r.Reader.Close()
	r.document.Close()
}
